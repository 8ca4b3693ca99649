"""Applying proposals: one transaction, and all that must follow, so that no caller has to remember it.

What follows: entries beside new definitions are reindexed, calendars live or cease, what lives on a server is noted
to be pushed and its job queued, and the second half of moves that have arrived is done.
"""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy import Connection, and_, delete, func, insert, or_, select, update

from datebridge.clock import now
from datebridge.core.changes import KINDS, Details, Kind, State
from datebridge.core.ids import CalendarId, SetId
from datebridge.core.language.plural import noun
from datebridge.core.text.headers import Description, description_of
from datebridge.store.changesets.draft import SHOWN, CannotApply, of_set, only_readable
from datebridge.store.changesets.moves import finish_moves
from datebridge.store.database import Store
from datebridge.store.entries.rows import INDEX_COLUMNS
from datebridge.store.entries.versions import text_of
from datebridge.store.entries.zones import reindex_affected
from datebridge.store.jobs import queue_collecting
from datebridge.store.pushes import add_pushes, queue_pushes
from datebridge.store.tables import CALENDARS, CHANGES, ENTRIES, FILES, META, SETS, VERSIONS

#: The revision that the entries have once the batch under way has been applied.
_NEXT = select(META.c.revision + 1).scalar_subquery()


def apply(store: Store, set_id: SetId) -> None:
    """Apply a proposal as one batch.

    Raises:
        CannotApply: if it is no proposal, the entries it is about have changed since, or their calendar can only be
            read.
    """
    with store.write() as connection:  # so that the next start can say what was being applied
        demand_proposed(connection, set_id)
        connection.execute(update(SETS).where(SETS.c.id == set_id).values(state=State.APPLYING))
    try:
        with store.write() as connection:
            apply_within(connection, set_id)
    except BaseException:
        with store.write() as connection:
            under_way = and_(SETS.c.id == set_id, SETS.c.state == State.APPLYING)
            connection.execute(update(SETS).where(under_way).values(state=State.PROPOSED))
        raise


def apply_within(connection: Connection, set_id: SetId) -> None:
    """The same as a part of a transaction that has begun."""
    _apply_one(connection, set_id)
    finish_moves(connection, _apply_one)
    queue_pushes(connection)


def follow_up(connection: Connection) -> None:
    """Do the second halves of moves that have arrived, and have pushed what they delete."""
    if finish_moves(connection, _apply_one):
        queue_pushes(connection)


def set_state(connection: Connection, set_id: SetId) -> State | None:
    """The state of a set; None where there is none."""
    before = connection.execute(select(SETS.c.state).where(SETS.c.id == set_id)).scalar()
    return State(before) if before is not None else None


def demand_proposed(connection: Connection, set_id: SetId) -> None:
    """Raises:
    CannotApply: if a set is not a proposal.
    """
    state = set_state(connection, set_id)
    if state is None:
        raise CannotApply(f"There is no change set {set_id}.")
    if state != State.PROPOSED:
        raise CannotApply(f"Change set {set_id} is {state}, so it cannot be applied.")


def _apply_one(connection: Connection, set_id: SetId) -> None:
    run = connection.execute
    kind = Kind(run(select(SETS.c.kind).where(SETS.c.id == set_id)).scalar_one())
    if not KINDS[kind].follows:
        _demand_writable(connection, set_id)
    _demand_fresh(connection, set_id)
    _demand_both_halves(connection, set_id)
    calendars = run(select(CHANGES.c.calendar_id).distinct().where(of_set(set_id))).scalars().all()
    mine = and_(of_set(set_id), ~CHANGES.c.held)
    taken = select(CHANGES.c.before_id).where(mine, CHANGES.c.before_id.is_not(None))
    run(delete(ENTRIES).where(ENTRIES.c.id.in_(taken)))
    put = (
        select(VERSIONS.c.id, CHANGES.c.calendar_id, *(VERSIONS.c[name] for name in INDEX_COLUMNS))
        .select_from(CHANGES)
        .join(VERSIONS, VERSIONS.c.id == CHANGES.c.after_id)
        .where(mine, CHANGES.c.after_id.is_not(None))
    )
    run(insert(ENTRIES).from_select(["id", "calendar_id", *INDEX_COLUMNS], put))
    reindex_affected(connection, set_id)
    for calendar in calendars:
        refresh_calendar(connection, calendar)
    add_pushes(connection, set_id)
    applied = update(SETS).where(SETS.c.id == set_id)
    run(applied.values(state=State.APPLIED, applied_at=now(), note="", revision=_NEXT))
    undone = run(select(SETS.c.undoes_id).where(SETS.c.id == set_id)).scalar()
    if undone is not None:
        halves = [undone, *_second_half(connection, undone)]
        run(update(SETS).where(SETS.c.id.in_(halves)).values(undone_by_id=set_id))
        # Taking an undo back makes the original batch stand again.
        run(update(SETS).where(SETS.c.undone_by_id == undone).values(undone_by_id=None))
    run(update(META).values(revision=META.c.revision + 1))


