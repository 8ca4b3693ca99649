"""What the desks of Mend found, kept as an index that can be rebuilt: calendars compared, and what is scattered."""

from __future__ import annotations

from typing import Any

from sqlalchemy import JSON, Column, Index, false
from sqlmodel import Field, SQLModel


class ComparisonRow(SQLModel, table=True):
    """Two calendars compared over [low, high), in UTC seconds, as of a revision; counts by verdict.

    `found`: nobody asked for it; it holds only what is off for part of the year.
    """

    __tablename__ = "comparison"

    id: int | None = Field(default=None, primary_key=True)
    left_id: int
    right_id: int
    low: int
    high: int
    revision: int
    made_at: int
    counts: dict[str, int] = Field(default_factory=dict, sa_column=Column(JSON, nullable=False))
    found: bool = Field(default=False, sa_column_kwargs={"server_default": false()})


class ComparedPair(SQLModel, table=True):
    """What belongs together on two sides, and how it differs (`core.comparing.Pair`); entries by their ids.

    `month`: of its first difference, as ``2026-11``; `moved_by`: where all of it is moved by as much.
    """

    __tablename__ = "compared_pair"
    __table_args__ = (Index("ix_compared_pair", "comparison_id", "verdict"),)

    id: int | None = Field(default=None, primary_key=True)
    comparison_id: int = Field(foreign_key="comparison.id")
    verdict: str
    title: str
    month: str
    fields: str
    moved_by: int | None = None
    same: int
    changed: int
    missing: int
    extra: int
    matched: str
    misreading: str
    left_ids: list[int] = Field(default_factory=list, sa_column=Column(JSON, nullable=False))
    right_ids: list[int] = Field(default_factory=list, sa_column=Column(JSON, nullable=False))


class ScatteredRow(SQLModel, table=True):
    """Entries of one series: `inferred` from singles, in `pieces`, or `detached` from it; or one forgotten.

    `endless`: without an end, and nobody has touched it for years.
    """

    __tablename__ = "scattered"

    id: int | None = Field(default=None, primary_key=True)
    kind: str
    calendar_id: int
    title: str
    words: str
    confidence: float
    entries: list[int] = Field(default_factory=list, sa_column=Column(JSON, nullable=False))
    data: dict[str, Any] = Field(default_factory=dict, sa_column=Column(JSON, nullable=False))
