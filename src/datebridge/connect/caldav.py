"""The calendars of a server as a client sees them (RFC 4791, 6578, 6638): listing, fetching, writing.

A server that keeps to the standards is asked in as few ways as can be. One that refuses a question is asked in
another: what changed, else all there is; a listing, else a query; many entries at once, else fewer, else one by one.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import TypeVar
from urllib.parse import quote, unquote_to_bytes, urlsplit

from lxml import etree

from datebridge.connect import dav
from datebridge.connect.charsets import as_calendar
from datebridge.connect.errors import ALONE, Unreachable
from datebridge.connect.homes import CALENDAR, DEPTH, FLAT, GONE, Homes, ListedCalendar, as_listed, expect, joined
from datebridge.connect.http import Answer, Web, WebRequest
from datebridge.core.keeping import is_object

#: How many entries one multiget asks for; and of how many it asks only whether they are there.
FETCH, CONFIRM = 100, 1000
#: Escapes of what need not be escaped (RFC 3986 §2.3).
_NEEDLESS = re.compile("%(?:4[1-9A-F]|5[0-9A]|6[1-9A-F]|7[0-9A]|3[0-9]|2[DE]|5F|7E)", re.IGNORECASE)
_UNESCAPED = "~!$&'()*+,;=:@"
#: How a server may say that a token is none of its own any more; RFC 6578 §3.2 knows 403 alone.
_EXPIRED = frozenset({400, 403, 409, 410, 412, 507})
#: How it may say that something was too much at once.
_TOO_MUCH = frozenset({403, 413, 507})
#: In so many pieces what changed may be told (RFC 6578 §3.6).
_MOST_PAGES = 100_000
Piece = TypeVar("Piece")
#: Stands for what a server lists and then says is not there: one of its parts may lag behind another.
LAGS = 1404


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
    """A calendar object as fetched: its path, its ETag, its bytes.

    `data` is None where there are none: because it is not there any more, or because it is not handed out just now,
    as `status` says; 0 where the server does not speak of it at all, 200 where what it hands out is no calendar object.
    """

    href: str
    etag: str
    data: bytes | None
    status: int = 200

    @property
    def why(self) -> str:
        """Why it is not handed out, in words."""
        return withheld(self.status)

    @property
    def gone(self) -> bool:
        """Whether it is not there any more; no other status says that (RFC 9110 §15.5.5, §15.5.11)."""
        return self.data is None and self.status in GONE


def withheld(status: int) -> str:
    """Why something is not handed out: a status, or what is wrong with the answer."""
    return {0: "it passes it over", 200: "it sends another answer", LAGS: "listed, but missing"}.get(
        status, f"{status}"
    )


class CalDavServer(Homes):
    """One account on one server."""

    def __init__(self, web: Web, address: str) -> None:
        super().__init__(web, address)
        self._at_once = FETCH
        self._alone = False

    def state(self, url: str) -> ListedCalendar:
        """A calendar as it is now, tag and token among it."""
        answer = self.web.request("PROPFIND", url, dav.propfind(CALENDAR, everything=True), FLAT)
        responses, _ = dav.multistatus(expect(answer, 207).body, self.host)
        if not responses:
            raise Unreachable("answer", f"{self.host} does not return this calendar.")
        return as_listed(url, responses[0], None)

    def exists(self, url: str) -> bool:
        """Whether there is a collection at an address.

        Raises:
            Unreachable: if the server does not say.
        """
        answer = self.web.request("PROPFIND", url, dav.propfind(["D:resourcetype"]), FLAT)
        return answer.status not in GONE and bool(expect(answer, 207))

    # ---- listing ---------------------------------------------------------------------------------

    def etags(self, url: str) -> dict[str, str]:
        """The path and ETag of everything in a calendar.

        Raises:
            Unreachable: if the server neither lists nor is queried, or says that there is more than it lists.
        """
        answer = self.web.request("PROPFIND", url, dav.propfind(["D:getetag", "D:resourcetype"]), DEPTH)
        if answer.status in GONE:
            expect(answer, 207)
        listed: dict[str, str] = {}
        cut = False
        if answer.status == 207:
            responses, _ = dav.multistatus(answer.body, self.host)
            listed, cut = _entries(url, responses), _is_cut(url, responses)
            self._look(responses)
        self._note(**{"cut-listings": cut, "no-listing": answer.status != 207})
        if cut or answer.status != 207:
            queried = self.queried(url)
            if queried is None:
                if answer.status != 207:
                    expect(answer, 207)
                raise Unreachable(
                    "answer",
                    f"{self.host} lists only a part of this calendar (507), and cannot be asked for the rest. "
                    "The entries here are kept; ask the operator of {self.host} to let more be listed at once.",
                )
            listed |= queried
        return listed

    def _look(self, responses: Sequence[dav.DavResponse]) -> None:
        """How an answer names things."""
        some = [response.href for response in responses[-1:]]
        self._note(
            **{
                "absolute-hrefs": any("://" in href for href in some),
                "escapes": any(_NEEDLESS.search(href) for href in some),
            }
        )

    def queried(self, url: str) -> dict[str, str] | None:
        """The same by a calendar-query (RFC 4791 §7.8); None where it is refused, or only answered in part."""
        answer = self.web.request("REPORT", url, dav.everything(), DEPTH)
        if answer.status != 207:
            return None
        responses, _ = dav.multistatus(answer.body, self.host)
        return None if _is_cut(url, responses) else _entries(url, responses)

    def of_uid(self, url: str, uid: str, kind: str) -> dict[str, str] | None:
        """Where in a calendar entries of a kind are whose UID holds a text; None where that is refused."""
        answer = self.web.request("REPORT", url, dav.with_uid(uid, kind), DEPTH)
        if answer.status != 207:
            return None
        responses, _ = dav.multistatus(answer.body, self.host)
        return _entries(url, responses)

    def still_there(self, url: str, hrefs: Sequence[str]) -> dict[str, str]:
        """Which of some entries that were not listed are there all the same, or may be: path and ETag, "" unknown."""
        there: dict[str, str] = {}
        for piece in self._pieces(list(hrefs), CONFIRM, lambda some: self._multiget(url, some, data=False)):
            for resource in piece:
                if not resource.gone:
                    there[resource.href] = resource.etag
        return there

    def changes(self, url: str, token: str) -> Delta:
        """What changed since a sync token (RFC 6578 §3.2); everything where there is none, or it has expired.

        A server that refuses the report altogether is asked for a listing.
        """
        changed: dict[str, str] = {}
        gone: dict[str, None] = {}
        since = token
        for _ in range(_MOST_PAGES):
            answer = self.web.request("REPORT", url, dav.sync_collection(since), FLAT)
            if answer.status != 207:
                if token and answer.status in _EXPIRED:
                    self.web.note("stale-tokens")
                    return self.changes(url, "")
                if answer.status in GONE:
                    expect(answer, 207)
                self.web.note("no-sync")
                return Delta(self.etags(url), (), "", True)
            responses, after = dav.multistatus(answer.body, self.host)
            for path, response in _apart(url, responses):
                (changed if response.status in GONE else gone).pop(path, None)
                if response.status in GONE:
                    gone[path] = None
                elif not path.endswith("/") and "collection" not in response.children("resourcetype"):
                    changed[path] = response.etag
            self._look(responses)
            if not _is_cut(url, responses):
                return Delta(changed, tuple(gone), after, not token)
            self.web.note("cut-listings")
            if not after or after == since:  # cut, and no way to hear the rest
                break
            since = after
        return Delta(self.etags(url), (), "", True)

    # ---- fetching --------------------------------------------------------------------------------

    def fetch(self, url: str, hrefs: Sequence[str]) -> Iterator[list[Resource]]:
        """The named objects, a hundred at a time, over several connections, in order."""
        return self._pieces(list(hrefs), FETCH, lambda some: self._fetched(url, some))

    def _pieces(
        self, hrefs: list[str], size: int, ask: Callable[[list[str]], list[Resource]]
    ) -> Iterator[list[Resource]]:
        with ThreadPoolExecutor(max_workers=self.web.connections) as pool:
            pieces = [hrefs[k : k + size] for k in range(0, len(hrefs), size)]
            ahead = [pool.submit(ask, piece) for piece in pieces[: self.web.connections]]
            for number in range(len(pieces)):
                got = ahead[number].result()
                following = number + self.web.connections
                if following < len(pieces):
                    ahead.append(pool.submit(ask, pieces[following]))
                yield got

    def _fetched(self, url: str, hrefs: list[str]) -> list[Resource]:
        """Objects, each that is not handed out among others asked for once more alone."""
        got = self._multiget(url, hrefs, data=True)
        self._note(
            **{
                "weak-etags": any(resource.etag.startswith("W/") for resource in got),
                "withholds": len(got) > 1 and any(resource.data is None and not resource.gone for resource in got),
            }
        )
        return [
            resource if resource.data is not None or resource.gone else self.get(joined(url, resource.href, self.host))
            for resource in got
        ]

    def _multiget(self, url: str, hrefs: list[str], data: bool) -> list[Resource]:
        if len(hrefs) > self._at_once and data:
            return [resource for piece in _halves(hrefs) for resource in self._multiget(url, piece, data)]
        if self._alone:
            return [self.get(joined(url, href, self.host)) for href in hrefs]
        try:
            answer = self.web.request("REPORT", url, dav.multiget(hrefs, data), DEPTH, once=True)
        except Unreachable as error:
            if error.trouble not in ALONE:
                raise
            self.exists(url)  # if the calendar itself answers, some of what was asked for is the trouble
            if len(hrefs) > 1:
                return [resource for piece in _halves(hrefs) for resource in self._multiget(url, piece, data)]
            return [self.get(joined(url, hrefs[0], self.host))]
        if answer.status in GONE:
            expect(answer, 207)
        unknown = dav.condition(answer.body)[0] == "supported-report" if answer.status == 403 else False
        if answer.status in _TOO_MUCH and len(hrefs) > 1 and not unknown:
            self.web.note("small-multiget")
            self._at_once = max(1, min(self._at_once, len(hrefs) // 2))
            return [resource for piece in _halves(hrefs) for resource in self._multiget(url, piece, data)]
        if answer.status != 207:
            self.web.note("no-multiget")
            self._alone = True
            return self._multiget(url, hrefs, data)
        responses, _ = dav.multistatus(answer.body, self.host)
        by_href = {canonical(response.href): response for response in responses}
        # One that the answer passes over is not gone: nothing was said of it.
        return [_resource(href, by_href.get(canonical(href))) for href in hrefs]

    def get(self, url: str) -> Resource:
        """One object by its whole address. Trouble with it alone is its status, not an error."""
        href = canonical(url)
        try:
            answer = self.web.request("GET", url, once=True)
        except Unreachable as error:
            if error.http_status < 500:
                raise
            return Resource(href, "", None, error.http_status)
        data = as_calendar(answer.body, answer.header("content-type")) if answer.status == 200 else b""
        if is_object(data):
            return Resource(href, answer.header("etag"), data)
        return Resource(href, "", None, answer.status)

    def etag_of(self, url: str) -> str:
        """The ETag an object has now; "" where it is not said."""
        answer = self.web.request("PROPFIND", url, dav.propfind(["D:getetag"]), FLAT)
        responses, _ = dav.multistatus(answer.body, self.host) if answer.status == 207 else ([], "")
        return responses[0].etag if responses else ""

    # ---- writing ---------------------------------------------------------------------------------

    def put(self, url: str, data: bytes, etag: str | None) -> Answer:
        """Write an object: over the state a strong `etag` stands for, as a new one where it is "", or over whatever
        is there where it is None (RFC 9110 §13.1)."""
        return self.web.request(*writing(url, data, etag))

    def delete(self, url: str, etag: str) -> Answer:
        """Delete an object; an attendee's deletion is not told to the organiser (RFC 6638 §8.1)."""
        headers = {"Schedule-Reply": "F", **({"If-Match": etag} if is_strong(etag) else {})}
        return self.web.request("DELETE", url, headers=headers)

    def make_calendar(self, url: str, values: dict[tuple[str, str], str]) -> Answer:
        """Make a calendar: by MKCALENDAR, else by extended MKCOL (RFC 5689 §3)."""
        as_xml = {"Content-Type": "application/xml; charset=utf-8"}
        answer = self.web.request("MKCALENDAR", url, dav.settings("C:mkcalendar", values), as_xml)
        if answer.status in (405, 501) and not self.exists(url):
            self.web.note("mkcol-only")
            answer = self.web.request("MKCOL", url, dav.settings("D:mkcol", values, calendar=True), as_xml)
        return answer

    def set_properties(self, url: str, values: Mapping[tuple[str, str], str | etree._Element]) -> Answer:
        body = dav.settings("D:propertyupdate", values)
        return self.web.request("PROPPATCH", url, body, {"Content-Type": "application/xml; charset=utf-8"})


