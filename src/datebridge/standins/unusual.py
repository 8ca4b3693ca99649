"""Answers no standard foresees: slow, endless, packed wrongly, damaged, marked oddly, or with something held back."""

from __future__ import annotations

import asyncio
import gzip
import re

from starlette.types import ASGIApp, Message, Receive, Scope, Send

#: How much of an endless answer comes at once, in bytes.
_PIECE = 1 << 16
_FIRST_DATA = re.compile(
    rb"(<D:response><D:href>[^<]*</D:href>)<D:propstat><D:prop>(?:(?!</D:response>).)*?<C:calendar-data>"
    rb"(?:(?!</D:response>).)*?</D:response>",
    re.DOTALL,
)


async def answer_unusually(kind: str, seconds: float, app: ASGIApp, scope: Scope, receive: Receive, send: Send) -> None:
    """What the server answers, made into one of the answers nobody wants."""
    start, body = await _whole(app, scope, receive)
    headers = [(name, value) for name, value in start["headers"] if name != b"content-length"]
    if kind == "drip":
        await _drip(start, body, seconds, send)
        return
    if kind == "endless":
        await _endless(start, headers, send)
        return
    if kind == "withhold":
        body = _FIRST_DATA.sub(
            rb"\1<D:status>HTTP/1.1 500 Internal Server Error</D:status></D:response>", body, count=1
        )
    elif kind == "nonsense":
        body = b"<a><b \xff\xfe>&nothing;"
    elif kind == "marks":
        headers = [pair for pair in headers if pair[0] not in (b"etag", b"last-modified")]
        headers += [(b"etag", b'"\xe9\xff"'), (b"last-modified", b"Mi, 4. M\xe4rz 2026")]
    elif kind == "damage":
        headers.append((b"content-encoding", b"gzip"))
        body = gzip.compress(body)[:-9] + b"damaged!!"
    elif kind == "twice":
        headers.append((b"content-encoding", b"gzip, gzip"))
        body = gzip.compress(gzip.compress(body))
    elif kind == "bomb":
        headers.append((b"content-encoding", b"gzip"))
        body = gzip.compress(bytes(400 << 20), 1)
    await send({**start, "headers": [*headers, (b"content-length", str(len(body)).encode())]})
    await send({"type": "http.response.body", "body": body})


async def _whole(app: ASGIApp, scope: Scope, receive: Receive) -> tuple[Message, bytes]:
    start: Message = {}
    body = b""

    async def take(message: Message) -> None:
        nonlocal start, body
        if message["type"] == "http.response.start":
            start = message
        else:
            body += message.get("body", b"")

    await app(scope, receive, take)
    return start, body


async def _drip(start: Message, body: bytes, seconds: float, send: Send) -> None:
    await send(start)
    for k in range(len(body)):
        await send({"type": "http.response.body", "body": body[k : k + 1], "more_body": True})
        await asyncio.sleep(seconds)
    await send({"type": "http.response.body", "body": b""})


async def _endless(start: Message, headers: list[tuple[bytes, bytes]], send: Send) -> None:
    await send({**start, "headers": [*headers, (b"transfer-encoding", b"chunked")]})
    while True:  # until who asked has had enough: sending fails then
        await send({"type": "http.response.body", "body": b" " * _PIECE, "more_body": True})
        await asyncio.sleep(0)
