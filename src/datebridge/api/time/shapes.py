"""Shapes of time: days with what happens on them, overlaps, two sides, what is kept for looking."""

from __future__ import annotations

import datetime as dt
from typing import Any, Literal

from pydantic import BaseModel, Field

from datebridge.api.kinds import Storable

KeptKind = Literal["layers", "days", "looking"]


#: Said wherever a bound was reached.
CUT = "titles of series that happen too often for all of their times to be here"


class OccurrenceOut(BaseModel):
    """Something that happens once, ready to be drawn or listed."""

    key: str = Field(description="the same for all parts of it: its rules and its slot")
    entry: int
    series: int = Field(description="the entry whose rules put it there; 0 for what stands alone or is an override")
    slot: int
    calendar: int
    title: str
    place: str
    day: dt.date = Field(description="the day it begins on the clock asked")
    date: str = Field(description="that day in words: 2026-11-24 Tue")
    hours: str = Field(description="its hours on the clock asked; empty for whole days")
    own: str = Field(description="its hours on its own clock with the offset in force, where that differs")
    marks: list[str] = Field(description="short words: series, changed, cancelled, free, to-do, floating")
    whole: bool = Field(description="drawn among the whole days")


class PieceOut(OccurrenceOut):
    """The part of it that lies on one day; minutes from midnight."""

    start: int
    end: int
    begins: bool
    ends: bool
    row: int = Field(description="among whole days, the row it keeps from day to day; -1 for what has hours")
    travel: int = Field(description="minutes to get there")


class DayOut(BaseModel):
    date: dt.date
    name: str = Field(description="in words: Tue 24 Nov")
    week: str = Field(description="the ISO week: 2026-W48")
    today: bool
    total: int
    more: int = Field(description="how many are not among the pieces")
    change: str = Field(description="how the clocks change on this day, in words; empty where they do not")
    shifts: list[int] = Field(description="minutes by which each of the clocks asked is ahead at noon")
    pieces: list[PieceOut]


class DaysOut(BaseModel):
    zone: str
    title: str = Field(description="the span in words")
    total: int
    offsets: list[str] = Field(description="the offset in force on the first day, of each of the clocks asked")
    days: list[DayOut]
    now: int | None = Field(description="minutes since midnight on the clock asked, where today is among the days")
    cut: list[str] = Field(description=CUT)


class OccurrencePage(BaseModel):
    total: int
    offset: int
    rows: list[OccurrenceOut]
    cut: list[str] = Field(description=CUT)


class OverlapOut(BaseModel):
    left: OccurrenceOut
    right: OccurrenceOut
    shared: str = Field(description="how long they overlap, in words")
    travel: bool = Field(description="only because of the way there")


class OverlapPage(BaseModel):
    total: int
    offset: int
    rows: list[OverlapOut]
    twins: int = Field(description="pairs left out because both are the same entry in two calendars")
    capped: bool
    cut: list[str] = Field(description=CUT)
    keys: list[str] = Field(description="the keys of all that overlaps, to be marked in the views")
    entries: list[int] = Field(description="the entries that overlap")


class AlikeOut(BaseModel):
    """Two calendars, and how many UIDs and titles are in both."""

    left: int
    right: int
    left_name: str
    right_name: str
    uids: int
    titles: int


class MirrorPair(BaseModel):
    left: PieceOut | None
    right: PieceOut | None
    verdict: Literal["same", "changed", "moved", "alone"]
    difference: str = Field(description="by how much the right side is later or earlier: +1 h")


class MirrorDay(BaseModel):
    date: dt.date
    name: str
    today: bool
    more: int = Field(description="how many pairs that agree are not listed")
    pairs: list[MirrorPair]


class MirrorOut(BaseModel):
    title: str
    same: int
    changed: int
    moved: int
    alone_left: int
    alone_right: int
    cut: list[str] = Field(description=CUT)
    days: list[MirrorDay]


class ThereOut(BaseModel):
    shown: str
    day: str
    offset: str
    works: bool


class StretchOut(BaseModel):
    first: str
    changed: str
    times: list[ThereOut]


class DateOut(BaseModel):
    day: dt.date
    name: str


class KeptIn(BaseModel):
    value: Storable


class KeptOut(BaseModel):
    name: str
    value: dict[str, Any]


class HappensOut(BaseModel):
    """What a series comes to."""

    repeats: str
    count: int | None = Field(description="how often in all; nothing for a series without end")
    first: OccurrenceOut | None
    last: OccurrenceOut | None
    upcoming: list[OccurrenceOut]
    around: dt.date | None = Field(description="the day to open it at: of the next occurrence, else of the last")


class LayerWarning(BaseModel):
    calendar: int
    message: str
