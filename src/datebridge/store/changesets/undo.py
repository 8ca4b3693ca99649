"""What Undo does: the inverse of a batch, with what was changed since left alone unless told otherwise."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping
from dataclasses import replace
from functools import lru_cache, partial
from typing import Any

from sqlalchemy import Connection, Row, func, select

from datebridge.core.changes import KINDS, PERSON, By, Change, ChangeSet, Details, Kind, Place, State
from datebridge.core.ids import CalendarId, SetId, VersionId
from datebridge.store.changesets.draft import CHANGE_COLUMNS, CannotApply, of_set, propose
from datebridge.store.database import Store
from datebridge.store.entries.following import kept_as
from datebridge.store.sql import among
from datebridge.store.tables import CALENDARS, CHANGES, ENTRIES, SETS


def propose_undo(store: Store, set_id: SetId, force: bool = False, by: By = PERSON) -> SetId:
    """Propose the inverse of a batch; returns the new set. Both halves of a move are taken back together.

    Entries changed since the batch are *held*: listed, but left alone unless `force`.

    Raises:
        CannotApply: if the batch is not applied, was undone before, or cannot be.
    """
    with store.read() as connection:
        row = connection.execute(select(SETS).where(SETS.c.id == set_id)).one_or_none()
        if row is None or row.state != State.APPLIED:
            raise CannotApply(f"Batch {set_id} has not been applied, so there is nothing to undo.")
        if row.undone_by_id is not None:
            raise CannotApply(f"Batch {set_id} was undone before, by batch {row.undone_by_id}.")
        first, second = _halves(connection, row)
        back = _back(connection, first, by, force)
        kept = list(back.changes)
        details = Details()
        if second is not None:
            kept = [*_back(connection, second, by, force).changes, *kept]
            details = Details(moved=int(second.id))
    nothing = "All its entries are gone, so there is nothing to undo."
    with propose(
        store, back.kind, by, back.title, back.reason, details=details, undoes=back.undoes, nothing=nothing
    ) as draft:
        draft.add(*kept)
    return draft.id


def _halves(connection: Connection, row: Row[Any]) -> tuple[Row[Any], Row[Any] | None]:
    """A batch, and what belongs to it: of a move, whichever half is asked for, the copying and the deleting."""
    standing = select(SETS).where(SETS.c.state == State.APPLIED, SETS.c.undone_by_id.is_(None))
    moved = func.json_extract(SETS.c.details, "$.moved")
    if row.kind == Kind.MOVED:
        copying = connection.execute(standing.where(SETS.c.kind == Kind.TRANSFER, moved == row.id)).one_or_none()
        return (copying, row) if copying is not None else (row, None)
    number = Details.read(row.details).moved if row.kind == Kind.TRANSFER else None
    return row, connection.execute(standing.where(SETS.c.id == number)).one_or_none() if number else None


def _back(connection: Connection, row: Row[Any], by: By, force: bool) -> ChangeSet:
    set_id = SetId(row.id)
    _demand_undoable(connection, set_id, Kind(row.kind))
    changes = tuple(changes_of(connection, set_id))
    replaced = select(CHANGES.c.after_id).where(
        of_set(set_id), CHANGES.c.after_id.is_not(None), CHANGES.c.after_id.not_in(select(ENTRIES.c.id))
    )
    if kept := kept_as(connection, connection.execute(replaced).scalars()):
        changes = tuple(_as_kept(connection, changes, kept))
    batch = ChangeSet(Kind(row.kind), By.read(row.by_whom), row.title, row.reason, Details.read(row.details), changes)
    later = _later(connection, set_id, row.revision)
    back = batch.taken_back(set_id, by, _in_force(connection, changes), later, force)
    return replace(back, changes=tuple(_held_where_used(connection, changes, back.changes)))


def _demand_undoable(connection: Connection, set_id: SetId, kind: Kind) -> None:
    if KINDS[kind].undo == "never":
        raise CannotApply("This batch added the calendar. Switch the calendar off under Connect instead.")
    if kind != Kind.PULL:
        return
    readable = connection.execute(
        select(CALENDARS.c.name)
        .join(CHANGES, CHANGES.c.calendar_id == CALENDARS.c.id)
        .where(of_set(set_id), ~CALENDARS.c.writable)
        .limit(1)
    ).scalar()
    if readable is not None:
        raise CannotApply(f"{readable} is read-only and mirrors its source, so the batch cannot be undone.")


def changes_of(connection: Connection, set_id: SetId) -> list[Change]:
    """The changes of a set, in their order."""
    rows = connection.execute(select(*CHANGE_COLUMNS).where(of_set(set_id)).order_by(CHANGES.c.position))
    return [Change(*row) for row in rows]


def _as_kept(
    connection: Connection, changes: Iterable[Change], kept: Mapping[VersionId, VersionId]
) -> Iterable[Change]:
    """The same, with what servers made of entries where they keep something else, maybe under UIDs of their own."""
    columns = [ENTRIES.c[name] for name in ("id", "uid")]
    rows = connection.execute(select(*columns).where(ENTRIES.c.id.in_(among(kept.values()))))
    uids = {VersionId(row.id): row.uid for row in rows}
    for change in changes:
        now = kept.get(change.after) if change.after is not None else None
        yield change._replace(after=now, uid=uids[now]) if now in uids else change


def _in_force(connection: Connection, changes: Iterable[Change]) -> set[VersionId]:
    """Of the versions some changes are about, those that are in a calendar now."""
    versions = {version for change in changes for version in (change.before, change.after) if version is not None}
    return set(connection.execute(select(ENTRIES.c.id).where(ENTRIES.c.id.in_(among(versions)))).scalars())


def _later(connection: Connection, set_id: SetId, revision: int) -> dict[Place, VersionId]:
    """What later batches have put in the places of a set's changes, and is there now."""
    put = CHANGES.alias("put")
    place = [ENTRIES.c[name] for name in ("calendar_id", "component", "uid", "recurrence_id")]
    rows = connection.execute(
        select(*place, func.min(ENTRIES.c.id))
        .select_from(CHANGES)
        .join(
            ENTRIES,
            (ENTRIES.c.uid == CHANGES.c.uid)
            & (ENTRIES.c.recurrence_id == CHANGES.c.recurrence_id)
            & (ENTRIES.c.calendar_id == CHANGES.c.calendar_id)
            & (ENTRIES.c.component == CHANGES.c.component),
        )
        .join(put, (put.c.after_id == ENTRIES.c.id) & ~put.c.held)
        .join(SETS, (SETS.c.id == put.c.set_id) & (SETS.c.state == State.APPLIED) & (SETS.c.revision > revision))
        .where(of_set(set_id), ~CHANGES.c.held, CHANGES.c.uid != "")
        .group_by(*place)
    )
    return {Place(*place_of): version for *place_of, version in rows}


