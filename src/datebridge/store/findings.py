"""Findings: what the checks say of what is stored; filled as entries come, and checked again in the background.

Each check has a revision. Where a check is new or has changed, everything is looked at once more; and where a batch
has changed a calendar, the calendar is looked at as a whole.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

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
    true,
    union_all,
    update,
)

from datebridge.core.changes import By
from datebridge.core.checks import ALL, REVISIONS
from datebridge.core.checks.census import CENSUS, Census
from datebridge.core.checks.of_series import OF_SERIES
from datebridge.core.ids import CalendarId, VersionId
from datebridge.core.index.facts import Mark
from datebridge.core.job_kinds import JobKind
from datebridge.core.problems import Problem
from datebridge.core.series.health import series_findings
from datebridge.core.series.pieces import pieces
from datebridge.core.zones.meaning import Zones
from datebridge.store.database import Store
from datebridge.store.entries.reindex import (
    Beside,
    Reindexing,
    Stored,
    copy_index,
    note_checked,
    select_stored,
    stored,
)
from datebridge.store.entries.rows import Row as Derived
from datebridge.store.entries.series import groups_of, series_in
from datebridge.store.entries.versions import FINDING
from datebridge.store.entries.zones import zones_of
from datebridge.store.jobs import queue_once
from datebridge.store.rulings import IGNORE, finding_of, revoke, rule, subject_of
from datebridge.store.rulings import standing as rulings_standing
from datebridge.store.sql import among, chunks
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
#: About so many bytes has an entry.
_OCTETS = 700
_WHOLE = tuple(check.code for check in (*CENSUS, *OF_SERIES))
#: Of so many UIDs of series the texts are read at once.
_SERIES_AT_ONCE = 500
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
            FINDINGS.c.version_id,
            FINDINGS.c.code,
            FINDINGS.c.message,
            FINDINGS.c.done,
            FINDINGS.c.line,
            literal("").label("text"),
            VERSIONS.c.uid,
        )
        .join(VERSIONS, VERSIONS.c.id == FINDINGS.c.version_id)
        .where(FINDINGS.c.version_id.in_(wanted))
    )
    query = union_all(files, checks).subquery()
    rows = connection.execute(select(query).order_by(query.c.version_id, query.c.line))
    return [Finding(*row) for row in rows]


def counts(connection: Connection) -> dict[str, int]:
    """In how many entries in force there is each thing wrong; what a ruling says to ignore is not counted."""
    query = _in_force().subquery()
    rows = connection.execute(select(query.c.code, func.count(query.c.version_id.distinct())).group_by(query.c.code))
    return dict(rows.all())


def count(connection: Connection) -> int:
    """In how many entries in force something is wrong."""
    query = _in_force().subquery()
    return int(connection.execute(select(func.count(query.c.version_id.distinct()))).scalar_one())


def _in_force(left_out: bool = False) -> CompoundSelect[Any]:
    """Codes with the entries in force that have them.

    Args:
        left_out: with those that a ruling says to ignore for every entry.
    """
    standing = and_(RULINGS.c.kind == IGNORE, RULINGS.c.revoked_at.is_(None))
    ignored = exists().where(standing, RULINGS.c.subject == subject_of(FINDINGS.c.code))
    parts = []
    for table, besides in ((FINDINGS, (~ignored,)), (PROBLEMS, ())):
        joined = table.join(ENTRIES, ENTRIES.c.id == table.c.version_id)
        query = (
            select(table.c.code, table.c.version_id, table.c.message)
            .select_from(joined)
            .where(ENTRIES.c.listed, *besides)
        )
        whole = table.c.code.in_(select(RULINGS.c.subject).where(standing))
        parts.append(query if left_out else query.where(~whole))
    return union_all(*parts)


def of_all(connection: Connection, calendar: CalendarId | None = None) -> dict[str, int]:
    """In how many entries in force there is each thing wrong, what is left out too; of all, or of a calendar."""
    query = _in_force(left_out=True).subquery()
    counted = select(query.c.code, func.count(query.c.version_id.distinct())).group_by(query.c.code)
    rows = connection.execute(counted.where(_within(query.c.version_id, calendar)))
    return dict(rows.all())


def _within(version: ColumnElement[int], calendar: CalendarId | None) -> ColumnElement[bool]:
    if calendar is None:
        return true()
    return version.in_(select(ENTRIES.c.id).where(ENTRIES.c.calendar_id == calendar))


def left_out(connection: Connection) -> set[str]:
    """The checks that count for no entry."""
    return {ruling.subject for ruling in rulings_standing(connection, IGNORE)}


def entries_with(connection: Connection, code: str, calendar: CalendarId | None = None) -> list[VersionId]:
    """The entries in force in which a check has found something, but for those a ruling says to ignore."""
    query = _in_force().subquery()
    wanted = select(query.c.version_id).distinct().where(query.c.code == code, _within(query.c.version_id, calendar))
    return [VersionId(one) for one in connection.execute(wanted).scalars()]


def page_of(
    connection: Connection, code: str, calendar: CalendarId | None, offset: int, limit: int
) -> tuple[int, list[tuple[VersionId, str]]]:
    """A page of the entries in force in which a check has found something, in order of start, with what it says."""
    query = _in_force(left_out=True).subquery()
    matching = (
        select(ENTRIES.c.id, func.min(query.c.message).label("message"))
        .join(query, query.c.version_id == ENTRIES.c.id)
        .where(query.c.code == code, _within(ENTRIES.c.id, calendar))
        .group_by(ENTRIES.c.id)
    )
    total = int(connection.execute(select(func.count()).select_from(matching.subquery())).scalar_one())
    rows = connection.execute(matching.order_by(ENTRIES.c.start, ENTRIES.c.id).limit(limit).offset(offset))
    return total, [(VersionId(row.id), row.message) for row in rows]


def leave_out(connection: Connection, code: str, by: By) -> None:
    """Have a check count for no entry, until it is taken in again."""
    rule(connection, IGNORE, code, "left out", by)


def leave_out_entry(connection: Connection, code: str, entry: VersionId, by: By) -> bool:
    """Have what a check finds in one entry not count, in whatever state; False where it has no UID to be known by."""
    own = select(ENTRIES.c.component, ENTRIES.c.uid, ENTRIES.c.recurrence_id).where(ENTRIES.c.id == entry)
    row = connection.execute(own).one_or_none()
    if row is None or not row.uid:
        return False
    rule(connection, IGNORE, finding_of(code, row.component, row.uid, row.recurrence_id), "left out", by)
    return True


def excepted(connection: Connection) -> Counter[str]:
    """Of how many single entries somebody has said that a check is not to count, by check."""
    subjects = (ruling.subject for ruling in rulings_standing(connection, IGNORE))
    return Counter(subject.partition("\n")[0] for subject in subjects if "\n" in subject)


def take_in_entries(connection: Connection, code: str) -> None:
    """Have a check count again for the single entries that were left out."""
    for ruling in rulings_standing(connection, IGNORE):
        if ruling.subject.startswith(f"{code}\n"):
            revoke(connection, ruling.id)


def take_in(connection: Connection, code: str) -> None:
    """Have a check count again."""
    for ruling in rulings_standing(connection, IGNORE):
        if ruling.subject == code:
            revoke(connection, ruling.id)


# ---- looking again ---------------------------------------------------------------------------------


def outdated(connection: Connection) -> bool:
    """Whether there are checks by which what is stored has not been looked at as they are now."""
    revisions = {row.code: row.revision for row in connection.execute(select(CHECK_RUNS))}
    return revisions != REVISIONS


def changed_calendars(connection: Connection) -> list[CalendarId]:
    """Calendars that have changed since they were looked at as a whole."""
    changed = and_(CALENDARS.c.live, CALENDARS.c.checked != CALENDARS.c.revision)
    return list(connection.execute(select(CALENDARS.c.id).where(changed)).scalars())


def queue_checking(connection: Connection) -> None:
    """Queue looking at what has to be looked at, unless that is queued already."""
    if outdated(connection):
        queue_once(connection, JobKind.CHECK, "Checking every entry")
    for calendar in changed_calendars(connection):
        queue_once(connection, JobKind.CHECK, "Checking a calendar", calendar)


class Unexamined(NamedTuple):
    """Versions as they are stored, and of each which definitions are beside it, by a number in `zones`."""

    versions: list[Stored]
    beside: list[int]
    zones: dict[int, Zones]


#: Reads versions with all checks: each comes back with a row for every version of it.
Examine = Callable[[Iterable[Unexamined]], Iterable[tuple[Unexamined, Sequence[Derived]]]]


def check_everything(store: Store, report: Report, begin: VersionId, examine: Examine) -> int:
    """Look at every version with all checks as they are now; returns how many have another index for it.

    In short transactions, so that nobody waits.

    Args:
        begin: the version after which to begin; `report` is told how far it is, and how far that is of all.
    """
    with store.read() as connection:
        newest = int(connection.execute(select(func.coalesce(func.max(VERSIONS.c.id), 0))).scalar_one())
        beside = Beside(connection)
    changed = 0
    for some, rows in examine(_unexamined(store, begin, beside)):
        with store.write() as connection:
            own = select(VERSIONS.c.id).where(VERSIONS.c.id.in_(among(version.id for version in some.versions)))
            there = set(connection.execute(own).scalars())  # some may have been cleared away meanwhile
            reindexing = Reindexing(connection)
            for version, row in zip(some.versions, rows, strict=True):
                if version.id in there:
                    reindexing.add(version, row)
            findings = reindexing.flush()
            _show(connection, findings)
        changed += len(findings)
        report(min(some.versions[-1].id, newest), newest)
    with store.write() as connection:
        unknown = FINDINGS.c.code.not_in(tuple(REVISIONS))
        connection.execute(delete(FINDINGS).where(unknown))
        connection.execute(update(CALENDARS).values(checked=-1))
        note_checked(connection)
    return changed


def _unexamined(store: Store, last: VersionId, beside: Beside) -> Iterator[Unexamined]:
    while True:
        with store.read() as connection:
            wanted = select_stored().where(VERSIONS.c.id > last).order_by(VERSIONS.c.id).limit(_AT_ONCE)
            versions = stored(connection.execute(wanted).all())
        if not versions:
            return
        own = [beside.of(version.id) for version in versions]
        yield Unexamined(versions, [id(zones) for zones in own], {id(zones): zones for zones in own})
        last = versions[-1].id


def total_size(store: Store) -> int:
    """About how much text all versions have."""
    with store.read() as connection:
        many = int(connection.execute(select(func.count()).select_from(VERSIONS)).scalar_one())
    return many * _OCTETS


def check_calendar(store: Store, calendar: CalendarId) -> int:
    """Look at a calendar as a whole; returns how many of its entries have such a finding."""
    with store.read() as connection:
        revision = connection.execute(select(CALENDARS.c.revision).where(CALENDARS.c.id == calendar)).scalar()
        census: Census[VersionId] = Census()
        for row in connection.execute(_doubtful(calendar)):
            census.add(row.component, row.uid, row.recurrence_id, VersionId(row.id))
    problems = {(version, problem.code): problem for version, problem in census.problems()}
    for version, problem in _of_series(store, calendar):
        problems.setdefault((version, problem.code), problem)
    with store.write() as connection:
        own = select(ENTRIES.c.id).where(ENTRIES.c.calendar_id == calendar)
        stored = connection.execute(
            select(FINDINGS.c.id, FINDINGS.c.version_id, FINDINGS.c.code).where(
                FINDINGS.c.version_id.in_(own), FINDINGS.c.code.in_(_WHOLE)
            )
        ).all()
        there = {(VersionId(row.version_id), row.code) for row in stored}
        gone = [row for row in stored if (row.version_id, row.code) not in problems]
        fresh = [key for key in problems if key not in there]
        connection.execute(delete(FINDINGS).where(FINDINGS.c.id.in_(among(row.id for row in gone))))
        if fresh:
            rows = [
                (v, code, REVISIONS[code], 0, problems[v, code].message, problems[v, code].done) for v, code in fresh
            ]
            connection.exec_driver_sql(FINDING, rows)
        _mark(connection, [*(v for v, _ in fresh), *(row.version_id for row in gone)])
        connection.execute(update(CALENDARS).where(CALENDARS.c.id == calendar).values(checked=revision))
    return len({version for version, _ in problems})


def _of_series(store: Store, calendar: CalendarId) -> Iterator[tuple[VersionId, Problem]]:
    """What is wrong with the series of a calendar, each seen with its changed occurrences."""
    with store.read() as connection:
        zones = zones_of(connection, calendar)
        masters = series_in(connection, calendar)
    for run in pieces([master.known for master in masters]):
        for key in run:
            words = f"One of {len(run)} consecutive series that look like one."
            yield key, Problem("series-in-pieces", words, "Kept as they are.")
    for chunk in chunks(masters, _SERIES_AT_ONCE):
        with store.read() as connection:
            groups = groups_of(connection, calendar, chunk, zones)
        for group in groups:
            for finding in series_findings(group):
                yield VersionId(finding.key), Problem(finding.code, finding.message, "Kept as it is.")


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


def breaking(connection: Connection, versions: Iterable[VersionId]) -> set[VersionId]:
    """Those of some versions in which a check finds something that breaks, ruled on or not."""
    codes = [code for code, check in ALL.items() if check.severity == "breaks"]
    found = FINDINGS.c.code.in_(codes) & FINDINGS.c.version_id.in_(among(versions))
    return set(connection.execute(select(FINDINGS.c.version_id).where(found).distinct()).scalars())
