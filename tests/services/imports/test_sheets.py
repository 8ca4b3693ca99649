"""A spreadsheet exported, edited and brought back: its differences, and nothing else."""

from __future__ import annotations

import csv
import io
from base64 import b64encode
from contextlib import suppress
from datetime import date, datetime

import pytest
from openpyxl import Workbook

from datebridge.core.ids import SetId
from datebridge.core.job_kinds import JobKind
from datebridge.core.language.filters import Selection
from datebridge.demo.samples import sample_calendars
from datebridge.services.exports import export
from datebridge.services.jobs import jobs
from datebridge.services.running import worker
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.changesets.undo import propose_undo
from tests.conftest import Bench, calendar, event, prepared

SERIES = [
    event("weekly", "Rota", "TZID=Atlantic/Reykjavik:20261123T090000", "DURATION:PT1H", "RRULE:FREQ=WEEKLY;COUNT=6"),
    event(
        "weekly",
        "Rota, late",
        "TZID=Atlantic/Reykjavik:20261207T110000",
        "DURATION:PT1H",
        "RECURRENCE-ID;TZID=Atlantic/Reykjavik:20261207T090000",
    ),
]
OTHERS = [
    event(
        "odd",
        "=SUM(A1)",
        "TZID=America/Halifax:20261124T180000",
        "DTEND;TZID=America/Halifax:20261124T190000",
        "DESCRIPTION:Bring charts\\, please\\n'-1'",
        "CATEGORIES:Lab,Tide",
        "ATTENDEE;CN=Bo;PARTSTAT=ACCEPTED:mailto:bo@x.example",
        "ORGANIZER:mailto:ida@x.example",
        "X-KEEP;A=b:me",
        "BEGIN:VALARM",
        "ACTION:DISPLAY",
        "TRIGGER:-PT15M",
        "END:VALARM",
    ),
    event("days", "Survey", "20261201", "DTEND;VALUE=DATE:20261204"),
    event("float", "Lunch", "20261124T120000", "DTEND:20261124T123000"),
]


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
    return bring_file(bench, out.getvalue().encode())


def bring_file(bench: Bench, data: bytes, order: str = "") -> tuple[str, str, SetId]:
    params = {"name": "table.csv", "data": b64encode(data).decode(), "order": order}
    job = jobs.enqueue(bench.store, JobKind.SHEET, "x", params)
    worker.drain(bench.store, bench.settings)
    done = jobs.get(bench.store, job)
    assert done is not None
    result = done.result or {}
    number = SetId(int(result.get("set_id", 0)))
    reason = bench.set(number).reason if number else ""
    return done.state, done.message or reason or str(result.get("asks", "")), number


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
        (
            "Lunch",
            {"start": "Tuesday noon"},
            "Row {n}, start: “Tuesday noon” is not a date and time. Write 2026-11-24 09:00.",
        ),
        ("Lunch", {"status": "maybe"}, "Row {n}, status: “maybe” is none of tentative"),
        ("Lunch", {"title": ""}, "Row {n}, title: An entry needs a title."),
        ("Lunch", {"end": "2026-11-24 11:00"}, "Row {n}, end: It lies before the start."),
        ("Lunch", {"attendees": "somebody"}, "Row {n}, attendees: “somebody” is not an email address."),
        ("Lunch", {"calendar": "Elsewhere"}, "Row {n}, calendar: Entries are not moved by a table"),
        ("Lunch", {"uid": "gone@x.example"}, "Row {n}, uid: This entry no longer exists."),
        ("Lunch", {"uid": "", "calendar": ""}, "Row {n}, calendar: Enter the calendar of the new event."),
        ("Rota", {"rule": "FREQ=SOMETIMES"}, "Row {n}, start: The rule cannot be read"),
    ],
)
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
    jobs.enqueue(
        stocked.store,
        JobKind.BULK,
        "x",
        {
            "filter": "what:lunch",
            "excluded": [],
            "only": None,
            "steps": [{"do": "categories", "mode": "add", "values": ["Late"]}],
        },
    )
    worker.drain(stocked.store, stocked.settings)
    apply_set(stocked.store, stocked.sets()[-1].id)
    row(rows, "Lunch")["title"] = "Brunch"
    state, told, _ = bring_back(stocked, rows)
    assert state == "failed"
    assert "It was changed here since the table was written." in told


@pytest.mark.parametrize("text", ["", "a,b\r\n1,2\r\n", "title,title,uid\r\n", "BEGIN:VCALENDAR\r\nEND:VCALENDAR\r\n"])
def test_what_is_no_such_table_is_refused_in_words(stocked: Bench, text: str) -> None:
    state, said, _ = bring_file(stocked, text.encode())
    assert (state, "column" in said) == ("failed", True)


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


def respelt(cell: str, shape: str) -> str:
    """A date and time as another spreadsheet would show it."""
    for known in ("%Y-%m-%d %H:%M:%S", "%Y-%m-%d %H:%M", "%Y-%m-%d"):
        with suppress(ValueError):
            moment = datetime.strptime(cell, known)  # noqa: DTZ007
            return moment.strftime(shape if "H" in known else shape.partition(" ")[0].rstrip(","))
    return cell


