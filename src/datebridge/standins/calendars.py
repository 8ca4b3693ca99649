"""A calendar server (RFC 4791, 6578, 6638 and what clients read of 3744), with the traits of an old or a new one."""

from __future__ import annotations

import asyncio
import base64
import time
from collections import deque
from urllib.parse import unquote
from xml.sax.saxutils import escape

from starlette.requests import Request
from starlette.responses import HTMLResponse, Response
from starlette.types import Receive, Scope, Send

from datebridge.core.objects import assemble, take_apart
from datebridge.core.text.component import Component
from datebridge.core.text.writer import new_header, write_calendar
from datebridge.standins.answers import Answer, Traits
from datebridge.standins.mail import MailDrop
from datebridge.standins.page import page
from datebridge.standins.records import Records

TIDEWRACK = Traits("Tidewrack")
LANTERN = Traits("Lantern", sync=True, strict=True, most_octets=200_000)


class CalendarServer:
    """The server as an ASGI application. `/dav/calendars/PERSON/CALENDAR/OBJECT` and `/dav/principals/PERSON/`."""

    def __init__(self, traits: Traits, records: Records, drop: MailDrop) -> None:
        self.traits, self.records, self.drop = traits, records, drop
        self._recent: deque[float] = deque()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        request = Request(scope, receive)
        body = await request.body()
        response = self._answer(request, body)
        if self.traits.latency:
            await asyncio.sleep(self.traits.latency)
        await response(scope, receive, send)

    def _answer(self, request: Request, body: bytes) -> Response:
        path = request.url.path
        if path == "/" and request.method == "GET":
            return self._front_page()
        if path == "/.well-known/caldav":
            return Response(status_code=301, headers={"Location": "/dav/"})
        if self._too_fast():
            return Response("Too many requests.", 429, {"Retry-After": "1"})
        person = self._person(request)
        if person is None:
            return Response(
                "A user name and a password are needed.", 401,
                {"WWW-Authenticate": f'Basic realm="{self.traits.name}"'},
            )  # fmt: skip
        return Answer(self.traits, self.records, self.drop, request, body, person).respond()

    def _too_fast(self) -> bool:
        if not self.traits.pace:
            return False
        now = time.monotonic()
        while self._recent and now - self._recent[0] > 1:
            self._recent.popleft()
        if len(self._recent) >= self.traits.pace:
            return True
        self._recent.append(now)
        return False

    def _person(self, request: Request) -> str | None:
        scheme, _, token = request.headers.get("authorization", "").partition(" ")
        if scheme.lower() != "basic":
            return None
        try:
            name, _, password = base64.b64decode(token).decode().partition(":")
        except ValueError:
            return None
        known = self.records.person(name)
        return name if known and known[1] == password else None

    def _front_page(self) -> Response:
        rows = "".join(
            f"<tr><td>{escape(person)}<td>{escape(c.name)}<td>{'own' if access == 'own' else 'shared, ' + access}"
            f"<td>{len(self.records.etags(c)):,}"
            for person in self.records.people()
            for c, access in self.records.calendars_of(person)
        )
        lead = "A simulated calendar server. Calendar programs connect to this address."
        table = '<p><a href="/-/">Switches for what goes wrong</a></p>'
        table += f"<table><tr><th>User<th>Calendar<th>Access<th>Entries{rows}</table>"
        return HTMLResponse(page(self.traits.name, lead, table))

    def meddle(self, path: str) -> None:
        """Somebody else edits the object at `path`, as people do between one's reading and writing."""
        parts = unquote(path).strip("/").split("/")
        if len(parts) != 5:
            return
        for collection, _ in self.records.calendars_of(parts[2]):
            stored = self.records.object(collection, parts[4])
            if collection.slug == parts[3] and stored:
                parsed = take_apart(stored.data)
                texts = []
                for _facts, text in parsed.entries:
                    component = Component(text)
                    line = component.first("SUMMARY")
                    said = f"{line.value if line else 'Untitled'} (edited elsewhere)"
                    texts.append(component.with_property("SUMMARY", said).text)
                data = b"".join(write_calendar(new_header(""), [text for _, text in parsed.zones], texts))
                self.records.put(collection, stored.name, data, stored.uid, stored.component)

    def rename(self, person: str, slug: str, name: str, to: str) -> None:
        """Keep an object under another name, as it is (for samples)."""
        collection = self.records.collection(person, slug)
        assert collection is not None  # noqa: S101
        stored = self.records.object(collection, name)
        assert stored is not None  # noqa: S101
        self.records.delete(collection, name)
        self.records.put(collection, to, stored.data, stored.uid, stored.component)

    def stir(self) -> int:
        """Somebody edits three entries of the first calendar that holds any; returns how many were edited."""
        for person in self.records.people():
            for collection, _ in self.records.calendars_of(person):
                names = [name for name, _etag in self.records.etags(collection)[:3]]
                for name in names:
                    self.meddle(f"/dav/calendars/{person}/{collection.slug}/{name}")
                if names:
                    return len(names)
        return 0

    def put_parts(self, person: str, slug: str, uid: str, texts: list[str], zones: dict[str, str]) -> None:
        """Keep the entries of one UID as one object (for samples)."""
        name = "".join(c if c.isalnum() or c in "-_" else "-" for c in uid)
        collection = self.records.collection(person, slug)
        assert collection is not None  # noqa: S101
        data = assemble(texts, zones.items())
        self.records.put(collection, f"{name}.ics", data, uid, Component(texts[0]).kind)

    def put(self, person: str, slug: str, name: str, data: bytes) -> None:
        """Keep an object as it is, without any of the checks and messages a request brings (for samples)."""
        collection = self.records.collection(person, slug)
        assert collection is not None  # noqa: S101
        parsed = take_apart(data)
        self.records.put(collection, name, data, parsed.uid, parsed.entries[0][0].component)
