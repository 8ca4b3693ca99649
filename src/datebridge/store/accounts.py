"""Accounts and the calendars on them, as single records."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from sqlalchemy import Connection, func, select, update
from sqlmodel import Session, col
from sqlmodel import select as records

from datebridge.clock import now
from datebridge.core.accounts import TAKING
from datebridge.core.errors import CannotDo
from datebridge.core.ids import AccountId, CalendarId, RemoteId
from datebridge.store.database import Store
from datebridge.store.remotes import LONGEST_PAUSE
from datebridge.store.sql import among
from datebridge.store.tables import ACCOUNTS, CALENDARS, REMOTES, Account, Remote, demand_id

#: After a failure the next try comes after this, in seconds, then twice as long each time, at most a day.
_BACK_OFF = 60
_HOUR = 3600


@dataclass(frozen=True, slots=True)
class Limits:
    """What the server of a calendar takes.

    Attributes:
        kinds: of entries, such as ``VEVENT``; none where it does not say.
        max_size: of an object, in bytes; 0 where it does not say.
        once_a_home: it was seen to take a UID once among all calendars of a home.
    """

    kinds: frozenset[str] = frozenset()
    max_size: int = 0
    once_a_home: bool = False


class NotConnected(CannotDo):
    """There is no such account or calendar, or it does not allow what is asked; the message says so."""

    code, title = "not-connected", "The account or calendar does not exist"


def account(store: Store, account_id: AccountId) -> Account:
    """An account.

    Raises:
        NotConnected: if there is none, or it was disconnected.
    """
    with store.session() as session:
        return demand_account(session, account_id)


def demand_account(session: Session, account_id: AccountId) -> Account:
    row = session.get(Account, account_id)
    if row is None or row.gone:
        raise NotConnected("This account no longer exists.")
    return row


def accounts(store: Store) -> list[Account]:
    """All accounts that are connected."""
    with store.session() as session:
        return list(session.exec(records(Account).where(~col(Account.gone)).order_by(col(Account.id))))


def remote(store: Store, remote_id: RemoteId) -> Remote:
    """A calendar that lives elsewhere.

    Raises:
        NotConnected: if there is none.
    """
    with store.session() as session:
        return demand_remote(session, remote_id)


def demand_remote(session: Session, remote_id: RemoteId) -> Remote:
    row = session.get(Remote, remote_id)
    if row is None:
        raise NotConnected("This calendar no longer exists.")
    return row


def remotes_of(store: Store, account_id: AccountId, only_on: bool = False) -> list[Remote]:
    """The calendars of an account; only those switched on, if that is asked."""
    with store.session() as session:
        rows = session.exec(records(Remote).where(Remote.account_id == account_id))
        return [row for row in rows if row.calendar_id is not None or not only_on]


def ids_on(store: Store, account_id: AccountId) -> list[RemoteId]:
    """What is switched on of an account."""
    return [RemoteId(demand_id(row.id)) for row in remotes_of(store, account_id, only_on=True)]


def switched_on(remote: Remote) -> tuple[RemoteId, CalendarId]:
    """A calendar that lives elsewhere and its copy here.

    Raises:
        NotConnected: if it is switched off.
    """
    if remote.calendar_id is None:
        raise NotConnected(f"{remote.name} is not switched on.")
    return RemoteId(demand_id(remote.id)), CalendarId(remote.calendar_id)


def named(session: Session) -> set[str]:
    """The names of all calendars that live elsewhere."""
    return set(session.exec(records(Remote.name)))


def accounts_at(session: Session, kind: str, host: str, user: str) -> list[Account]:
    """The connected accounts of a user on a host."""
    query = records(Account).where(Account.kind == kind, Account.host == host, Account.user == user, ~col(Account.gone))
    return list(session.exec(query))


def accounts_of_user(store: Store, user: str) -> list[Account]:
    """The connected accounts under a user name."""
    with store.session() as session:
        return list(session.exec(records(Account).where(Account.user == user, ~col(Account.gone))))


def names_on(session: Session, account_id: AccountId) -> set[str]:
    """The names of an account's calendars."""
    return set(session.exec(records(Remote.name).where(Remote.account_id == account_id)))


def sealed_addresses(store: Store) -> list[bytes]:
    """The sealed addresses of all connected accounts."""
    with store.read() as connection:
        return list(connection.execute(select(ACCOUNTS.c.address_sealed).where(~ACCOUNTS.c.gone)).scalars())


