"""A spreadsheet exported, edited and brought back: its differences, and nothing else."""

from __future__ import annotations

import csv
import io
from datetime import date

import pytest

from datebridge.core.ids import SetId
from datebridge.core.words.filters import Selection
from datebridge.demo.scenario import sample_calendars
from datebridge.services.exports import export
from datebridge.services.jobs import jobs, worker
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.changesets.undo import propose_undo
from tests.conftest import Bench, calendar, event, prepared

SERIES = [
    event("weekly", "Rota", "TZID=Atlantic/Reykjavik:20261123T090000", "DURATION:PT1H", "RRULE:FREQ=WEEKLY;COUNT=6"),
    event("weekly", "Rota, late", "TZID=Atlantic/Reykjavik:20261207T110000", "DURATION:PT1H",
          "RECURRENCE-ID;TZID=Atlantic/Reykjavik:20261207T090000"),
]  # fmt: skip
OTHERS = [
    event("odd", "=SUM(A1)", "TZID=America/Halifax:20261124T180000", "DTEND;TZID=America/Halifax:20261124T190000",
          "DESCRIPTION:Bring charts\\, please\\n'-1'", "CATEGORIES:Lab,Tide", "ATTENDEE;CN=Bo;PARTSTAT=ACCEPTED:mailto:bo@x.example",
          "ORGANIZER:mailto:ida@x.example", "X-KEEP;A=b:me", "BEGIN:VALARM", "ACTION:DISPLAY", "TRIGGER:-PT15M", "END:VALARM"),
    event("days", "Survey", "20261201", "DTEND;VALUE=DATE:20261204"),
    event("float", "Lunch", "20261124T120000", "DTEND:20261124T123000"),
]  # fmt: skip


@prepared
def stocked(bench: Bench) -> None:
    bench.bring(calendar(*SERIES, *OTHERS), "Tides")


def sheet_of(bench: Bench, zone: str = "") -> list[dict[str, str]]:
    pieces = export.write(bench.store, bench.ledger, Selection(), None, "csv", zone)
    return list(csv.DictReader(io.StringIO(b"".join(pieces).decode("utf-8-sig"), newline="")))


def bring_back(bench: Bench, rows: list[dict[str, str]], delimiter: str = ",") -> tuple[str, str, SetId]:
    """How the job ended, what it said, and the set it made; 0 for none."""
    out = io.StringIO()
    writer = csv.DictWriter(out, rows[0].keys(), delimiter=delimiter)
    writer.writeheader()
    writer.writerows(rows)
    job = jobs.enqueue(bench.store, "sheet", "x", {"name": "table.csv", "text": out.getvalue()})
    worker.drain(bench.store, bench.settings)
    done = jobs.get(bench.store, job)
    assert done is not None
    number = SetId(int((done.result or {}).get("set_id", 0)))
    reason = bench.set(number).reason if number else ""
    return done.state, done.message or reason, number


def row(rows: list[dict[str, str]], title: str) -> dict[str, str]:
    return next(one for one in rows if one["title"].lstrip("'") == title)


@pytest.mark.parametrize("zone", ["", "Australia/Hobart"])
@pytest.mark.parametrize("delimiter", [",", ";", "\t"])
def test_what_was_not_edited_changes_nothing(stocked: Bench, zone: str, delimiter: str) -> None:
    state, said, _ = bring_back(stocked, sheet_of(stocked, zone), delimiter)
    assert state == "failed"
    assert "Nothing in table.csv differs" in said
    assert "Row" not in said


@pytest.mark.parametrize("number", [2, 3, 4, 5])
def test_a_calendar_of_the_scenario_comes_back_as_it_went(bench: Bench, number: int) -> None:
    bench.bring(sample_calendars(date(2026, 11, 26))[number].content)
    state, said, _ = bring_back(bench, sheet_of(bench))
    assert (state, "Row" in said) == ("failed", False), said


def test_edits_change_their_lines_and_no_others_and_are_taken_back(stocked: Bench) -> None:
    before = sorted(stocked.texts())
    rows = sheet_of(stocked)
    odd = row(rows, "=SUM(A1)")
    odd |= {"title": "Seminar", "categories": "Lab; Talk", "attendees": "bo@x.example; new@x.example", "busy": "free"}
    row(rows, "Survey")["end"] = "2026-12-06"
    row(rows, "Rota").update({"start": "2026-11-23 10:30", "end": "2026-11-23 11:30"})
    rows.append(
        dict.fromkeys(rows[0], "")
        | {"calendar": "Tides", "title": "New one", "start": "2026-12-24 16:00", "end": "2026-12-24 17:00"}
    )
    state, said, number = bring_back(stocked, rows)
    assert state == "done", said
    apply_set(stocked.store, number)
    texts = {text.split("SUMMARY:")[1].split("\n")[0]: text for text in stocked.texts()}
    assert set(texts) == {"Seminar", "Survey", "Rota", "Rota, late", "Lunch", "New one"}
    kept = [
        line
        for line in OTHERS[0].split("\n")
        if line.startswith(("X-KEEP", "DTSTART", "DESCRIPTION", "ATTENDEE", "TRIGGER"))
    ]
    assert all(line in texts["Seminar"].split("\n") for line in kept)
    assert {"CATEGORIES:Lab,Talk", "TRANSP:TRANSPARENT", "ATTENDEE:mailto:new@x.example"} <= set(
        texts["Seminar"].split("\n")
    )
    assert "DTEND;VALUE=DATE:20261206" in texts["Survey"]
    assert "DTSTART;TZID=Atlantic/Reykjavik:20261123T103000" in texts["Rota"]
    assert "RECURRENCE-ID;TZID=Atlantic/Reykjavik:20261207T103000" in texts["Rota, late"]
    assert "DTSTART;TZID=Atlantic/Reykjavik:20261207T110000" in texts["Rota, late"]
    assert "DTSTART:20261224T160000" in texts["New one"]
    apply_set(stocked.store, propose_undo(stocked.store, number))
    assert sorted(stocked.texts()) == before


