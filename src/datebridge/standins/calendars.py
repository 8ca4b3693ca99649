"""A calendar server (RFC 4791, 6578, 6638 and what clients read of 3744), with the traits of an old or a new one."""

from __future__ import annotations

import asyncio
import gzip
import time
from collections import deque
from urllib.parse import unquote
from xml.sax.saxutils import escape

from starlette.requests import Request
from starlette.responses import HTMLResponse, JSONResponse, Response
from starlette.types import Receive, Scope, Send

from datebridge.clock import now
from datebridge.core.objects import assemble, take_apart
from datebridge.core.text.component import Component, with_property
from datebridge.core.text.writer import new_header, write_calendar
from datebridge.standins.answers import answer
from datebridge.standins.asking import Ask
from datebridge.standins.habits import Habits
from datebridge.standins.mail import MailDrop
from datebridge.standins.page import page
from datebridge.standins.places import Map
from datebridge.standins.records import Collection, Records
from datebridge.standins.sign_on import Tokens
from datebridge.standins.signing import Door
from datebridge.standins.traits import Traits

#: Where it says which sign-on host it trusts (RFC 9728 §3).
RESOURCE = "/.well-known/oauth-protected-resource"
_ELSEWHERE = "/elsewhere"
#: How late the habit of being slow makes every answer, in seconds.
_SLOW = 0.2
_HOUR = 3600
#: What the habit of redirecting sends on.
_REDIRECTED = ("GET", "PUT", "DELETE")


