"""One authenticated request to a calendar server: who asks what about which place, and what every answer needs."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property
from urllib.parse import unquote_to_bytes, urlsplit

from lxml import etree
from starlette.requests import Request
from starlette.responses import Response

from datebridge.core.tzids import resolve
from datebridge.standins.habits import Habits
from datebridge.standins.losses import Losses
from datebridge.standins.mail import MailDrop
from datebridge.standins.multistatus import DAV, element, error, href, propstats, read
from datebridge.standins.places import Map, Place
from datebridge.standins.properties import Live, on_demand
from datebridge.standins.records import Collection, Records, Stored
from datebridge.standins.traits import Traits

_ETAG = re.compile(r'(W/)?("[^"]*")')
_TZID = re.compile(r"^\s*TZID[^:]*:(.+?)\s*$", re.MULTILINE)


@dataclass(frozen=True)
class Ask:
    """A request as all handlers see it.

    Attributes:
        person: who asks.
    """

    traits: Traits
    records: Records
    drop: MailDrop
    habits: Habits
    losses: Losses
    request: Request
    body: bytes
    person: str

    @cached_property
    def map(self) -> Map:
        return Map(self.records, self.habits, self.person)

    @cached_property
    def live(self) -> Live:
        other = f"http://localhost:{self.request.url.port}"
        return Live(self.traits, self.records, self.habits, self.map, other)

    @cached_property
    def path(self) -> str:
        raw: bytes = self.request.scope.get("raw_path") or self.request.url.path.encode()
        return raw.decode("ascii", "replace").partition("?")[0]

    @cached_property
    def place(self) -> Place:
        return self.map.find(self.path)

    @cached_property
    def root(self) -> etree._Element | None:
        return read(self.body)

    @property
    def depth(self) -> str:
        return self.request.headers.get("depth", "").strip().lower()

    def may_see(self, owner: str) -> bool:
        """Whether the one who asks sees anything of somebody's calendars."""
        shared = self.records.calendars_of(self.person)
        return owner == self.person or any(collection.owner == owner for collection, _ in shared)

    def stored(self, place: Place) -> Stored | None:
        """The object at a place."""
        if place.kind != "object" or place.collection is None:
            return None
        return self.records.object(place.collection, place.name)

    def there(self, place: Place) -> bool:
        """Whether there is anything at a place."""
        if place.kind == "notice":
            return any(name == place.name for name, _ in self.records.notices(place.person))
        return self.stored(place) is not None if place.kind == "object" else place.kind != "nowhere"

    # ---- what is in answers ------------------------------------------------------------------

    def name(self, path: str) -> str:
        """An address as this server writes it into its answers."""
        if self.habits.has("escapes"):
            path = "/".join("".join(f"%{octet:02x}" for octet in unquote_to_bytes(part)) for part in path.split("/"))
        return f"{str(self.request.base_url).rstrip('/')}{path}" if self.habits.has("absolute-hrefs") else path

    def asked(self) -> tuple[list[str] | None, list[str]]:
        """The properties that are asked for, None for all; and those asked for besides."""
        root = self.root
        if root is None:
            return None, []
        prop, include = root.find(f"{{{DAV}}}prop"), root.find(f"{{{DAV}}}include")
        besides = [str(child.tag) for child in include.iterchildren("*")] if include is not None else []
        return ([str(child.tag) for child in prop.iterchildren("*")] if prop is not None else None), besides

    def response(
        self, path: str, properties: dict[str, str], dead: dict[str, str] | None = None, asked: list[str] | None = None
    ) -> str:
        """One response of a multistatus: the properties this request asks for, unless others are named."""
        named, besides = self.asked()
        asked = named if asked is None else asked
        whole = {name: element(name, inner) for name, inner in properties.items()}
        whole |= dead or {}
        if self.root is not None and self.root.find(f"{{{DAV}}}propname") is not None:
            return propstats(self.name(path), (element(name) for name in whole))
        if asked is None:
            shown = [name for name in whole if not on_demand(name) or name in besides]
            return propstats(self.name(path), (whole[name] for name in shown))
        lacking = [name for name in asked if name not in whole]
        return propstats(self.name(path), (whole[name] for name in asked if name in whole), lacking)

    # ---- conditions ------------------------------------------------------------------------------

    def failed_condition(self, etag: str | None) -> Response | None:
        """Why a request may not be, by If-Match and If-None-Match (RFC 9110 §13.1); `etag` None for nothing there."""
        match, none_match = (self.request.headers.get(name) for name in ("if-match", "if-none-match"))
        headers = {"ETag": etag} if etag else {}
        if match is not None and not _holds(match, etag, strong=True):
            return Response("It was changed meanwhile.", 412, headers)
        if none_match is not None and _holds(none_match, etag, strong=False):
            if self.request.method in ("GET", "HEAD"):
                return Response(status_code=304, headers=headers)
            return Response("It was changed meanwhile.", 412, headers)
        return None

    def may_not_write(self, place: Place) -> Response | None:
        """Why nothing may be written at a place."""
        if place.collection is None:
            return Response("There is no such calendar.", 409)
        if place.access == "read":
            privilege = element(f"{{{DAV}}}resource", href(self.path))
            return error(403, f"{{{DAV}}}need-privileges", "You may only read this calendar.", privilege)
        return None


def _holds(header: str, etag: str | None, *, strong: bool) -> bool:
    if header.strip() == "*":
        return etag is not None
    if etag is None or (strong and etag.startswith("W/")):
        return False
    given: Iterable[tuple[str, str]] = _ETAG.findall(header)
    return any(value == etag.removeprefix("W/") and not (strong and weak) for weak, value in given)


def path_of(address: str) -> str:
    """The path of an href, which may be a whole address."""
    try:
        return urlsplit(address.strip()).path
    except ValueError:
        return ""


def zone_in(definition: str) -> str:
    """The IANA zone of a calendar-timezone or timezone element's text; "" for none."""
    named = _TZID.search(definition)
    return resolve(named[1]).zone if named else ""


def zone_of(collection: Collection) -> str:
    return zone_in(collection.zone)