def test_times_edited_in_another_zone_are_the_same_instants_in_the_entrys_own(stocked: Bench) -> None:
    rows = sheet_of(stocked, "Australia/Hobart")
    odd = row(rows, "=SUM(A1)")
    assert odd["start"] == "2026-11-25 09:00"
    odd |= {"start": "2026-11-25 10:00", "end": "2026-11-25 11:00"}
    state, said, number = bring_back(stocked, rows)
    assert state == "done", said
    apply_set(stocked.store, number)
    assert "DTSTART;TZID=America/Halifax:20261124T190000" in next(t for t in stocked.texts() if "UID:odd" in t)


@pytest.mark.parametrize(
    ("title", "cells", "said"),
    [
        ("Lunch", {"start": "24/11/2026 12:00"}, "Row {n}, start: “24/11/2026 12:00” is no date and time. Write 2026-11-24 09:00."),
        ("Lunch", {"status": "maybe"}, "Row {n}, status: “maybe” is none of tentative"),
        ("Lunch", {"title": ""}, "Row {n}, title: An entry needs a title."),
        ("Lunch", {"end": "2026-11-24 11:00"}, "Row {n}, end: It lies before the start."),
        ("Lunch", {"attendees": "somebody"}, "Row {n}, attendees: “somebody” is no e-mail address."),
        ("Lunch", {"calendar": "Elsewhere"}, "Row {n}, calendar: Entries are not moved by a table"),
        ("Lunch", {"uid": "gone@x.example"}, "Row {n}, uid: There is no such entry any more."),
        ("Lunch", {"uid": "", "calendar": ""}, "Row {n}, calendar: Name the calendar of a new event."),
        ("Rota", {"rule": "FREQ=SOMETIMES"}, "Row {n}, start: The rule cannot be read"),
    ],
)  # fmt: skip
def test_a_cell_that_cannot_be_read_is_named_and_the_rest_is_applied(
    stocked: Bench, title: str, cells: dict[str, str], said: str
) -> None:
    rows = sheet_of(stocked)
    row(rows, "Survey")["title"] = "Survey north"
    at = rows.index(row(rows, title)) + 2
    row(rows, title).update(cells)
    state, told, number = bring_back(stocked, rows)
    assert state == "done"
    assert said.format(n=at) in told
    apply_set(stocked.store, number)
    assert "Survey north" in stocked.titles()
    assert title in stocked.titles()


def test_what_was_changed_here_meanwhile_is_not_overwritten(stocked: Bench) -> None:
    rows = sheet_of(stocked)
    jobs.enqueue(stocked.store, "bulk", "x", {"filter": "what:lunch", "excluded": [], "only": None,
                                             "steps": [{"do": "categories", "mode": "add", "values": ["Late"]}]})  # fmt: skip
    worker.drain(stocked.store, stocked.settings)
    apply_set(stocked.store, stocked.sets()[-1].id)
    row(rows, "Lunch")["title"] = "Brunch"
    state, told, _ = bring_back(stocked, rows)
    assert state == "failed"
    assert "It was changed here since the table was written." in told


@pytest.mark.parametrize("text", ["", "a,b\r\n1,2\r\n", "title,title,uid\r\n", "BEGIN:VCALENDAR\r\nEND:VCALENDAR\r\n"])
def test_what_is_no_such_table_is_refused_in_words(stocked: Bench, text: str) -> None:
    job = jobs.enqueue(stocked.store, "sheet", "x", {"name": "t.csv", "text": text})
    worker.drain(stocked.store, stocked.settings)
    done = jobs.get(stocked.store, job)
    assert done is not None
    assert done.state == "failed"
    assert "column" in done.message


def test_two_rows_of_one_event_are_one_change_or_said(stocked: Bench) -> None:
    rows = sheet_of(stocked)
    before = sorted(stocked.texts())
    row(rows, "Survey")["title"] = "Survey north"
    again = dict(row(rows, "Survey north"))
    _, _, number = bring_back(stocked, [*rows, again])  # pasted twice
    assert stocked.set(number).updates == 1
    other = {**again, "title": "Survey south"}
    _, said, number = bring_back(stocked, [*rows, other])
    assert "changes the same event" in said
    weekly, late = row(rows, "Rota"), row(rows, "Rota, late")
    weekly["start"], late["title"] = weekly["start"].replace("09:00", "10:00"), "Rota, later still"
    _, _, number = bring_back(stocked, rows)
    apply_set(stocked.store, number)
    apply_set(stocked.store, propose_undo(stocked.store, number))
    assert sorted(stocked.texts()) == before
