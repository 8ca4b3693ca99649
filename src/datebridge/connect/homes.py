"""Whose calendars there are on a server, and where (RFC 6764 §6, RFC 5397, RFC 4791 §6.2.1, RFC 3744 §4.4)."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass, replace
from urllib.parse import unquote, urljoin

from datebridge.connect import dav
from datebridge.connect.errors import Unreachable
from datebridge.connect.http import Answer, Web
from datebridge.connect.origins import host_of, origin_of

#: The only statuses that say that something is not there.
GONE = frozenset({404, 410})
DEPTH = {"Depth": "1", "Content-Type": "application/xml; charset=utf-8"}
FLAT = {**DEPTH, "Depth": "0"}
CALENDAR = (
    "D:owner",
    "D:current-user-privilege-set",
    "D:sync-token",
    "D:supported-report-set",
    "C:supported-calendar-component-set",
    "C:calendar-description",
    "C:calendar-timezone",
    "C:max-resource-size",
)
#: Collections that hold no calendars, whatever is in them.
_OTHER = frozenset({"principal", "schedule-inbox", "schedule-outbox", "addressbook", "notification"})
#: How many collections are looked into, and how deep they may lie in one another.
_MOST_SHELVES, _DEEPEST = 50, 3
_MOST_GROUPS = 50


@dataclass(frozen=True, slots=True)
class Home:
    """Who one is on a server, and where one's calendars are.

    Attributes:
        url: where calendars are made; the first home, or the place where calendars were found without one.
        others: further homes: one's own, and those of groups one belongs to.
        addresses: the e-mail addresses that are oneself; meetings organised under them are one's own.
        schedules: the server sends invitations by itself (RFC 6638 §2).
    """

    principal: str
    url: str
    title: str
    addresses: tuple[str, ...]
    schedules: bool
    others: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class ListedCalendar:
    """A calendar as its server lists it. `tag` changes with every change in it; "" where the server has none;
    `zone` is the TZID of its calendar-timezone; `max_size` how many bytes an object may have, 0 for any."""

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
    max_size: int = 0


class Homes:
    """What of people and their calendars can be found from an address."""

    def __init__(self, web: Web, address: str) -> None:
        self.web, self.address = web, address
        self.host = host_of(address)
        #: Whether it has answered as servers of calendars do; and what it said where it did not.
        self.is_server = False
        self._refusal: tuple[int, str] = (0, "")
        self._last = self._refusal

    def discover(self) -> Home:
        """Find principal and homes from an address.

        Raises:
            Unreachable: if there is no CalDAV server there, or it does not let one in; ``homeless`` if it is one, and
                does not tell where calendars are.
        """
        for url in (self.address, self._at(self.address, "/.well-known/caldav")):
            response = self._properties(url, "D:current-user-principal", "C:calendar-home-set")
            principal = response.hrefs("current-user-principal") if response else []
            if response and (principal or response.hrefs("calendar-home-set")):
                break
        else:
            raise self._no_server()
        at = self._at(response.href, principal[0]) if principal else response.href
        person = self._properties(
            at, "D:displayname", "C:calendar-home-set", "C:calendar-user-address-set", "D:group-membership"
        )
        if person is None:
            raise self._nobody(*self._last)
        homes = [self._at(person.href, href) for href in person.hrefs("calendar-home-set")]
        if not homes:
            homes = self._homes_without(at, response.href)
            self.web.note("no-home")
        groups = [self._at(person.href, href) for href in person.hrefs("group-membership")]
        of_groups = self._of_groups(groups[:_MOST_GROUPS])
        others = [*homes[1:], *of_groups]
        self._note(
            **{
                "two-homes": len(person.hrefs("calendar-home-set")) > 1,
                "delegates": bool(of_groups),
                "other-host": origin_of(homes[0]) not in (origin_of(self.address), origin_of(response.href)),
            }
        )
        offers = self._offers(homes[0])
        addresses = [a.lower().removeprefix("mailto:") for a in person.hrefs("calendar-user-address-set")]
        return Home(
            at,
            homes[0],
            person.text("displayname"),
            tuple(a for a in addresses if "@" in a),
            "calendar-auto-schedule" in offers or "calendar-schedule" in offers,
            tuple(home for home in dict.fromkeys(others) if home != homes[0]),
        )

    def _no_server(self) -> Unreachable:
        status, words = self._refusal
        text = f" It says: {words}" if words else ""
        if status != 403 or not self.web.signed_in:
            return self._no_answer(status, text)
        self.is_server = True  # it is signed in to, and says no
        return Unreachable(
            "answer",
            f"{self.host} refuses to answer calendar programs with this user name and password (403).{text} Many"
            " servers want a password made for programs: make one there, or ask who runs it.",
        )

    def _no_answer(self, status: int, reply: str) -> Unreachable:
        """What an answer comes to that no calendar server gives; ``missing`` where there may be a page or a feed."""
        if status in (0, 403, *GONE):
            return Unreachable(
                "missing", f"{self.host} answers, but there is nothing at this address. Check that it is complete."
            )
        if status in (400, 405, 501) or status < 300:
            return Unreachable(
                "missing",
                f"{self.host} answers, but does not know at this address what calendar programs ask ({status}). Is it"
                " complete?",
            )
        if status < 400:
            return Unreachable("answer", f"{self.host} redirects without saying where to ({status}).")
        return Unreachable(
            "answer", f"{self.host} refuses to answer calendar programs ({status}).{reply} Ask who runs it."
        )

    def _nobody(self, status: int, words: str) -> Unreachable:
        """What it comes to that a server names who one is, and says nothing of it."""
        what = {
            404: "there is nothing at the address it names",
            410: "there is nothing at the address it names",
            403: "does not let you look there",
        }.get(status)
        text = f" It says: {words}" if words else ""
        named = f"knows you, and then {what} ({status}).{text}" if what else "does not say who you are there."
        return Unreachable("answer", f"{self.host} {named} Ask who runs it for the address that calendar programs use.")

    def _offers(self, home: str) -> str:
        """What a server says it can do; nothing where it has trouble with the question."""
        try:
            return self.web.request("OPTIONS", home, once=True).header("dav")
        except Unreachable as error:
            if error.http_status < 500:
                raise
            return ""

    def _homes_without(self, principal: str, root: str) -> list[str]:
        """Where calendars are although the server does not say it: at one's own address, or at the one given; what
        holds the first of them comes first."""
        for url in dict.fromkeys((self.address, principal, root)):
            responses, _ = self._inside(url)
            if responses:  # what holds them takes others
                return [urljoin(responses[0].href.rstrip("/"), "."), url]
        raise Unreachable(
            "homeless",
            f"{self.host} knows you, but does not say where your calendars are, and there are none at this address."
            " Give the address of what holds your calendars, as its people or its help pages name it.",
        )

    def _of_groups(self, groups: Iterable[str]) -> list[str]:
        """The homes of the groups one belongs to: calendars that others have given one a share in."""
        homes: list[str] = []
        for group in groups:
            try:
                response = self._properties(group, "C:calendar-home-set")
            except Unreachable as error:
                if error.temporary:
                    raise
                continue
            homes += [self._at(response.href, href) for href in response.hrefs("calendar-home-set")] if response else []
        return homes

    def calendars(self, home: Home) -> list[ListedCalendar]:
        """Every calendar of the homes, those on shelves too; one's own first, in the order their owner gave them."""
        listed: dict[str, ListedCalendar] = {}
        shelves = [(home.url, 0), *((other, 0) for other in home.others)]
        seen = {home.url}
        for url, depth in shelves:
            responses, inner = self._inside(url, needed=url == home.url)
            for response in responses:
                at = self._at(url, response.href)
                self._note(shelf=depth > 0 and at not in listed)
                listed.setdefault(at, as_listed(at, response, home))
            for deeper in (self._at(url, one) for one in inner):
                if depth < _DEEPEST and deeper not in seen and len(seen) < _MOST_SHELVES:
                    seen.add(deeper)
                    shelves.append((deeper, depth + 1))
        owners = {
            owner: self._name_of(owner) for owner in {calendar.owner for calendar in listed.values() if calendar.owner}
        }
        renamed = [replace(calendar, owner=owners.get(calendar.owner, "")) for calendar in listed.values()]
        return sorted(renamed, key=lambda calendar: (not calendar.owned, calendar.position))

    def _inside(self, url: str, needed: bool = False) -> tuple[list[dav.DavResponse], list[str]]:
        """The calendars directly in a collection, and the addresses of further collections in it.

        Raises:
            Unreachable: if it cannot be asked; where it is not `needed`, only if that may be over soon.
        """
        answer = self.web.request("PROPFIND", url, dav.propfind(CALENDAR, everything=True), DEPTH)
        if answer.status != 207 and not needed:
            return [], []
        if answer.status in (*GONE, 403):
            raise self._homeless(answer.status)
        responses, _ = dav.multistatus(expect(answer, 207).body, self.host)
        calendars, shelves = [], []
        itself = {unquote(one).rstrip("/") for one in (url, answer.url)}
        refused = [response.status for response in responses if response.status in (*GONE, 403)]
        if needed and len(refused) == len(responses) == 1:
            raise self._homeless(refused[0])
        for response in responses:
            kinds = response.children("resourcetype")
            at = self._at(answer.url, response.href)
            if "calendar" in kinds:
                calendars.append(replace(response, href=at))
            elif "collection" in kinds and not kinds & _OTHER and unquote(at).rstrip("/") not in itself:
                shelves.append(at)
        return calendars, shelves

    def _homeless(self, status: int) -> Unreachable:
        what = "there is nothing at that address" if status in GONE else "does not let you look there"
        return Unreachable(
            "homeless",
            f"{self.host} says where your calendars are, and then {what} ({status}). Ask who runs"
            f" {self.host}: your calendars may have to be set up there first.",
        )

    def _note(self, **seen: bool) -> None:
        self.web.note(*(habit for habit, whether in seen.items() if whether))

    def _properties(self, url: str, *names: str) -> dav.DavResponse | None:
        answer = self.web.request("PROPFIND", url, dav.propfind(names), FLAT)
        if answer.status != 207:
            self._last = answer.status, dav.condition(answer.body)[1]
            self._refusal = max(self._refusal, self._last)
            return None
        self.is_server = True
        responses, _ = dav.multistatus(answer.body, self.host)
        return (
            dav.DavResponse(self._at(answer.url, responses[0].href), 200, responses[0].properties)
            if responses
            else None
        )

    def _name_of(self, principal: str) -> str:
        try:
            response = self._properties(principal, "D:displayname")
        except Unreachable:
            return ""
        return response.text("displayname") if response else ""

    def _at(self, base: str, href: str) -> str:
        """An address that an answer names."""
        return joined(base, href, self.host)


