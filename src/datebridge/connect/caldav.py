"""A CalDAV server as a client sees it (RFC 4791, 6578, 6638, 6764): finding, listing, fetching, writing."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from urllib.parse import quote, unquote, urljoin, urlsplit

from datebridge.connect import dav
from datebridge.connect.errors import Unreachable
from datebridge.connect.http import Answer, Web
from datebridge.connect.origins import host_of

#: The only statuses that say that something is not there.
GONE = frozenset({404, 410})
#: How many entries one multiget asks for.
FETCH = 100
_UNESCAPED = "~!$&'()*+,;=:@"
_DEPTH = {"Depth": "1", "Content-Type": "application/xml; charset=utf-8"}
_FLAT = {**_DEPTH, "Depth": "0"}
_CALENDAR = ("D:owner", "D:current-user-privilege-set", "D:sync-token", "D:supported-report-set",
             "C:supported-calendar-component-set", "C:calendar-description", "C:calendar-timezone",
             "C:max-resource-size")  # fmt: skip


@dataclass(frozen=True, slots=True)
class Home:
    """Who one is on a server, and where one's calendars are.

    Attributes:
        addresses: the e-mail addresses that are oneself; meetings organised under them are one's own.
        schedules: the server sends invitations by itself (RFC 6638 §2).
    """

    principal: str
    url: str
    title: str
    addresses: tuple[str, ...]
    schedules: bool


@dataclass(frozen=True, slots=True)
class Listed:
    """A calendar as its server lists it. `tag` changes with every change in it; "" where the server has none;
    `zone` is the TZID of its calendar-timezone."""

    url: str
    name: str
    colour: str = ""
    description: str = ""
    zone: str = ""
    owner: str = ""
    writable: bool = False
    owned: bool = False
    components: tuple[str, ...] = ()
    position: int = 0
    tag: str = ""
    token: str = ""
    syncs: bool = False
    colour_space: str = ""


@dataclass(frozen=True, slots=True)
class Delta:
    """What changed in a calendar: addresses with ETags, addresses that are gone.

    `whole` says that `changed` lists everything there is, so that what it does not list is gone too.
    """

    changed: dict[str, str]
    gone: tuple[str, ...]
    token: str
    whole: bool


@dataclass(frozen=True, slots=True)
class Resource:
    """A calendar object as fetched: its path, its ETag, its octets.

    `data` is None where there are none: because it is not there any more, or because it is not handed out just now,
    as `status` says; 0 where the server does not speak of it at all.
    """

    href: str
    etag: str
    data: bytes | None
    status: int = 200

    @property
    def gone(self) -> bool:
        """Whether it is not there any more; no other status says that (RFC 9110 §15.5.5, §15.5.11)."""
        return self.data is None and self.status in GONE


class CalDavServer:
    """One account on one server."""

    def __init__(self, web: Web, address: str) -> None:
        self.web, self.address = web, address
        self.host = host_of(address)

    # ---- finding ---------------------------------------------------------------------------------

    def discover(self) -> Home:
        """Find principal and home from an address (RFC 6764 §6, RFC 5397, RFC 4791 §6.2.1).

        Raises:
            Unreachable: if there is no CalDAV server there, or it does not let one in.
        """
        for url in (self.address, self._at(self.address, "/.well-known/caldav")):
            found = self._properties(url, "D:current-user-principal", "C:calendar-home-set")
            principal = found.hrefs("current-user-principal") if found else []
            if found and (principal or found.hrefs("calendar-home-set")):
                break
        else:
            raise Unreachable("answer", f"{self.host} is no calendar server, as far as it shows.")
        at = self._at(found.href, principal[0]) if principal else found.href
        person = self._properties(
            at, "D:displayname", "C:calendar-home-set", "C:calendar-user-address-set"
        )  # fmt: skip
        homes = person.hrefs("calendar-home-set") if person else []
        if person is None or not homes:
            raise Unreachable("answer", f"{self.host} does not say where your calendars are.")
        home = self._at(person.href, homes[0])
        offers = self.web.request("OPTIONS", home).headers.get("dav", "")
        addresses = [a.lower().removeprefix("mailto:") for a in person.hrefs("calendar-user-address-set")]
        return Home(
            at, home, person.text("displayname"), tuple(a for a in addresses if "@" in a),
            "calendar-auto-schedule" in offers or "calendar-schedule" in offers,
        )  # fmt: skip

    def _properties(self, url: str, *names: str) -> dav.Found | None:
        answer = self.web.request("PROPFIND", url, dav.propfind(names), _FLAT)
        if answer.status != 207:
            return None
        found, _ = dav.multistatus(answer.body, self.host)
        return dav.Found(self._at(answer.url, found[0].href), 200, found[0].properties) if found else None

    def _at(self, base: str, href: str) -> str:
        """An address that an answer names."""
        try:
            return urljoin(base, href)
        except ValueError as error:
            raise Unreachable("answer", f"{self.host} names an address that is none.") from error

    def calendars(self, home: Home) -> list[Listed]:
        """Every calendar of the home, in the order the owner gave them."""
        body = dav.propfind(_CALENDAR, everything=True)
        answer = self._expect(self.web.request("PROPFIND", home.url, body, _DEPTH), 207)
        found, _ = dav.multistatus(answer.body, self.host)
        listed = [
            _listed(self._at(answer.url, one.href), one, home)
            for one in found
            if "calendar" in one.children("resourcetype")
        ]
        owners = {owner: self._name_of(owner) for owner in {one.owner for one in listed if one.owner}}
        renamed = [_with_owner(one, owners.get(one.owner, "")) for one in listed]
        return sorted(renamed, key=lambda one: (not one.owned, one.position))

    def _name_of(self, principal: str) -> str:
        try:
            found = self._properties(principal, "D:displayname")
        except Unreachable:
            return ""
        return found.text("displayname") if found else ""

    def state(self, url: str) -> Listed:
        """A calendar as it is now, tag and token among it."""
        answer = self._expect(self.web.request("PROPFIND", url, dav.propfind(_CALENDAR, everything=True), _FLAT), 207)
        found, _ = dav.multistatus(answer.body, self.host)
        if not found:
            raise Unreachable("answer", f"{self.host} says nothing of this calendar.")
        return _listed(url, found[0], None)

    def exists(self, url: str) -> bool:
        """Whether there is a collection at an address.

        Raises:
            Unreachable: if the server does not say.
        """
        answer = self.web.request("PROPFIND", url, dav.propfind(["D:resourcetype"]), _FLAT)
        return answer.status not in GONE and bool(self._expect(answer, 207))

    # ---- fetching --------------------------------------------------------------------------------

    def etags(self, url: str) -> dict[str, str]:
        """The path and ETag of everything in a calendar."""
        answer = self._expect(self.web.request("PROPFIND", url, dav.propfind(["D:getetag"]), _DEPTH), 207)
        found, _ = dav.multistatus(answer.body, self.host)
        itself = canonical(url).rstrip("/")
        return {
            path: one.etag for one in found
            if (path := canonical(one.href)).rstrip("/") != itself and "getetag" in one.properties
        }  # fmt: skip

    def changes(self, url: str, token: str) -> Delta:
        """What changed since a sync token (RFC 6578 §3.2); everything where there is none or it has expired."""
        answer = self.web.request("REPORT", url, dav.sync_collection(token), _DEPTH)
        if answer.status in (403, 409, 410) and token:
            return self.changes(url, "")
        found, after = dav.multistatus(self._expect(answer, 207).body, self.host)
        itself = canonical(url).rstrip("/")
        paths = [canonical(one.href) for one in found]
        of_itself = [path.rstrip("/") == itself for path in paths]
        # The list was cut short (RFC 6578 §3.6).
        if any(one.status == 507 for one, own in zip(found, of_itself, strict=True) if own):
            return Delta(self.etags(url), (), "", True)
        entries = [(path, one) for path, one, own in zip(paths, found, of_itself, strict=True) if not own]
        gone = tuple(path for path, one in entries if one.status in GONE)
        changed = {path: one.etag for path, one in entries if one.status not in GONE}
        return Delta(changed, gone, after, not token)

    def fetch(self, url: str, hrefs: Sequence[str]) -> Iterator[list[Resource]]:
        """The named objects, a hundred at a time, over several connections, in order."""
        with ThreadPoolExecutor(max_workers=self.web.connections) as pool:
            pieces = [list(hrefs[k : k + FETCH]) for k in range(0, len(hrefs), FETCH)]
            ahead = [pool.submit(self._multiget, url, piece) for piece in pieces[: self.web.connections]]
            for number in range(len(pieces)):
                got = ahead[number].result()
                following = number + self.web.connections
                if following < len(pieces):
                    ahead.append(pool.submit(self._multiget, url, pieces[following]))
                yield got

    def _multiget(self, url: str, hrefs: list[str]) -> list[Resource]:
        answer = self._expect(self.web.request("REPORT", url, dav.multiget(hrefs), _DEPTH), 207)
        found, _ = dav.multistatus(answer.body, self.host)
        said = {canonical(one.href): one for one in found}
        # One that the answer passes over is not gone: nothing was said of it.
        return [_resource(href, said.get(canonical(href))) for href in hrefs]

    def get(self, href: str) -> Resource:
        answer = self.web.request("GET", self._at(self.address, href))
        data = answer.body if answer.status == 200 else None
        return Resource(href, answer.header("etag"), data, answer.status)

    # ---- writing ---------------------------------------------------------------------------------

    def put(self, href: str, data: bytes, etag: str) -> Answer:
        """Write an object: over the state `etag` stands for, or as a new one where it is "" (RFC 9110 §13.1)."""
        condition = {"If-Match": etag} if etag else {"If-None-Match": "*"}
        headers = {"Content-Type": "text/calendar; charset=utf-8", **condition}
        return self.web.request("PUT", self._at(self.address, href), data, headers)

    def delete(self, href: str, etag: str) -> Answer:
        """Delete an object; an attendee's deletion is not told to the organiser (RFC 6638 §8.1)."""
        headers = {"Schedule-Reply": "F", **({"If-Match": etag} if etag else {})}
        return self.web.request("DELETE", self._at(self.address, href), headers=headers)

    def make_calendar(self, url: str, values: dict[tuple[str, str], str]) -> Answer:
        body = dav.settings("C:mkcalendar", values)
        return self.web.request("MKCALENDAR", url, body, {"Content-Type": "application/xml; charset=utf-8"})

    def set_properties(self, url: str, values: dict[tuple[str, str], str]) -> Answer:
        body = dav.settings("D:propertyupdate", values)
        return self.web.request("PROPPATCH", url, body, {"Content-Type": "application/xml; charset=utf-8"})

    def _expect(self, answer: Answer, status: int) -> Answer:
        if answer.status == status:
            return answer
        if answer.status in (404, 410):
            raise Unreachable("missing", f"This calendar is not on {self.host} any more.")
        name, words = dav.condition(answer.body)
        said = words or name or "no reason given"
        raise Unreachable("answer", f"{self.host} refuses the question with {answer.status} ({said}).")


