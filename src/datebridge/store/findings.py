"""Findings: what the checks say of what is stored; filled as entries come, and looked at anew in the background.

Each check has a revision. Where a check is new or has changed, everything is looked at once more; and where a batch
has changed a calendar, the calendar is looked at as a whole.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import (
    ColumnElement,
    CompoundSelect,
    Connection,
    Select,
    and_,
    delete,
    exists,
    func,
    literal,
    select,
    union_all,
    update,
)

from datebridge.core.checks import REVISIONS
from datebridge.core.checks.census import CENSUS, Census
from datebridge.core.ids import CalendarId, VersionId
from datebridge.core.index.facts import Mark
from datebridge.store.database import Store
from datebridge.store.entries.reindex import (
    Beside,
    copy_index,
    examine_anew,
    note_checked,
    select_stored,
    stored,
)
from datebridge.store.entries.versions import FINDING
from datebridge.store.jobs import queue_once
from datebridge.store.rulings import IGNORE, subject_of
from datebridge.store.sql import among
from datebridge.store.tables import (
    CALENDARS,
    CHECK_RUNS,
    ENTRIES,
    FINDINGS,
    META,
    PROBLEMS,
    RULINGS,
    VERSIONS,
)

_AT_ONCE = 1_000
_WHOLE = tuple(check.code for check in CENSUS)
Report = Callable[[int, int], None]


@dataclass(frozen=True, slots=True)
class Finding:
    """What is wrong with a version, and what Date Bridge did with it."""

    version_id: VersionId
    code: str
    message: str
    done: str
    line: int
    text: str
    uid: str


def of_versions(connection: Connection, ids: Iterable[VersionId]) -> list[Finding]:
    """What is wrong with versions: what the checks say, and what only their file shows."""
    wanted = among(ids)
    own = ("version_id", "code", "message", "done", "line", "text", "uid")
    files = select(*(PROBLEMS.c[name] for name in own)).where(PROBLEMS.c.version_id.in_(wanted))
    checks = (
        select(
            FINDINGS.c.version_id, FINDINGS.c.code, FINDINGS.c.message, FINDINGS.c.done, FINDINGS.c.line,
            literal("").label("text"), VERSIONS.c.uid,
        )
        .join(VERSIONS, VERSIONS.c.id == FINDINGS.c.version_id)
        .where(FINDINGS.c.version_id.in_(wanted))
    )  # fmt: skip
    found = union_all(files, checks).subquery()
    rows = connection.execute(select(found).order_by(found.c.version_id, found.c.line))
    return [Finding(*row) for row in rows]


def counts(connection: Connection) -> dict[str, int]:
    """In how many entries in force there is each thing wrong; what a ruling says to ignore is not counted."""
    found = _in_force().subquery()
    rows = connection.execute(select(found.c.code, func.count(found.c.version_id.distinct())).group_by(found.c.code))
    return {row[0]: row[1] for row in rows}


def count(connection: Connection) -> int:
    """In how many entries in force something is wrong."""
    found = _in_force().subquery()
    return int(connection.execute(select(func.count(found.c.version_id.distinct()))).scalar_one())


def _in_force() -> CompoundSelect[Any]:
    ignored = exists().where(
        RULINGS.c.kind == IGNORE, RULINGS.c.revoked_at.is_(None), RULINGS.c.subject == subject_of(FINDINGS.c.code)
    )
    parts = []
    for table, besides in ((FINDINGS, (~ignored,)), (PROBLEMS, ())):
        joined = table.join(ENTRIES, ENTRIES.c.id == table.c.version_id)
        parts.append(select(table.c.code, table.c.version_id).select_from(joined).where(ENTRIES.c.listed, *besides))
    return union_all(*parts)


# ---- looking anew ---------------------------------------------------------------------------------


def outdated(connection: Connection) -> bool:
    """Whether there are checks by which what is stored has not been looked at as they are now."""
    known = {row.code: row.revision for row in connection.execute(select(CHECK_RUNS))}
    return known != REVISIONS


def changed_calendars(connection: Connection) -> list[CalendarId]:
    """Calendars that have changed since they were looked at as a whole."""
    changed = and_(CALENDARS.c.live, CALENDARS.c.checked != CALENDARS.c.revision)
    return list(connection.execute(select(CALENDARS.c.id).where(changed)).scalars())


def queue_checking(connection: Connection) -> None:
    """Queue looking at what has to be looked at, unless that is queued already."""
    if outdated(connection):
        queue_once(connection, "check", "Looking at every entry anew", {}, "check")
    for calendar in changed_calendars(connection):
        queue_once(connection, "check", "Looking at a calendar", {"calendar": calendar}, f"check {calendar}")


def check_everything(store: Store, report: Report, begin: VersionId) -> int:
    """Look at every version with all checks as they are now; returns how many have another index for it.

    In short transactions, so that nobody waits.

    Args:
        begin: the version after which to begin; `report` is told how far it is, and how far that is of all.
    """
    with store.read() as connection:
        newest = int(connection.execute(select(func.coalesce(func.max(VERSIONS.c.id), 0))).scalar_one())
        beside = Beside(connection)
    last, changed = begin, 0
    while True:
        with store.write() as connection:
            rows = connection.execute(
                select_stored().where(VERSIONS.c.id > last).order_by(VERSIONS.c.id).limit(_AT_ONCE)
            ).all()
            if not rows:
                break
            found = examine_anew(connection, stored(rows), beside)
            _show(connection, found)
            last = VersionId(rows[-1].id)
        changed += len(found)
        report(min(last, newest), newest)
    with store.write() as connection:
        unknown = FINDINGS.c.code.not_in(tuple(REVISIONS))
        connection.execute(delete(FINDINGS).where(unknown))
        connection.execute(update(CALENDARS).values(checked=-1))
        note_checked(connection)
    return changed


def check_calendar(store: Store, calendar: CalendarId) -> int:
    """Look at a calendar as a whole; returns how many of its entries have such a finding."""
    with store.read() as connection:
        revision = connection.execute(select(CALENDARS.c.revision).where(CALENDARS.c.id == calendar)).scalar()
        census: Census[VersionId] = Census()
        for row in connection.execute(_doubtful(calendar)):
            census.add(row.component, row.uid, row.recurrence_id, VersionId(row.id))
    found = {(version, problem.code): problem for version, problem in census.problems()}
    with store.write() as connection:
        own = select(ENTRIES.c.id).where(ENTRIES.c.calendar_id == calendar)
        known = connection.execute(
            select(FINDINGS.c.id, FINDINGS.c.version_id, FINDINGS.c.code).where(
                FINDINGS.c.version_id.in_(own), FINDINGS.c.code.in_(_WHOLE)
            )
        ).all()
        there = {(VersionId(row.version_id), row.code) for row in known}
        gone = [row for row in known if (row.version_id, row.code) not in found]
        fresh = [key for key in found if key not in there]
        connection.execute(delete(FINDINGS).where(FINDINGS.c.id.in_(among(row.id for row in gone))))
        if fresh:
            rows = [(v, code, REVISIONS[code], 0, found[v, code].message, found[v, code].done) for v, code in fresh]
            connection.exec_driver_sql(FINDING, rows)
        _mark(connection, [*(v for v, _ in fresh), *(row.version_id for row in gone)])
        connection.execute(update(CALENDARS).where(CALENDARS.c.id == calendar).values(checked=revision))
    return len({version for version, _ in found})


def _doubtful(calendar: CalendarId) -> Select[Any]:
    """Of a calendar what the census has to see: UIDs that stand more than once, and changed occurrences."""
    own = and_(ENTRIES.c.calendar_id == calendar, ENTRIES.c.listed, ENTRIES.c.uid != "")
    several = select(ENTRIES.c.uid).where(own).group_by(ENTRIES.c.uid).having(func.count() > 1)
    is_override = ENTRIES.c.recurrence_id != ""
    columns = (ENTRIES.c.id, ENTRIES.c.component, ENTRIES.c.uid, ENTRIES.c.recurrence_id)
    return select(*columns).where(own, is_override | ENTRIES.c.uid.in_(several)).order_by(ENTRIES.c.id)


def mark_problems(connection: Connection, versions: Sequence[VersionId]) -> int:
    """Mark versions as having a problem; returns how many had none before."""
    unmarked = and_(VERSIONS.c.id.in_(among(versions)), VERSIONS.c.marks.op("&")(Mark.PROBLEM) == 0)
    marked = update(VERSIONS).where(unmarked).values(marks=VERSIONS.c.marks.op("|")(Mark.PROBLEM))
    return connection.execute(marked).rowcount


def _mark(connection: Connection, versions: Sequence[VersionId]) -> None:
    """Have versions say whether anything is wrong with them."""
    if not versions:
        return
    concerned = VERSIONS.c.id.in_(among(versions))
    wrong: ColumnElement[bool] = exists().where(FINDINGS.c.version_id == VERSIONS.c.id) | exists().where(
        PROBLEMS.c.version_id == VERSIONS.c.id
    )
    cleared = VERSIONS.c.marks.op("&")(~Mark.PROBLEM)
    connection.execute(update(VERSIONS).where(concerned, ~wrong).values(marks=cleared))
    marked = VERSIONS.c.marks.op("|")(Mark.PROBLEM)
    connection.execute(update(VERSIONS).where(concerned, wrong).values(marks=marked))
    _show(connection, versions)


def _show(connection: Connection, versions: Sequence[VersionId]) -> None:
    """Have entries in force say what their versions say, and everybody see it."""
    if versions:
        copy_index(connection, versions)
        connection.execute(update(META).values(revision=META.c.revision + 1))
