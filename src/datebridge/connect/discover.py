"""What is at an address: a calendar server, a feed, or a page that links to one.

>>> find(Web(gate), "http://127.0.0.1:8143/").kind  # doctest: +SKIP
'page'
"""

from __future__ import annotations

import re
from collections.abc import Collection
from dataclasses import dataclass
from typing import Literal
from urllib.parse import urljoin

from lxml import etree, html

from datebridge.connect.caldav import CalDavServer
from datebridge.connect.charsets import as_calendar
from datebridge.connect.errors import Unreachable
from datebridge.connect.feed import is_calendar, is_page
from datebridge.connect.homes import Home, ListedCalendar
from datebridge.connect.http import Web
from datebridge.connect.origins import host_of, is_loopback, origin_of
from datebridge.core.language.plural import counted

Kind = Literal["server", "feed", "page"]
#: What no other guess about an address would mend.
_FINAL = frozenset({"leaves", "scheme", "sign-on", "homeless"})
_SCHEME = re.compile(r"^[a-zA-Z][a-zA-Z0-9+.-]*://")


@dataclass(frozen=True, slots=True)
class FoundThere:
    """What an address leads to.

    Attributes:
        address: the address to use from now on.
        locked: a user name and a password are needed before more can be said.
        links: for a page, the calendars it links to, title and address.
        data: for a feed, what it holds now.
        offered: where it is locked, how one may sign in (``WWW-Authenticate``).
    """

    kind: Kind
    address: str
    locked: bool = False
    home: Home | None = None
    calendars: tuple[ListedCalendar, ...] = ()
    links: tuple[tuple[str, str], ...] = ()
    data: bytes = b""
    offered: str = ""

    @property
    def is_page(self) -> bool:
        """Whether it is no calendar itself, and may only lead to some."""
        return self.kind == "page"

    @property
    def is_published(self) -> bool:
        """Whether it is a calendar in one piece, and here."""
        return self.kind == "feed" and not self.locked

    def says(self, whose: str) -> str:
        """What was found, in a sentence; `whose` is what it calls itself."""
        if self.locked:
            what = "a calendar server" if self.kind == "server" else "a feed"
            return f"This is {what} that requires a user name and a password."
        if self.kind == "server":
            return f"This is a calendar server. It holds {counted(len(self.calendars), 'calendar')} for {whose}."
        if self.is_page:
            return "This is a web page that links to calendars. Choose one."
        return "This is a feed: a published calendar that is read-only."


def tidy(address: str) -> list[str]:
    """An address as typed, as web addresses worth trying, the best first.

    >>> tidy("webcal://feeds.example/tides.ics"), tidy("calendars.example")
    (['https://feeds.example/tides.ics'], ['https://calendars.example', 'http://calendars.example'])
    """
    address = address.strip()
    if address.lower().startswith(("webcal://", "webcals://")):
        return ["https://" + address.partition("://")[2]]
    if _SCHEME.match(address):
        return [address]
    return [f"https://{address}", f"http://{address}"]


def find(web: Web, address: str, agreed: Collection[str] = ()) -> FoundThere:
    """Find out what is at an address as somebody typed it.

    Args:
        agreed: origins that somebody has agreed to, although what goes there can be read on the way.

    Raises:
        Unreachable: if nothing is there that holds calendars, or it cannot be reached; ``plain`` if it might be
            reached without encryption, which is never done unasked.
    """
    first, *others = tidy(address)
    for plain in others:
        try:
            return _find(web, first)
        except Unreachable as error:
            if error.trouble not in ("refused", "timeout"):
                raise
            origin = origin_of(plain)
            if not is_loopback(plain) and origin not in agreed:
                raise Unreachable(
                    "plain",
                    f"{host_of(plain)} does not answer under https. Under http, everyone on the network can "
                    "read the traffic.",
                    origin=origin,
                ) from error
            first = plain
    return _find(web, first)


def _find(web: Web, address: str) -> FoundThere:
    host = host_of(address)
    body, kind = b"", ""
    locked: Unreachable | None = None
    reason: Unreachable
    try:
        answer = web.request("GET", address, headers={"Accept": "text/calendar, text/html;q=0.5, */*;q=0.1"})
        if answer.moved and (not web.signed_in or origin_of(answer.moved) in web.origins):
            address = answer.moved
        kind = answer.header("content-type")
        body = as_calendar(answer.body, kind) if answer.status == 200 else b""
    except Unreachable as error:
        if error.trouble != "password":
            raise
        locked = error
    if is_calendar(body):
        return FoundThere("feed", address, data=body)
    server = CalDavServer(web, address)
    try:
        home = server.discover()
        return FoundThere("server", address, home=home, calendars=tuple(server.calendars(home)))
    except Unreachable as error:
        if error.trouble in _FINAL or (error.trouble == "password" and web.signed_in):
            raise
        if error.trouble == "password":
            return FoundThere("server", address, locked=True, offered=error.offered)
        if server.is_server:
            raise
        reason = error
    if locked is not None:
        if web.signed_in:
            raise locked
        return FoundThere("feed", address, locked=True, offered=locked.offered)
    links = _links(body, address) if is_page(body) else ()
    if links:
        return FoundThere("page", address, links=links)
    if body and reason.trouble == "missing":
        raise Unreachable(
            "answer", f"{host} answers, but there is no calendar at this address, and the page links to none."
        )
    raise reason


def _links(body: bytes, address: str) -> tuple[tuple[str, str], ...]:
    """Links of a page that lead to calendars: declared ones, and those whose address looks like one."""
    try:
        root = html.fromstring(body, parser=html.HTMLParser(no_network=True))
    except (etree.ParserError, etree.XMLSyntaxError, ValueError):
        return ()
    links: dict[str, str] = {}
    for element in root.iter("link", "a"):
        href = str(element.get("href") or "")
        declared = str(element.get("type") or "").lower().startswith("text/calendar")
        path = href.partition("?")[0].partition("#")[0].lower()
        if href and (declared or path.endswith((".ics", ".ical")) or href.lower().startswith("webcal")):
            try:
                url = tidy(urljoin(address, href))[0]
            except ValueError:  # no address at all
                continue
            title = str(element.get("title") or "") or "".join(str(t) for t in element.itertext()).strip()
            if url not in links or not links[url]:
                links[url] = title or path.rsplit("/", 1)[-1]
    return tuple((title, url) for url, title in links.items())
