"""The feed host: calendars published by address, with everything that happens to such addresses."""

from __future__ import annotations

import asyncio
import base64
import hashlib
import html
import sqlite3
from dataclasses import dataclass
from email.utils import formatdate
from pathlib import Path
from typing import Literal

from starlette.requests import Request
from starlette.responses import HTMLResponse, JSONResponse, Response
from starlette.types import Receive, Scope, Send

from datebridge.clock import now
from datebridge.core.text.writer import new_header, write_calendar
from datebridge.standins.page import page

Access = Literal["open", "secret", "password"]
Manner = Literal["plain", "moved", "redirect", "slow", "page", "shrinking", "site"]
#: Where members may write files of their own, by PUT (RFC 9110 §9.3.4).
WRITABLE = "/web/"
#: How long the slow feed takes, in seconds.
SLOWNESS = 2.0


@dataclass(frozen=True, slots=True)
class Feed:
    """A published calendar.

    Attributes:
        path: where it is, from ``/`` on.
        subject: what the catalogue lists it under; "" keeps it out of the catalogue.
        access: open to all, behind an address that nobody can guess, or behind a name and a password.
        manner: plain, moved for good (301), somewhere else today (302), slow, a web page after all, a calendar
            that is empty a day after it was published, or a site of somebody's own (in which
            ``{door}`` stands for the address in ``door.txt`` beside the file, where a demo's readers come in).
        target: where a moved one is.
    """

    path: str
    title: str
    subject: str = ""
    description: str = ""
    access: Access = "open"
    manner: Manner = "plain"
    target: str = ""


