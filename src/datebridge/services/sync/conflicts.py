"""Where one's own change met somebody else's: both banks, and taking theirs, mine, or field by field."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from sqlalchemy import Connection

from datebridge.connect.caldav import Resource
from datebridge.connect.errors import Unreachable
from datebridge.core.index.objects import take_apart
from datebridge.core.merge import Differing, combined, differing
from datebridge.services.accounts.connecting import line_to, remote
from datebridge.services.sync.absorb import Absorber
from datebridge.services.sync.push import push_pending
from datebridge.settings import Settings
from datebridge.store.changesets.logbook import (
    CannotApply,
    Proposal,
    StoredChange,
    add_changes,
    apply_within,
    close_set,
    open_set,
)
from datebridge.store.database import Store
from datebridge.store.entries.versions import add_text, text_of
from datebridge.store.remotes import OPEN, Known, in_force, keep_objects, known_by_uid
from datebridge.store.tables import Carriage

Key = tuple[str, str]


@dataclass(frozen=True, slots=True)
class Pair:
    """One entry of a collision: as it is here and as it is there ("" where it is not), and where they differ."""

    recurrence_id: str
    component: str
    mine: str
    theirs: str
    fields: tuple[Differing, ...]


def carriage(store: Store, carriage_id: int) -> Carriage:
    """Something that did not end well.

    Raises:
        CannotApply: if it has been decided already.
    """
    with store.session() as session:
        found = session.get(Carriage, carriage_id)
    if found is None or found.state not in ("refused", "collided"):
        raise CannotApply("This has been decided already.")
    return found


def both_banks(store: Store, carriage_id: int) -> list[Pair]:
    """What is here beside what is there, entry by entry."""
    one = carriage(store, carriage_id)
    with store.read() as connection:
        mine = _mine(connection, one)
    theirs = {(f.component, f.recurrence_id): text for f, text in take_apart(one.theirs.encode()).entries}
    return [
        Pair(key[1], key[0], mine.get(key, ("", 0))[0], theirs.get(key, ""),
             tuple(differing(mine[key][0], theirs[key])) if key in mine and key in theirs else ())
        for key in dict.fromkeys([*mine, *theirs])
    ]  # fmt: skip


def _mine(connection: Connection, one: Carriage) -> dict[Key, tuple[str, int]]:
    calendar = connection.exec_driver_sql("SELECT calendar_id FROM remote WHERE id = ?", (one.remote_id,)).scalar_one()
    entries = in_force(connection, calendar, [one.uid]).get(one.uid, [])
    return {(e.component, e.recurrence_id): (text_of(connection, e.id), e.id) for e in entries}


def take_theirs(store: Store, settings: Settings, carriage_id: int) -> int | None:
    """Follow what is there now; returns the batch. One's own change about this entry is not carried.

    Raises:
        Unreachable: if the server cannot be asked.
    """
    one = carriage(store, carriage_id)
    row = remote(store, one.remote_id)
    with store.read() as connection:
        known = known_by_uid(connection, one.remote_id, [one.uid]).get(one.uid)
    href = known.href if known else ""
    with line_to(store, settings, row.account_id, waiting=True) as line:
        resource = line.server.get(href) if href else Resource("", "", None, 404)
    if resource.data is None and not resource.gone:
        raise Unreachable(
            "answer", f"{line.account.name} does not hand the entry out just now ({resource.status}). Try again later."
        )
    absorber = Absorber(store, row, "Taken as it is there.")
    absorber.busy -= {one.uid}
    if resource.data is not None:
        absorber.take([resource])
    elif href:
        absorber.take_gone([href])
    else:  # never was there: what is here goes
        with store.read() as connection:
            for entry in in_force(connection, absorber.calendar, [one.uid]).get(one.uid, []):
                absorber.found.changes.append(
                    StoredChange(absorber.calendar, one.uid, entry.recurrence_id, entry.id, None)
                )
    absorber.settle()
    with store.write() as connection:
        _end(connection, one, "dropped", "Their state was taken.")
        return absorber.conclude(connection, Proposal(f"Take {line.account.name}'s side: {_title(store, one)}", "pull"))


def take_mine(store: Store, carriage_id: int) -> int | None:
    """Write what is here over what is there, or try again what was refused; returns the job."""
    one = carriage(store, carriage_id)
    with store.write() as connection:
        _see(connection, one)
        connection.exec_driver_sql(
            "UPDATE carriage SET state = 'waiting', message = '' WHERE remote_id = ?"
            " AND state IN ('refused', 'collided')"
            " AND (uid = ? AND kind = ? OR ? = 'calendar' AND set_id = ?)",  # its entries go along
            (one.remote_id, one.uid, one.kind, one.kind, one.set_id),
        )
    return push_pending(store)


def merge(store: Store, carriage_id: int, mine: Mapping[str, list[str]]) -> int:
    """Make each entry anew from both sides: theirs, with the named fields of mine (by recurrence id).

    Returns:
        the batch, which is carried like any other.
    """
    one = carriage(store, carriage_id)
    pairs = both_banks(store, carriage_id)
    calendar = remote(store, one.remote_id).calendar_id
    assert calendar is not None  # noqa: S101
    with store.write() as connection:
        here = _mine(connection, one)
        set_id = open_set(
            connection, Proposal(f"Merge both sides: {_title(store, one)}", "merge", "Chosen field by field.")
        )
        changes = []
        for pair in pairs:
            if pair.mine and pair.theirs:
                text = combined(pair.mine, pair.theirs, mine.get(pair.recurrence_id, ()))
                before: int | None = here[pair.component, pair.recurrence_id][1]
            elif pair.theirs:
                text, before = pair.theirs, None
            else:
                continue
            if text != pair.mine:
                version = add_text(connection, pair.component, text)
                changes.append(StoredChange(calendar, one.uid, pair.recurrence_id, before, version, "Merged."))
        add_changes(connection, set_id, changes)
        close_set(connection, set_id)
        _see(connection, one)
        _end(connection, one, "dropped", f"Merged in batch {set_id}.")
        apply_within(connection, set_id)
        if not changes:  # all as it is here: carry that
            connection.exec_driver_sql("UPDATE carriage SET state = 'waiting' WHERE id = ?", (one.id,))
    push_pending(store)
    return set_id


def _see(connection: Connection, one: Carriage) -> None:
    """From now on the server's state is known: the next writing goes over it."""
    if one.state != "collided" or one.kind != "entry":
        return
    known = known_by_uid(connection, one.remote_id, [one.uid]).get(one.uid)
    if known is not None and one.theirs:
        keep_objects(connection, one.remote_id, [Known(known.href, one.uid, one.theirs_etag, ())])
    elif known is not None:
        connection.exec_driver_sql("DELETE FROM resource WHERE remote_id = ? AND href = ?", (one.remote_id, known.href))


