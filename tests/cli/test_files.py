"""Commands over files: shapes, exit codes, and what cannot be done."""

from __future__ import annotations

import csv
import io
import json
from collections import Counter
from datetime import date
from pathlib import Path

import icalendar
import pytest

from datebridge.core.merging.files import read_calendar
from datebridge.demo.damaged import damaged_log
from datebridge.demo.timing import HOBART, SERIES_ANSWERS, Watch
from tests.conftest import calendar, event
from tests.running import command as run

STAMP = "DTSTAMP:20261101T000000Z"


@pytest.fixture
def good(tmp_path: Path) -> Path:
    path = tmp_path / "good.ics"
    path.write_text(
        calendar(event("a", "Höfn", "20261124T080000Z", STAMP), event("b", "=x", "20261125", "X-ODD:1", STAMP)), "utf-8"
    )
    return path


def test_inspect_tells_what_is_inside(good: Path, tmp_path: Path) -> None:
    bad = tmp_path / "bad.ics"
    bad.write_bytes(damaged_log(date(2026, 11, 24)))
    assert run("inspect", good).returncode == 0
    done = run("inspect", good, bad, "--json")
    assert done.returncode == 1
    first, second = json.loads(done.stdout)["files"]
    assert set(first) == {
        "path",
        "bytes",
        "calendars",
        "events",
        "series",
        "overrides",
        "todos",
        "journals",
        "first",
        "last",
        "zones",
        "problems",
    }
    assert (first["events"], first["problems"], first["first"]) == (2, [], "2026-11-24")
    assert set(second["problems"][0]) == {"line", "severity", "code", "message", "uid"}
    assert {"bad-date", "no-uid", "two-masters", "crossed-end", "encoding", "truncated"} <= {
        p["code"] for p in second["problems"]
    }


def test_expand_tells_when_things_happen(tmp_path: Path) -> None:
    path = tmp_path / "calls.ics"
    path.write_text(
        calendar(
            event(
                "a",
                "Call",
                "TZID=Australia/Hobart:20270403T150000",
                "DTEND;TZID=Australia/Hobart:20270403T160000",
                "RRULE:FREQ=DAILY;COUNT=3",
            ),
            event(
                "a",
                "Late call",
                "TZID=Australia/Hobart:20270405T170000",
                "RECURRENCE-ID;TZID=Australia/Hobart:20270405T150000",
            ),
            event("b", "Regatta", "VALUE=DATE:20270404"),
            event("c", "Lamp", "20270404T120000"),
        ),
        "utf-8",
    )
    span = ("--from", "2027-04-03", "--to", "2027-04-06", "--zone", "America/Halifax")
    done = run("expand", path, *span, "--json")
    found = json.loads(done.stdout)["occurrences"]
    assert set(found[0]) == {"uid", "recurrence_id", "summary", "start", "end", "all_day"}
    assert [(one["summary"], one["start"], one["end"]) for one in found] == [
        ("Call", "2027-04-03T01:00:00-03:00", "2027-04-03T02:00:00-03:00"),
        ("Regatta", "2027-04-04", "2027-04-05"),
        ("Call", "2027-04-04T02:00:00-03:00", "2027-04-04T03:00:00-03:00"),
        ("Lamp", "2027-04-04T12:00:00", "2027-04-04T12:00:00"),
        ("Late call", "2027-04-05T04:00:00-03:00", "2027-04-05T04:00:00-03:00"),
    ]
    assert found[4]["recurrence_id"] == "2027-04-05T02:00:00-03:00"
    assert found[1]["recurrence_id"] is None
    assert "4 occurrences" in run("expand", path, "--from", "2027-04-04", "--to", "2027-04-06").stdout
    for wrong in (("--from", "2027-04-04", "--to", "2027-04-03"), (*span[:4], "--zone", "Skerrow/Nowhere")):
        assert run("expand", path, *wrong).returncode == 2