def _second_half(connection: Connection, set_id: SetId) -> list[SetId]:
    """Of a move, the batch that has deleted at the source; empty for anything else."""
    row = connection.execute(select(SETS.c.kind, SETS.c.details).where(SETS.c.id == set_id)).one()
    moved = Details.read(row.details).moved if row.kind == Kind.TRANSFER else None
    return [SetId(moved)] if moved else []


def _demand_both_halves(connection: Connection, set_id: SetId) -> None:
    """A move is taken back whole, or not: never the copies alone, once nothing is left at the source."""
    row = connection.execute(select(SETS.c.undoes_id, SETS.c.details).where(SETS.c.id == set_id)).one()
    if row.undoes_id is None:
        return
    moved = Details.read(row.details).moved
    standing = [
        one
        for one in _second_half(connection, row.undoes_id)
        if connection.execute(select(SETS.c.undone_by_id).where(SETS.c.id == one)).scalar() is None
    ]
    if standing not in ([], [moved]):
        raise CannotApply("The entries have been deleted at their source meanwhile. Undo the move once more.")


def refresh_calendar(connection: Connection, calendar: CalendarId) -> None:
    """A calendar lives while its header or any entry is in force; its row is an index of what the header says.

    Entries can outlive the header: an import taken back, and then the deletion of some of its entries.
    """
    own = ENTRIES.c.calendar_id == calendar
    header = connection.execute(select(ENTRIES.c.id).where(own, ENTRIES.c.component == "VCALENDAR")).scalar()
    description = description_of(text_of(connection, header)) if header is not None else Description("")
    connection.execute(
        update(CALENDARS)
        .where(CALENDARS.c.id == calendar)
        .values(
            live=select(ENTRIES.c.id).where(own).exists(),
            name=description.name or CALENDARS.c.name,
            own_colour=description.own_colour,
            zone=description.zone,
            description=description.text,
            revision=_NEXT,
        )
    )


def _demand_fresh(connection: Connection, set_id: SetId) -> None:
    """Nothing is applied to entries that are not as they were when it was proposed."""
    in_force = select(ENTRIES.c.id)
    gone = and_(CHANGES.c.before_id.is_not(None), CHANGES.c.before_id.not_in(in_force))
    there = CHANGES.c.after_id.in_(in_force)
    stale = connection.execute(
        select(func.count()).select_from(CHANGES).where(of_set(set_id), ~CHANGES.c.held, or_(gone, there))
    ).scalar_one()
    if stale:
        raise CannotApply(
            f"{stale} of these entries {noun(stale, 'was', 'were')} changed since this was proposed."
            " Nothing was applied. Make the proposal again."
        )


def _demand_writable(connection: Connection, set_id: SetId) -> None:
    """Only what follows may touch a calendar that can only be read; what one calls it here is one's own."""
    names = connection.execute(
        select(CALENDARS.c.name)
        .distinct()
        .select_from(CHANGES)
        .join(CALENDARS, CALENDARS.c.id == CHANGES.c.calendar_id)
        .join(VERSIONS, VERSIONS.c.id == SHOWN)
        .where(of_set(set_id), ~CHANGES.c.held, ~CALENDARS.c.writable, VERSIONS.c.component != "VCALENDAR")
    )
    if read_only := names.scalars().all():
        raise CannotApply(only_readable(read_only))


def discard(store: Store, set_id: SetId) -> None:
    """Drop a proposal. What it proposed never happened, and what only it held is cleared away.

    Raises:
        CannotApply: if it is no proposal.
    """
    with store.write() as connection:
        demand_proposed(connection, set_id)
        discard_within(connection, [set_id])


def discard_within(connection: Connection, sets: Iterable[SetId]) -> None:
    """Drop those of some sets that are proposals."""
    wanted = tuple(sets)
    waiting = and_(SETS.c.id.in_(wanted), SETS.c.state == State.PROPOSED)
    connection.execute(update(SETS).where(waiting).values(state=State.DISCARDED))
    connection.execute(update(FILES).where(FILES.c.set_id.in_(wanted)).values(set_id=None))
    queue_collecting(connection)


def recover(store: Store) -> list[str]:
    """After a start: what a killed process was in the middle of. Each such set was not applied at all."""
    note = "The application was stopped while this was being applied. Nothing of it was applied."
    with store.write() as connection:
        under_way = SETS.c.state == State.APPLYING
        rows = connection.execute(select(SETS.c.id, SETS.c.title).where(under_way)).all()
        connection.execute(update(SETS).where(under_way).values(state=State.PROPOSED, note=note))
    return [f"Batch {row.id} ({row.title}) was interrupted: nothing of it was applied." for row in rows]