def writing(url: str, data: bytes, etag: str | None) -> WebRequest:
    """The request that writes an object; `etag` as for `CalDavServer.put`."""
    headers = {"Content-Type": "text/calendar; charset=utf-8"}
    if etag is not None:
        headers |= {"If-Match": etag} if etag else {"If-None-Match": "*"}
    return WebRequest("PUT", url, data, headers)


def is_strong(etag: str) -> bool:
    """Whether an ETag can be a condition for writing (RFC 9110 §13.1.1)."""
    return bool(etag) and not etag.startswith("W/")


def _halves(pieces: list[Piece]) -> tuple[list[Piece], list[Piece]]:
    middle = (len(pieces) + 1) // 2
    return pieces[:middle], pieces[middle:]


def _apart(url: str, responses: Iterable[dav.DavResponse]) -> list[tuple[str, dav.DavResponse]]:
    """Responses about what is in a calendar, by path; those about the calendar itself left out."""
    itself = canonical(url).rstrip("/")
    paths = ((canonical(response.href), response) for response in responses)
    return [(path, response) for path, response in paths if path.rstrip("/") != itself]


def _entries(url: str, responses: Iterable[dav.DavResponse]) -> dict[str, str]:
    return {
        path: response.etag
        for path, response in _apart(url, responses)
        if response.status < 300 and "collection" not in response.children("resourcetype") and not path.endswith("/")
    }


