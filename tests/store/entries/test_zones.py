"""Definitions beside entries: whatever brings or takes them, the index says what they make of the entries."""

from __future__ import annotations

from datetime import date

import pytest

from datebridge.core.index.facts import Mark
from datebridge.core.moments import wall_seconds_of
from datebridge.core.zones.defined import define
from datebridge.services.imports.deriving import Deriving, Reading, Text, batch_of
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.changesets.undo import propose_undo
from datebridge.store.entries.occurrences import OccurrenceReader
from datebridge.store.entries.reindex import reindex
from tests.conftest import Bench, calendar, event

STATION = define("Station", "America/Halifax", 2020, 2035)
AT_NINE = "TZID=Station:20261201T210000"
FIRST = wall_seconds_of(date(2026, 12, 2)) + 3600  # 21:00 in Halifax, in UTC


def _index(bench: Bench) -> list[tuple[object, ...]]:
    return [
        (row.uid, row.start, row.until_wall, bool(row.marks & Mark.DEFINED_ZONE), bool(row.marks & Mark.PROBLEM))
        for row in sorted(bench.entries(), key=lambda row: row.uid)
    ]


@pytest.mark.parametrize("late", [False, True], ids=["defined first", "defined last"])
def test_a_file_that_defines_its_zone_is_indexed_by_it(bench: Bench, late: bool) -> None:
    entry = event("a", "x", AT_NINE, "RRULE:FREQ=DAILY;UNTIL=20261204T010000Z")
    bench.bring(calendar(*((entry, STATION) if late else (STATION, entry))))
    until = wall_seconds_of(date(2026, 12, 3)) + 21 * 3600
    assert _index(bench) == [("a", FIRST, until, 1, 0)]
    assert "unresolved-zone" not in bench.findings()
    window = OccurrenceReader(bench.store).window(FIRST - 3600, FIRST + 10 * 86400, "UTC", [1])
    assert [one.start for one in window.occurrences] == [FIRST, FIRST + 86400, FIRST + 2 * 86400]
    with bench.store.write() as connection:
        assert reindex(connection) == 0


def test_a_definition_that_comes_later_changes_what_stands_there_and_undo_changes_it_back(bench: Bench) -> None:
    bench.bring(calendar(event("a", "x", AT_NINE)))
    floating = wall_seconds_of(date(2026, 12, 1)) + 21 * 3600
    assert _index(bench) == [("a", floating, floating, 0, 1)]
    batch = bench.bring(calendar(STATION, event("b", "y", AT_NINE)), into=1)
    assert [row[:2] + row[3:] for row in _index(bench)] == [("a", FIRST, 1, 0), ("b", FIRST, 1, 0)]
    apply_set(bench.store, propose_undo(bench.store, batch))
    assert _index(bench) == [("a", floating, floating, 0, 1)]


def test_helpers_read_as_one_process_does() -> None:
    texts = [
        Text(1, "VEVENT", event(str(k), "x", AT_NINE if k % 2 else "TZID=Nowhere:20261201T090000")) for k in range(40)
    ]
    from datebridge.core.zones.meaning import Zones

    zones = {1: Zones([("Station", STATION)])}
    with Deriving(1 << 30) as other:
        parts = [other.begin(Reading(texts[k : k + 10]), zones).result() for k in range(0, 40, 10)]
    alone = batch_of(texts, zones)
    assert [row for part in parts for row in part.rows] == alone.rows
    assert sum(len(part.late) for part in parts) == len(alone.late) == 20


def test_a_series_moved_on_is_not_over_before_it_is(bench: Bench) -> None:
    bench.bring(
        calendar(
            event("a", "Rota", "20260105T090000Z", "RRULE:FREQ=DAILY;COUNT=20"),
            event("a", "Rota, later", "20260220T090000Z", "RECURRENCE-ID;RANGE=THISANDFUTURE:20260120T090000Z"),
        )
    )
    assert "Rota" not in bench.titles("before:2026-02-10")
    assert "Rota" not in bench.titles("before:2026-02-24")
    assert "Rota" in bench.titles("before:2026-02-25")
    low = wall_seconds_of(date(2026, 2, 22))
    assert len(OccurrenceReader(bench.store).window(low, low + 86400, "UTC", [1]).occurrences) == 1


def test_a_series_is_not_found_on_a_day_its_occurrence_was_moved_away_from(bench: Bench) -> None:
    bench.bring(
        calendar(
            event("a", "Handover", "20260302T090000Z", "RRULE:FREQ=WEEKLY"),
            event("a", "Handover, moved", "20260311T090000Z", "RECURRENCE-ID:20260309T090000Z"),
            event("b", "Early", "20260401T090000Z", "RDATE:20260309T090000Z"),
        )
    )
    assert bench.titles("on:2026-03-09") == ["Early"]
    assert bench.titles("on:2026-03-11") == ["Handover, moved"]
    assert "Handover" in bench.titles("on:2026-03")
    assert bench.titles("-on:2026-03-09 repeats:yes") == ["Handover"]


def test_what_is_too_often_to_be_listed_is_said(bench: Bench) -> None:
    bench.bring(calendar(event("a", "Sensor ping", "20260302T090000Z", "RRULE:FREQ=MINUTELY")))
    low = wall_seconds_of(date(2026, 3, 3))
    assert OccurrenceReader(bench.store).window(low, low + 86400, "UTC", [1]).cut == ()
    assert OccurrenceReader(bench.store).window(low, low + 31 * 86400, "UTC", [1]).cut == ("Sensor ping",)


@pytest.mark.parametrize("sort", ["when", "what", "where", "calendar", "repeats", "zone", "marks", "status"])
@pytest.mark.parametrize("descending", [False, True])
def test_a_page_is_the_same_whether_the_order_is_remembered_or_not(bench: Bench, sort: str, descending: bool) -> None:
    bench.bring(
        calendar(*[event(str(k), f"Tide {k % 7}", f"202601{k % 28 + 1:02d}T090000Z") for k in range(60)]), "Tides"
    )
    bench.bring(
        calendar(*[event(f"b{k}", f"Tide {k % 5}", f"202601{k % 9 + 1:02d}T090000Z") for k in range(40)]), "Berths"
    )
    for filter in ("", "tide", "before:2026-01-20", "-calendar:Berths"):
        cold = bench.ledger.page(filter, sort, descending, 13, 30)
        with bench.store.read() as connection:
            bench.ledger.order(connection, "", sort)
        assert bench.ledger.page(filter, sort, descending, 13, 30) == cold
        bench.ledger.__init__(bench.store)  # type: ignore[misc]