def test_brackets_in_a_file_are_text_and_not_markup(tmp_path: Path) -> None:
    path = tmp_path / "[odd].ics"
    path.write_text(calendar("BEGIN:VEVENT\nUID:a\nDTSTART;TZID=[/red]:20261124T080000\n[/bold] broken\nEND:VEVENT"))
    done = run("inspect", path)
    assert (done.returncode, done.stderr) == (1, "")
    assert "[/bold] broken" in " ".join(done.stdout.split())


def test_what_cannot_be_done_is_said_with_exit_code_2(tmp_path: Path, good: Path) -> None:
    for arguments in (
        ["inspect", tmp_path / "missing.ics"],
        ["convert", good, tmp_path / "out.doc"],
        ["convert", good, tmp_path / "out.csv", "--zone", "Moon/Base"],
        ["reindex", "--data", tmp_path / "nowhere"],
    ):
        done = run(*arguments)
        assert done.returncode == 2, arguments
        assert done.stderr.strip()
        assert "Traceback" not in done.stderr


def test_check_tells_what_is_wrong_and_what_can_be_put_right(good: Path, tmp_path: Path) -> None:
    assert run("check", good).returncode == 0
    bad = tmp_path / "bad.ics"
    moved = event(
        "s",
        "Moved",
        "20261201T090000Z",
        "RECURRENCE-ID:20261201T080000Z",
        "DTEND:20261201T100000Z",
        "DURATION:PT1H",
        STAMP,
    )
    bad.write_text(calendar(event("s", "S", "20261124T080000Z", "RRULE:FREQ=WEEKLY;COUNT=3", STAMP), moved), "utf-8")
    done = run("check", bad, "--json")
    assert done.returncode == 1
    (found,) = json.loads(done.stdout)["findings"]
    assert (found["check"], found["uid"], found["recurrence_id"]) == ("duration-and-end", "s", "20261201T080000Z")
    assert (found["severity"], found["fixable"], found["file"]) == ("alters", True, str(bad))
    assert "1 finding" in run("check", bad).stdout


def test_duplicates_are_told_within_and_across_files(good: Path, tmp_path: Path) -> None:
    other = tmp_path / "other.ics"
    other.write_text(calendar(event("a", "Höfn", "20261124T080000Z", STAMP), event("c", "Bauja", "20261126")), "utf-8")
    assert run("duplicates", good).returncode == 0
    done = run("duplicates", good, other, "--json")
    assert done.returncode == 1
    (group,) = json.loads(done.stdout)["groups"]
    assert set(group) == {"kind", "score", "reasons", "members"}
    assert group["members"] == [{"file": str(path), "uid": "a", "recurrence_id": ""} for path in (good, other)]
    assert "1 group" in run("duplicates", good, other).stdout


def test_zones_series_and_compare_tell_of_files_what_the_desks_do(tmp_path: Path) -> None:
    plan, copy = tmp_path / "plan.ics", tmp_path / "copy.ics"
    made = Watch(date(2026, 11, 27))
    plan.write_bytes(made.plan())
    copy.write_bytes(made.copy())
    done = run("zones", plan, "--json")
    assert done.returncode == 1
    zones = {one["tzid"]: one for one in json.loads(done.stdout)["zones"]}
    assert zones["America/Moncton"]["contradicts"] == "says Moncton, behaves like New York"
    assert (zones["(UTC+10:00) Hobart"]["zone"], zones["(UTC+10:00) Hobart"]["method"]) == (HOBART, "display")
    assert [one["zones"] for one in zones["AST"]["candidates"]] == [["America/Halifax"], ["America/Puerto_Rico"]]
    assert (zones["AST"]["events"], zones["Skerrow local"]["confidence"] < 0.5) == (4, True)
    done = run("series", plan, "--json")
    assert done.returncode == 1
    told = json.loads(done.stdout)
    found = Counter(finding["check"] for one in told["series"] for finding in one["findings"])
    assert found == SERIES_ANSWERS
    (seminar,) = told["inferred"]
    assert (len(seminar["uids"]), seminar["rule"]) == (19, "FREQ=WEEKLY;BYDAY=MO;COUNT=20")
    assert "Kelp seminar" in run("series", plan).stdout
    done = run("compare", plan, copy, "--from", "2026-06-01", "--to", "2027-06-01", "--json")
    assert done.returncode == 1
    told = json.loads(done.stdout)
    changed = [one for one in told["differences"] if one["uid"].startswith("plankton")]
    assert {(one["verdict"], one["moved_by"]) for one in changed} == {("changed", -3600)}
    assert changed[0]["recurrence_id"] == changed[0]["left"]["start"]
    assert told["summary"]["same"] > 20
    assert {one["fields"][0] for one in told["differences"] if one["fields"]} == {"title"}
    assert run("compare", plan, plan).returncode == 0
    assert "818 missing, 3 extra" in run("compare", plan, copy).stdout


