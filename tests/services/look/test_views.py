"""Days, overlaps and two sides, as they are looked at."""

from __future__ import annotations

from datetime import date

from datebridge.core.moments import wall_seconds_of
from datebridge.core.recurrence.starts import DAY
from datebridge.core.views.mirror import mirror
from datebridge.core.views.overlaps import OverlapQuery, as_sheet, overlapping
from datebridge.services.look import views
from datebridge.store.entries.occurrences import OccurrenceReader
from tests.conftest import Bench, calendar, event

MONDAY = date(2026, 11, 23)
WEEKLY = "RRULE:FREQ=WEEKLY;COUNT=6"


def _timed(uid: str, title: str, start: str, end: str, *extra: str) -> str:
    return event(uid, title, f"202611{start}Z", f"DTEND:202611{end}Z", *extra)


def _shown(bench: Bench, first: date, days: int, zone: str = "UTC", calendars: tuple[int, ...] = (1,)) -> list[str]:
    found, _ = views.days(
        OccurrenceReader(bench.store),
        [date.fromordinal(first.toordinal() + k) for k in range(days)],
        zone,
        calendars,
        50,
    )
    return [f"{day.date:%d} {piece.entry.title} {piece.label}" for day in found for piece in day.pieces]


def test_days_have_what_really_happens_on_them(bench: Bench) -> None:
    moved = event("a", "Handover", "20261202T130000Z", "RECURRENCE-ID:20261130T083000Z", "DTEND:20261202T140000Z")
    station = (
        "BEGIN:VTIMEZONE\nTZID:Station\nBEGIN:STANDARD\nDTSTART:19700101T000000\nTZOFFSETFROM:-0400\n"
        "TZOFFSETTO:-0400\nEND:STANDARD\nEND:VTIMEZONE"
    )
    bench.bring(
        calendar(
            station,
            _timed("a", "Handover", "23T083000", "23T090000", WEEKLY),
            moved,
            event("b", "Watch", "TZID=Station:20261123T220000", "DURATION:PT4H"),
            event("c", "Regatta", "VALUE=DATE:20261128"),
        )
    )
    assert _shown(bench, MONDAY, 14) == [
        "23 Handover 08:30–09:00",
        "24 Watch 02:00–06:00",
        "28 Regatta ",
        "02 Handover 13:00–14:00",
    ]
    found = views.days(OccurrenceReader(bench.store), [MONDAY], "Australia/Hobart", [1], 50, ["UTC"])[0][0]
    assert (found.pieces[0].label, found.pieces[0].own) == ("19:30–20:00", "08:30–09:00 UTC +00:00")
    assert found.shifts == [-660]


def test_a_crowded_day_says_how_many_more_there_are(bench: Bench) -> None:
    bench.bring(calendar(*(_timed(f"e{k}", f"E{k}", "24T080000", "24T090000") for k in range(30))))
    day = views.days(OccurrenceReader(bench.store), [date(2026, 11, 24)], "UTC", [1], 8)[0][0]
    assert (day.total, len(day.pieces)) == (30, 8)


def test_what_spans_days_keeps_its_row(bench: Bench) -> None:
    bench.bring(
        calendar(
            event("a", "A", "VALUE=DATE:20261123", "DTEND;VALUE=DATE:20261127"),
            event("b", "B", "VALUE=DATE:20261124", "DTEND;VALUE=DATE:20261125"),
            event("c", "C", "VALUE=DATE:20261126", "DTEND;VALUE=DATE:20261129"),
        )
    )
    days, _ = views.days(OccurrenceReader(bench.store), [date(2026, 11, d) for d in range(23, 29)], "UTC", [1], 50)
    rows = {(p.entry.title, p.row) for day in days for p in day.pieces}
    assert rows == {("A", 0), ("B", 1), ("C", 1)}


def test_overlaps_by_what_is_asked(bench: Bench) -> None:
    bench.bring(
        calendar(
            _timed("a", "Dive", "24T080000", "24T100000"),
            _timed("b", "Crane", "24T094500", "24T110000"),
            _timed("c", "Duty", "24T080000", "24T200000", "TRANSP:TRANSPARENT"),
            event("d", "Regatta", "VALUE=DATE:20261124"),
            _timed("e", "Off", "24T080000", "24T110000", "STATUS:CANCELLED"),
            _timed("f", "Far", "24T113000", "24T120000", "X-TRAVEL-DURATION:PT45M"),
        )
    )
    bench.bring(calendar(_timed("a", "Dive", "24T080000", "24T100000")), "Copy")
    low = wall_seconds_of(date(2026, 11, 24))

    def found(asked: OverlapQuery) -> list[str]:
        result = overlapping(OccurrenceReader(bench.store).window(low, low + DAY, "UTC", [1, 2]), asked)
        titles = result.window.entries
        return sorted(
            f"{titles[c.first.entry].title}+{titles[c.second.entry].title} {c.shared // 60}" for c in result.found
        )

    timed_only = OverlapQuery(whole_days=False)
    assert found(timed_only) == ["Crane+Far 15", "Dive+Crane 15", "Dive+Crane 15"]
    assert found(OverlapQuery(whole_days=False, travel=False)) == ["Dive+Crane 15", "Dive+Crane 15"]
    assert found(OverlapQuery(whole_days=False, least=16 * 60)) == []
    assert len(found(OverlapQuery(about="regatta"))) == 4
    assert len(found(OverlapQuery(blocking=False, whole_days=False))) == 7
    result = overlapping(OccurrenceReader(bench.store).window(low, low + DAY, "UTC", [1, 2]), timed_only)
    assert result.twins == 1
    sheet = b"".join(as_sheet(result, {1: "=Tides", 2: "Copy"})).decode("utf-8-sig").splitlines()
    assert len(sheet) == 4
    assert "'=Tides" in sheet[1]


def test_two_sides_of_the_same_days(bench: Bench) -> None:
    bench.bring(
        calendar(_timed("a", "Dive", "24T080000", "24T100000", WEEKLY), _timed("b", "Crane", "25T090000", "25T100000"))
    )
    bench.bring(
        calendar(_timed("a", "Dive", "24T090000", "24T110000", WEEKLY), _timed("c", "Lamp", "26T090000", "26T100000")),
        "Copy",
    )
    low = wall_seconds_of(MONDAY)
    found = mirror(*(OccurrenceReader(bench.store).window(low, low + 14 * DAY, "UTC", [n]) for n in (1, 2)))
    assert [(p.verdict, p.moved // 60) for p in found.pairs] == [
        ("moved", 60),
        ("alone", 0),
        ("alone", 0),
        ("moved", 60),
    ]
