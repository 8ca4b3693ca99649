"""Where requests may go: private addresses are not reached, whatever leads to them."""

from __future__ import annotations

import ipaddress
import socket
import threading
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import httpx
import pytest

from datebridge.connect.errors import Unreachable
from datebridge.connect.gate import Gate, is_public, proxy_for
from datebridge.connect.http import Web
from tests.connect.test_http import HEAD
from tests.connect.test_http import host as answering


@pytest.mark.parametrize(
    "address",
    [
        "127.0.0.1",
        "10.1.2.3",
        "172.16.0.1",
        "192.168.1.1",
        "169.254.169.254",
        "100.64.0.1",
        "0.0.0.0",
        "224.0.0.1",
        "::1",
        "fe80::1",
        "fc00::1",
        "::ffff:127.0.0.1",
        "::ffff:10.0.0.1",
        "64:ff9b::7f00:1",
        "2002:7f00:1::",
        "2001:0:4136:e378:8000:63bf:3fff:fdd2",
        "::127.0.0.1",
        "::7f00:1",
        "64:ff9b:1::1",
        "fec0::1",
        "2001:db8::1",
        "3fff::1",
        "5f00::1",
        "4000::1",
        "100::1",
        "192.0.0.8",
        "192.88.99.1",
        "198.18.0.1",
        "203.0.113.9",
        "255.255.255.255",
    ],
)
def test_no_private_address_is_public(address: str) -> None:
    assert not is_public(ipaddress.ip_address(address))


@pytest.mark.parametrize("address", ["93.184.215.14", "2606:4700::1111", "64:ff9b::5db8:d70e"])
def test_addresses_of_the_open_internet_are(address: str) -> None:
    assert is_public(ipaddress.ip_address(address))


class _Host(ThreadingHTTPServer):
    """A host that redirects, or answers with the headers it was sent; it counts what reaches it."""

    def __init__(self) -> None:
        super().__init__(("127.0.0.1", 0), _Handler)
        self.reached: list[tuple[str, str]] = []
        self.location = ""
        self.asks = ""

    @property
    def origin(self) -> str:
        return f"http://127.0.0.1:{self.server_address[1]}"


class _Handler(BaseHTTPRequestHandler):
    server: _Host

    def do_GET(self) -> None:
        self.server.reached.append((self.path, self.headers.get("Authorization", "")))
        if self.server.asks and "Authorization" not in self.headers:
            self.send_response(401)
            self.send_header("WWW-Authenticate", self.server.asks)
            self.end_headers()
            return
        if self.path == "/away":
            self.send_response(302)
            self.send_header("Location", self.server.location)
            self.send_header("Set-Cookie", "crumb=1; Domain=harbour.example; Path=/")
            self.end_headers()
            return
        self.send_response(200)
        self.end_headers()
        self.wfile.write(b"x" * 5000)

    def log_message(self, *_: object) -> None:
        """Nothing."""


@pytest.fixture
def hosts() -> Iterator[tuple[_Host, _Host]]:
    both = (_Host(), _Host())
    for host in both:
        threading.Thread(target=host.serve_forever, args=(0.05,), daemon=True).start()
    yield both
    for host in both:
        host.shutdown()
        host.server_close()


def refusal(web: Web, url: str) -> Unreachable:
    with pytest.raises(Unreachable) as caught:
        web.request("GET", url)
    return caught.value


@pytest.mark.parametrize("host", ["127.0.0.1", "localhost", "[::1]", "0.0.0.0", "[::ffff:127.0.0.1]", "2130706433"])
def test_this_machine_is_not_reached_by_any_of_its_names(hosts: tuple[_Host, _Host], host: str) -> None:
    port = hosts[0].server_address[1]
    assert refusal(Web(Gate([])), f"http://{host}:{port}/").trouble == "forbidden"
    assert hosts[0].reached == []


def test_a_redirect_into_the_private_network_is_not_followed(hosts: tuple[_Host, _Host]) -> None:
    allowed, private = hosts
    allowed.location = private.origin + "/secret"
    assert refusal(Web(Gate([allowed.origin])), allowed.origin + "/away").trouble == "forbidden"
    assert private.reached == []


@pytest.mark.parametrize("location", ["file:///x", "file://localhost/etc/hosts", "data:,x", "gopher://[::1/", "//"])
def test_a_redirect_to_what_is_no_web_address_is_said(hosts: tuple[_Host, _Host], location: str) -> None:
    hosts[0].location = location
    assert refusal(Web(Gate([hosts[0].origin])), hosts[0].origin + "/away").trouble in (
        "address",
        "answer",
        "forbidden",
    )


