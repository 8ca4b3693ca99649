"""Feeds: calendars published by address, fetched only where they have changed (RFC 9110 §13)."""

from __future__ import annotations

from dataclasses import dataclass

from datebridge.connect.charsets import as_calendar
from datebridge.connect.errors import Unreachable
from datebridge.connect.http import Web
from datebridge.connect.origins import host_of
from datebridge.core.moments import NotAMoment, parse_duration
from datebridge.core.text.component import Component

_ACCEPT = {"Accept": "text/calendar, application/calendar+json;q=0.6, application/octet-stream;q=0.5, */*;q=0.1"}
#: However seldom a publisher wants its feed to be fetched, it is within this time, in seconds.
_SELDOM = 7 * 86_400
_LOOKED_AT = 1 << 16


@dataclass(frozen=True, slots=True)
class Fetched:
    """A feed as it is now; `data` is None where it has not changed. `moved`: its new address, given for good."""

    data: bytes | None
    etag: str
    modified: str
    moved: str


def fetch(web: Web, url: str, etag: str = "", modified: str = "") -> Fetched:
    """Fetch a feed, unless it is as it was.

    Raises:
        Unreachable: if it does not answer, or answers with something that is no calendar.
    """
    headers = dict(_ACCEPT)
    if etag:
        headers["If-None-Match"] = etag
    if modified:
        headers["If-Modified-Since"] = modified
    answer = web.request("GET", url, headers=headers)
    host = host_of(url)
    if answer.status == 304:
        return Fetched(None, etag, modified, answer.moved)
    if answer.status in (404, 410):
        raise Unreachable("missing", f"{host} no longer has a feed at this address.")
    if answer.status != 200:
        raise Unreachable("answer", f"{host} answers {answer.status} instead of the feed.")
    data = as_calendar(answer.body, answer.header("content-type"))
    if not is_calendar(data):
        what = "a web page" if is_page(answer.body) else "something else"
        raise Unreachable("answer", f"{host} answers with {what} instead of a calendar.")
    if not is_complete(data):
        raise Unreachable(
            "incomplete",
            f"{host} sent only a part of this feed: its end (END:VCALENDAR) is missing. The entries here are kept.",
        )
    return Fetched(data, answer.header("etag"), answer.header("last-modified"), answer.moved)


def is_calendar(data: bytes) -> bool:
    head = data[:_LOOKED_AT]
    return b"BEGIN:VCALENDAR" in head.replace(b"\0", b"").upper()


def is_complete(data: bytes) -> bool:
    """Whether a calendar, the last of several, has come to its end."""
    plain = data.replace(b"\0", b"").upper()
    return plain.rfind(b"END:VCALENDAR") > plain.rfind(b"BEGIN:VCALENDAR")


def is_page(data: bytes) -> bool:
    return b"<html" in data[:_LOOKED_AT].lower()


def interval(header: str) -> int:
    """How often a publisher wants its feed to be fetched, in seconds, once a week at least; 0 where it does not say.

    REFRESH-INTERVAL (RFC 7986 §5.7), else X-PUBLISHED-TTL, which many publishers use.
    """
    component = Component(header)
    line = component.first("REFRESH-INTERVAL") or component.first("X-PUBLISHED-TTL")
    try:
        days, seconds = parse_duration(line.value) if line else (0, 0)
    except NotAMoment:
        return 0
    return min(_SELDOM, max(0, int(days * 86400 + seconds)))