def test_convert_goes_to_each_format_and_back(good: Path, tmp_path: Path) -> None:
    jcal, again, sheet = (tmp_path / name for name in ("out.json", "again.ics", "out.csv"))
    assert run("convert", good, jcal).returncode == 0
    assert json.loads(jcal.read_text())[0] == "vcalendar"
    assert run("convert", jcal, again).returncode == 0
    assert [str(e["SUMMARY"]) for e in icalendar.Calendar.from_ical(again.read_bytes()).walk("VEVENT")] == [
        "Höfn",
        "=x",
    ]
    assert run("convert", good, sheet).returncode == 0
    assert [r["title"] for r in csv.DictReader(io.StringIO(sheet.read_text("utf-8-sig")))] == ["Höfn", "'=x"]


def test_convert_to_the_same_format_keeps_every_entry_and_adds_zone_definitions(tmp_path: Path) -> None:
    source, target = tmp_path / "in.ics", tmp_path / "out.ics"
    source.write_text(calendar(event("a", "x", "TZID=Australia/Hobart:20261124T080000", "X-ODD;P=1:kept", STAMP)))
    assert run("convert", source, target).returncode == 1  # the missing definition is a problem
    text = target.read_text()
    assert "TZID:Australia/Hobart" in text
    assert "X-ODD;P=1:kept" in text
    assert run("inspect", target).returncode == 0


def test_clean_writes_files_as_a_recipe_makes_them(good: Path, tmp_path: Path) -> None:
    recipe = tmp_path / "later.recipe.json"
    steps = [{"do": "shift", "minutes": 60}, {"do": "categories", "mode": "add", "values": ["Moved"]}]
    recipe.write_text(json.dumps({"format": "date-bridge recipe 1", "name": "Later", "steps": steps}))
    before = good.read_bytes()
    done = run("clean", recipe, good, "--out", tmp_path / "out", "--json")
    assert done.returncode == 1, done.stderr
    (file,) = json.loads(done.stdout)["files"]
    why = "1 h later: It is all-day; hours and minutes do not apply."
    assert file == {
        "path": str(good),
        "out": str(tmp_path / "out" / "good.ics"),
        "changed": 2,
        "deleted": 0,
        "kept": 0,
        "not_changed": [{"uid": "b", "why": why}],
    }
    assert good.read_bytes() == before
    cleaned = (tmp_path / "out" / "good.ics").read_text("utf-8")
    assert "DTSTART:20261124T090000Z" in cleaned
    assert "X-ODD:1" in cleaned
    assert cleaned.count("CATEGORIES:Moved") == 2
    assert run("clean", recipe, good).returncode == 1
    assert (tmp_path / "good.clean.ics").is_file()
    recipe.write_text("{}")
    refused = run("clean", recipe, good)
    assert (refused.returncode, "later.recipe.json: it does not say that it is a recipe" in refused.stderr) == (2, True)


def _three_files(folder: Path, *texts: str) -> list[Path]:
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
    done = run("merge", *_three_files(tmp_path, base, left, right), "--out", out, "--json")
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
    done = run("merge", *_three_files(tmp_path, base, left, base))
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
    base, left, right = _three_files(tmp_path, *[calendar(event("1", "Tide"))] * 3)
    right.unlink() if text is None else right.write_text(text)
    done = run("merge", base, left, right, "--out", tmp_path / "out.ics")
    assert done.returncode == 2
    assert words in done.stderr
    assert not (tmp_path / "out.ics").exists()