def test_a_name_that_leads_to_a_private_address_is_not_followed(
    hosts: tuple[_Host, _Host], monkeypatch: pytest.MonkeyPatch
) -> None:
    port = hosts[0].server_address[1]
    entries = [(socket.AF_INET, socket.SOCK_STREAM, 6, "", (a, port)) for a in ("93.184.215.14", "127.0.0.1")]
    monkeypatch.setattr(socket, "getaddrinfo", lambda *_, **__: entries)
    error = refusal(Web(Gate([])), f"http://inside.example:{port}/")
    assert error.trouble == "forbidden"
    assert "inside.example leads into a private network" in error.message
    assert hosts[0].reached == []


def test_the_connection_goes_to_the_address_that_was_looked_at(monkeypatch: pytest.MonkeyPatch) -> None:
    answers = iter(["93.184.215.14", "127.0.0.1"])  # a name that changes its mind after it was checked
    entries = lambda *_, **__: [(socket.AF_INET, socket.SOCK_STREAM, 6, "", (next(answers), 80))]  # noqa: E731
    monkeypatch.setattr(socket, "getaddrinfo", entries)
    assert Gate([]).pinned(httpx.URL("http://fickle.example/")) == "93.184.215.14"


@pytest.mark.parametrize(
    ("asks", "way"),
    [
        ('Basic realm="tide"', "Basic "),
        ('Basic realm="tide", Digest realm="tide", nonce="7", qop="auth", algorithm=SHA-256', "Digest "),
    ],
)
def test_names_and_passwords_stay_with_the_origin_they_are_for(hosts: tuple[_Host, _Host], asks: str, way: str) -> None:
    first, second = hosts
    first.location, first.asks = second.origin + "/elsewhere", asks
    Web(Gate([first.origin, second.origin]), "me", "secret", origins=[first.origin]).request(
        "GET", first.origin + "/away"
    )
    assert [said.startswith(way) for _, said in first.reached] == [False, True]
    assert second.reached == [("/elsewhere", "")]


@pytest.mark.parametrize("asks", ['Bearer realm="tide"', 'Digest realm="tide", nonce="7", algorithm=NEW-1'])
def test_a_way_to_sign_in_that_is_not_known_is_not_taken_for_a_wrong_password(
    hosts: tuple[_Host, _Host], asks: str
) -> None:
    hosts[0].asks = asks
    error = refusal(Web(Gate([hosts[0].origin]), "me", "secret", origins=[hosts[0].origin]), hosts[0].origin + "/")
    assert error.trouble == "scheme"
    assert f"lets one in by {asks.split()[0]}" in error.message
    assert [said for _, said in hosts[0].reached] == [""]


def test_no_more_is_read_than_is_allowed(hosts: tuple[_Host, _Host]) -> None:
    web = Web(Gate([hosts[0].origin]), most_bytes=1000)
    assert refusal(web, hosts[0].origin + "/").trouble == "large"


@pytest.mark.parametrize("url", ["file:///etc/hosts", "ftp://feeds.example/", "http://", "mailto:x@feeds.example"])
def test_only_web_addresses_are(url: str) -> None:
    assert refusal(Web(Gate([])), url).trouble == "address"


def test_a_proxy_of_the_environment_is_asked_and_this_machine_never_through_it(monkeypatch: pytest.MonkeyPatch) -> None:
    with answering(HEAD + b"Content-Length: 2\r\n\r\nHi") as proxy:
        for name in ("HTTP_PROXY", "http_proxy"):
            monkeypatch.setenv(name, proxy)
        monkeypatch.setenv("NO_PROXY", "near.example")
        with Web(Gate([])) as web:  # the name is known to the proxy alone
            assert web.request("GET", "http://berths.skerrow.example/").body == b"Hi"
        for address, trouble in (("http://near.example/", "name"), ("http://192.168.1.9/", "forbidden")):
            with Web(Gate([])) as web, pytest.raises(Unreachable) as refused:
                web.request("GET", address)
            assert refused.value.trouble == trouble
        assert proxy_for(httpx.URL("http://berths.skerrow.example")) == proxy
        assert proxy_for(httpx.URL("http://127.0.0.1:8141")) is None
