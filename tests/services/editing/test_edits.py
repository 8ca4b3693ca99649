"""Edits through the store: each a batch that can be taken back and is pushed."""

from __future__ import annotations

from datetime import date

import pytest

from datebridge.core.changes import State
from datebridge.core.editing.fields import CannotEdit, Fields
from datebridge.core.moments import wall_seconds_of
from datebridge.services.editing import edits
from datebridge.services.editing.edits import Target
from datebridge.services.look import views
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.changesets.draft import CannotApply
from datebridge.store.changesets.undo import propose_undo
from datebridge.store.entries.occurrences import OccurrenceReader
from tests.conftest import Bench, calendar, event
from tests.world import World, berth

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


# ---- edits ----------------------------------------------------------------------------------------


def _series(bench: Bench) -> Target:
    bench.bring(calendar(_timed("a", "Handover", "23T083000", "23T090000", WEEKLY, "X-KEEP:me")))
    return Target(bench.entry().id, bench.entry().id, wall_seconds_of(date(2026, 11, 30)) + 8 * 3600 + 1800)


def test_an_edit_is_a_batch_that_can_be_taken_back(bench: Bench) -> None:
    target, before = _series(bench), bench.texts()
    fields = edits.moved(bench.store, target, 60, 90, "UTC")
    set_id, title = edits.save(bench.store, target, "one", fields)
    assert title == "Edit “Handover”, 2026-11-30 only"
    assert _shown(bench, MONDAY, 14) == ["23 Handover 08:30–09:00", "30 Handover 09:30–10:30"]
    apply_set(bench.store, propose_undo(bench.store, set_id))
    assert bench.texts() == before


def test_following_and_deleting(bench: Bench) -> None:
    target = _series(bench)
    edits.save(bench.store, target, "following", edits.moved(bench.store, target, 1440, 1440, "UTC"))
    assert [line[:2] for line in _shown(bench, MONDAY, 21)] == ["23", "01", "08"]
    made = bench.entry("override:no after:2026-11-30").id
    edits.delete(bench.store, Target(made, made, None), "all")
    assert [line[:2] for line in _shown(bench, MONDAY, 60)] == ["23"]


def test_dragging_goes_by_the_clock_it_is_dragged_on(bench: Bench) -> None:
    bench.bring(
        calendar(
            event("a", "Call", "TZID=America/Halifax:20270312T090000", "DTEND;TZID=America/Halifax:20270312T100000")
        )
    )
    target = Target(bench.entry().id)
    fields = edits.moved(bench.store, target, 2 * 1440, 2 * 1440, "Atlantic/Reykjavik")  # over Halifax's clock change
    assert (fields.start, fields.end) == ("2027-03-14T10:00", "2027-03-14T11:00")


def test_deleting_an_occurrence_moved_to_another_zone_leaves_the_right_one_out(bench: Bench) -> None:
    moved = event("a", "Handover", "TZID=Australia/Hobart:20261201T200000", "RECURRENCE-ID:20261130T083000Z")
    bench.bring(calendar(_timed("a", "Handover", "23T083000", "23T090000", WEEKLY), moved))
    edits.delete(bench.store, Target(bench.entry("override:yes").id), "one")
    assert [line[:2] for line in _shown(bench, MONDAY, 21)] == ["23", "07"]


def test_an_occurrence_that_follows_a_change_for_all_after_is_not_guessed_at(bench: Bench) -> None:
    later = event("a", "Handover", "20261130T100000Z", "RECURRENCE-ID;RANGE=THISANDFUTURE:20261130T083000Z")
    bench.bring(calendar(_timed("a", "Handover", "23T083000", "23T090000", WEEKLY), later))
    assert [line[:2] + line[-5:] for line in _shown(bench, MONDAY, 21)] == ["2309:00", "3010:00", "0710:00"]
    series, changed = bench.entry("override:no").id, bench.entry("override:yes").id
    with pytest.raises(CannotEdit, match="this and following"):
        edits.delete(bench.store, Target(changed, series, wall_seconds_of(date(2026, 12, 7)) + 30600), "one")


def test_what_cannot_be_edited_is_said(bench: Bench) -> None:
    target = _series(bench)
    with pytest.raises(CannotApply, match="Nothing would change"):
        edits.save(bench.store, target, "all", edits.moved(bench.store, target, 0, 0, ""))
    with pytest.raises(CannotEdit, match="no longer exists"):
        edits.save(bench.store, Target(999), "one", Fields(title="x"))
    with pytest.raises(CannotEdit, match="before the start"):
        edits.save(bench.store, target, "one", edits.moved(bench.store, target, 120, 0, "UTC"))
    assert bench.sets(state=State.PROPOSED) == []


def test_a_todo_is_given_a_time_and_taken_back(bench: Bench) -> None:
    bench.bring(calendar("BEGIN:VTODO\nUID:t\nSUMMARY:Paint\nDESCRIPTION:Two coats\nEND:VTODO"))
    fields = Fields(title="Paint", notes="Two coats", start="2026-11-24T09:00", end="2026-11-24T11:00", zone="UTC")
    set_id, _ = edits.save(bench.store, Target(bench.entry().id), "all", fields, event=True)
    assert _shown(bench, MONDAY, 7) == ["24 Paint 09:00–11:00"]
    apply_set(bench.store, propose_undo(bench.store, set_id))
    assert bench.entry().component == "VTODO"


def test_an_edit_of_one_occurrence_is_carried_and_its_undo_too(world: World) -> None:
    world.put("tidewrack", "berths", berth(1, "RRULE:FREQ=DAILY;COUNT=4", "X-TONNAGE:90"))
    world.connect("tidewrack")
    first = world.entry().id
    target = Target(first, first, wall_seconds_of(date(2026, 12, 2)) + 8 * 3600)
    set_id, _ = edits.save(world.store, target, "one", edits.moved(world.store, target, 60, 60, "UTC"))
    world.work()
    (text,) = world.there("tidewrack", "berths").values()
    assert "RECURRENCE-ID:20261202T080000Z" in text
    assert text.count("X-TONNAGE:90") == 2
    apply_set(world.store, propose_undo(world.store, set_id))
    world.work()
    (text,) = world.there("tidewrack", "berths").values()
    assert "RECURRENCE-ID" not in text