class FeedHost:
    """The host as an ASGI application, its feeds in one SQLite file."""

    name = "Breakwater"
    #: What the feeds behind a password ask for.
    user, password = "member", "low-tide-7"

    def __init__(self, path: Path) -> None:
        path.parent.mkdir(parents=True, exist_ok=True)
        self._folder = path.parent
        self._db = sqlite3.connect(path, isolation_level=None, check_same_thread=False)
        self._db.execute(
            "CREATE TABLE IF NOT EXISTS feed (path TEXT PRIMARY KEY, title TEXT, subject TEXT, description TEXT,"
            " access TEXT, manner TEXT, target TEXT, data BLOB, changed INTEGER)"
        )

    def close(self) -> None:
        self._db.close()

    def publish(self, feed: Feed, data: bytes) -> None:
        """Publish a feed, or publish it again."""
        values = (feed.path, feed.title, feed.subject, feed.description, feed.access, feed.manner, feed.target)
        self._db.execute("INSERT OR REPLACE INTO feed VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)", (*values, data, now()))

    def change(self, path: str, data: bytes) -> None:
        """Change what a feed says."""
        self._db.execute("UPDATE feed SET data = ?, changed = ? WHERE path = ?", (data, now(), path))

    def age(self, path: str, seconds: int) -> None:
        """Make a feed as old as if it had been published that much earlier."""
        self._db.execute("UPDATE feed SET changed = changed - ? WHERE path = ?", (seconds, path))

    def _feeds(self) -> list[tuple[Feed, bytes, int]]:
        rows = self._db.execute("SELECT * FROM feed ORDER BY subject, title")
        return [(Feed(*feed), data, changed) for *feed, data, changed in rows]

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        request = Request(scope, receive)
        if request.method == "PUT":
            response: Response | None = await self._written(request)
        else:
            response = self._answer(request)
        if response is None:
            await asyncio.sleep(SLOWNESS)
            feed = self._feed_at(request.url.path)
            assert feed is not None  # noqa: S101
            response = self._content(request, *feed)
        await response(scope, receive, send)

    async def _written(self, request: Request) -> Response:
        """A file written by a member, where nobody else has written meanwhile (RFC 9110 §13.1)."""
        path = request.url.path
        if not path.startswith(WRITABLE) or "/" in path[len(WRITABLE) :]:
            return Response("Nothing can be written here.", 405, {"Allow": "GET, HEAD"})
        if not self._may(request):
            return Response("Members only.", 401, {"WWW-Authenticate": 'Basic realm="Breakwater members"'})
        there = self._feed_at(path)
        tag = _etag(there[1]) if there is not None else ""
        wanted, unwanted = request.headers.get("if-match"), request.headers.get("if-none-match")
        if (wanted is not None and wanted != tag) or (unwanted == "*" and there is not None):
            return Response("It was changed meanwhile.", 412)
        data = b""
        async for piece in request.stream():
            data += piece
            if len(data) > 32 << 20:
                return Response("There is no room for that.", 413)
        self.publish(Feed(path, path[len(WRITABLE) :]), data)
        return Response(status_code=204 if there is not None else 201, headers={"ETag": _etag(data)})

    def _feed_at(self, path: str) -> tuple[Feed, bytes, int] | None:
        return next(((feed, data, changed) for feed, data, changed in self._feeds() if feed.path == path), None)

    def _answer(self, request: Request) -> Response | None:
        path = request.url.path
        if request.method not in ("GET", "HEAD"):
            return Response("Feeds can only be read.", 405, {"Allow": "GET, HEAD"})
        if path == "/":
            return HTMLResponse(self._front_page())
        if path == "/catalogue.json":
            return JSONResponse(self._catalogue(request))
        published = self._feed_at(path)
        if published is None:
            return Response("There is no such feed.", 404)
        feed, data, _ = published
        if feed.access == "password" and not self._may(request):
            return Response("Members only.", 401, {"WWW-Authenticate": 'Basic realm="Breakwater members"'})
        if feed.manner in ("moved", "redirect"):
            return Response(status_code=301 if feed.manner == "moved" else 302, headers={"Location": feed.target})
        if feed.manner == "site":
            beside = self._folder / "door.txt"
            door = beside.read_text().strip() if beside.is_file() else ""
            return HTMLResponse(data.decode().replace("{door}", html.escape(door)))
        if feed.manner == "page":
            return HTMLResponse(page("Breakwater", "This calendar is being rebuilt. Please look in again.", ""))
        return None if feed.manner == "slow" else self._content(request, *published)

    def _may(self, request: Request) -> bool:
        token = request.headers.get("authorization", "").partition(" ")[2]
        return token == base64.b64encode(f"{self.user}:{self.password}".encode()).decode()

    def _content(self, request: Request, feed: Feed, data: bytes, changed: int) -> Response:
        if feed.manner == "shrinking" and now() - changed > 86400:
            data, changed = b"".join(write_calendar(new_header(feed.title), [], [])), changed + 86400
        etag = _etag(data)
        headers = {"ETag": etag, "Last-Modified": formatdate(changed, usegmt=True), "Cache-Control": "no-cache"}
        none_match = request.headers.get("if-none-match")
        since = request.headers.get("if-modified-since")
        if none_match == etag or (none_match is None and since == headers["Last-Modified"]):
            return Response(status_code=304, headers=headers)
        return Response(data, headers=headers, media_type="text/calendar; charset=utf-8")

    def _catalogue(self, request: Request) -> list[dict[str, str]]:
        base = str(request.base_url).rstrip("/")
        return [
            {
                "title": f.title,
                "subject": f.subject,
                "description": f.description,
                "address": base + f.path,
                "publisher": self.name,
            }
            for f, _, _ in self._feeds()
            if f.subject and f.access == "open"
        ]

    def _front_page(self) -> str:
        listed = [f for f, _, _ in self._feeds() if f.subject and f.access == "open"]
        links = "".join(
            f'<link rel="alternate" type="text/calendar" title="{html.escape(f.title)}" href="{html.escape(f.path)}">'
            for f in listed
        )
        rows = "".join(
            f'<tr><td>{html.escape(f.subject)}<td><a href="{html.escape(f.path)}">{html.escape(f.title)}</a>'
            f"<td>{html.escape(f.description)}"
            for f in listed
        )
        body = '<p><a href="/-/">Switches for what goes wrong</a></p>'
        body += f"<table><tr><th>Subject<th>Feed<th>What it is{rows}</table>"
        return page("Breakwater", "A simulated feed host: open feeds, free to subscribe to.", body).replace(
            "</head>", links + "</head>"
        )


def _etag(data: bytes) -> str:
    return f'"{hashlib.blake2b(data, digest_size=8).hexdigest()}"'