def _held_where_used(connection: Connection, changes: Iterable[Change], back: Iterable[Change]) -> list[Change]:
    """The changes back, with headers and definitions held that something else still needs."""
    going = {change.before for change in back if change.before is not None and not change.held}
    newest = max((change.after for change in changes if change.after is not None), default=0)
    listed = lru_cache(partial(_listed, connection))
    return [_held_if_used(connection, change, going, newest, listed) for change in back]


def _held_if_used(
    connection: Connection,
    change: Change,
    going: Collection[VersionId],
    newest: int,
    listed: Callable[[CalendarId], frozenset[VersionId]],
) -> Change:
    """A calendar goes only with the last of its entries, a definition only with those that came later and use it."""
    if change.after is not None or change.held or change.component not in ("VCALENDAR", "VTIMEZONE"):
        return change
    left = listed(change.calendar).difference(going)
    if change.component == "VTIMEZONE":
        left = frozenset(entry for entry in left if entry > newest)
        using = connection.execute(select(ENTRIES.c.tzids).distinct().where(ENTRIES.c.id.in_(among(left)))).scalars()
        if not any(change.uid in tzids.split("\x1f") for tzids in using):
            return change
    return change._replace(held=True, reason="The calendar has entries that were added later.") if left else change


def _listed(connection: Connection, calendar: CalendarId) -> frozenset[VersionId]:
    own = (ENTRIES.c.calendar_id == calendar) & ENTRIES.c.listed
    return frozenset(connection.execute(select(ENTRIES.c.id).where(own)).scalars())
