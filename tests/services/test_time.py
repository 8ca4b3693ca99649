"""Time through the store: windows, days, overlaps, two sides, and edits that can be taken back and are pushed."""

from __future__ import annotations

from datetime import date

import pytest

from datebridge.core.editing.fields import CannotEdit, Fields
from datebridge.core.moments import wall_seconds_of
from datebridge.core.recurrence.starts import DAY
from datebridge.core.views.mirror import mirror
from datebridge.core.views.overlaps import Asked, as_sheet, overlapping
from datebridge.services.editing import edits
from datebridge.services.editing.edits import Target
from datebridge.services.look import views
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.changesets.draft import CannotApply
from datebridge.store.changesets.undo import propose_undo
from datebridge.store.database import Store
from datebridge.store.entries.occurrences import Happenings
from tests.conftest import Bench, calendar, event
from tests.world import World, berth

MONDAY = date(2026, 11, 23)
WEEKLY = "RRULE:FREQ=WEEKLY;COUNT=6"


def _timed(uid: str, title: str, start: str, end: str, *extra: str) -> str:
    return event(uid, title, f"202611{start}Z", f"DTEND:202611{end}Z", *extra)


def _shown(bench: Bench, first: date, days: int, zone: str = "UTC", calendars: tuple[int, ...] = (1,)) -> list[str]:
    found, _ = views.days(Happenings(bench.store), [date.fromordinal(first.toordinal() + k) for k in range(days)], zone,
                         calendars, 50)  # fmt: skip
    return [f"{day.date:%d} {piece.entry.title} {piece.label}" for day in found for piece in day.pieces]


def _id(bench: Bench, where: str = "1 = 1") -> int:
    return int(str(bench.one(f"SELECT id FROM entry WHERE listed AND {where}")))


def test_days_have_what_really_happens_on_them(bench: Bench) -> None:
    moved = event("a", "Handover", "20261202T130000Z", "RECURRENCE-ID:20261130T083000Z", "DTEND:20261202T140000Z")
    station = "BEGIN:VTIMEZONE\nTZID:Station\nBEGIN:STANDARD\nDTSTART:19700101T000000\nTZOFFSETFROM:-0400\n" \
              "TZOFFSETTO:-0400\nEND:STANDARD\nEND:VTIMEZONE"  # fmt: skip
    bench.bring(calendar(
        station, _timed("a", "Handover", "23T083000", "23T090000", WEEKLY), moved,
        event("b", "Watch", "TZID=Station:20261123T220000", "DURATION:PT4H"), event("c", "Regatta", "VALUE=DATE:20261128"),
    ))  # fmt: skip
    assert _shown(bench, MONDAY, 14) == [
        "23 Handover 08:30–09:00", "24 Watch 02:00–06:00", "28 Regatta ", "02 Handover 13:00–14:00"
    ]  # fmt: skip
    found = views.days(Happenings(bench.store), [MONDAY], "Australia/Hobart", [1], 50, ["UTC"])[0][0]
    assert (found.pieces[0].label, found.pieces[0].own) == ("19:30–20:00", "08:30–09:00 UTC +00:00")
    assert found.shifts == [-660]


def test_a_crowded_day_says_how_many_more_there_are(bench: Bench) -> None:
    bench.bring(calendar(*(_timed(f"e{k}", f"E{k}", "24T080000", "24T090000") for k in range(30))))
    day = views.days(Happenings(bench.store), [date(2026, 11, 24)], "UTC", [1], 8)[0][0]
    assert (day.total, len(day.pieces)) == (30, 8)


def test_what_spans_days_keeps_its_row(bench: Bench) -> None:
    bench.bring(calendar(
        event("a", "A", "VALUE=DATE:20261123", "DTEND;VALUE=DATE:20261127"),
        event("b", "B", "VALUE=DATE:20261124", "DTEND;VALUE=DATE:20261125"),
        event("c", "C", "VALUE=DATE:20261126", "DTEND;VALUE=DATE:20261129"),
    ))  # fmt: skip
    days, _ = views.days(Happenings(bench.store), [date(2026, 11, d) for d in range(23, 29)], "UTC", [1], 50)
    rows = {(p.entry.title, p.row) for day in days for p in day.pieces}
    assert rows == {("A", 0), ("B", 1), ("C", 1)}


