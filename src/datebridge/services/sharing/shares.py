"""Making shares, saying them otherwise, handing them over, taking them back; and those they are given to."""

from __future__ import annotations

import re
import secrets
from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from urllib.parse import urlsplit
from zoneinfo import available_timezones

from argon2 import PasswordHasher

from datebridge.clock import now
from datebridge.core.changes import PERSON, By
from datebridge.core.choices import Form
from datebridge.core.errors import CannotDo
from datebridge.core.ids import CalendarId
from datebridge.core.language.filters import Selection, parse_filter
from datebridge.core.sharing.gathering import Source
from datebridge.core.sharing.terms import Terms
from datebridge.services.accounts.secrets import seal
from datebridge.services.sharing.addresses import digest_of, new_token, token_in
from datebridge.services.sharing.plans import Plan, giving_calendars, kept_terms, plan_of
from datebridge.settings import Settings
from datebridge.store import calendars, shares
from datebridge.store.database import Connection, Session, Store
from datebridge.store.entries import rendering
from datebridge.store.entries.ledger import Ledger
from datebridge.store.tables import Reader, Share, demand_id

#: Readers may be told to look again no more often, and no more seldom, in seconds.
_OFTEN, _SELDOM = 300, 30 * 86_400
_MOST_DAYS = 36_600
_SITE = re.compile(r"https?://[a-z0-9.-]{1,253}(?::\d{1,5})?", re.ASCII)


class CannotShare(CannotDo):
    """What was asked of a share cannot be done; the message says why, and what to do."""

    code, title, status = "cannot-share", "This cannot be shared", 422


class NoShare(CannotDo):
    """The share does not exist, or no such reader."""

    code, title, status = "no-share", "The share does not exist", 404


@dataclass(frozen=True, slots=True)
class Wanted:
    """A share as somebody wants it.

    Attributes:
        owner: the role it belongs to; contact: how readers ask it.
        fixed: it says what is so now, for good.
        until: an instant, in seconds since the epoch.
    """

    title: str
    owner: str
    contact: str = ""
    calendars: tuple[CalendarId, ...] = ()
    filter: str = ""
    terms: Terms = field(default_factory=Terms)
    forms: tuple[Form, ...] = (Form.FEED, Form.PAGE)
    zone: str = "UTC"
    interval: int = 3600
    fixed: bool = False
    until: int | None = None
    sites: tuple[str, ...] = ()
    indexed: bool = False

    @property
    def plan(self) -> Plan:
        """What it would give."""
        return Plan(self.title, self.terms, self.calendars, self.filter, self.zone, self.interval)


def demand_sense(connection: Connection, wanted: Wanted) -> Wanted:
    """The same, tidied.

    Raises:
        CannotShare: where it makes no sense; the message says what does not.
    """
    title, owner = " ".join(wanted.title.split())[:200], " ".join(wanted.owner.split())[:100]
    if not title:
        raise CannotShare("Enter a title for the share; readers see it.")
    if not owner:
        raise CannotShare("Enter the role that owns the share, such as “harbour office”.")
    if not wanted.calendars and not wanted.filter.strip():
        raise CannotShare("Choose the calendars to share, or enter a filter.")
    if wanted.calendars and wanted.filter.strip():
        raise CannotShare("A share contains whole calendars or the matches of a filter, not both.")
    calendar_names = calendars.names(connection, live=True)
    if any(calendar not in calendar_names for calendar in wanted.calendars):
        raise CannotShare("One of these calendars no longer exists.")
    if wanted.filter.strip():
        parse_filter(wanted.filter)
    if not giving_calendars(connection, wanted.plan):
        raise CannotShare(
            "Calendars that came from your own share cannot be shared again: they would return endlessly."
        )
    if wanted.zone not in available_timezones():
        raise CannotShare(f"“{wanted.zone}” is not a time zone.")
    if not _OFTEN <= wanted.interval <= _SELDOM:
        raise CannotShare("Readers may be told to look again every five minutes at the most, and every 30 days.")
    terms = wanted.terms
    if any(days is not None and not 0 <= days <= _MOST_DAYS for days in (terms.back, terms.ahead)):
        raise CannotShare("The span is given in days, from 0.")
    if wanted.until is not None and wanted.until <= now():
        raise CannotShare("The last day of the share is in the past.")
    sites = tuple(dict.fromkeys(_site(site) for site in wanted.sites if site.strip()))
    contact = " ".join(wanted.contact.split())[:200]
    return replace(
        wanted,
        title=title,
        owner=owner,
        contact=contact,
        sites=sites,
        forms=tuple(dict.fromkeys(wanted.forms)),
        filter=wanted.filter.strip(),
    )