def as_csv(rows: list[dict[str, str]]) -> str:
    out = io.StringIO()
    writer = csv.writer(out, delimiter=";")
    writer.writerows([rows[0].keys(), *(one.values() for one in rows)])
    return out.getvalue()


SHAPES = {
    "points": "%d.%m.%Y %H:%M",
    "day first": "%d/%m/%Y %H:%M",
    "month first": "%m/%d/%Y %I:%M %p",
    "two digits": "%m/%d/%y %H:%M",
    "ISO with T": "%Y-%m-%dT%H:%M:%S",
    "comma": "%d.%m.%Y, %H:%M:%S",
}


@pytest.mark.parametrize("shape", SHAPES.values(), ids=SHAPES)
@pytest.mark.parametrize("charset", ["utf-8-sig", "utf-16", "utf-16-le"])
def test_a_table_as_spreadsheets_write_it_changes_nothing_but_what_was_edited(
    stocked: Bench, shape: str, charset: str
) -> None:
    rows = sheet_of(stocked)
    for one in rows:
        one |= {name: respelt(one[name], shape) for name in ("start", "end", "modified")}
    row(rows, "Lunch")["title"] = "Brunch"
    state, said, number = bring_file(stocked, f"sep=;\r\n{as_csv(rows)}".encode(charset))
    assert (state, said) == ("done", "5 rows; 4 unchanged.")
    apply_set(stocked.store, number)
    assert sum("SUMMARY:Brunch" in text for text in stocked.texts()) == 1


def test_a_workbook_is_a_table_too(stocked: Bench) -> None:
    rows = sheet_of(stocked)
    book = Workbook()
    book.active.append(["notes of somebody"])
    sheet = book.create_sheet("Table")
    sheet.append(list(rows[0]))
    for one in rows:
        cells = {name: datetime.fromisoformat(one[name]) for name in ("start", "end", "modified") if one[name]}
        sheet.append(list((one | cells).values()))
    sheet.cell(2, list(rows[0]).index("title") + 1).value = "Another title"
    data = io.BytesIO()
    book.save(data)
    assert bring_file(stocked, data.getvalue())[:2] == ("done", "5 rows; 4 unchanged.")
    state, said, _ = bring_file(stocked, data.getvalue()[:-300])
    assert (state, "damaged" in said) == ("failed", True)


def test_which_comes_first_in_a_date_is_told_by_what_is_here_or_asked(stocked: Bench) -> None:
    stocked.bring(calendar(event("early", "Early", "20270302T080000Z", "DTEND:20270302T090000Z")), "Other")
    rows = [row(sheet_of(stocked), "Early")]
    rows[0] |= {name: respelt(rows[0][name], "%m/%d/%Y %H:%M") for name in ("start", "end")} | {"title": "Earlier"}
    state, said, number = bring_file(stocked, as_csv(rows).encode())
    assert (state, said, bool(number)) == ("done", "1 row; 0 unchanged.", True)
    rows = [{"calendar": "Tides", "title": "New", "start": "3/4/2027 10:00", "end": "3/4/2027 11:00"}]
    assert bring_file(stocked, as_csv(rows).encode()) == ("done", "3/4/2027 10:00", 0)
    for order, stands in (("day", "20270403T100000"), ("month", "20270304T100000")):
        _, _, number = bring_file(stocked, as_csv(rows).encode(), order)
        apply_set(stocked.store, number)
        assert any(f"DTSTART:{stands}" in text for text in stocked.texts())


def test_a_zone_edited_alone_counts_and_a_table_in_one_zone_stays_what_it_is(bench: Bench) -> None:
    walls = ("DTSTART;TZID={0}:20261124T090000", "DTEND;TZID={0}:20261124T100000")
    one, other = (
        event(uid, uid, "TZID=Europe/Berlin:20261124T090000", "DTEND;TZID=Europe/Berlin:20261124T100000")
        for uid in ("one", "other")
    )
    bench.bring(calendar(one, other), "Tides")
    assert bring_back(bench, sheet_of(bench, "Europe/Paris"))[0] == "failed"  # the same walls, in another zone
    rows = sheet_of(bench)
    row(rows, "one")["zone"] = "Europe/Paris"
    state, said, number = bring_back(bench, rows)
    assert (state, said) == ("done", "2 rows; 1 unchanged.")
    apply_set(bench.store, number)
    (text,) = (text for text in bench.texts() if "UID:one" in text)
    assert {wall.format("Europe/Paris") for wall in walls} <= set(text.split("\n"))
    bench.bring(calendar(event("third", "third", "20261124T080000Z")), "Tides")
    rows = sheet_of(bench, "Australia/Hobart")
    row(rows, "other")["zone"] = "America/Halifax"
    state, said, _ = bring_back(bench, rows)
    assert (state, "This table shows times in Australia/Hobart" in said) == ("failed", True)
