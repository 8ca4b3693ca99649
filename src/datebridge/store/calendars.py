"""Calendars: made, found, described by their headers."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, cast

from sqlalchemy import Connection, Select, func, insert, select, update

from datebridge.clock import now
from datebridge.core.ids import AccountId, CalendarId, VersionId
from datebridge.core.language.filters import FilterContext
from datebridge.store.tables import ACCOUNTS, CALENDARS, ENTRIES, REMOTES, TEXTS

#: As many places as the palette has.
COLOURS = 12


@dataclass(frozen=True, slots=True)
class CalendarFacts:
    """A calendar, where it lives, and what one may do there.

    Attributes:
        header: its header in force, if it has one.
        account_id, account: where it lives; None and "" here.
        owned: whether it is one's own there; None where it lives here.
    """

    id: CalendarId
    name: str
    writable: bool
    live: bool
    header: VersionId | None
    entries: int
    account_id: AccountId | None
    account: str
    owned: bool | None
    owner: str


@dataclass(frozen=True, slots=True)
class OwnLines:
    """What a calendar's header says of it, and whether one may write it."""

    own_colour: str
    zone: str
    description: str
    writable: bool


def add_calendar(connection: Connection, name: str, source: str, writable: bool = True) -> CalendarId:
    """A row for a calendar that comes to life with its first entry or header."""
    place = select(func.count() % COLOURS).select_from(CALENDARS).scalar_subquery()
    row = insert(CALENDARS).values(
        name=name,
        colour=place,
        own_colour="",
        zone="",
        description="",
        live=False,
        writable=writable,
        source=source,
        taken_at=now(),
        revision=0,
        checked=-1,
    )
    return CalendarId(connection.execute(row.returning(CALENDARS.c.id)).scalar_one())


def add_to_account(connection: Connection, calendar: CalendarId, account: AccountId, name: str) -> None:
    """Have a calendar live on an account, where it has yet to be made."""
    connection.execute(
        insert(REMOTES).values(
            account_id=account,
            calendar_id=calendar,
            url="",
            name=name,
            colour="",
            colour_space="",
            description="",
            zone="",
            owner="",
            owned=True,
            writable=True,
            components="",
            position=999,
            endless=False,
            syncs=False,
            tag="",
            token="",
            etag="",
            modified="",
            every=0,
            published_every=0,
            outcome="",
            trouble="",
            failures=0,
            held_digest="",
        )
    )


def facts_of(connection: Connection, calendar: CalendarId) -> CalendarFacts | None:
    """What is known of a calendar, in force or about to be; None where there is none."""
    row = connection.execute(_facts().where(CALENDARS.c.id == calendar)).first()
    return CalendarFacts(*cast(Any, row)) if row is not None else None


def all_facts(connection: Connection) -> dict[CalendarId, CalendarFacts]:
    """The same of all calendars in force, by name."""
    query = _facts().where(CALENDARS.c.live).order_by(CALENDARS.c.name.collate("NOCASE"), CALENDARS.c.id)
    facts = [CalendarFacts(*cast(Any, row)) for row in connection.execute(query)]
    return {one.id: one for one in facts}


def _facts() -> Select[Any]:
    own = ENTRIES.c.calendar_id == CALENDARS.c.id
    header = select(ENTRIES.c.id).where(own, ENTRIES.c.component == "VCALENDAR").limit(1).scalar_subquery()
    entries = select(func.count()).select_from(ENTRIES).where(own, ENTRIES.c.listed).scalar_subquery()
    return (
        select(
            CALENDARS.c.id,
            CALENDARS.c.name,
            CALENDARS.c.writable,
            CALENDARS.c.live,
            header,
            entries,
            ACCOUNTS.c.id,
            func.coalesce(ACCOUNTS.c.name, ""),
            REMOTES.c.owned,
            func.coalesce(REMOTES.c.owner, ""),
        )
        .select_from(CALENDARS)
        .outerjoin(REMOTES, REMOTES.c.calendar_id == CALENDARS.c.id)
        .outerjoin(ACCOUNTS, ACCOUNTS.c.id == REMOTES.c.account_id)
    )


