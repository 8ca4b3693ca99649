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


def _marks(shown: Occurrence, entry: ShownEntry) -> list[str]:
    marks = [
        ("series", bool(shown.series)),
        ("changed", bool(entry.marks & Mark.OVERRIDE)),
        ("cancelled", entry.cancelled),
        ("free", entry.component == "VEVENT" and not entry.blocks and not entry.cancelled),
        ("to-do", entry.component == "VTODO"),
        ("floating", bool(entry.marks & Mark.FLOATING)),
    ]
    return [name for name, has in marks if has]


def occurrence(shown: Occurrence, entry: ShownEntry, zone: str) -> OccurrenceOut:
    begin = day_of(shown.shown_start)
    return OccurrenceOut.model_construct(
        key=key_of(shown),
        entry=shown.entry,
        series=shown.series,
        slot=shown.slot,
        calendar=entry.calendar,
        title=entry.title or "(no title)",
        place=entry.place,
        day=begin,
        date=f"{begin:%Y-%m-%d %a}",
        hours=hours(shown, entry),
        own=own_hours(shown, entry, zone),
        marks=_marks(shown, entry),
        whole=spans_days(shown, entry),
    )


def piece(drawn: Piece) -> PieceOut:
    at, entry = drawn.occurrence, drawn.entry
    begin = day_of(at.shown_start)
    return PieceOut.model_construct(
        key=drawn.key,
        entry=at.entry,
        series=at.series,
        slot=at.slot,
        calendar=entry.calendar,
        title=entry.title or "(no title)",
        place=entry.place,
        day=begin,
        date=f"{begin:%Y-%m-%d %a}",
        hours=drawn.label,
        own=drawn.own,
        marks=_marks(at, entry),
        whole=drawn.row >= 0,
        start=drawn.start,
        end=drawn.end,
        begins=drawn.begins,
        ends=drawn.ends,
        row=drawn.row,
        travel=entry.travel // 60,
    )


def piece_at(shown: Occurrence, entry: ShownEntry, midnight: int, zone: str) -> PieceOut:
    """An occurrence as a piece of the day it is drawn on, by the minutes it lies within it."""
    start = min(max(shown.shown_start - midnight, 0), 86400)
    end = min(max(shown.shown_end - midnight, start), 86400)
    whole = spans_days(shown, entry)
    part = Piece(
        key_of(shown),
        shown,
        entry,
        start // 60,
        end // 60,
        True,
        True,
        0 if whole else -1,
        hours(shown, entry),
        own_hours(shown, entry, zone),
    )
    return piece(part)


def day(drawn: Day, today: date) -> DayOut:
    year, week, _ = drawn.date.isocalendar()
    return DayOut.model_construct(
        date=drawn.date,
        name=day_name(drawn.date),
        week=f"{year}-W{week:02d}",
        today=drawn.date == today,
        total=drawn.total,
        more=drawn.total - len(drawn.pieces),
        change=drawn.change,
        shifts=drawn.shifts,
        pieces=[piece(p) for p in drawn.pieces],
    )
