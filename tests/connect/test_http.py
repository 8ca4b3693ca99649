"""Requests end: in time, in size, when somebody stops them; whatever the other end does."""

from __future__ import annotations

import gzip
import socket
import threading
import time
import tracemalloc
import zlib
from collections.abc import Callable, Iterator
from contextlib import contextmanager

import pytest

from datebridge.connect import http as web_module
from datebridge.connect import judging
from datebridge.connect.errors import Unreachable
from datebridge.connect.gate import Gate
from datebridge.connect.http import Web
from datebridge.connect.unpacking import Body

HEAD = b"HTTP/1.1 200 OK\r\nContent-Type: text/calendar\r\n"


@contextmanager
def host(*pieces: bytes, pause: float = 0.0, again: bytes = b"") -> Iterator[str]:
    """A host that answers with pieces, a pause between two of them, and then with the last one again and again."""
    listener = socket.create_server(("127.0.0.1", 0))
    done = threading.Event()

    def answer() -> None:
        while not done.is_set():
            try:
                connection, _ = listener.accept()
            except OSError:
                return
            with connection:
                connection.recv(65536)
                try:
                    for piece in pieces:
                        connection.sendall(piece)
                        done.wait(pause)
                    while again and not done.is_set():
                        connection.sendall(again)
                        done.wait(pause)
                except OSError:  # who asked has had enough
                    continue

    thread = threading.Thread(target=answer, daemon=True)
    thread.start()
    yield f"http://127.0.0.1:{listener.getsockname()[1]}"
    done.set()
    listener.close()


def trouble(origin: str, **options: object) -> Unreachable:
    with Web(Gate([origin]), **options) as web, pytest.raises(Unreachable) as caught:  # type: ignore[arg-type]
        web.request("GET", origin + "/")
    return caught.value


def test_a_body_that_drips_is_not_waited_for(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(web_module, "_GRACE", 0.3)
    with host(HEAD + b"Content-Length: 100000\r\n\r\n", pause=0.05, again=b"B") as origin:
        assert trouble(origin).trouble == "timeout"


def test_headers_that_drip_are_not_waited_for_longer_than_a_whole_request_may_take(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(web_module, "_WHOLE", 0.4)
    with host(HEAD, pause=0.05, again=b"X-More: 1\r\n") as origin:
        assert trouble(origin).trouble == "timeout"


def test_all_requests_together_have_a_budget() -> None:
    with host(HEAD, pause=0.05, again=b"X-More: 1\r\n") as origin:
        assert trouble(origin, budget=0.4).trouble == "timeout"


@pytest.mark.parametrize("patience", [0, 600])
def test_who_waits_can_give_up_at_once(patience: float) -> None:
    class Enough(Exception):
        pass

    asked: list[float] = []

    def check() -> None:
        asked.append(time.monotonic())
        if len(asked) == 2:
            raise Enough

    throttled = b"HTTP/1.1 429 Slow\r\nRetry-After: 600\r\nContent-Length: 0\r\nConnection: close\r\n\r\n"
    pieces = (throttled,) if patience else (HEAD,)
    with host(*pieces, pause=0 if patience else 0.05, again=b"" if patience else b"X: 1\r\n") as origin:
        web = Web(Gate([origin]), patience=patience, check=check)
        with pytest.raises(Enough):
            web.request("GET", origin + "/")
    assert asked[1] - asked[0] < 2  # a quarter of a second, on a machine that is not busy


def test_an_endless_body_is_cut_before_it_takes_more_room_than_is_allowed() -> None:
    with host(HEAD + b"\r\n", again=b" " * 65536) as origin:
        assert trouble(origin, most_bytes=3 << 20).trouble == "large"


def packed(data: bytes, encoding: str, most: int = 1 << 20) -> bytes:
    body = Body(encoding, most, "feeds.example")
    for k in range(0, len(data), 1000):
        body.add(data[k : k + 1000])
    return body.end()


@pytest.mark.parametrize(
    ("encoding", "pack"),
    [
        ("gzip", gzip.compress),
        ("x-gzip", gzip.compress),
        ("deflate", zlib.compress),
        ("deflate", lambda data: zlib.compress(data)[2:-4]),
        ("identity", bytes),
        ("", bytes),
    ],
)
def test_what_is_packed_in_one_of_the_known_ways_is_unpacked(encoding: str, pack: Callable[[bytes], bytes]) -> None:
    data = b"BEGIN:VCALENDAR\r\n" * 9000
    assert packed(pack(data), encoding) == data


@pytest.mark.parametrize(
    ("encoding", "data", "kind"),
    [
        ("gzip, gzip", gzip.compress(gzip.compress(b"x")), "answer"),
        ("br", b"x", "answer"),
        ("gzip", b"no such thing", "answer"),
        ("gzip", gzip.compress(b"x" * 5000)[:-9], "answer"),
        ("deflate", b"\xff\xff\xff", "answer"),
        ("gzip", gzip.compress(bytes(64 << 20)), "large"),
    ],
    ids=["twice", "another way", "not at all", "cut off", "nonsense", "a bomb"],
)
def test_what_is_packed_otherwise_or_too_much_is_refused(encoding: str, data: bytes, kind: str) -> None:
    tracemalloc.start()
    with pytest.raises(Unreachable) as caught:
        packed(data, encoding)
    taken = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    assert caught.value.trouble == kind
    assert taken < 8 << 20  # counted while it comes, not afterwards


@pytest.mark.parametrize("said", ["inf", "nan", "-inf", "1e400", "9" * 4000, "Mi, 4. M\u00e4rz", "", "\u00b2"])
def test_whatever_a_server_says_of_waiting_no_wait_is_longer_than_a_day(said: str) -> None:
    found = judging.retry_after(said)
    assert found is None or 0 <= found <= 86400