def joined(base: str, href: str, host: str) -> str:
    """An address that an answer from `base` names.

    Raises:
        Unreachable: if it is none.
    """
    try:
        return urljoin(base, href)
    except ValueError as error:
        raise Unreachable("answer", f"{host} names an address that is none.") from error


def expect(answer: Answer, status: int) -> Answer:
    """The answer, if it has the status that was hoped for.

    Raises:
        Unreachable: if not.
    """
    if answer.status == status:
        return answer
    host = host_of(answer.url)
    if answer.status in GONE:
        raise calendar_gone(host)
    name, words = dav.condition(answer.body)
    text = words or name or "no reason given"
    raise Unreachable(
        "answer",
        f"{host} refuses the question with {answer.status} ({text}). The entries here are kept; if this "
        "persists, ask the operator of {host}.",
    )


def calendar_gone(host: str) -> Unreachable:
    """A calendar that is known is not there."""
    return Unreachable(
        "missing",
        f"This calendar is not on {host} any more. Rediscover the calendars of the account: it may have "
        "another address.",
    )


def _tzid(definition: str) -> str:
    """The TZID of a calendar-timezone property, which holds a whole VTIMEZONE (RFC 4791 §5.2.2)."""
    return next((x.partition(":")[2].strip() for x in definition.splitlines() if x.strip().startswith("TZID:")), "")


