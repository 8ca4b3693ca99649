"""What goes out goes out once and as it is; heads that are well-formed but odd are read, others are an interruption."""

from __future__ import annotations

import socket
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress

import pytest

from datebridge.connect.errors import Unreachable
from datebridge.connect.gate import Gate
from datebridge.connect.http import Answer, Web

OK = b"HTTP/1.1 200 OK\r\n"


@contextmanager
def kept(*answers: bytes) -> Iterator[tuple[str, list[bytes]]]:
    """A host that gives each answer to the next request, on a connection it keeps until an answer is empty."""
    listener = socket.create_server(("127.0.0.1", 0))
    asked: list[bytes] = []
    left = list(answers)

    def serve() -> None:
        while True:
            try:
                connection, _ = listener.accept()
            except OSError:
                return
            with connection, suppress(OSError):  # who asked has had enough
                while request := connection.recv(1 << 20):
                    asked.append(request)
                    answer = left.pop(0) if left else b""
                    if not answer:
                        break
                    connection.sendall(answer)

    threading.Thread(target=serve, daemon=True).start()
    yield f"http://127.0.0.1:{listener.getsockname()[1]}", asked
    listener.close()


def answered(*answers: bytes, method: str = "GET") -> Answer:
    with kept(*answers) as (origin, _), Web(Gate([origin])) as web:
        return web.request(method, origin + "/")


@pytest.mark.parametrize("method", ["PUT", "DELETE", "GET", "REPORT"])
def test_a_request_whose_connection_ends_is_not_sent_again_unasked(method: str) -> None:
    with kept(OK + b"Content-Length: 0\r\n\r\n", b"") as (origin, asked), Web(Gate([origin])) as web:
        web.request("GET", origin + "/first")
        with pytest.raises(Unreachable) as caught:
            web.request(method, origin + "/second", b"once" if method != "GET" else b"")
    assert caught.value.trouble == "cut"
    assert [request.split(b" ")[1] for request in asked] == [b"/first", b"/second"]


def test_the_address_and_the_headers_go_out_as_they_are() -> None:
    path = "/dav/a%2fb/..%2F/%C3%A9%20x;y='1'.ics?at=%3D&"
    with kept(OK + b"Content-Length: 0\r\n\r\n") as (origin, asked), Web(Gate([origin])) as web:
        web.request("PUT", origin + path, b"x", {"If-Match": '"ö~"', "Content-Type": "text/calendar; charset=utf-8"})
    head, _, body = asked[0].partition(b"\r\n\r\n")
    first, *lines = head.split(b"\r\n")
    assert first == f"PUT {path} HTTP/1.1".encode()
    names = sorted(line.partition(b":")[0].decode().lower() for line in lines)
    assert names == ("accept accept-encoding connection content-length content-type host if-match user-agent".split())
    assert 'If-Match: "ö~"'.encode() in lines
    assert body == b"x"


@pytest.mark.parametrize(
    "head",
    [
        b"HTTP/1.1 103 Early Hints\r\nLink: </x>\r\n\r\n" + OK + b"Content-Length: 2\r\n\r\nok",
        b"HTTP/1.1 200\r\nContent-Length: 2\r\n\r\nok",
        OK + b"DAV: " + b"x," * 30_000 + b"\r\nContent-Length: 2\r\n\r\nok",
        OK + b"X-Odd: \xff\xfe\r\nContent-Length: 2\r\n\r\nok",
        OK + b"Set-Cookie: a=b; domain=elsewhere.example\r\nContent-Length: 2\r\n\r\nok",
        OK + b"Transfer-Encoding: chunked\r\n\r\n1;name=value\r\no\r\n1\r\nk\r\n0\r\nTrailer: x\r\n\r\n",
        OK + b"ETag:\r\nContent-Length:2\r\n\r\nok",
    ],
    ids=["hints", "no reason", "long", "octets", "cookie", "chunks", "empty"],
)
def test_odd_heads_are_read(head: bytes) -> None:
    assert answered(head).body == b"ok"


@pytest.mark.parametrize(
    "head",
    [
        b"",
        b"\r\n\r\n",
        b"ok",
        b"HTTP/1.1 abc OK\r\n\r\n",
        OK + b"Content-Length: x\r\n\r\nok",
        OK + b"Content-Length: 2\r\nContent-Length: 3\r\n\r\nok",
        OK + b"Transfer-Encoding: chunked\r\n\r\nnone\r\n",
        OK + b"DAV: " + b"x" * 300_000,
    ],
)
def test_others_are_an_interruption(head: bytes) -> None:
    with kept(head) as (origin, _), Web(Gate([origin]), timeout=0.5) as web, pytest.raises(Unreachable) as caught:
        web.request("GET", origin + "/")
    assert caught.value.trouble in ("cut", "timeout")


def test_less_than_was_promised_is_an_interruption_and_nothing_is_what_head_has() -> None:
    short = OK + b"Content-Length: 9\r\n\r\nok"
    with kept(short) as (origin, _), Web(Gate([origin]), timeout=0.5) as web, pytest.raises(Unreachable) as caught:
        web.request("GET", origin + "/")
    assert caught.value.trouble in ("cut", "timeout")
    assert answered(OK + b"Content-Length: 9\r\n\r\n", method="HEAD").body == b""
