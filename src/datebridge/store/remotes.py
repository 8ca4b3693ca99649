"""Calendars that live elsewhere: where, their objects as last seen, and what is known of their refreshes."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, NamedTuple

from sqlalchemy import Connection, Row, and_, case, delete, func, not_, or_, select, update
from sqlalchemy.dialects.sqlite import insert

from datebridge.clock import now
from datebridge.core.accounts import TAKING
from datebridge.core.ids import AccountId, RemoteId, SetId, VersionId
from datebridge.store.sql import among
from datebridge.store.tables import ACCOUNTS, CALENDARS, REMOTES, RESOURCES, SETS, Remote

#: After a failure the next try comes within this time, in seconds.
LONGEST_PAUSE = 86400


class KnownObject(NamedTuple):
    """An object on a server as last seen; `versions` are those in force here then.

    `kept` is what was there when it was read just after writing, where that was something else.
    """

    href: str
    uid: str
    etag: str
    versions: tuple[VersionId, ...]
    kept: str = ""


@dataclass(frozen=True, slots=True)
class Elsewhere:
    """A calendar that lives elsewhere, with its account, and its copy here if it is switched on.

    `held_open` is a refresh that waits for a decision.
    """

    remote: Remote
    account_kind: str
    account_name: str
    host: str
    user: str
    live: bool
    calendar_name: str
    held_open: SetId | None


# ---- objects --------------------------------------------------------------------------------------


def _known_object(row: Row[Any]) -> KnownObject:
    versions = tuple(VersionId(int(v)) for v in row.versions.split(",") if v)
    return KnownObject(row.href, row.uid, row.etag, versions, row.kept)


def known_objects(
    connection: Connection, remote: RemoteId, hrefs: Iterable[str] | None = None
) -> dict[str, KnownObject]:
    """Objects by path: those asked for, or all."""
    query = select(RESOURCES).where(RESOURCES.c.remote_id == remote)
    if hrefs is not None:
        query = query.where(RESOURCES.c.href.in_(among(hrefs)))
    return {row.href: _known_object(row) for row in connection.execute(query)}


def known_objects_of(connection: Connection, remote: RemoteId, uids: Iterable[str]) -> list[KnownObject]:
    """All objects that hold an entry of one of these UIDs."""
    query = select(RESOURCES).where(RESOURCES.c.remote_id == remote, RESOURCES.c.uid.in_(among(uids)))
    return [_known_object(row) for row in connection.execute(query)]


def unread_objects(connection: Connection, remote: RemoteId) -> list[str]:
    """Paths of objects whose present state on the server has yet to be read back."""
    unread = select(RESOURCES.c.href).where(RESOURCES.c.remote_id == remote, RESOURCES.c.etag == "")
    return list(connection.execute(unread).scalars())


def keep_objects(connection: Connection, remote: RemoteId, objects: Iterable[KnownObject]) -> None:
    """Remember objects as they have just been seen."""
    rows = [
        {
            "remote_id": remote,
            "href": o.href,
            "uid": o.uid,
            "etag": o.etag,
            "versions": ",".join(map(str, o.versions)),
            "kept": o.kept,
        }
        for o in objects
    ]
    if rows:
        connection.execute(insert(RESOURCES).prefix_with("OR REPLACE"), rows)


def forget_objects(connection: Connection, remote: RemoteId, hrefs: Iterable[str] | None = None) -> None:
    """Forget objects that are gone: some, or all of a calendar."""
    gone = delete(RESOURCES).where(RESOURCES.c.remote_id == remote)
    connection.execute(gone if hrefs is None else gone.where(RESOURCES.c.href.in_(among(hrefs))))


# ---- calendars ------------------------------------------------------------------------------------


def on_servers(connection: Connection, calendars: Iterable[int]) -> list[RemoteId]:
    """Where calendars are on servers that take changes."""
    query = (
        select(REMOTES.c.id)
        .join(ACCOUNTS, ACCOUNTS.c.id == REMOTES.c.account_id)
        .where(REMOTES.c.calendar_id.in_(among(calendars)), REMOTES.c.url != "", ACCOUNTS.c.kind.in_(TAKING))
        .order_by(REMOTES.c.id)
    )
    return [RemoteId(one) for one in connection.execute(query).scalars()]


def refreshed_from(connection: Connection, calendars: Iterable[int]) -> list[RemoteId]:
    """Where calendars live that are on a server or a feed; those that have yet to be made there are left out."""
    there = or_(REMOTES.c.url != "", ACCOUNTS.c.kind.not_in(TAKING))
    rows = connection.execute(
        select(REMOTES.c.id)
        .join(ACCOUNTS, ACCOUNTS.c.id == REMOTES.c.account_id)
        .where(REMOTES.c.calendar_id.in_(among(calendars)), there)
        .order_by(REMOTES.c.account_id, REMOTES.c.id)
    )
    return [RemoteId(row.id) for row in rows]


def note(connection: Connection, remote: RemoteId, **known: object) -> None:
    """Keep what is known of a calendar elsewhere; the names are those of `tables.Remote`."""
    connection.execute(update(REMOTES).where(REMOTES.c.id == remote).values(known))


def unlink(connection: Connection, remotes: Iterable[RemoteId]) -> None:
    """Calendars are switched off: nothing is known any more of how they were."""
    wanted = tuple(remotes)
    connection.execute(delete(RESOURCES).where(RESOURCES.c.remote_id.in_(wanted)))
    connection.execute(
        update(REMOTES)
        .where(REMOTES.c.id.in_(wanted))
        .values(
            calendar_id=None,
            tag="",
            token="",
            etag="",
            modified="",
            next_at=None,
            refreshed_at=None,
            trouble="",
            failed_since=None,
            failures=0,
            held_set_id=None,
        )
    )


def accounts_of(connection: Connection, remotes: Iterable[RemoteId]) -> dict[RemoteId, AccountId]:
    """The account of each calendar that lives elsewhere, in the order asked."""
    owners = {row.id: row.account_id for row in connection.execute(select(REMOTES.c.id, REMOTES.c.account_id))}
    return {remote: AccountId(owners[remote]) for remote in remotes if remote in owners}


def due(connection: Connection, usual: dict[str, int]) -> list[RemoteId]:
    """Calendars whose time to be refreshed has come, or has never been set.

    A time further ahead than a calendar's interval is due too: the clock was set back since.

    Args:
        usual: the interval in seconds of calendars without one of their own, by kind of account.
    """
    moment = now()
    every = func.max(
        func.coalesce(func.nullif(REMOTES.c.every, 0), case(usual, value=ACCOUNTS.c.kind, else_=0)),
        REMOTES.c.published_every,
    )
    furthest = moment + func.max(every, case((REMOTES.c.failures > 0, LONGEST_PAUSE), else_=0))
    there = or_(ACCOUNTS.c.kind.not_in(TAKING), REMOTES.c.url != "")  # else it has yet to be made
    next_at = REMOTES.c.next_at
    rows = connection.execute(
        select(REMOTES.c.id)
        .join(CALENDARS, CALENDARS.c.id == REMOTES.c.calendar_id)
        .join(ACCOUNTS, ACCOUNTS.c.id == REMOTES.c.account_id)
        .where(~ACCOUNTS.c.gone, there, or_(next_at.is_(None), next_at <= moment, next_at > furthest))
        .order_by(next_at)
    )
    return [RemoteId(number) for number in rows.scalars()]


def statements(connection: Connection) -> list[Elsewhere]:
    """Every calendar in force, being fetched, or left off, with what is known of where it lives.

    One that is only proposed, or was deleted there, is none.
    """
    held = select(SETS.c.id).where(SETS.c.id == REMOTES.c.held_set_id, SETS.c.state == "proposed").scalar_subquery()
    live = func.coalesce(CALENDARS.c.live, False)
    nowhere = and_(ACCOUNTS.c.kind.in_(TAKING), REMOTES.c.url == "", ~live)
    rows = connection.execute(
        select(
            REMOTES,
            ACCOUNTS.c.kind.label("account_kind"),
            ACCOUNTS.c.name.label("account_name"),
            ACCOUNTS.c.host,
            ACCOUNTS.c.user,
            live.label("live"),
            func.coalesce(CALENDARS.c.name, "").label("calendar_name"),
            held.label("held_open"),
        )
        .select_from(REMOTES)
        .join(ACCOUNTS, ACCOUNTS.c.id == REMOTES.c.account_id)
        .outerjoin(CALENDARS, CALENDARS.c.id == REMOTES.c.calendar_id)
        .where(~ACCOUNTS.c.gone, not_(nowhere))
        .order_by(ACCOUNTS.c.id, REMOTES.c.owned.desc(), REMOTES.c.position, REMOTES.c.id)
    )
    own = len(REMOTES.columns)
    return [Elsewhere(Remote(**dict(zip(REMOTES.columns.keys(), row, strict=False))), *row[own:]) for row in rows]
