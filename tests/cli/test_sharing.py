"""Shares by command."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from datebridge.clock import this_day
from tests.conftest import Bench, calendar, event
from tests.running import command as run

NOW = f"{this_day():%Y%m%d}T090000Z"
SHARED = calendar(
    event(
        "a",
        "Berth 2",
        NOW,
        "LOCATION:Quay",
        "DESCRIPTION:Ring +354 555 0101",
        "X-PILOT:Owen",
        "ATTENDEE;CN=Ida Moe:mailto:ida.moe@skerrow.example",
    ),
    event("b", "Dentist", NOW, "CLASS:PRIVATE"),
    event("c", "Offer", NOW, "CLASS:CONFIDENTIAL"),
)


@pytest.mark.parametrize(
    ("detail", "passes"),
    [
        ("everything", {"Berth 2", "Quay", "Ring", "Ida"}),
        ("without-people", {"Berth 2", "Quay", "Ring"}),
        ("titles", {"Berth 2", "Quay"}),
        ("busy", set()),
    ],
)
def test_share_render_gives_what_the_detail_says_in_every_form(tmp_path: Path, detail: str, passes: set[str]) -> None:
    source, out = tmp_path / "berths.ics", tmp_path / "out"
    source.write_text(SHARED)
    for form in ("feed", "jcal", "page", "busy", "file"):
        done = run(
            "share",
            "render",
            source,
            "--detail",
            detail,
            "--private",
            "busy",
            "--form",
            form,
            "--confidential",
            "leave-out",
            "--out",
            out,
            "--json",
        )
        said = json.loads(done.stdout)
        busy = 0 if detail == "busy" else 1
        assert (done.returncode, said["entries"], said["given"], said["left_out"]) == (0, 3, 2, 1), done.stderr
        assert (said["as_busy"], said["out"]) == (busy, str(out))
        text = out.read_text().replace("\n ", "")
        words = {word for word in ("Berth 2", "Quay", "Ring", "Ida", "Owen", "Dentist", "Offer") if word in text}
        # A page that stands alone is a list, and busy times say nothing but when.
        expected = set() if form == "busy" else passes & {"Berth 2", "Quay"} if form == "page" else passes
        assert words == expected, (form, text)


def test_share_render_says_what_titles_seem_to_hold_and_writes_where_nobody_says_where(tmp_path: Path) -> None:
    source = tmp_path / "berths.ics"
    source.write_text(calendar(event("a", "Ring +354 555 0101")))
    done = run("share", "render", source, "--detail", "titles")
    assert done.stdout.startswith("BEGIN:VCALENDAR")
    assert "1 of 1 entry" in done.stderr
    assert "telephone numbers" in done.stderr
    assert run("share", "render", tmp_path / "missing.ics").returncode == 2


def test_a_share_is_made_listed_and_taken_back(tmp_path: Path) -> None:
    bench = Bench(tmp_path)
    bench.bring(SHARED, "Berths")
    bench.store.close()
    asked = ("--data", tmp_path, "--json")
    made = run(
        "share",
        "make",
        "Berths",
        "--owner",
        "harbour office",
        "--calendar",
        "berths",
        "--to",
        "Ida Moe",
        "--to",
        "Owen Hale",
        "--detail",
        "titles",
        *asked,
    )
    told = json.loads(made.stdout)
    assert [one["reader"] for one in told["readers"]] == ["Ida Moe", "Owen Hale"]
    assert len({one["address"] for one in told["readers"]}) == 2
    assert json.loads(run("share", "revoke", str(told["id"]), "--reader", "Ida Moe", *asked).stdout)["taken_back"]
    (share,) = json.loads(run("share", "list", *asked).stdout)["shares"]
    assert share["gives"] == "titles, times and places; private left out"
    assert [(r["name"], r["taken_back"]) for r in share["readers"]] == [("Ida Moe", True), ("Owen Hale", False)]
    assert run("share", "revoke", str(told["id"]), *asked).returncode == 0
    assert json.loads(run("share", "list", *asked).stdout)["shares"] == []
    assert run("share", "make", "X", "--owner", "o", "--calendar", "nowhere", *asked).returncode == 2
