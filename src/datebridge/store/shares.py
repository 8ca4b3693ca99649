"""Shares, their owners and readers, and the addresses by which readers come."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from sqlalchemy import Connection, delete, func, insert, select, update
from sqlmodel import Session, col
from sqlmodel import select as rows_of

from datebridge.clock import now
from datebridge.core.ids import CalendarId
from datebridge.store.entries.rendering import echoes
from datebridge.store.tables import ADDRESSES, HELD, READERS, ROLES, SHARE_HOSTS, SHARES
from datebridge.store.tables.sharing import Reader, Role, Share, ShareHost


class Address(NamedTuple):
    """An address, and whose it is.

    Attributes:
        ended: it was renewed or taken back, or its reader or the whole share was.
        target: where it sends readers, encrypted; b"" for nowhere.
    """

    digest: str
    share: int
    reader: int
    ended: bool
    target: bytes


def role(connection: Connection, name: str, contact: str) -> int:
    """The owner of a name, made where there is none; how to ask it is as said last."""
    row = connection.execute(select(ROLES.c.id, ROLES.c.contact).where(ROLES.c.name == name)).first()
    if row is None:
        made = insert(ROLES).values(name=name, contact=contact)
        return int(connection.execute(made.returning(ROLES.c.id)).scalar_one())
    if contact and contact != row.contact:
        connection.execute(update(ROLES).where(ROLES.c.id == row.id).values(contact=contact))
    return int(row.id)


def roles(session: Session) -> list[Role]:
    """All owners, the one of the newest share first."""
    newest = select(func.max(SHARES.c.id)).where(SHARES.c.role_id == ROLES.c.id).scalar_subquery()
    return list(session.exec(rows_of(Role).order_by(newest.desc(), col(Role.name))))


def shares(session: Session, ended: bool = False) -> list[Share]:
    """Shares by title; those that were taken back too, where asked for."""
    query = rows_of(Share).order_by(func.lower(Share.title), col(Share.id))
    return list(session.exec(query if ended else query.where(col(Share.ended_at).is_(None))))


class SharedRow(NamedTuple):
    """What a share gives; see `tables.Share`."""

    id: int
    title: str
    calendars: list[int]
    filter: str
    named_as: dict[str, int]


def live_shares(connection: Connection) -> list[SharedRow]:
    """What the shares give that are kept up to date."""
    wanted = (SHARES.c[name] for name in SharedRow._fields)
    query = select(*wanted).where(SHARES.c.ended_at.is_(None), SHARES.c.fixed_at.is_(None)).order_by(SHARES.c.id)
    return [SharedRow(*row) for row in connection.execute(query)]


def readers(session: Session, share: int | None = None) -> list[Reader]:
    """The readers of a share, or of all, in the order in which they came."""
    query = rows_of(Reader).order_by(col(Reader.id))
    return list(session.exec(query.where(Reader.share_id == share) if share is not None else query))


def hosts(session: Session, share: int | None = None) -> list[ShareHost]:
    """Where a share is handed out to, or all are."""
    query = rows_of(ShareHost).order_by(col(ShareHost.id))
    return list(session.exec(query.where(ShareHost.share_id == share) if share is not None else query))


def count(connection: Connection) -> int:
    """How many shares there are."""
    query = select(func.count()).select_from(SHARES).where(SHARES.c.ended_at.is_(None))
    return int(connection.execute(query).scalar_one())


def shares_echoed(connection: Connection) -> dict[CalendarId, str]:
    """Calendars that came of a share of one's own, with its title."""
    echoed = echoes(connection)
    if not echoed:
        return {}
    rows = connection.execute(select(SHARES.c.mark, SHARES.c.title).where(SHARES.c.mark.in_(set(echoed.values()))))
    titles = {row.mark: row.title for row in rows}
    return {calendar: titles[mark] for calendar, mark in echoed.items() if mark in titles}


def change(connection: Connection, share: int, **values: object) -> None:
    """Say of a share otherwise what is given."""
    connection.execute(update(SHARES).where(SHARES.c.id == share).values(changed_at=now(), **values))


def change_host(connection: Connection, host: int, **values: object) -> None:
    connection.execute(update(SHARE_HOSTS).where(SHARE_HOSTS.c.id == host).values(**values))


def forget_host(connection: Connection, host: int) -> None:
    connection.execute(delete(SHARE_HOSTS).where(SHARE_HOSTS.c.id == host))


def let_go(connection: Connection, share: int) -> None:
    """Have a share hold nothing any more."""
    connection.execute(delete(HELD).where(HELD.c.share_id == share))


def end_reader(connection: Connection, reader: int) -> None:
    """Take back what a reader was given, at once."""
    moment = now()
    connection.execute(update(READERS).where(READERS.c.id == reader).values(ended_at=moment))
    end_addresses(connection, reader)


def set_password(connection: Connection, reader: int, digest: str) -> None:
    connection.execute(update(READERS).where(READERS.c.id == reader).values(password=digest))


def add_address(connection: Connection, reader: int, digest: str) -> None:
    """Give a reader an address, in place of the one there was."""
    end_addresses(connection, reader)
    connection.execute(insert(ADDRESSES).values(digest=digest, reader_id=reader, made_at=now(), target=b""))
    connection.execute(update(READERS).where(READERS.c.id == reader).values(ended_at=None))


def end_addresses(connection: Connection, reader: int) -> None:
    standing = (ADDRESSES.c.reader_id == reader) & ADDRESSES.c.ended_at.is_(None)
    connection.execute(update(ADDRESSES).where(standing).values(ended_at=now()))


def send_on(connection: Connection, reader: int, target: bytes) -> None:
    """Send who comes by any address of a reader elsewhere; b"" for nowhere."""
    connection.execute(update(ADDRESSES).where(ADDRESSES.c.reader_id == reader).values(target=target))


def addresses(connection: Connection) -> Iterable[Address]:
    """All addresses there ever were."""
    ended = ADDRESSES.c.ended_at.is_not(None) | READERS.c.ended_at.is_not(None) | SHARES.c.ended_at.is_not(None)
    query = (
        select(ADDRESSES.c.digest, READERS.c.share_id, READERS.c.id, ended, ADDRESSES.c.target)
        .join(READERS, READERS.c.id == ADDRESSES.c.reader_id)
        .join(SHARES, SHARES.c.id == READERS.c.share_id)
    )
    return [
        Address(digest, share, reader, bool(is_over), target)
        for digest, share, reader, is_over, target in connection.execute(query)
    ]


def live_address(connection: Connection, reader: int) -> str:
    """The digest of the address a reader comes by now; "" where there is none."""
    live = (ADDRESSES.c.reader_id == reader) & ADDRESSES.c.ended_at.is_(None)
    return str(connection.execute(select(ADDRESSES.c.digest).where(live)).scalar() or "")


def sent_on(connection: Connection) -> set[int]:
    """The readers who are sent elsewhere."""
    query = select(ADDRESSES.c.reader_id).where(func.length(ADDRESSES.c.target) > 0).distinct()
    return set(connection.execute(query).scalars())