def _end(connection: Connection, one: Carriage, state: str, message: str) -> None:
    connection.exec_driver_sql(
        f"UPDATE carriage SET state = ?, message = ? WHERE remote_id = ? AND uid = ? AND kind = ? AND state IN {OPEN}",
        (state, message, one.remote_id, one.uid, one.kind),
    )


def _title(store: Store, one: Carriage) -> str:
    with store.read() as connection:
        name = connection.exec_driver_sql(
            "SELECT v.summary FROM change c JOIN version v ON v.id = coalesce(c.after_id, c.before_id)"
            " WHERE c.set_id = ? AND c.uid = ? ORDER BY c.recurrence_id LIMIT 1",
            (one.set_id, one.uid),
        ).scalar()
    return f"“{name or one.uid}”"


_UNDECIDED = (
    "SELECT g.id, g.state, g.message, g.uid, g.kind, g.set_id, r.name calendar, a.name account, s.title batch,"
    " (SELECT v.id FROM change c JOIN version v ON v.id = coalesce(c.after_id, c.before_id)"
    "  WHERE c.set_id = g.set_id AND c.uid = g.uid AND v.listed ORDER BY c.recurrence_id LIMIT 1) version_id"
    " FROM carriage g JOIN remote r ON r.id = g.remote_id JOIN account a ON a.id = r.account_id"
    " JOIN change_set s ON s.id = g.set_id WHERE g.state IN ('refused', 'collided')"
)


def undecided(connection: Connection, offset: int, limit: int) -> tuple[int, list[dict[str, object]]]:
    """What was refused or collided, with its entry's title and calendar; collisions first."""
    total = int(
        connection.exec_driver_sql("SELECT count(*) FROM carriage WHERE state IN ('refused', 'collided')").scalar_one()
    )
    rows = connection.exec_driver_sql(
        f"{_UNDECIDED} ORDER BY g.state, g.id DESC LIMIT ? OFFSET ?", (limit, offset)
    ).mappings()
    return total, [dict(row) for row in rows]


def one_undecided(connection: Connection, carriage_id: int) -> dict[str, object] | None:
    row = connection.exec_driver_sql(f"{_UNDECIDED} AND g.id = ?", (carriage_id,)).mappings().one_or_none()
    return dict(row) if row else None