def as_listed(url: str, response: dav.DavResponse, home: Home | None) -> ListedCalendar:
    """A calendar as the properties describe it; `home` of whoever asks, where that is known."""
    privileges = response.children("current-user-privilege-set")
    owner = next(iter(response.hrefs("owner")), "")
    try:
        owner = urljoin(url, owner) if owner else ""
    except ValueError:
        owner = ""
    element = response.properties.get("supported-calendar-component-set")
    components = tuple(str(c.get("name", "")) for c in element) if element is not None else ()
    order, most = response.text("calendar-order"), response.text("max-resource-size").strip()
    return ListedCalendar(
        url=url,
        name=response.text("displayname") or url.rstrip("/").rsplit("/", 1)[-1],
        colour=response.text("calendar-color")[:7],
        description=response.text("calendar-description"),
        zone=_tzid(response.text("calendar-timezone")),
        owner=owner,
        # A server without access control lets the owner of the home write.
        writable=bool({"all", "write", "write-content"} & privileges) or not privileges,
        owned=home is None or not owner or _path(owner) == _path(home.principal),
        components=components,
        position=int(order) if re.fullmatch("[0-9]{1,9}", order) else 0,
        tag=response.text("getctag"),
        token=response.text("sync-token"),
        syncs="sync-collection" in response.children("supported-report-set") or bool(response.text("sync-token")),
        colour_space=response.namespace("calendar-color"),
        max_size=int(most) if re.fullmatch("[0-9]{1,15}", most) else 0,
    )


def _path(url: str) -> str:
    """People are the same ones whichever host of a server names them."""
    return url.partition("://")[2].partition("/")[2].rstrip("/") if "://" in url else url.strip("/")
