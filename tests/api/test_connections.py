"""However many half ask or do not read, somebody who asks is answered."""

from __future__ import annotations

import asyncio
import socket
import threading
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager

import pytest
import uvicorn

from datebridge.api import connections
from datebridge.api.connections import configured
from tests.conftest import wait_until

MOST = 12


async def app(scope: dict, receive: object, send: object) -> None:  # type: ignore[type-arg]
    body = b"x" * (8_000_000 if scope["path"] == "/large" else 2)
    await send({"type": "http.response.start", "status": 200, "headers": [(b"content-length", b"%d" % len(body))]})  # type: ignore[operator]
    await send({"type": "http.response.body", "body": body})  # type: ignore[operator]


@contextmanager
def served(trusted: tuple[str, ...] = ()) -> Iterator[tuple[str, int]]:
    listener = socket.create_server(("127.0.0.1", 0))
    config = configured(app, trusted, MOST, lifespan="off")
    server = uvicorn.Server(config)
    thread = threading.Thread(target=lambda: asyncio.run(server.serve([listener])), daemon=True)
    thread.start()
    try:
        yield listener.getsockname()
    finally:
        server.should_exit = True
        thread.join(30)


def connected(to: tuple[str, int], said: bytes) -> socket.socket:
    one = socket.create_connection(to, 30)
    one.sendall(said)
    return one


def answer(to: tuple[str, int]) -> bytes:
    with connected(to, b"GET / HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n") as one:
        return one.makefile("rb").read()


def ended(one: socket.socket) -> bool:
    one.setblocking(False)
    try:
        return one.recv(1 << 20) == b""
    except BlockingIOError:
        return False
    except OSError:
        return True


@pytest.mark.parametrize("said", [b"GET / HTTP/1.1\r\nX-A: ", b"", b"GET /large HTTP/1.1\r\nHost: x\r\n\r\n"])
def test_who_asks_is_answered_however_many_only_hold_a_connection(said: bytes) -> None:
    with served() as to, ExitStack() as stack:
        for _ in range(4 * MOST):
            stack.enter_context(connected(to, said))
            assert answer(to).endswith(b"\r\n\r\nxx")


def test_one_client_leaves_room_for_others_unless_it_stands_for_many() -> None:
    for trusted, most in (((), MOST // 2), (("127.0.0.1",), MOST)):
        with served(trusted) as to, ExitStack() as stack:
            held = [stack.enter_context(connected(to, b"GET ")) for _ in range(2 * MOST)]
            wait_until(lambda held=held, most=most: sum(not ended(one) for one in held) == most)  # type: ignore[misc]


def test_a_head_and_a_body_have_their_time(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(connections, "HEAD", 0.1)
    monkeypatch.setattr(connections, "_SPAN", 0.1)
    head, body = b"GET / HTTP/1.1\r\nX-A: ", b"POST /slow HTTP/1.1\r\nHost: x\r\nContent-Length: 9\r\n"
    with served() as to:
        for said in (head, b"GET /large HTTP/1.1\r\nHost: x\r\n\r\n", body):
            one = connected(to, said)
            wait_until(lambda one=one: gone(one))  # type: ignore[misc]


def gone(one: socket.socket) -> bool:
    """Whether the other side has closed a connection, without reading what it has sent."""
    try:
        one.send(b"x")
    except OSError:
        return True
    return False