def own_addresses(connection: Connection) -> frozenset[str]:
    """The e-mail addresses of the owners of all connected accounts, lower case."""
    result = connection.execute(select(ACCOUNTS.c.addresses).where(~ACCOUNTS.c.gone)).scalars()
    return frozenset(address.lower() for addresses in result for address in addresses)


def account_of(connection: Connection, calendar: CalendarId) -> Account | None:
    """The account on which a calendar lives; None where it lives here."""
    row = connection.execute(
        select(ACCOUNTS).join(REMOTES, REMOTES.c.account_id == ACCOUNTS.c.id).where(REMOTES.c.calendar_id == calendar)
    ).first()
    return Account(**row._mapping) if row is not None else None


def feeds_beside(connection: Connection, calendars: Iterable[CalendarId]) -> list[tuple[str, str]]:
    """The feeds that come from the very servers on which some calendars live: each by its name and that server's."""
    server, feed = ACCOUNTS.alias("server"), ACCOUNTS.alias("feed")
    query = (
        select(feed.c.name, server.c.name)
        .join(server, (server.c.host == feed.c.host) & (server.c.kind == "server"))
        .join(REMOTES, REMOTES.c.account_id == server.c.id)
        .where(feed.c.kind == "feed", ~feed.c.gone, REMOTES.c.calendar_id.in_(among(calendars)))
        .distinct()
        .order_by(feed.c.name)
    )
    return [(row[0], row[1]) for row in connection.execute(query)]


def account_named(connection: Connection, name: str) -> AccountId | None:
    """The connected account of a name, whatever its case."""
    query = select(ACCOUNTS.c.id).where(func.lower(ACCOUNTS.c.name) == func.lower(name), ~ACCOUNTS.c.gone)
    return connection.execute(query.limit(1)).scalar()


def account_name(connection: Connection, account_id: AccountId) -> str:
    """What an account is called; "" where there is none."""
    return str(connection.execute(select(ACCOUNTS.c.name).where(ACCOUNTS.c.id == account_id)).scalar() or "")


def calendar_named(connection: Connection, name: str, account_id: AccountId | None) -> CalendarId | None:
    """The calendar in force of a name, whatever its case, on an account; None: here."""
    query = (
        select(CALENDARS.c.id)
        .outerjoin(REMOTES, REMOTES.c.calendar_id == CALENDARS.c.id)
        .where(CALENDARS.c.live, func.lower(CALENDARS.c.name) == func.lower(name), REMOTES.c.account_id.is_(account_id))
    )
    return connection.execute(query.limit(1)).scalar()


def off_named(connection: Connection, name: str, account_id: AccountId) -> RemoteId | None:
    """The calendar of a name, whatever its case, that is there on an account and not switched on."""
    query = select(REMOTES.c.id).where(
        REMOTES.c.account_id == account_id,
        REMOTES.c.calendar_id.is_(None),
        func.lower(REMOTES.c.name) == func.lower(name),
    )
    return connection.execute(query.limit(1)).scalar()


def names_off(connection: Connection, account_id: AccountId) -> list[str]:
    """The calendars of an account that are switched off."""
    off = select(REMOTES.c.name).where(REMOTES.c.account_id == account_id, REMOTES.c.calendar_id.is_(None))
    return [str(name) for name in connection.execute(off).scalars()]


def kinds_taken(connection: Connection, calendars: Iterable[CalendarId]) -> dict[CalendarId, frozenset[str]]:
    """Which kinds of entries the servers of calendars take; none where they do not say."""
    query = select(REMOTES.c.calendar_id, REMOTES.c.components).where(REMOTES.c.calendar_id.in_(among(calendars)))
    rows = connection.execute(query)
    return {CalendarId(row.calendar_id): frozenset(filter(None, row.components.split(","))) for row in rows}


def limits_of(connection: Connection, calendar_id: CalendarId) -> Limits:
    """What the server of a calendar says it takes; nothing is limited for one that lives here."""
    own = ("components", "max_size")
    row = connection.execute(
        select(*(REMOTES.c[name] for name in own), ACCOUNTS.c.habits)
        .join(ACCOUNTS, ACCOUNTS.c.id == REMOTES.c.account_id)
        .where(REMOTES.c.calendar_id == calendar_id)
    ).first()
    if row is None:
        return Limits()
    kinds = frozenset(filter(None, row.components.split(",")))
    return Limits(kinds, row.max_size, "once-a-home" in row.habits)