class CalendarServer:
    """The server as an ASGI application; what is where is told in `places`."""

    def __init__(self, traits: Traits, records: Records, drop: MailDrop) -> None:
        self.traits, self.records, self.drop = traits, records, drop
        #: The sign-on host it lets people in through, and where that is; "" for none. `by_password`: not only so.
        self.sign_on: Tokens | None = None
        self.sign_on_at, self.by_password = "", True
        self.habits = Habits()
        self.losses = traits.losses
        self._recent: deque[float] = deque()
        #: How many requests it answers in an hour; and when this hour began, with how many there were.
        self.hourly = traits.hourly
        self._hour = (0, 0)
        self._door = Door(traits.name, self.password)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        request = Request(scope, receive)
        body = await request.body()
        response = self._answer(request, body)
        late = self.traits.latency + (_SLOW if self.habits.has("slow") else 0)
        if late:
            await asyncio.sleep(late)
        if self.habits.has("http-1.0"):
            response.headers["Connection"] = "close"
        if self.habits.has("gzip") and "gzip" in request.headers.get("accept-encoding", "") and response.body:
            response.body = gzip.compress(bytes(response.body))
            response.headers["Content-Encoding"] = "gzip"
            response.headers["Content-Length"] = str(len(response.body))
        await response(scope, receive, send)

    def _answer(self, request: Request, body: bytes) -> Response:
        path = request.url.path
        if path == "/" and request.method == "GET":
            return self._front_page()
        if path == "/.well-known/caldav":
            return Response(status_code=301, headers={"Location": "/dav/"})
        if self._too_fast():
            return Response("Too many requests.", 429, {"Retry-After": "1"})
        if wait := self._too_many():
            return Response("Too many requests in this hour.", 429, {"Retry-After": str(wait)})
        if path == RESOURCE and self.sign_on_at:
            origin = str(request.base_url).rstrip("/")
            return JSONResponse({"resource": origin, "authorization_servers": [self.sign_on_at]})
        basic = self.by_password and not self.habits.has("digest-only")
        digest = self.by_password and (self.traits.strict or self.habits.has("digest-only"))
        tokens = self.traits.tokens
        authorization = request.headers.get("authorization", "")
        person = self._door.person(authorization, request.method, digest, basic, tokens)
        if not person and self.sign_on is not None and authorization.startswith("Bearer "):
            person = self.sign_on.person(authorization.removeprefix("Bearer "), "access")
        if not person:
            refusal = Response("A user name and a password are needed.", 401)
            where = f"{str(request.base_url).rstrip('/')}{RESOURCE}" if self.sign_on_at else ""
            for challenge in self._door.challenges(digest, basic, tokens, where):
                refusal.headers.append("WWW-Authenticate", challenge)
            return refusal
        if self.habits.has("redirects") and request.method in _REDIRECTED and path.count("/") > 4:
            if not path.startswith(_ELSEWHERE):
                raw = request.scope["raw_path"].decode()
                code = 307 if self.habits.count("redirected") % 2 else 308
                return Response(status_code=code, headers={"Location": _ELSEWHERE + raw})
            scope = {**request.scope, "raw_path": request.scope["raw_path"].removeprefix(_ELSEWHERE.encode())}
            request = Request({**scope, "path": path.removeprefix(_ELSEWHERE)})
        return answer(Ask(self.traits, self.records, self.drop, self.habits, self.losses, request, body, person))

    def password(self, name: str) -> str | None:
        person = self.records.person(name)
        return person[1] if person is not None else None

    def _too_fast(self) -> bool:
        if not self.traits.pace:
            return False
        moment = time.monotonic()
        while self._recent and moment - self._recent[0] > 1:
            self._recent.popleft()
        if len(self._recent) >= self.traits.pace:
            return True
        self._recent.append(moment)
        return False

    def _too_many(self) -> int:
        """For how many seconds nothing more is answered, as this hour's requests are used up; 0 while they are not."""
        began, asked = self._hour
        if began + _HOUR <= now():
            began, asked = now(), 0
        self._hour = began, asked + 1
        return began + _HOUR - now() if self.hourly and asked >= self.hourly else 0

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
        path = path.removeprefix(_ELSEWHERE)
        place = Map(self.records, self.habits, unquote(path).split("/")[3]).find(path) if path.count("/") > 3 else None
        stored = self.records.object(place.collection, place.name) if place and place.collection else None
        if place is None or place.collection is None or stored is None:
            return
        parsed = take_apart(stored.data)
        texts = []
        for _facts, text in parsed.entries:
            component = Component(text)
            line = component.first("SUMMARY")
            words = f"{line.value if line else 'Untitled'} (edited elsewhere)"
            texts.append(with_property(text, "SUMMARY", words))
        data = b"".join(write_calendar(new_header(""), [text for _, text in parsed.zones], texts))
        self.records.put(place.collection, stored.name, data, stored.uid, stored.component)

    def keep_as(self, person: str, slug: str, name: str, to: str) -> None:
        """Keep an object under another name, as it is (for samples)."""
        collection = self.records.collection(person, slug)
        assert collection is not None  # noqa: S101
        stored = self.records.object(collection, name)
        assert stored is not None  # noqa: S101
        self.records.delete(collection, name)
        self.records.put(collection, to, stored.data, stored.uid, stored.component)

    def _few(self) -> list[tuple[Collection, str]]:
        """Three objects of the first calendar that holds any: the calendar and their names."""
        for person in self.records.people():
            for collection, _ in self.records.calendars_of(person):
                names = [name for name, _etag in self.records.etags(collection)[:3]]
                if names:
                    return [(collection, name) for name in names]
        return []

    def rename(self) -> int:
        """Three entries get other names, in the first calendar that holds any; returns how many did."""
        few = self._few()
        for own, name in few:
            self.keep_as(own.owner, own.slug, name, f"renamed-{name}")
        return len(few)

    def lay(self, person: str = "", slug: str = "") -> int:
        """Lay down objects that RFC 4791 §4.1 forbids, into a calendar or the first that holds any: one without UID,
        one with two, and two of one UID; returns how many."""
        own = self.records.collection(person, slug) if person else next((c for c, _ in self._few()), None)
        if own is None:
            return 0
        unusual = {
            "without-uid.ics": [("", "Buoy without a number")],
            "two-uids.ics": [("buoy-1@skerrow.example", "Buoy one"), ("buoy-2@skerrow.example", "Buoy two")],
            "once.ics": [("buoy-3@skerrow.example", "Buoy three")],
            "once-more.ics": [("buoy-3@skerrow.example", "Buoy three again")],
        }
        for name, entries in unusual.items():
            texts = [_buoy(uid, title) for uid, title in entries]
            data = b"".join(write_calendar(new_header(""), [], texts))
            self.records.put(own, name, data, entries[0][0], "VEVENT")
        return len(unusual)

    def stir(self) -> int:
        """Somebody edits three entries of the first calendar that holds any; returns how many were edited."""
        few = self._few()
        for own, name in few:
            self.meddle(f"/dav/calendars/{own.owner}/{own.slug}/{name}")
        return len(few)

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


def _buoy(uid: str, title: str) -> str:
    lines = [f"UID:{uid}"] if uid else []
    lines += ["DTSTAMP:20260105T080000Z", "DTSTART:20261201T090000Z", f"SUMMARY:{title}"]
    return "\n".join(["BEGIN:VEVENT", *lines, "END:VEVENT"])