def names(connection: Connection, live: bool = False) -> dict[CalendarId, str]:
    """The names of all calendars there ever were, or of those in force."""
    query = select(CALENDARS.c.id, CALENDARS.c.name)
    rows = connection.execute(query.where(CALENDARS.c.live) if live else query)
    return {CalendarId(row.id): row.name for row in rows}


def calendars_for_filters(connection: Connection) -> dict[CalendarId, FilterContext]:
    """Each calendar in force as a filter knows it, with its account where another one has the same name."""
    rows = connection.execute(
        select(CALENDARS.c.id, CALENDARS.c.name, func.coalesce(ACCOUNTS.c.name, "here").label("account"))
        .select_from(CALENDARS)
        .outerjoin(REMOTES, REMOTES.c.calendar_id == CALENDARS.c.id)
        .outerjoin(ACCOUNTS, ACCOUNTS.c.id == REMOTES.c.account_id)
        .where(CALENDARS.c.live)
        .order_by(CALENDARS.c.name.collate("NOCASE"), CALENDARS.c.id)
    ).all()
    alike = Counter(row.name.lower() for row in rows)
    return {
        CalendarId(row.id): FilterContext(row.name, row.account if alike[row.name.lower()] > 1 else "") for row in rows
    }


def headers(connection: Connection) -> dict[CalendarId, str]:
    """The headers of all calendars in force; "" where one has none."""
    own = (ENTRIES.c.calendar_id == CALENDARS.c.id) & (ENTRIES.c.component == "VCALENDAR")
    query = (
        select(CALENDARS.c.id, func.coalesce(TEXTS.c.text, "").label("text"))
        .select_from(CALENDARS)
        .outerjoin(ENTRIES, own)
        .outerjoin(TEXTS, TEXTS.c.id == ENTRIES.c.id)
        .where(CALENDARS.c.live)
        .order_by(CALENDARS.c.name.collate("NOCASE"), CALENDARS.c.id)
    )
    return {CalendarId(row.id): row.text for row in connection.execute(query)}


def is_there(connection: Connection, calendar: CalendarId, live: bool = False) -> bool:
    """Whether there is such a calendar, or one in force."""
    query = select(CALENDARS.c.id).where(CALENDARS.c.id == calendar)
    return connection.execute(query.where(CALENDARS.c.live) if live else query).first() is not None


def own_lines(connection: Connection) -> dict[CalendarId, OwnLines]:
    """What the headers of all calendars in force say."""
    columns = (CALENDARS.c.id, CALENDARS.c.own_colour, CALENDARS.c.zone, CALENDARS.c.description, CALENDARS.c.writable)
    rows = connection.execute(select(*columns).where(CALENDARS.c.live))
    return {CalendarId(row.id): OwnLines(row.own_colour, row.zone, row.description, row.writable) for row in rows}


def header_of(connection: Connection, calendar: CalendarId) -> tuple[VersionId, str] | None:
    """A calendar's header in force, with its text."""
    row = connection.execute(
        select(ENTRIES.c.id, TEXTS.c.text)
        .join(TEXTS, TEXTS.c.id == ENTRIES.c.id)
        .where(ENTRIES.c.calendar_id == calendar, ENTRIES.c.component == "VCALENDAR")
        .limit(1)
    ).first()
    return (VersionId(row.id), row.text) if row is not None else None


def set_writable(connection: Connection, calendar: CalendarId, writable: bool) -> None:
    connection.execute(update(CALENDARS).where(CALENDARS.c.id == calendar).values(writable=writable))


def make_snapshot(connection: Connection, calendars: Iterable[CalendarId]) -> None:
    """They are followed no more: what is in them is as it was then, and one's own."""
    source = "a snapshot of " + CALENDARS.c.source
    connection.execute(
        update(CALENDARS)
        .where(CALENDARS.c.id.in_(tuple(calendars)))
        .values(writable=True, source=source, taken_at=now())
    )


def places(connection: Connection) -> dict[CalendarId, int]:
    """The place of each calendar in the palette."""
    rows = connection.execute(select(CALENDARS.c.id, CALENDARS.c.colour))
    return {CalendarId(row.id): row.colour for row in rows}