def _site(site: str) -> str:
    """The origin of a site the page may be put into (CSP 3 §6.7.2)."""
    parts = urlsplit(site.strip() if "://" in site else f"https://{site.strip()}")
    site = f"{parts.scheme}://{parts.netloc}".lower()
    if not _SITE.fullmatch(site):
        raise CannotShare(f"“{site[:80]}” is no address of a site, such as https://intranet.skerrow.example.")
    return site


def make(store: Store, ledger: Ledger, wanted: Wanted, by: By = PERSON) -> int:
    """Make a share; nobody can read it yet, for it has no reader.

    Raises:
        CannotShare: where it makes no sense.
    """
    with store.writing_session() as session:
        connection = session.connection()
        wanted = demand_sense(connection, wanted)
        moment = now()
        share = Share(
            mark=secrets.token_hex(8),
            secret=secrets.token_bytes(32),
            role_id=0,
            title=wanted.title,
            made_at=moment,
            changed_at=moment,
            by_whom=str(by),
        )
        _say(connection, share, wanted)
        session.add(share)
        session.flush()
        number = demand_id(share.id)
        if wanted.fixed:
            _fix(connection, ledger, share)
    return number


def say(store: Store, ledger: Ledger, number: int, wanted: Wanted) -> None:
    """Say of a share otherwise what it gives; its readers and their addresses stay.

    Raises:
        CannotShare: where it makes no sense.
        NoShare: if there is no such share any more.
    """
    with store.writing_session() as session:
        connection = session.connection()
        share = _share(session, number)
        wanted = demand_sense(connection, wanted)
        before = (share.fixed_at is not None, share.calendars, share.filter)
        _say(connection, share, wanted)
        share.changed_at = max(now(), share.changed_at + 1)
        session.add(share)
        session.flush()
        if not wanted.fixed:
            share.fixed_at = None
            shares.let_go(connection, number)
        elif before != (True, share.calendars, share.filter):
            shares.let_go(connection, number)
            _fix(connection, ledger, share)


def _say(connection: Connection, share: Share, wanted: Wanted) -> None:
    share.title, share.role_id = wanted.title, shares.role(connection, wanted.owner, wanted.contact)
    share.calendars, share.filter = list(wanted.calendars), wanted.filter
    share.terms, share.forms = kept_terms(wanted.terms), [str(form) for form in wanted.forms]
    share.zone, share.interval, share.until = wanted.zone, wanted.interval, wanted.until
    share.sites, share.indexed = list(wanted.sites), wanted.indexed


def _fix(connection: Connection, ledger: Ledger, share: Share) -> None:
    """Have a share say what is so now, whatever becomes of it."""
    plan = plan_of(share)
    if plan.filter:
        sources: Iterable[Source] = rendering.chosen(
            connection, ledger.ids(connection, Selection(plan.filter)), rendering.echoes(connection)
        )
    else:
        sources = rendering.in_force(connection, giving_calendars(connection, plan))
    rendering.hold(connection, demand_id(share.id), list(sources))
    share.fixed_at = now()


def hand_over(store: Store, number: int, owner: str, contact: str) -> None:
    """Have another role own a share; its addresses stay as they are."""
    owner = " ".join(owner.split())[:100]
    if not owner:
        raise CannotShare("Enter the new owner.")
    with store.writing_session() as session:
        _share(session, number).role_id = shares.role(session.connection(), owner, " ".join(contact.split())[:200])


