"""Reconciling two calendars: comparing them, what differs by kind, month and field, and making one as the other is."""

from __future__ import annotations

from datetime import timedelta
from typing import Annotated, Literal

from annotated_types import Len
from pydantic import BaseModel, Field

from datebridge.api.context import AppDep
from datebridge.api.kinds import CalendarNo, Day, GroupNo, Limit, Offset
from datebridge.api.mend.banks import DifferencePage, differences
from datebridge.api.routing import new_router
from datebridge.api.shapes import JobQueued
from datebridge.core.comparing import Of
from datebridge.core.errors import NotFound, NotValid
from datebridge.core.ids import CalendarId
from datebridge.core.job_kinds import JobKind
from datebridge.core.language.spans import difference
from datebridge.core.moments import from_wall_seconds, wall_seconds_of
from datebridge.services.jobs import jobs
from datebridge.services.mend import reconcile
from datebridge.services.mend.reconcile import Side
from datebridge.store import comparisons
from datebridge.store.calendars import is_there, names
from datebridge.store.comparisons import Comparison, PairFilter, PairRow

router = new_router("/api", "reconcile")
VERDICTS: dict[Of, tuple[str, str]] = {
    "missing": ("Missing", "only on the left"),
    "extra": ("Extra", "only on the right"),
    "season": ("Wrong for part of the year", "by the difference of two zones"),
    "moved": ("Moved", "all times by the same duration"),
    "times": ("Some times differ", "moved, missing or extra"),
    "fields": ("Different properties", "at the same times"),
    "both": ("Different times and properties", "both differ"),
    "recut": ("Cut differently", "the same occurrences, as a split series or as single events"),
    "uid": ("Different UID", "otherwise equal"),
}


class CompareIn(BaseModel):
    """Two calendars, and the days over which they are compared; the last one is included."""

    left: CalendarNo
    right: CalendarNo
    first: Day
    last: Day


class Tally(BaseModel):
    value: str
    title: str
    says: str = ""
    count: int


class ComparisonOut(BaseModel):
    """Two calendars compared. Counts of `same`, `changed`, `missing` and `extra` are of occurrences."""

    id: int
    left_id: CalendarId
    right_id: CalendarId
    left: str
    right: str
    days: str
    same: int
    changed: int
    missing: int
    extra: int
    pairs: int
    different: int
    outdated: bool


class ReviewOut(BaseModel):
    """What differs, to choose from."""

    comparison: ComparisonOut
    verdicts: list[Tally]
    months: list[Tally]
    fields: list[Tally]


class PairOut(BaseModel):
    id: int
    verdict: Of
    title: str
    says: str = Field(description="how it differs, in words")
    month: str = Field(description="of its first difference")
    same: int
    changed: int
    missing: int
    extra: int
    matched: str = Field(description="by what it was paired, where not by its UID")


class PairPage(BaseModel):
    total: int
    rows: list[PairOut]


class PairDetail(BaseModel):
    """A pair occurrence by occurrence, looked at now."""

    title: str
    zones: list[str]
    same: int
    page: DifferencePage


class AskedIn(BaseModel):
    """Which pairs: of a verdict, a month, a field; empty for all."""

    verdict: Of | Literal[""] = ""
    month: str = Field(default="", max_length=7)
    field: str = Field(default="", max_length=80)

    def asked(self) -> PairFilter:
        """As the store takes it."""
        return PairFilter(self.verdict, self.month, self.field)


class AdjustIn(AskedIn):
    to: Side = Field(description="the side that is made as the other is")
    pairs: Annotated[list[GroupNo], Len(max_length=10_000)] = []


@router.get("/comparisons")
def made(app: AppDep) -> list[ComparisonOut]:
    """The comparisons that are kept, the newest first."""
    with app.store.read() as connection:
        called = names(connection, live=True)
        rows = comparisons.comparisons(connection)
        return [
            _comparison(row, called, sum(comparisons.tallies(connection, row.id).verdicts.values()))
            for row in rows
            if row.left in called and row.right in called
        ]


def _comparison(comparison: Comparison, called: dict[CalendarId, str], different: int) -> ComparisonOut:
    first, last = (from_wall_seconds(moment).date() for moment in (comparison.low, comparison.high - 1))
    counts = {name: comparison.counts.get(name, 0) for name in ("same", "changed", "missing", "extra", "pairs")}
    return ComparisonOut(
        id=comparison.id,
        left_id=comparison.left,
        right_id=comparison.right,
        left=called.get(comparison.left, "gone"),
        right=called.get(comparison.right, "gone"),
        days=f"{first} – {last}",
        different=different,
        outdated=comparison.outdated,
        **counts,
    )


