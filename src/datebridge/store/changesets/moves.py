"""The second half of a move: what has been read back at the target is deleted at its source, and nothing else."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import NamedTuple

from sqlalchemy import Connection, Row, and_, exists, func, or_, select, update

from datebridge.core.changes import CLOCK, By, Change, Details, Kind, State
from datebridge.core.ids import CalendarId, SetId, VersionId
from datebridge.core.invitations import told
from datebridge.core.keeping import is_whole
from datebridge.store.changesets.draft import propose
from datebridge.store.entries.present import texts_of
from datebridge.store.pushes import OPEN, PENDING
from datebridge.store.tables import ACCOUNTS, CHANGES, ENTRIES, PUSHES, REMOTES, RESOURCES, SETS, TEXTS


class _Copied(NamedTuple):
    """An entry that was copied and still is at its source, and how its copy fares.

    `arrived` is true once nothing about it waits and the server's state has been read back; `sent` and `there` are what
    was copied, and what has become of it.
    """

    source: VersionId
    calendar: CalendarId
    component: str
    uid: str
    recurrence_id: str
    arrived: bool
    waiting: bool
    sent: VersionId
    there: VersionId | None


def finish_moves(connection: Connection, apply_one: Callable[[Connection, SetId], None]) -> bool:
    """Delete at their sources what has arrived; whether anything was. Moves of which something waits are left.

    Args:
        apply_one: applies a set within the transaction.
    """
    finished = False
    for move in _moves(connection):
        copied = _copied(connection, SetId(move.id))
        if any(copy.waiting for copy in copied):
            continue
        finished = _finish(connection, move, copied, apply_one) or finished
    return finished


def has_unfinished(connection: Connection) -> bool:
    """Whether there are moves whose second half has not been done."""
    return bool(_moves(connection))


def _moves(connection: Connection) -> list[Row[tuple[int, str, str, str]]]:
    """Moves that have been applied and whose second half has not been done."""
    details = SETS.c.details
    return list(
        connection.execute(
            select(SETS.c.id, SETS.c.title, SETS.c.details, SETS.c.by_whom).where(
                SETS.c.kind == Kind.TRANSFER,
                SETS.c.state == State.APPLIED,
                SETS.c.undone_by_id.is_(None),
                func.json_extract(details, "$.move"),
                func.json_extract(details, "$.moved").is_(None),
            )
        )
    )


def _copied(connection: Connection, set_id: SetId) -> list[_Copied]:
    there, source = ENTRIES.alias("there"), ENTRIES.alias("source")
    about = and_(PUSHES.c.remote_id == REMOTES.c.id, PUSHES.c.uid == CHANGES.c.uid)
    object_there = exists().where(
        RESOURCES.c.remote_id == REMOTES.c.id, RESOURCES.c.uid == CHANGES.c.uid, RESOURCES.c.etag != ""
    )
    unread = exists().where(
        RESOURCES.c.remote_id == REMOTES.c.id, RESOURCES.c.uid == CHANGES.c.uid, RESOURCES.c.etag == ""
    )
    copy = and_(
        there.c.calendar_id == CHANGES.c.calendar_id,
        there.c.component == CHANGES.c.component,
        there.c.uid == CHANGES.c.uid,
        there.c.recurrence_id == CHANGES.c.recurrence_id,
    )
    unsettled = exists().where(about, PUSHES.c.state.in_(OPEN))
    arrived = and_(~unsettled, (REMOTES.c.id.is_(None)) | object_there, there.c.id.is_not(None))
    rows = connection.execute(
        select(
            CHANGES.c.source_id,
            source.c.calendar_id,
            source.c.component,
            source.c.uid,
            source.c.recurrence_id,
            arrived.label("arrived"),
            or_(exists().where(about, PUSHES.c.state.in_(PENDING)), unread).label("waiting"),
            CHANGES.c.after_id,
            there.c.id,
        )
        .select_from(CHANGES)
        .join(source, source.c.id == CHANGES.c.source_id)
        .outerjoin(REMOTES, REMOTES.c.calendar_id == CHANGES.c.calendar_id)
        .outerjoin(there, copy)
        .where(CHANGES.c.set_id == set_id, ~CHANGES.c.held, CHANGES.c.source_id.is_not(None))
    )
    return [_Copied(*row) for row in rows]


def _finish(
    connection: Connection,
    move: Row[tuple[int, str, str, str]],
    copied: list[_Copied],
    apply_one: Callable[[Connection, SetId], None],
) -> bool:
    read_back = [copy for copy in copied if copy.arrived]
    arrived = _as_sent(connection, read_back)
    # A series stays or goes as a whole, with its changed occurrences.
    telling = {(copy.calendar, copy.uid) for copy in arrived if _tells(connection, copy.source)}
    going = [copy for copy in arrived if (copy.calendar, copy.uid) not in telling]
    deletion = SetId(0)
    if going:
        title = move.title.replace("Move", "Delete after move:", 1)
        reason = f"Each was read back at its target (batch {move.id})."
        by = By.read(move.by_whom) if move.by_whom else CLOCK
        with propose(connection, Kind.MOVED, by, title, reason) as draft:
            draft.add(
                *(
                    Change(
                        copy.calendar,
                        copy.component,
                        copy.uid,
                        copy.recurrence_id,
                        copy.source,
                        None,
                        "It arrived at the target.",
                    )
                    for copy in going
                )
            )
        apply_one(connection, draft.id)
        deletion = draft.id
    notes = []
    if len(copied) > len(read_back):
        number = len(copied) - len(read_back)
        notes.append(f"{number:,} stay at the source: they have not arrived.")
    if len(read_back) > len(arrived):
        number = len(read_back) - len(arrived)
        notes.append(f"{number:,} stay at the source: the target does not keep all of them.")
    if len(arrived) > len(going):
        number = len(arrived) - len(going)
        notes.append(f"{number:,} stay at the source: deleting them there would tell their attendees.")
    details = replace(Details.read(move.details), moved=int(deletion))
    statement = update(SETS).where(SETS.c.id == move.id)
    connection.execute(statement.values(details=details.as_dict(), note=" ".join(notes)))
    return bool(going)


def _as_sent(connection: Connection, copied: list[_Copied]) -> list[_Copied]:
    """Those of which nothing is missing at the target, compared with what was copied."""
    differing = [copy for copy in copied if copy.there is not None and copy.there != copy.sent]
    texts = texts_of(connection, {v for copy in differing for v in (copy.sent, copy.there) if v is not None})
    lost = {copy for copy in differing if copy.there is not None and not is_whole(texts[copy.sent], texts[copy.there])}
    # A series stays or goes as a whole.
    whole = {(copy.calendar, copy.uid) for copy in lost}
    return [copy for copy in copied if (copy.calendar, copy.uid) not in whole]


def _tells(connection: Connection, version: VersionId) -> bool:
    """Whether deleting an entry would make its server tell the attendees."""
    row = connection.execute(
        select(TEXTS.c.text, ACCOUNTS.c.addresses, ACCOUNTS.c.schedules)
        .select_from(ENTRIES)
        .join(TEXTS, TEXTS.c.id == ENTRIES.c.id)
        .join(REMOTES, REMOTES.c.calendar_id == ENTRIES.c.calendar_id)
        .join(ACCOUNTS, ACCOUNTS.c.id == REMOTES.c.account_id)
        .where(ENTRIES.c.id == version, ENTRIES.c.attendees > 0)
    ).one_or_none()
    return bool(row and row.schedules and told(row.text, row.addresses))
