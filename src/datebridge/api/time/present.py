"""Moments and occurrences as people read them."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from datebridge.api.time.shapes import DayOut, OccurrenceOut, PieceOut
from datebridge.core.happening.occurrences import Occurrence
from datebridge.core.index.facts import Mark
from datebridge.core.moments import from_wall_seconds
from datebridge.services.look.views import Day, Piece, hours, key_of, own_hours, spans_days
from datebridge.store.entries.occurrences import Shown


def day_of(wall: int) -> date:
    return from_wall_seconds(wall).date()


def day_name(day: date) -> str:
    return f"{day:%a} {day.day} {day:%b}"


def span(days: Sequence[date]) -> str:
    """``Tue 24 Nov 2026``, ``23–29 Nov 2026`` or ``30 Nov 2026 – 6 Dec 2026``; scattered days by their number."""
    first, last = min(days), max(days)
    if first == last:
        return f"{day_name(first)} {first.year}"
    if (last - first).days + 1 != len(days) > 2:
        return f"{len(days)} days, {first.day} {first:%b %Y} – {last.day} {last:%b %Y}"
    if (first.year, first.month) == (last.year, last.month):
        return f"{first.day}–{last.day} {last:%b %Y}"
    return f"{first.day} {first:%b %Y} – {last.day} {last:%b %Y}"


def length(seconds: int) -> str:
    """``45 min``, ``1 h 30``, ``12 h``, ``3 d 4 h``."""
    minutes = seconds // 60
    if minutes < 60:
        return f"{minutes} min"
    days, rest = divmod(minutes, 1440)
    hour, minute = divmod(rest, 60)
    if days:
        return f"{days} d" + (f" {hour} h" if hour else "")
    return f"{hour} h" + (f" {minute:02d}" if minute else "")


def difference(seconds: int) -> str:
    """By how much something is later or earlier: ``+1 h``, ``−45 min``; "" for not at all."""
    if not seconds:
        return ""
    return ("+" if seconds > 0 else "−") + length(abs(seconds))


def _marks(one: Occurrence, entry: Shown) -> list[str]:
    found = [
        ("series", bool(one.series)),
        ("changed", bool(entry.marks & Mark.OVERRIDE)),
        ("cancelled", entry.cancelled),
        ("free", entry.component == "VEVENT" and not entry.blocks and not entry.cancelled),
        ("to-do", entry.component == "VTODO"),
        ("floating", bool(entry.marks & Mark.FLOATING)),
    ]
    return [name for name, has in found if has]


def occurrence(one: Occurrence, entry: Shown, zone: str) -> OccurrenceOut:
    begin = day_of(one.shown_start)
    return OccurrenceOut.model_construct(
        key=key_of(one), entry=one.entry, series=one.series, slot=one.slot, calendar=entry.calendar,
        title=entry.title or "(no title)", place=entry.place, day=begin, date=f"{begin:%Y-%m-%d %a}",
        hours=hours(one, entry), own=own_hours(one, entry, zone), marks=_marks(one, entry),
        whole=spans_days(one, entry),
    )  # fmt: skip


def piece(one: Piece) -> PieceOut:
    at, entry = one.occurrence, one.entry
    begin = day_of(at.shown_start)
    return PieceOut.model_construct(
        key=one.key, entry=at.entry, series=at.series, slot=at.slot, calendar=entry.calendar,
        title=entry.title or "(no title)", place=entry.place, day=begin, date=f"{begin:%Y-%m-%d %a}",
        hours=one.label, own=one.own, marks=_marks(at, entry), whole=one.row >= 0, start=one.start, end=one.end,
        begins=one.begins, ends=one.ends, row=one.row, travel=entry.travel // 60,
    )  # fmt: skip


def piece_at(one: Occurrence, entry: Shown, midnight: int, zone: str) -> PieceOut:
    """An occurrence as a piece of the day it is drawn on, by the minutes it lies within it."""
    start = min(max(one.shown_start - midnight, 0), 86400)
    end = min(max(one.shown_end - midnight, start), 86400)
    whole = spans_days(one, entry)
    part = Piece(
        key_of(one), one, entry, start // 60, end // 60, True, True, 0 if whole else -1, hours(one, entry),
        own_hours(one, entry, zone),
    )  # fmt: skip
    return piece(part)


def day(one: Day, today: date) -> DayOut:
    year, week, _ = one.date.isocalendar()
    return DayOut.model_construct(
        date=one.date, name=day_name(one.date), week=f"{year}-W{week:02d}", today=one.date == today, total=one.total,
        more=one.total - len(one.pieces), change=one.change, shifts=one.shifts, pieces=[piece(p) for p in one.pieces],
    )  # fmt: skip
