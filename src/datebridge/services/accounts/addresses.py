"""Addresses as people give them: what is there, said before anything is kept."""

from __future__ import annotations

import json
import re
from collections.abc import Collection
from dataclasses import dataclass
from urllib.parse import unquote, urlsplit

from datebridge.clock import this_day
from datebridge.connect import signing
from datebridge.connect.discover import FoundThere, find, tidy
from datebridge.connect.errors import Unreachable
from datebridge.connect.naming import Names, Place
from datebridge.connect.origins import host_of, is_loopback, origin_of
from datebridge.connect.signing import Tokens
from datebridge.connect.trust import Trust
from datebridge.core.inspection import Inspection, inspect
from datebridge.core.text.headers import description_of
from datebridge.core.text.source import open_bytes
from datebridge.core.views.coming import Coming, coming
from datebridge.services.accounts.connecting import looking_web
from datebridge.settings import Settings

#: How far ahead a feed is shown before it is subscribed to, in days.
AHEAD = 92
#: Feeds of more bytes are not looked into before they are fetched; of those the beginning is read for their header.
_LARGE, _BEGINNING = 4 << 20, 64 << 10
_MAIL = re.compile(r"[^\s/@:?#]+@[^\s/@:?#]+")


@dataclass(frozen=True, slots=True)
class Discovery:
    """What was found at an address; for a feed with its header, what is in it and what it brings in the coming months.

    `origins` are those that user name and password may go to. What is in a large feed is not looked into here: nobody
    is to wait for that, and it is counted once it has been fetched.
    """

    found: FoundThere
    title: str
    origins: list[str]
    header: str = ""
    inspection: Inspection | None = None
    coming: tuple[Coming, ...] = ()


def look_at(
    settings: Settings,
    address: str,
    user: str = "",
    password: str = "",
    agreed: Collection[str] = (),
    within: bool = True,
    trust: Trust = Trust(),
    tokens: Tokens | None = None,
) -> Discovery:
    """Find out what is at an address, without keeping anything.

    Args:
        within: whether what is in a feed is looked into as well.
        agreed: origins beside the address's own that the user name and the password may go to, and those without
            encryption; each asked about before (see `Unreachable.origin`).
        trust: certificates that count there and nowhere else.
        tokens: of a sign-on host, instead of a user name and a password.

    Raises:
        Unreachable: if nothing is there that holds calendars, or it cannot be reached.
    """
    address, user, password = bare(address, user, password)
    if user or password:
        signing.forget()
    places = Names(settings.name_server).places(address)
    for place in places:
        _demand_consent(address, place, bool(user or password or tokens), agreed)
        try:
            return _look(settings, place.address, user, password, agreed, within, trust, tokens)
        except Unreachable as error:
            if error.trouble not in ("refused", "timeout", "name"):
                raise
            if place is places[-1]:
                told = f"{address} says that its calendars are at {host_of(place.address)}. {error.message}"
                raise Unreachable(error.trouble, told) from error
    return _look(settings, address, user, password, agreed, within, trust, tokens)


def _demand_consent(domain: str, place: Place, signed_in: bool, agreed: Collection[str]) -> None:
    """What the records of a domain say may be forged: name and password do not follow them elsewhere unasked
    (RFC 6764 §8).

    Raises:
        Unreachable: ``leaves`` or ``plain``.
    """
    if signed_in and not place.within and place.origin not in agreed:
        raise Unreachable(
            "leaves",
            f"{domain} says that its calendars are at {place.origin}, which is not in {domain}. The user name and the"
            " password have not been sent there.",
            origin=place.origin,
        )
    if not is_loopback(place.address):
        demand_encryption(place.address, agreed)


def _look(
    settings: Settings,
    address: str,
    user: str,
    password: str,
    agreed: Collection[str],
    within: bool,
    trust: Trust,
    tokens: Tokens | None,
) -> Discovery:
    first, *others = tidy(address)
    if (user or password or tokens) and not is_loopback(first):
        demand_encryption(first, agreed)
    origins = {origin_of(first), *agreed, *(origin_of(other) for other in others if is_loopback(other))}
    with looking_web(settings, user, password, origins, trust, tokens) as web:
        place = find(web, address, agreed)
        origins = web.origins
    title = host_of(place.address)
    if not place.is_published:
        return Discovery(place, place.home.title if place.home and place.home.title else title, sorted(origins))
    whole = within and len(place.data) <= _LARGE
    inspection = inspect(open_bytes(place.data if whole else place.data[:_BEGINNING]), keep=True)
    header = next((c.text for c in inspection.components if c.name == "VCALENDAR"), "")
    # Without a name of its own it gets its host's: the rest of its address may work like a password.
    title = description_of(header).name or title
    if not whole:
        return Discovery(place, title, sorted(origins), header)
    entries = [(c.name, c.text) for c in inspection.components if c.name not in ("VCALENDAR", "VTIMEZONE")]
    return Discovery(place, title, sorted(origins), header, inspection, tuple(coming(entries, this_day(), AHEAD)))


def demand_encryption(address: str, agreed: Collection[str]) -> None:
    """A user name and a password go unencrypted only where somebody has said yes to that.

    Raises:
        Unreachable: ``plain`` if nobody has.
    """
    origin = origin_of(address)
    if origin.startswith("http://") and origin not in agreed:
        raise Unreachable(
            "plain",
            f"{host_of(address)} would get the user name and the password under http, where everybody on the way can"
            " read them.",
            origin=origin,
        )


def bare(address: str, user: str, password: str) -> tuple[str, str, str]:
    """An address without the name and password it may hold; of an e-mail address, its domain (RFC 6764 §6).

    Raises:
        Unreachable: if it is no address.
    """
    address = address.strip()
    if _MAIL.fullmatch(address):
        return address.rpartition("@")[2], user or (address if password else ""), password
    try:
        parts = urlsplit(address)
        if parts.username is None:
            return address, user, password
        if not user:
            user, password = unquote(parts.username), unquote(parts.password or "")
        return parts._replace(netloc=parts.netloc.rpartition("@")[2]).geturl(), user, password
    except ValueError as error:
        raise Unreachable("address", "This is not a web address. It should start with https:// or http://.") from error


def catalogue(settings: Settings) -> list[dict[str, str]]:
    """The open feeds of the catalogue, by subject.

    Raises:
        Unreachable: if it cannot be fetched.
    """
    if not settings.catalogue:
        return []
    with looking_web(settings) as web:
        answer = web.request("GET", settings.catalogue)
    try:
        rows = json.loads(answer.body)
        names = ("title", "subject", "description", "address", "publisher")
        entries = [{name: str(row[name]) for name in names} for row in rows]
    except (ValueError, LookupError, TypeError, RecursionError) as error:
        raise Unreachable("answer", "The catalogue cannot be read.") from error
    return sorted(entries, key=lambda row: (row["subject"], row["title"]))