def _is_cut(url: str, responses: Iterable[dav.DavResponse]) -> bool:
    """Whether an answer says that there is more (RFC 6578 §3.6, RFC 4791 §7.8)."""
    itself = canonical(url).rstrip("/")
    return any(response.status == 507 and canonical(response.href).rstrip("/") == itself for response in responses)


def canonical(href: str) -> str:
    """The path of an address in one spelling, since servers and clients escape differently (RFC 3986 §6.2.2).

    >>> canonical("http://calendars.example/home/a%40b%2fc.ics") == canonical("/home/a@b%2Fc.ics")
    True
    """
    try:
        path = urlsplit(href).path
    except ValueError:  # no address at all
        path = href
    # Bytes stay bytes: not every path is UTF-8.
    return "/".join(quote(unquote_to_bytes(part), safe=_UNESCAPED) for part in path.split("/"))


def _resource(href: str, answer: dav.DavResponse | None) -> Resource:
    if answer is None:
        return Resource(canonical(href), "", None, 0)
    if answer.status < 300 and "calendar-data" in answer.properties:
        data = answer.text("calendar-data").encode()
        return Resource(canonical(href), answer.etag, data) if is_object(data) else Resource(canonical(href), "", None)
    status = answer.status if answer.status >= 300 else answer.missing
    # Something that has an ETag is there, whatever is answer of its data.
    return Resource(canonical(href), answer.etag, None, 0 if answer.etag and status in GONE else status)