def test_overlaps_by_what_is_asked(bench: Bench) -> None:
    bench.bring(calendar(
        _timed("a", "Dive", "24T080000", "24T100000"), _timed("b", "Crane", "24T094500", "24T110000"),
        _timed("c", "Duty", "24T080000", "24T200000", "TRANSP:TRANSPARENT"), event("d", "Regatta", "VALUE=DATE:20261124"),
        _timed("e", "Off", "24T080000", "24T110000", "STATUS:CANCELLED"),
        _timed("f", "Far", "24T113000", "24T120000", "X-TRAVEL-DURATION:PT45M"),
    ))  # fmt: skip
    bench.bring(calendar(_timed("a", "Dive", "24T080000", "24T100000")), "Copy")
    low = wall_seconds_of(date(2026, 11, 24))

    def found(asked: Asked) -> list[str]:
        result = overlapping(Happenings(bench.store).window(low, low + DAY, "UTC", [1, 2]), asked)
        titles = result.window.entries
        return sorted(
            f"{titles[c.first.entry].title}+{titles[c.second.entry].title} {c.shared // 60}" for c in result.found
        )

    timed_only = Asked(whole_days=False)
    assert found(timed_only) == ["Crane+Far 15", "Dive+Crane 15", "Dive+Crane 15"]
    assert found(Asked(whole_days=False, travel=False)) == ["Dive+Crane 15", "Dive+Crane 15"]
    assert found(Asked(whole_days=False, least=16 * 60)) == []
    assert len(found(Asked(about="regatta"))) == 4
    assert len(found(Asked(blocking=False, whole_days=False))) == 7
    result = overlapping(Happenings(bench.store).window(low, low + DAY, "UTC", [1, 2]), timed_only)
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
    found = mirror(*(Happenings(bench.store).window(low, low + 14 * DAY, "UTC", [n]) for n in (1, 2)))
    assert [(p.verdict, p.moved // 60) for p in found.pairs] == [
        ("moved", 60), ("alone", 0), ("alone", 0), ("moved", 60)
    ]  # fmt: skip


# ---- edits ----------------------------------------------------------------------------------------


def _series(bench: Bench) -> Target:
    bench.bring(calendar(_timed("a", "Handover", "23T083000", "23T090000", WEEKLY, "X-KEEP:me")))
    return Target(_id(bench), _id(bench), wall_seconds_of(date(2026, 11, 30)) + 8 * 3600 + 1800)


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
    made = _id(bench, "start_wall > 1796000000")
    edits.delete(bench.store, Target(made, made, None), "all")
    assert [line[:2] for line in _shown(bench, MONDAY, 60)] == ["23"]


def test_dragging_goes_by_the_clock_it_is_dragged_on(bench: Bench) -> None:
    bench.bring(
        calendar(
            event("a", "Call", "TZID=America/Halifax:20270312T090000", "DTEND;TZID=America/Halifax:20270312T100000")
        )
    )
    target = Target(_id(bench))
    fields = edits.moved(bench.store, target, 2 * 1440, 2 * 1440, "Atlantic/Reykjavik")  # over Halifax's clock change
    assert (fields.start, fields.end) == ("2027-03-14T10:00", "2027-03-14T11:00")


def test_deleting_an_occurrence_moved_to_another_zone_leaves_the_right_one_out(bench: Bench) -> None:
    moved = event("a", "Handover", "TZID=Australia/Hobart:20261201T200000", "RECURRENCE-ID:20261130T083000Z")
    bench.bring(calendar(_timed("a", "Handover", "23T083000", "23T090000", WEEKLY), moved))
    edits.delete(bench.store, Target(_id(bench, "recurrence_id <> ''")), "one")
    assert [line[:2] for line in _shown(bench, MONDAY, 21)] == ["23", "07"]


def test_an_occurrence_that_follows_a_change_for_all_after_is_not_guessed_at(bench: Bench) -> None:
    later = event("a", "Handover", "20261130T100000Z", "RECURRENCE-ID;RANGE=THISANDFUTURE:20261130T083000Z")
    bench.bring(calendar(_timed("a", "Handover", "23T083000", "23T090000", WEEKLY), later))
    assert [line[:2] + line[-5:] for line in _shown(bench, MONDAY, 21)] == ["2309:00", "3010:00", "0710:00"]
    series, changed = _id(bench, "recurrence_id = ''"), _id(bench, "recurrence_id <> ''")
    with pytest.raises(CannotEdit, match="this and all after"):
        edits.delete(bench.store, Target(changed, series, wall_seconds_of(date(2026, 12, 7)) + 30600), "one")


def test_what_cannot_be_edited_is_said(bench: Bench) -> None:
    target = _series(bench)
    with pytest.raises(CannotApply, match="Nothing would change"):
        edits.save(bench.store, target, "all", edits.moved(bench.store, target, 0, 0, ""))
    with pytest.raises(CannotEdit, match="not there any more"):
        edits.save(bench.store, Target(999), "one", Fields(title="x"))
    with pytest.raises(CannotEdit, match="before the start"):
        edits.save(bench.store, target, "one", edits.moved(bench.store, target, 120, 0, "UTC"))
    assert bench.one("SELECT count(*) FROM change_set WHERE state = 'proposed'") == 0


def test_a_todo_is_given_a_time_and_taken_back(bench: Bench) -> None:
    bench.bring(calendar("BEGIN:VTODO\nUID:t\nSUMMARY:Paint\nDESCRIPTION:Two coats\nEND:VTODO"))
    fields = Fields(title="Paint", notes="Two coats", start="2026-11-24T09:00", end="2026-11-24T11:00", zone="UTC")
    set_id, _ = edits.save(bench.store, Target(_id(bench)), "all", fields, event=True)
    assert _shown(bench, MONDAY, 7) == ["24 Paint 09:00–11:00"]
    apply_set(bench.store, propose_undo(bench.store, set_id))
    assert bench.one("SELECT component FROM entry WHERE listed") == "VTODO"


def test_an_edit_of_one_occurrence_is_carried_and_its_undo_too(world: World) -> None:
    world.put("tidewrack", "berths", berth(1, "RRULE:FREQ=DAILY;COUNT=4", "X-TONNAGE:90"))
    world.connect("tidewrack")
    first = int(str(world.one("SELECT id FROM entry WHERE listed")))
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


def test_an_index_of_an_earlier_version_is_made_anew_when_opened(bench: Bench) -> None:
    bench.bring(calendar(_timed("a", "Far", "24T080000", "24T090000", "X-TRAVEL-DURATION:PT45M")))
    with bench.store.write() as connection:
        connection.exec_driver_sql("UPDATE version SET travel = 0")
        connection.exec_driver_sql("UPDATE entry SET travel = 0")
        connection.exec_driver_sql("UPDATE meta SET index_revision = 0")
    Store(bench.settings.database).close()
    assert bench.one("SELECT travel FROM entry WHERE listed") == 45 * 60
