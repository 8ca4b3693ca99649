"""Checks: what they have found, what is seldom wanted, putting it right, and leaving a check out."""

from __future__ import annotations

from typing import Annotated

from fastapi import Path
from pydantic import BaseModel, Discriminator, Field

from datebridge.api import present
from datebridge.api.context import App, AppDep
from datebridge.api.kinds import CalendarNo, EntryNo, Limit, Offset
from datebridge.api.routing import new_router
from datebridge.api.shapes import EntryOut, JobQueued
from datebridge.core.bulk.steps import Step
from datebridge.core.changes import PERSON
from datebridge.core.checks import ALL, described, is_fixable, why
from datebridge.core.cleanup_filters import CLEANUP_FILTERS, CleanupFilter, Remedy, Standards
from datebridge.core.errors import CannotDo, NotFound, NotValid
from datebridge.core.job_kinds import JobKind
from datebridge.core.language.filters import FilterError
from datebridge.core.problems import CODES, Severity
from datebridge.services.jobs import jobs
from datebridge.services.mend import cleanup
from datebridge.store import findings
from datebridge.store.calendars import calendars_for_filters
from datebridge.store.database import Connection
from datebridge.store.entries.ledger import rows_of

router = new_router("/api", "checks")
Code = Annotated[str, Path(max_length=60)]
_CLEANUP_FILTERS = {one_filter.code: one_filter for one_filter in CLEANUP_FILTERS}
_ORDER = ("breaks", "alters", "untidy")


class CheckCount(BaseModel):
    """A check, and in how many entries it has found something."""

    code: str
    severity: Severity
    title: str
    why: str
    count: int
    wrong: bool = Field(description="not as the standard has it; else right, and seldom wanted")
    fixable: bool = Field(description="whether there is one way in which it can be put right")
    left_out: bool = Field(description="whether somebody said that it is not to count")
    excepted: int = Field(default=0, description="single entries that are not to count")
    filter: str = Field(description="the filter line that shows them in the table")
    remedy: Remedy
    steps: list[Annotated[Step, Discriminator("do")]] = Field(description="what would be changed in bulk")


class ChecksOut(BaseModel):
    """The checks that have found something, the worst first; the others by their titles."""

    found: list[CheckCount]
    clean: list[str]


class CheckedEntry(BaseModel):
    entry: EntryOut
    message: str


class CheckedPage(BaseModel):
    total: int
    rows: list[CheckedEntry]


class LackingOut(BaseModel):
    """A calendar, and what it does not say of itself."""

    calendar_id: int
    lacks: list[str]


class CopiesOut(BaseModel):
    """Two calendars that look like one: so many UIDs are in both, of so many of the smaller one."""

    left: int
    right: int
    same: int
    of: int


class SpellingOut(BaseModel):
    value: str
    count: int


class UnknownOut(BaseModel):
    name: str
    entries: int
    sample: str


class WholeOut(BaseModel):
    """What shows only of calendars as wholes."""

    lacking: list[LackingOut]
    copies: list[CopiesOut]
    spellings: list[list[SpellingOut]] = Field(description="categories spelt differently, the most frequent first")
    unknown: list[UnknownOut]
    more_unknown: bool = Field(description="there are more entries with unknown properties than were looked through")


@router.get("/checks")
def checks(app: AppDep, calendar: CalendarNo | None = None) -> ChecksOut:
    """What the checks have found, in all calendars or in one."""
    with app.store.read() as connection:
        counts = findings.of_all(connection, calendar)
        out = findings.left_out(connection)
        own = cleanup.standards(connection)
        term = _term(connection, calendar)
        excepted = findings.excepted(connection)
    counts |= {code: 0 for code in excepted if code not in counts and (code in ALL or code in CODES)}
    rows = [_check(code, number, code in out, term, excepted[code]) for code, number in counts.items()]
    clean = [check.title for code, check in ALL.items() if code not in counts]
    for one_filter in CLEANUP_FILTERS:
        line = one_filter.filter(own)
        number = app.ledger.how_many(_joined(term, line)) if line else 0
        if number:
            rows.append(_cleanup_row(one_filter, number, one_filter.code in out, _joined(term, line), own))
        elif line:
            clean.append(one_filter.title)
    rows.sort(key=lambda row: (row.left_out, not row.wrong, _ORDER.index(row.severity), -row.count, row.code))
    return ChecksOut(found=rows, clean=sorted(clean))


def _term(connection: Connection, calendar: CalendarNo | None) -> str:
    if calendar is None:
        return ""
    named = calendars_for_filters(connection).get(calendar)
    if named is None:
        raise NotFound("This calendar no longer exists.")
    return named.term("calendar")


def _joined(*terms: str) -> str:
    return " ".join(term for term in terms if term)


def _check(code: str, number: int, left_out: bool, term: str, excepted: int) -> CheckCount:
    severity, title = described(code)
    return CheckCount(
        code=code,
        severity=severity,
        title=title,
        why=why(code),
        count=number,
        wrong=True,
        fixable=is_fixable(code),
        left_out=left_out,
        excepted=excepted,
        filter=_joined(term, f"problem:{code}"),
        remedy="look",
        steps=[],
    )