@router.post("/comparisons")
def compare(app: AppDep, body: CompareIn) -> JobQueued:
    """Compare two calendars."""
    if body.left == body.right:
        raise NotValid("Choose two different calendars.")
    if body.last < body.first:
        raise NotValid("The last day is before the first.")
    with app.store.read() as connection:
        for calendar in (body.left, body.right):
            if not is_there(connection, calendar, live=True):
                raise NotFound("One of these calendars no longer exists.")
    params = {
        "left": body.left,
        "right": body.right,
        "low": wall_seconds_of(body.first),
        "high": wall_seconds_of(body.last + timedelta(days=1)),
    }
    return JobQueued(job_id=jobs.enqueue(app.store, JobKind.COMPARE, "Comparing two calendars", params))


@router.get("/comparisons/{comparison_id}")
def review(app: AppDep, comparison_id: GroupNo) -> ReviewOut:
    """What differs between two calendars, counted by kind, month and field."""
    with app.store.read() as connection:
        comparison = _demand_comparison(comparisons.comparison(connection, comparison_id))
        told = comparisons.tallies(connection, comparison_id)
        called = names(connection, live=True)
    return ReviewOut(
        comparison=_comparison(comparison, called, sum(told.verdicts.values())),
        verdicts=[
            Tally(value=one, title=title, says=says, count=told.verdicts[one])
            for one, (title, says) in VERDICTS.items()
            if one in told.verdicts
        ],
        months=[Tally(value=value, title=value, count=count) for value, count in told.months.items()],
        fields=[Tally(value=value, title=value, count=count) for value, count in told.fields.items()],
    )


def _demand_comparison(comparison: Comparison | None) -> Comparison:
    if comparison is None:
        raise NotFound("This comparison no longer exists. Compare again.")
    return comparison


@router.get("/comparisons/{comparison_id}/pairs")
def pairs(
    app: AppDep,
    comparison_id: GroupNo,
    verdict: Of | Literal[""] = "",
    month: str = "",
    field: str = "",
    offset: Offset = 0,
    limit: Limit = 100,
) -> PairPage:
    """A page of pairs that differ."""
    with app.store.read() as connection:
        total, rows = comparisons.page(connection, comparison_id, PairFilter(verdict, month, field), offset, limit)
    return PairPage(total=total, rows=[_pair(row) for row in rows])


def _pair(row: PairRow) -> PairOut:
    right, _, wrong = row.misreading.partition("\n")
    says = [VERDICTS[row.verdict][1]] if row.verdict in VERDICTS else []
    if row.verdict == "season":
        says = [f"wrong by {difference(row.moved_by or 0)} for part of the year: {right} taken for {wrong}"]
    elif row.moved_by:
        says = [f"{difference(row.moved_by)}" + (f" ({right} taken for {wrong})" if wrong else "")]
    if row.fields:
        says.append(row.fields)
    return PairOut(
        id=row.id,
        verdict=row.verdict,
        title=row.title,
        month=row.month,
        says="; ".join(says),
        same=row.same,
        changed=row.changed,
        missing=row.missing,
        extra=row.extra,
        matched=row.matched,
    )


@router.get("/comparisons/pairs/{pair_id}")
def pair(app: AppDep, pair_id: GroupNo, offset: Offset = 0, limit: Limit = 100) -> PairDetail:
    """A pair in two banks, occurrence by occurrence."""
    message = reconcile.occurrences_of(app.store, pair_id)
    if message is None:
        raise NotFound("This comparison no longer exists. Compare again.")
    return PairDetail(
        title=message.row.title,
        zones=list(message.zones),
        same=message.same,
        page=differences(message.differences, *message.clocks, offset, limit),
    )


@router.post("/comparisons/{comparison_id}/adjust")
def adjust(app: AppDep, comparison_id: GroupNo, body: AdjustIn) -> JobQueued:
    """Propose making one side as the other is: some pairs, or all of a kind."""
    with app.store.read() as connection:
        _demand_comparison(comparisons.comparison(connection, comparison_id))
    params = {"comparison": comparison_id, "to": body.to, "asked": list(body.asked()), "pairs": body.pairs}
    title = "Preparing the proposal: make one calendar match the other"
    return JobQueued(job_id=jobs.enqueue(app.store, JobKind.ADJUST, title, params))
