"""Moments and occurrences as people read them."""

from __future__ import annotations

from datetime import date

from datebridge.api.time.shapes import DayOut, OccurrenceOut, PieceOut
from datebridge.core.index.facts import Mark
from datebridge.core.language.spans import day_name
from datebridge.core.moments import from_wall_seconds
from datebridge.core.occurrences.expanding import Occurrence
from datebridge.core.occurrences.window import ShownEntry, key_of, spans_days
from datebridge.core.views.days import Day, Piece, hours, own_hours


def day_of(wall: int) -> date:
    return from_wall_seconds(wall).date()


def _marks(one: Occurrence, entry: ShownEntry) -> list[str]:
    found = [
        ("series", bool(one.series)),
        ("changed", bool(entry.marks & Mark.OVERRIDE)),
        ("cancelled", entry.cancelled),
        ("free", entry.component == "VEVENT" and not entry.blocks and not entry.cancelled),
        ("to-do", entry.component == "VTODO"),
        ("floating", bool(entry.marks & Mark.FLOATING)),
    ]
    return [name for name, has in found if has]


def occurrence(one: Occurrence, entry: ShownEntry, zone: str) -> OccurrenceOut:
    begin = day_of(one.shown_start)
    return OccurrenceOut.model_construct(
        key=key_of(one),
        entry=one.entry,
        series=one.series,
        slot=one.slot,
        calendar=entry.calendar,
        title=entry.title or "(no title)",
        place=entry.place,
        day=begin,
        date=f"{begin:%Y-%m-%d %a}",
        hours=hours(one, entry),
        own=own_hours(one, entry, zone),
        marks=_marks(one, entry),
        whole=spans_days(one, entry),
    )


def piece(one: Piece) -> PieceOut:
    at, entry = one.occurrence, one.entry
    begin = day_of(at.shown_start)
    return PieceOut.model_construct(
        key=one.key,
        entry=at.entry,
        series=at.series,
        slot=at.slot,
        calendar=entry.calendar,
        title=entry.title or "(no title)",
        place=entry.place,
        day=begin,
        date=f"{begin:%Y-%m-%d %a}",
        hours=one.label,
        own=one.own,
        marks=_marks(at, entry),
        whole=one.row >= 0,
        start=one.start,
        end=one.end,
        begins=one.begins,
        ends=one.ends,
        row=one.row,
        travel=entry.travel // 60,
    )


def piece_at(one: Occurrence, entry: ShownEntry, midnight: int, zone: str) -> PieceOut:
    """An occurrence as a piece of the day it is drawn on, by the minutes it lies within it."""
    start = min(max(one.shown_start - midnight, 0), 86400)
    end = min(max(one.shown_end - midnight, start), 86400)
    whole = spans_days(one, entry)
    part = Piece(
        key_of(one),
        one,
        entry,
        start // 60,
        end // 60,
        True,
        True,
        0 if whole else -1,
        hours(one, entry),
        own_hours(one, entry, zone),
    )
    return piece(part)


def day(one: Day, today: date) -> DayOut:
    year, week, _ = one.date.isocalendar()
    return DayOut.model_construct(
        date=one.date,
        name=day_name(one.date),
        week=f"{year}-W{week:02d}",
        today=one.date == today,
        total=one.total,
        more=one.total - len(one.pieces),
        change=one.change,
        shifts=one.shifts,
        pieces=[piece(p) for p in one.pieces],
    )
