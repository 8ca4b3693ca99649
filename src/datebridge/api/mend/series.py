"""Series: all of them, one over a year, two against each other, and what is scattered."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Literal

from annotated_types import Len
from fastapi import Query
from pydantic import BaseModel, Field

from datebridge.api import present
from datebridge.api.context import AppDep
from datebridge.api.kinds import CalendarNo, EntryNo, GroupNo, Limit, Offset
from datebridge.api.mend.banks import DifferencePage, differences
from datebridge.api.routing import new_router
from datebridge.api.shapes import EntryOut, JobQueued
from datebridge.clock import this_day
from datebridge.core.checks import is_fixable, severity_of, title_of, why
from datebridge.core.checks.of_series import OF_SERIES
from datebridge.core.errors import NotFound
from datebridge.core.ids import JobId, SetId
from datebridge.core.job_kinds import JobKind
from datebridge.core.moments import wall_seconds_of
from datebridge.core.problems import Severity
from datebridge.services.jobs import jobs
from datebridge.services.mend import series, series_list
from datebridge.services.mend.series import Shape
from datebridge.store import findings, scattered

router = new_router("/api", "series")
Kind = Literal["inferred", "pieces", "detached", "endless"]
#: Checks that are about series, in the order in which they are shown.
_CHECKS = (
    *(check.code for check in OF_SERIES),
    "until-type",
    "count-and-until",
    "invalid-rule-part",
    "bad-rule",
    "override-without-master",
    "two-masters",
)
_MOST_YEARS = 12


class FindingCount(BaseModel):
    """A check of series, and in how many entries it has found something."""

    code: str
    severity: Severity
    title: str
    why: str
    count: int
    fixable: bool


class KindOut(BaseModel):
    kind: Kind
    title: str
    says: str
    count: int


class SeriesHead(BaseModel):
    """What there is to be done about series; `job` looks for what is scattered just now."""

    total: int
    findings: list[FindingCount]
    scattered: list[KindOut]
    outdated: bool
    job: JobId | None


class SeriesRow(BaseModel):
    entry: EntryOut
    first: str
    last: str = Field(description="empty for a series without end")
    so_far: str
    to_come: str
    left_out: int
    extra: int
    changed: int
    ill: list[str] = Field(description="what is wrong with it, in words")


class SeriesPage(BaseModel):
    total: int
    rows: list[SeriesRow]


class TickOut(BaseModel):
    day: int
    what: Literal["kept", "left out", "moved", "changed", "extra"]
    words: str


class ClockChange(BaseModel):
    day: int
    words: str


class SeriesFindingOut(BaseModel):
    code: str
    title: str
    message: str


class StripOut(BaseModel):
    """A series over a year; days are counted from 0."""

    year: int
    days: int
    ticks: list[TickOut]
    changes: list[ClockChange]
    ill: list[SeriesFindingOut]


class ScatteredOut(BaseModel):
    id: int
    kind: Kind
    calendar_id: int
    title: str
    words: str
    sure: int = Field(description="in hundredths")
    entries: int
    uids: list[EntryNo] = Field(description="the first of its entries")


class ScatteredPage(BaseModel):
    total: int
    rows: list[ScatteredOut]


class CombineIn(BaseModel):
    """Some of what is scattered, or all of a kind that is as sure as that."""

    ids: Annotated[list[GroupNo], Len(max_length=10_000)] = []
    kind: Kind = "inferred"
    calendar_id: CalendarNo | None = None
    least: Annotated[float, Field(ge=0, le=1)] = 0.7


class ShapeIn(BaseModel):
    how: Shape
    day: str = Field(default="", max_length=20)


class ProposalOut(BaseModel):
    set_id: SetId


class AgainstOut(BaseModel):
    titles: list[str]
    zones: list[str]
    same: int
    page: DifferencePage


@router.get("/series/head")
def head(app: AppDep) -> SeriesHead:
    """What is wrong with series, by check, and what is scattered."""
    with app.store.read() as connection:
        counted = findings.counts(connection)
        outdated, job = scattered.looking(connection)
        kinds = [_kind(kind, scattered.page(connection, kind, 0, 1)[0]) for kind in KIND_TITLES]
    total, _ = app.ledger.page("repeats:yes", "when", False, 0, 1)
    counts = [
        FindingCount(
            code=code,
            severity=severity_of(code),
            title=title_of(code),
            why=why(code),
            count=counted[code],
            fixable=is_fixable(code),
        )
        for code in _CHECKS
        if counted.get(code)
    ]
    return SeriesHead(
        total=total, findings=counts, scattered=[kind for kind in kinds if kind.count], outdated=outdated, job=job
    )


KIND_TITLES: dict[Kind, tuple[str, str]] = {
    "inferred": ("Scattered singles", "single events that look like one series"),
    "pieces": ("Split series", "consecutive series that look like one"),
    "endless": ("Endless series, unused", "series without an end date, unchanged for two years or more"),
    "detached": ("Detached changed occurrences", "changed occurrences whose series exists under another UID"),
}


def _kind(kind: Kind, count: int) -> KindOut:
    title, says = KIND_TITLES[kind]
    return KindOut(kind=kind, title=title, says=says, count=count)


@router.get("/series")
def page(
    app: AppDep,
    filter: str = "",
    sort: Literal["what", "when", "calendar"] = "what",
    offset: Offset = 0,
    limit: Limit = 100,
) -> SeriesPage:
    """A page of series that match a filter."""
    total, rows = app.ledger.page(f"repeats:yes {filter}".strip(), sort, False, offset, limit)
    with app.store.read() as connection:
        listed_series = series_list.listed(connection, rows, this_day())
    return SeriesPage(
        total=total,
        rows=[
            SeriesRow(
                entry=present.entry(listed.row),
                first=listed.first,
                last=listed.last,
                so_far="" if listed.so_far is None else f"{listed.so_far:,}",
                to_come=("" if listed.last else "no end") if listed.to_come is None else f"{listed.to_come:,}",
                left_out=listed.left_out,
                extra=listed.extra,
                changed=listed.changed,
                ill=[title_of(code) for code in listed.codes],
            )
            for listed in listed_series
        ],
    )


@router.get("/series/{entry_id}/strip")
def strip(app: AppDep, entry_id: EntryNo, year: Annotated[int | None, Query(ge=1900, le=2200)] = None) -> StripOut:
    """What a series does over a year, against the days on which its clock is changed."""
    year = year or this_day().year
    with app.store.read() as connection:
        months = series_list.strip(connection, entry_id, year)
        ill = series_list.wrong_with(connection, entry_id)
    if months is None:
        raise NotFound("This series no longer exists.")
    return StripOut(
        year=year,
        days=(date(year + 1, 1, 1) - date(year, 1, 1)).days,
        ticks=[TickOut(day=tick.day, what=tick.what, words=tick.words) for tick in months.ticks],
        changes=[ClockChange(day=day, words=words) for day, words in months.changes],
        ill=[
            SeriesFindingOut(code=finding.code, title=title_of(finding.code), message=finding.message)
            for finding in ill[:50]
        ],
    )


@router.get("/series/against")
def against(
    app: AppDep,
    left: EntryNo,
    right: EntryNo,
    years: Annotated[int, Query(ge=1, le=_MOST_YEARS)] = 2,
    offset: Offset = 0,
    limit: Limit = 100,
) -> AgainstOut:
    """Two series laid against each other, from so many years ago to as many from now."""
    middle = wall_seconds_of(this_day())
    points = series_list.against(app.store, left, right, middle - years * 31_622_400, middle + years * 31_622_400)
    if points is None:
        raise NotFound("One of these series no longer exists.")
    return AgainstOut(
        titles=list(points.titles),
        zones=list(points.zones),
        same=points.same,
        page=differences(points.differences, *points.clocks, offset, limit),
    )


@router.post("/series/{entry_id}/shape")
def shape(app: AppDep, entry_id: EntryNo, body: ShapeIn) -> ProposalOut:
    """Propose splitting a series at a day, ending it on one, taking it apart, or beginning it on its own rule."""
    return ProposalOut(set_id=series.shape(app.store, entry_id, body.how, body.day))


# ---- what is scattered ------------------------------------------------------------------------------------


@router.get("/series/scattered")
def scattered_page(
    app: AppDep, kind: Kind = "inferred", calendar: CalendarNo | None = None, offset: Offset = 0, limit: Limit = 100
) -> ScatteredPage:
    """A page of what belongs to one series, the surest first."""
    with app.store.read() as connection:
        total, rows = scattered.page(connection, kind, offset, limit, calendar)
    return ScatteredPage(
        total=total,
        rows=[
            ScatteredOut(
                id=row.id,
                kind=row.kind,
                calendar_id=row.calendar,
                title=row.title,
                words=row.words,
                sure=round(row.confidence * 100),
                entries=len(row.entries),
                uids=row.entries[:60],
            )
            for row in rows
        ],
    )


@router.post("/series/recompute", status_code=204)
def look(app: AppDep) -> None:
    """Look again for what is scattered."""
    with app.store.write() as connection:
        scattered.queue_looking(connection)


@router.post("/series/combine")
def combine(app: AppDep, body: CombineIn) -> JobQueued:
    """Propose putting together what is scattered."""
    params = {"ids": body.ids, "kind": body.kind, "least": body.least, "calendar": body.calendar_id}
    return JobQueued(job_id=jobs.enqueue(app.store, JobKind.COMBINE, "Preparing the proposal: combine series", params))


@router.post("/series/detach")
def stand_alone(app: AppDep, ids: Annotated[list[EntryNo], Len(min_length=1, max_length=10_000)]) -> ProposalOut:
    """Propose making changed occurrences without their series entries of their own."""
    return ProposalOut(set_id=series.orphans_alone(app.store, ids))