def _cleanup_row(one_filter: CleanupFilter, number: int, left_out: bool, line: str, own: Standards) -> CheckCount:
    return CheckCount(
        code=one_filter.code,
        severity=one_filter.severity,
        title=one_filter.title,
        why=one_filter.why,
        count=number,
        wrong=False,
        fixable=False,
        left_out=left_out,
        filter=line,
        remedy=one_filter.remedy,
        steps=one_filter.steps(own),
    )


@router.get("/checks/standards")
def standards(app: AppDep) -> Standards:
    """What the checks go by that somebody has to say."""
    with app.store.read() as connection:
        return cleanup.standards(connection)


@router.put("/checks/standards", status_code=204)
def keep_standards(app: AppDep, wanted: Standards) -> None:
    """Have the checks go by other standards."""
    for one_filter in CLEANUP_FILTERS:
        try:
            app.ledger.how_many(one_filter.filter(wanted))
        except FilterError as error:
            raise NotValid(f"{one_filter.title}: {error.message}") from error
    with app.store.write() as connection:
        cleanup.keep_standards(connection, wanted)


@router.get("/checks/calendars")
def of_calendars(app: AppDep) -> WholeOut:
    """What shows only of calendars as wholes: names, copies, spellings, unknown properties."""
    with app.store.read() as connection:
        lacking = [LackingOut(calendar_id=one.calendar, lacks=one.lacks) for one in cleanup.lacking(connection)]
        copies = [CopiesOut(**copy._asdict()) for copy in cleanup.copies(connection)]
        unknown, more = cleanup.unknown_properties(connection)
    spelt = [[SpellingOut(value=value, count=n) for value, n in group] for group in cleanup.spellings(app.ledger)]
    return WholeOut(
        lacking=lacking,
        copies=copies,
        spellings=spelt,
        unknown=[UnknownOut(**one._asdict()) for one in unknown],
        more_unknown=more,
    )


@router.get("/checks/{code}/entries")
def entries(
    app: AppDep, code: Code, calendar: CalendarNo | None = None, offset: Offset = 0, limit: Limit = 100
) -> CheckedPage:
    """A page of the entries in which a check has found something, with what it says."""
    if code in _CLEANUP_FILTERS:
        return _cleanup_entries(app, _CLEANUP_FILTERS[code], calendar, offset, limit)
    _demand_check(code)
    with app.store.read() as connection:
        total, page = findings.page_of(connection, code, calendar, offset, limit)
        rows = {row.id: row for row in rows_of(connection, [number for number, _ in page])}
    shown = [CheckedEntry(entry=present.entry(rows[number]), message=text) for number, text in page if number in rows]
    return CheckedPage(total=total, rows=shown)


def _cleanup_entries(
    app: App, one_filter: CleanupFilter, calendar: CalendarNo | None, offset: int, limit: int
) -> CheckedPage:
    with app.store.read() as connection:
        line = one_filter.filter(cleanup.standards(connection))
        term = _term(connection, calendar)
    if not line:
        return CheckedPage(total=0, rows=[])
    total, rows = app.ledger.page(_joined(term, line), offset=offset, limit=limit)
    return CheckedPage(total=total, rows=[CheckedEntry(entry=present.entry(row), message="") for row in rows])


def _demand_check(code: str) -> None:
    if code not in ALL and code not in CODES and code not in _CLEANUP_FILTERS:
        raise NotFound(f"There is no check “{code}”.")


@router.post("/checks/{code}/fix")
def fix(app: AppDep, code: Code, calendar: CalendarNo | None = None, entry: EntryNo | None = None) -> JobQueued:
    """Propose what a check has found as it would be without it: everywhere, in a calendar, or in one entry."""
    _demand_check(code)
    title = f"Fixing: {_title(code).lower()}"
    return JobQueued(
        job_id=jobs.enqueue(app.store, JobKind.FIX, title, {"code": code, "calendar": calendar, "entry": entry})
    )


def _title(code: str) -> str:
    return _CLEANUP_FILTERS[code].title if code in _CLEANUP_FILTERS else described(code)[1]


@router.put("/checks/{code}/left-out", status_code=204)
def leave_out(app: AppDep, code: Code) -> None:
    """Have a check count for no entry; what it finds is left alone."""
    _demand_check(code)
    with app.store.write() as connection:
        findings.leave_out(connection, code, PERSON)


@router.put("/checks/{code}/left-out/{entry_id}", status_code=204)
def leave_out_entry(app: AppDep, code: Code, entry_id: EntryNo) -> None:
    """Have what a check finds in one entry not count."""
    _demand_check(code)
    if code in _CLEANUP_FILTERS:
        raise CannotDo("Findings of valid entries cannot be ignored one by one.")
    with app.store.write() as connection:
        if not findings.leave_out_entry(connection, code, entry_id, PERSON):
            raise CannotDo("This entry no longer exists, or has no UID by which it could be remembered.")


@router.delete("/checks/{code}/left-out/entries", status_code=204)
def take_in_entries(app: AppDep, code: Code) -> None:
    """Have a check count again for the single entries that were left out."""
    _demand_check(code)
    with app.store.write() as connection:
        findings.take_in_entries(connection, code)


@router.delete("/checks/{code}/left-out", status_code=204)
def take_in(app: AppDep, code: Code) -> None:
    """Have a check count again."""
    _demand_check(code)
    with app.store.write() as connection:
        findings.take_in(connection, code)
