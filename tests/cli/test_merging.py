"""``date-bridge merge``: three files in, one out, and what waits for a decision."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from datebridge.core.merging.files import read_calendar
from tests.conftest import calendar, event
from tests.running import command


def _files(folder: Path, *texts: str) -> list[Path]:
    paths = [folder / f"{name}.ics" for name in ("base", "left", "right")]
    for path, text in zip(paths, texts, strict=True):
        path.write_text(text)
    return paths


def test_two_changed_copies_become_one_and_what_both_changed_is_told(tmp_path: Path) -> None:
    untouched = event("0", "Drill", "20261201T070000Z", "X-SKERROW-ODD;X-A=1:kept")
    base = calendar(untouched, event("1", "Tide"), event("2", "Ebb"), event("3", "Flood"), event("4", "Gale"))
    left = calendar(untouched, event("1", "Spring tide"), event("2", "Slack"), event("3", "Flood"))
    right = calendar(
        untouched,
        event("1", "Tide", "20261124T080000Z", "LOCATION:Pier"),
        event("2", "Surge"),
        event("3", "High"),
        event("5", "New"),
        event("4", "Gale"),
    )
    out = tmp_path / "merged.ics"
    done = command("merge", *_files(tmp_path, base, left, right), "--out", out, "--json")
    told = json.loads(done.stdout)
    assert done.returncode == 1
    assert told["summary"] == {"same": 1, "from_left": 1, "from_right": 2, "both": 2, "conflicts": 1}
    [conflict] = told["conflicts"]
    assert (conflict["uid"], conflict["recurrence_id"], conflict["field"]) == ("2", None, "SUMMARY")
    assert [conflict[side] for side in ("base", "left", "right")] == ["SUMMARY:Ebb", "SUMMARY:Slack", "SUMMARY:Surge"]
    objects = read_calendar(out.read_bytes()).objects
    assert {uid for _, uid in objects} == {"0", "1", "2", "3", "5"}
    assert objects["VEVENT", "0"] == [untouched]
    assert "LOCATION:Pier" in objects["VEVENT", "1"][0]
    assert "SUMMARY:Spring tide" in objects["VEVENT", "1"][0]
    assert "SUMMARY:Ebb" in objects["VEVENT", "2"][0]


def test_in_words_it_says_who_changed_how_much_and_ends_well_without_conflicts(tmp_path: Path) -> None:
    base, left = calendar(event("1", "Tide")), calendar(event("1", "Ebb"), event("2", "New"))
    done = command("merge", *_files(tmp_path, base, left, base))
    assert done.returncode == 0
    assert "2 entries changed on the left, 0 on the right, 0 on both sides; 0 unchanged." in done.stdout


@pytest.mark.parametrize(
    ("text", "words"),
    [
        (None, "No such file"),
        ("<html>Sign in</html>", "not an iCalendar file"),
        (calendar(event("1", "Tide"))[:80], "does not end with END:VCALENDAR"),
    ],
)
def test_a_file_that_is_not_all_there_deletes_nothing(tmp_path: Path, text: str | None, words: str) -> None:
    base, left, right = _files(tmp_path, *[calendar(event("1", "Tide"))] * 3)
    right.unlink() if text is None else right.write_text(text)
    done = command("merge", base, left, right, "--out", tmp_path / "out.ics")
    assert done.returncode == 2
    assert words in done.stderr
    assert not (tmp_path / "out.ics").exists()
