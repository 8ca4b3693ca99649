"""Clearing away what nothing holds any more: in the background, in short transactions, at any time again.

A version is held by an entry, by a change of a set that was not dropped, by a file that waits to be imported, or by a
share that says what was so at some time. What somebody is just storing (`Staging`) is left alone.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from sqlalchemy import ColumnElement, Connection, and_, delete, exists, func, or_, select, update

from datebridge.clock import now
from datebridge.core.accounts import TAKING
from datebridge.core.changes import State
from datebridge.core.ids import VersionId
from datebridge.core.index.derive import derive
from datebridge.store.database import Store
from datebridge.store.entries.rows import UNLISTED
from datebridge.store.sql import among, chunks
from datebridge.store.tables import (
    ACCOUNTS,
    CALENDARS,
    CHANGES,
    DENSITY,
    ENTRIES,
    FILES,
    FINDINGS,
    GROUPS,
    HELD,
    JOBS,
    LANE_SETS,
    PROBLEMS,
    REMOTES,
    SETS,
    STAGING,
    TEXTS,
    VERSIONS,
)

#: How many versions are looked at, or cleared away, at once.
_LOOK, _CLEAR = 20_000, 500
#: How many jobs that have ended are kept.
_JOBS_KEPT = 200
#: A request that stores versions ends within this time, in seconds.
_LONGEST_REQUEST = 3600


@dataclass(slots=True)
class Collected:
    """What was cleared away."""

    versions: int = 0
    sets: int = 0
    calendars: int = 0
    jobs: int = 0


def is_wanted(connection: Connection) -> bool:
    """Whether there is something to be cleared away, as far as can be told at a glance."""
    return bool(connection.execute(select(or_(exists().where(_dropped()), exists().where(_abandoned())))).scalar())


def collect(store: Store, check: Callable[[], None] = lambda: None) -> Collected:
    """Clear away what nothing holds.

    Args:
        check: asked between short transactions; what it raises ends the clearing away, which can be begun again.
    """
    collected = Collected()
    with store.write() as connection:
        connection.execute(delete(STAGING).where(_abandoned()))
    _sets(store, collected, check)
    _files(store)
    _versions(store, collected, check)
    with store.write() as connection:
        collected.calendars = _calendars(connection)
        collected.jobs = _jobs(connection)
    return collected


def _abandoned() -> ColumnElement[bool]:
    """Staging whose job has ended, however; or whose request must have."""
    running = select(JOBS.c.claim).where(JOBS.c.state == "running")
    return or_(
        and_(STAGING.c.claim != "", STAGING.c.claim.not_in(running)),
        and_(STAGING.c.claim == "", STAGING.c.begun_at < now() - _LONGEST_REQUEST),
    )


def _dropped() -> ColumnElement[bool]:
    """A set that was dropped. Of the newest the changes alone can go: its number is not to be given to another one
    while somebody still looks at it.
    """
    newest = select(func.max(SETS.c.id)).scalar_subquery()
    left = or_(SETS.c.id != newest, exists().where(CHANGES.c.set_id == SETS.c.id))
    return and_(SETS.c.state == State.DISCARDED, left)


def _sets(store: Store, collected: Collected, check: Callable[[], None]) -> None:
    """Sets that were dropped, with their changes; nobody can bring them back."""
    with store.read() as connection:
        dropped = connection.execute(select(SETS.c.id).where(_dropped())).scalars().all()
    for number in dropped:
        first = select(CHANGES.c.position).where(CHANGES.c.set_id == number).limit(20 * _CLEAR)
        left = True
        while left:
            check()
            with store.write() as connection:
                some = delete(CHANGES).where(CHANGES.c.set_id == number, CHANGES.c.position.in_(first))
                left = connection.execute(some).rowcount > 0
        with store.write() as connection:
            connection.execute(update(FILES).where(FILES.c.set_id == number).values(set_id=None))
            connection.execute(update(REMOTES).where(REMOTES.c.held_set_id == number).values(held_set_id=None))
            connection.execute(delete(LANE_SETS).where(LANE_SETS.c.set_id == number))
            collected.sets += connection.execute(delete(SETS).where(SETS.c.id == number, _dropped())).rowcount


def _files(store: Store) -> None:
    """Files that were turned away, once nothing of them is spoken of any more."""
    spoken_of = select(GROUPS.c.file_id).join(VERSIONS, VERSIONS.c.group_id == GROUPS.c.id).where(_held())
    with store.write() as connection:
        gone = select(FILES.c.id).where(FILES.c.state == "gone", FILES.c.id.not_in(spoken_of))
        numbers = connection.execute(gone).scalars().all()
        if numbers:
            connection.execute(delete(PROBLEMS).where(PROBLEMS.c.file_id.in_(numbers)))
            connection.execute(delete(GROUPS).where(GROUPS.c.file_id.in_(numbers)))
            connection.execute(delete(FILES).where(FILES.c.id.in_(numbers)))


def _held() -> ColumnElement[bool]:
    """A version that an entry, a change or a share holds."""
    own = VERSIONS.c.id
    return or_(
        exists().where(ENTRIES.c.id == own),
        exists().where(HELD.c.version_id == own),
        exists().where(CHANGES.c.after_id == own),
        exists().where(CHANGES.c.before_id == own),
    )


def _waits() -> ColumnElement[bool]:
    """A version of a file that is being read, or waits to be imported."""
    return exists().where(GROUPS.c.id == VERSIONS.c.group_id, FILES.c.id == GROUPS.c.file_id, FILES.c.state != "gone")


def _versions(store: Store, collected: Collected, check: Callable[[], None]) -> None:
    with store.read() as connection:
        floor = connection.execute(select(func.min(STAGING.c.floor))).scalar()
        newest = connection.execute(select(func.max(VERSIONS.c.id))).scalar() or 0
    end = min(newest + 1, floor if floor is not None else newest + 1)
    for low in range(0, end, _LOOK):
        check()
        there = and_(VERSIONS.c.id >= low, VERSIONS.c.id < min(low + _LOOK, end))
        with store.read() as connection:
            unheld = connection.execute(select(VERSIONS.c.id).where(there, ~_held(), ~_waits())).scalars().all()
        for some in chunks(unheld, _CLEAR):
            check()
            with store.write() as connection:
                collected.versions += clear_versions(connection, some)


def clear_versions(connection: Connection, versions: Sequence[VersionId]) -> int:
    """Remove versions with all that goes with them, unless something holds them; says how many."""
    wanted = select(VERSIONS.c.id).where(VERSIONS.c.id.in_(among(versions)), ~_held(), ~_waits())
    ids = connection.execute(wanted).scalars().all()
    rows = connection.execute(
        select(VERSIONS.c.id, VERSIONS.c.component, TEXTS.c.text)
        .join(TEXTS, TEXTS.c.id == VERSIONS.c.id)
        .where(VERSIONS.c.id.in_(among(ids)))
    )
    words = []
    for version, component, text in rows:
        if component not in UNLISTED:
            facts = derive(component, text)
            words.append((version, facts.summary, facts.location, facts.words))
    if words:  # an index without its content is told what it is to forget
        connection.exec_driver_sql(
            "INSERT INTO search (search, rowid, summary, location, words) VALUES ('delete', ?, ?, ?, ?)", words
        )
    for table, column in (
        (FINDINGS, FINDINGS.c.version_id),
        (PROBLEMS, PROBLEMS.c.version_id),
        (TEXTS, TEXTS.c.id),
        (VERSIONS, VERSIONS.c.id),
    ):
        connection.execute(delete(table).where(column.in_(among(ids))))
    return len(ids)


def _calendars(connection: Connection) -> int:
    """Calendars that never came to life, and that nothing speaks of."""
    if connection.execute(select(STAGING.c.id).limit(1)).first():
        return 0  # one of them may just be in the making
    own = CALENDARS.c.id
    unknown = and_(
        ~CALENDARS.c.live,
        ~exists().where(ENTRIES.c.calendar_id == own),
        ~exists().where(CHANGES.c.calendar_id == own),
        ~exists().where(
            REMOTES.c.calendar_id == own,
            ACCOUNTS.c.id == REMOTES.c.account_id,
            or_(REMOTES.c.url != "", ACCOUNTS.c.kind.not_in(TAKING)),
        ),
    )
    newest = select(func.max(own)).scalar_subquery()  # its number is not to be given again
    ids = connection.execute(select(own).where(unknown, own != newest)).scalars().all()
    if ids:
        connection.execute(delete(REMOTES).where(REMOTES.c.calendar_id.in_(ids)))
        connection.execute(delete(DENSITY).where(DENSITY.c.calendar_id.in_(ids)))
        connection.execute(delete(CALENDARS).where(own.in_(ids)))
    return len(ids)


def _jobs(connection: Connection) -> int:
    """Jobs that ended long ago."""
    ended = JOBS.c.state.in_(("done", "failed", "stopped"))
    kept = select(JOBS.c.id).where(ended).order_by(JOBS.c.id.desc()).limit(_JOBS_KEPT)
    return connection.execute(delete(JOBS).where(ended, JOBS.c.id.not_in(kept))).rowcount