def takes_changes(connection: Connection, account_id: AccountId) -> bool:
    """Whether an account is connected, and calendars can be made and changed there."""
    query = select(ACCOUNTS.c.kind).where(ACCOUNTS.c.id == account_id, ~ACCOUNTS.c.gone)
    return connection.execute(query).scalar() in TAKING


def note_address(connection: Connection, account_id: AccountId, sealed: bytes) -> None:
    """An account has moved for good."""
    connection.execute(update(ACCOUNTS).where(ACCOUNTS.c.id == account_id).values(address_sealed=sealed))


def note_grant(connection: Connection, account_id: AccountId, sealed: bytes) -> None:
    """What a sign-on host has given for an account is another one now."""
    connection.execute(update(ACCOUNTS).where(ACCOUNTS.c.id == account_id).values(grant_sealed=sealed))


def forget_account(connection: Connection, account_id: AccountId) -> None:
    """An account is disconnected: what opened it is wiped, and the logbook still knows its name."""
    sealed = dict.fromkeys(("address_sealed", "password_sealed", "certificate_sealed", "grant_sealed"), b"")
    wiped = {"gone": True, **sealed, "user": "", "trouble": ""}
    connection.execute(update(ACCOUNTS).where(ACCOUNTS.c.id == account_id).values(wiped))


# ---- how refreshes went ---------------------------------------------------------------------------


def note_success(store: Store, remote_id: RemoteId, outcome: str, usual: int) -> str:
    """A calendar has been refreshed; its name now. `usual` is its interval where it has none of its own."""
    with store.writing_session() as session:
        fresh = demand_remote(session, remote_id)
        fresh.refreshed_at, fresh.outcome = now(), outcome
        fresh.next_at = now() + max(fresh.every or usual, fresh.published_every)
        fresh.trouble, fresh.failed_since, fresh.failures = "", None, 0
        owner = session.get(Account, fresh.account_id)
        if owner is not None:
            owner.trouble, owner.trouble_since = "", None
        return fresh.name


def went_through(store: Store, account_id: AccountId) -> None:
    """Something was written there: whatever was wrong with signing in is over."""
    with store.session() as session:
        row = session.get(Account, account_id)
    if row is None or not row.trouble:
        return
    with store.writing_session() as session:
        owner = demand_account(session, account_id)
        owner.trouble, owner.trouble_since = "", None


def note_failure(store: Store, remote_id: RemoteId, message: str, locked: bool, pause: float = 0) -> str:
    """Keep what was last good, say since when and why it is not refreshed, and wait longer each time.

    Args:
        locked: it is the trouble of the whole account, until somebody does something about it.
        pause: for how long the other system wants to be left alone, in seconds.

    Returns:
        the calendar's name, "" where it is gone.
    """
    with store.writing_session() as session:
        row = session.get(Remote, remote_id)
        if row is None:
            return ""
        row.trouble = message
        row.failed_since = row.failed_since or now()
        row.next_at = now() + min(LONGEST_PAUSE, max(int(pause), _BACK_OFF * 2 ** min(row.failures, 12)))
        row.failures += 1
        owner = session.get(Account, row.account_id)
        if owner is not None and locked:
            owner.trouble, owner.trouble_since = message, owner.trouble_since or now()
        return row.name


def note_habits(store: Store, account_id: AccountId, seen: Iterable[str]) -> None:
    """Keep what the other system of an account was seen to do; what was noted within the hour stands."""
    with store.session() as session:
        row = session.get(Account, account_id)
        habits_before = row.habits if row is not None and not row.gone else None
    fresh = {
        habit: now() for habit in seen if habits_before is not None and habits_before.get(habit, 0) < now() - _HOUR
    }
    if not fresh:
        return
    with store.writing_session() as session:
        row = session.get(Account, account_id)
        if row is not None:
            row.habits = {**row.habits, **fresh}


def put_off(store: Store, remotes: Iterable[RemoteId], seconds: int) -> None:
    """What somebody stopped is not begun again at once."""
    with store.writing_session() as session:
        for remote_id in remotes:
            row = session.get(Remote, remote_id)
            if row is not None and (row.next_at is None or row.next_at <= now()):
                row.next_at = now() + seconds