def canonical(href: str) -> str:
    """The path of an address in one spelling, since servers and clients escape differently (RFC 3986 §6.2.2).

    >>> canonical("http://calendars.example/home/a%40b%2fc.ics") == canonical("/home/a@b%2Fc.ics")
    True
    """
    try:
        path = urlsplit(href).path
    except ValueError:  # no address at all
        path = href
    return "/".join(quote(unquote(part), safe=_UNESCAPED) for part in path.split("/"))


def _resource(href: str, said: dav.Found | None) -> Resource:
    if said is None:
        return Resource(canonical(href), "", None, 0)
    if said.status < 300 and "calendar-data" in said.properties:
        return Resource(canonical(href), said.etag, said.text("calendar-data").encode())
    status = said.status if said.status >= 300 else said.missing
    # Something that has an ETag is there, whatever is said of its data.
    return Resource(canonical(href), said.etag, None, 0 if said.etag and status in GONE else status)


def _tzid(definition: str) -> str:
    """The TZID of a calendar-timezone property, which holds a whole VTIMEZONE (RFC 4791 §5.2.2)."""
    return next((x.partition(":")[2].strip() for x in definition.splitlines() if x.strip().startswith("TZID:")), "")


def _with_owner(one: Listed, name: str) -> Listed:
    return replace(one, owner=name)


def _listed(url: str, one: dav.Found, home: Home | None) -> Listed:
    privileges = one.children("current-user-privilege-set")
    owner = next(iter(one.hrefs("owner")), "")
    try:
        owner = urljoin(url, owner) if owner else ""
    except ValueError:
        owner = ""
    element = one.properties.get("supported-calendar-component-set")
    components = tuple(str(c.get("name", "")) for c in element) if element is not None else ()
    order = one.text("calendar-order")
    return Listed(
        url=url, name=one.text("displayname") or url.rstrip("/").rsplit("/", 1)[-1],
        colour=one.text("calendar-color")[:7], description=one.text("calendar-description"),
        zone=_tzid(one.text("calendar-timezone")), owner=owner,
        # A server without access control lets the owner of the home write.
        writable=bool({"all", "write", "write-content"} & privileges) or not privileges,
        owned=home is None or not owner or owner.rstrip("/") == home.principal.rstrip("/"),
        components=components, position=int(order) if re.fullmatch("[0-9]{1,9}", order) else 0,
        tag=one.text("getctag"), token=one.text("sync-token"),
        syncs="sync-collection" in one.children("supported-report-set") or bool(one.text("sync-token")),
        colour_space=one.namespace("calendar-color"),
    )  # fmt: skip
