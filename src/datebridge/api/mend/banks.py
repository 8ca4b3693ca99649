"""Occurrences in two banks: when something is on the one side and on the other, ready to be drawn."""

from __future__ import annotations

from collections.abc import Sequence

from pydantic import BaseModel, Field

from datebridge.core.comparing.series import Difference, Point, Verdict
from datebridge.core.language.clocks import hours
from datebridge.core.language.spans import day_name, difference
from datebridge.core.moments import Clock, from_wall_seconds, wall_at
from datebridge.core.recurrence.starts import DAY


class BankOut(BaseModel):
    """When something is: the day, the hours, and the hours on the clock of the other bank where that is another."""

    day: str
    hours: str
    there: str = ""


class DifferenceOut(BaseModel):
    """One occurrence on both sides; one is None where it is on the other alone."""

    verdict: Verdict
    title: str = ""
    left: BankOut | None
    right: BankOut | None
    moved: str = Field(description="by how much the right one is later (+) or earlier; empty for not at all")
    fields: list[str]
    clock_change: str = Field(default="", description="skipped, or twice: its clock is changed just then")


class DifferencePage(BaseModel):
    total: int
    rows: list[DifferenceOut]


def day_of(wall: int) -> str:
    """A day as in a heading, with its year."""
    moment = from_wall_seconds(wall)
    return f"{day_name(moment.date())} {moment.year}"


def bank(point: Point | None, own: Clock | None, other: Clock | None) -> BankOut | None:
    """An occurrence on its own clock, and the hour on the clock of the other bank."""
    if point is None:
        return None
    if point.all_day or own is None:
        start, end = point.start, point.end
    else:
        start, end = wall_at(point.start, own), wall_at(point.end, own)
    if point.all_day:
        days = (end - start) // DAY
        return BankOut(day=day_of(start), hours="all day" if days <= 1 else f"{days} days")
    there = ""
    if own is not None and other is not None and (shown := wall_at(point.start, other)) != start:
        later = shown // DAY - start // DAY
        there = hours(shown, shown) + (f" {'+' if later > 0 else '−'}{abs(later)} d" if later else "")
    return BankOut(day=day_of(start), hours=hours(start, end), there=there)


def differences(
    found: Sequence[Difference], left: Clock | None, right: Clock | None, offset: int, limit: int
) -> DifferencePage:
    """A page of differences, each side on its own clock."""
    return DifferencePage(
        total=len(found),
        rows=[
            DifferenceOut(
                verdict=one.verdict,
                left=bank(one.left, left, right),
                right=bank(one.right, right, left),
                moved=difference(one.moved_by),
                fields=list(one.fields),
            )
            for one in found[offset : offset + limit]
        ],
    )
