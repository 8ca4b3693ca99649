"""Who may read and write a calendar, as its server tells it, and told to another one (RFC 3744)."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple
from urllib.parse import urljoin

from lxml import etree

from datebridge.connect import dav
from datebridge.connect.caldav import CalDavServer
from datebridge.connect.homes import FLAT

_WRITES = frozenset({"write", "write-content", "all", "bind"})
#: So many people of one calendar are looked at.
MOST_PEOPLE = 200


class Access(NamedTuple):
    """What somebody may do with a calendar.

    Attributes:
        principal: their address at this server; name, mail: "" where it does not say.
        writes: they may change it; else they may read it.
    """

    principal: str
    name: str
    mail: str
    writes: bool


def access_of(server: CalDavServer, url: str) -> list[Access] | None:
    """Who may read and write a calendar beside its owner; None where the server does not tell.

    Raises:
        Unreachable: if it cannot be asked.
    """
    answer = server.web.request("PROPFIND", url, dav.propfind(["D:acl", "D:owner"]), FLAT)
    responses, _ = dav.multistatus(answer.body, server.host) if answer.status == 207 else ([], "")
    listed = responses[0].properties.get("acl") if responses else None
    if listed is None:
        return None
    owners = {urljoin(url, href) for href in responses[0].hrefs("owner")}
    people: dict[str, bool] = {}
    for ace in listed.iterfind(f"{{{dav.DAV}}}ace"):
        principal, granted = ace.find(f"{{{dav.DAV}}}principal"), ace.find(f"{{{dav.DAV}}}grant")
        if principal is None or granted is None:  # inverted, or a denial: nobody is let in by it
            continue
        href = dav.words(principal.find(f"{{{dav.DAV}}}href")).strip()
        may = {etree.QName(one).localname for one in granted.iter("*")}
        if href and may & {"read", *_WRITES} and urljoin(url, href) not in owners:
            people[urljoin(url, href)] = people.get(urljoin(url, href), False) or bool(may & _WRITES)
    return [_person(server, principal, writes) for principal, writes in list(people.items())[:MOST_PEOPLE]]


def _person(server: CalDavServer, principal: str, writes: bool) -> Access:
    wanted = dav.propfind(["D:displayname", "C:calendar-user-address-set"])
    answer = server.web.request("PROPFIND", principal, wanted, FLAT)
    responses, _ = dav.multistatus(answer.body, server.host) if answer.status == 207 else ([], "")
    if not responses:
        return Access(principal, "", "", writes)
    addresses = [one.lower().removeprefix("mailto:") for one in responses[0].hrefs("calendar-user-address-set")]
    mail = next((one for one in addresses if "@" in one), "")
    return Access(principal, responses[0].text("displayname").strip(), mail, writes)


def principal_of(server: CalDavServer, url: str, mail: str) -> str:
    """The address of somebody at a server, found by their mail address (RFC 3744 §9.4); "" where that is not possible.

    Raises:
        Unreachable: if it cannot be asked.
    """
    answer = server.web.request("PROPFIND", url, dav.propfind(["D:principal-collection-set"]), FLAT)
    responses, _ = dav.multistatus(answer.body, server.host) if answer.status == 207 else ([], "")
    for where in (href for one in responses for href in one.hrefs("principal-collection-set")):
        at = urljoin(url, where)
        answer = server.web.request("REPORT", at, dav.people_with(mail), FLAT)
        found, _ = dav.multistatus(answer.body, server.host) if answer.status == 207 else ([], "")
        for one in found:
            addresses = {href.lower().removeprefix("mailto:") for href in one.hrefs("calendar-user-address-set")}
            if mail.lower() in addresses:  # a search is by parts of an address
                return urljoin(at, one.href)
    return ""


def let_in(server: CalDavServer, url: str, people: Sequence[tuple[str, bool]]) -> bool:
    """Let people read a calendar, or write it too, beside those who may already; whether it was taken (RFC 3744 §8.1).

    Raises:
        Unreachable: if it cannot be asked.
    """
    there = {one.principal: one.writes for one in access_of(server, url) or ()}
    for principal, writes in people:
        there[principal] = there.get(principal, False) or writes
    return set_access(server, url, list(there.items()))


def set_access(server: CalDavServer, url: str, people: Sequence[tuple[str, bool]]) -> bool:
    """Let these people read a calendar, or write it too, and nobody else; whether it was taken (RFC 3744 §8.1).

    Raises:
        Unreachable: if it cannot be asked.
    """
    return server.web.request("ACL", url, dav.acl(people)).status in (200, 204)