def end(store: Store, number: int) -> None:
    """Take a share back as a whole: every address of it answers that it was, and whom to ask."""
    with store.writing_session() as session:
        share = _share(session, number)
        share.ended_at = share.changed_at = now()
        shares.let_go(session.connection(), number)


# ---- readers ---------------------------------------------------------------------------------------------


def add_reader(store: Store, number: int, name: str = "", mail: str = "", password: str = "") -> tuple[int, str]:
    """Give a share to somebody, or ("") to everybody who has the address: the reader, and what only they are told.

    Raises:
        CannotShare: where everybody can read it already, or the name is taken.
        NoShare: if there is no such share any more.
    """
    name, mail = " ".join(name.split())[:100], mail.strip()[:200]
    if mail and not re.fullmatch(r"[^\s@<>,;:\"]+@[^\s@<>,;:\"]+", mail):
        raise CannotShare(f"“{mail}” is not an email address.")
    token = new_token()
    with store.writing_session() as session:
        _share(session, number)
        others = [reader for reader in shares.readers(session, number) if reader.ended_at is None]
        if any(other.name.lower() == name.lower() for other in others):
            raise CannotShare(
                f"{name} is a reader already. Renew the address instead."
                if name
                else "There is an address for everyone already. Renew that address instead."
            )
        reader = Reader(share_id=number, name=name, mail=mail, password=_digest(password), made_at=now(), ended_at=None)
        session.add(reader)
        session.flush()
        shares.add_address(session.connection(), demand_id(reader.id), digest_of(token))
    return demand_id(reader.id), token


def renew(store: Store, reader: int) -> str:
    """Give a reader another address; the one there was is taken back at once. Returns what only they are told."""
    token = new_token()
    with store.writing_session() as session:
        _reader(session, reader)
        connection = session.connection()
        shares.send_on(connection, reader, b"")
        shares.add_address(connection, reader, digest_of(token))
    return token


def take_back(store: Store, reader: int) -> None:
    """Take back what a reader was given, at once."""
    with store.writing_session() as session:
        _reader(session, reader)
        shares.end_reader(session.connection(), reader)


def send_on(store: Store, settings: Settings, reader: int, target: str) -> None:
    """Send who comes by a reader's addresses elsewhere; "" for nowhere again.

    Another address of ours is kept without where the door is, which may be another one later.

    Raises:
        CannotShare: if that is no address readers can be sent to.
    """
    target = target.strip()
    if target.lower().startswith("webcal:"):
        target = "https:" + target[7:]
    parts = urlsplit(target)
    if target and (parts.scheme not in ("http", "https") or not parts.hostname or re.search(r"[\s<>\"\\]", target)):
        raise CannotShare("Enter the complete new address, starting with https://.")
    own = token_in(target)
    with store.writing_session() as session:
        _reader(session, reader)
        connection = session.connection()
        own_digests = {address.digest for address in shares.addresses(connection)} if own else set()
        if digest_of(own) in own_digests:
            target = f"../{own}/"
        shares.send_on(connection, reader, seal(settings, target))


def set_password(store: Store, reader: int, password: str) -> None:
    """Have programs give a password for a reader's address; "" for none."""
    with store.writing_session() as session:
        _reader(session, reader)
        shares.set_password(session.connection(), reader, _digest(password))


def is_address_of(store: Store, reader: int, token: str) -> bool:
    """Whether an address is the one a reader comes by now."""
    with store.read() as connection:
        live = shares.live_address(connection, reader)
    return bool(live) and secrets.compare_digest(live, digest_of(token))


def _digest(password: str) -> str:
    return PasswordHasher().hash(password) if password else ""


def _share(session: Session, number: int) -> Share:
    share = session.get(Share, number)
    if share is None or share.ended_at is not None:
        raise NoShare("This share no longer exists.")
    return share


def _reader(session: Session, number: int) -> Reader:
    reader = session.get(Reader, number)
    if reader is None:
        raise NoShare("The reader does not exist.")
    return reader
