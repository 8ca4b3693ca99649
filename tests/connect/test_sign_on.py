"""Signing in through a sign-on host: by its page, with tokens that run out, and whatever such a host may answer."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from threading import Thread
from typing import Any
from urllib.parse import parse_qs, urlsplit

import httpx
import pytest

from datebridge.connect import sign_on as protocol
from datebridge.connect.errors import Unreachable
from datebridge.connect.gate import Gate
from datebridge.connect.http import Web
from datebridge.connect.sign_on import Beginning, Grant, SignOnHost
from datebridge.core.ids import AccountId
from datebridge.services.accounts import accounts, sign_on
from datebridge.services.accounts.connecting import AccountTokens, connected_to
from datebridge.services.accounts.sign_on import Errands, NothingBegun
from datebridge.store.accounts import account as account_of
from datebridge.store.accounts import remotes_of
from tests.world import OFFICE, PASSWORD, World

BACK = "http://127.0.0.1:8137/connect/signed"


@pytest.fixture
def at_halyard(world: World) -> World:
    """A world in which Halyard lets people in through its sign-on host alone."""
    world.hosts.halyard.by_password = False
    return world


def sign_in(address: str, password: str = PASSWORD, answer: str = "yes") -> dict[str, str]:
    """What somebody does at the sign-on host's page; what it sends the browser back with."""
    with httpx.Client() as browser:
        assert "asks to read and write" in browser.get(address).text
        asked = {name: values[0] for name, values in parse_qs(urlsplit(address).query).items()}
        form = {**asked, "user": OFFICE, "password": password, "answer": answer}
        sent_back = browser.post(address.partition("?")[0], data=form)
    assert sent_back.status_code == 303
    return {name: values[0] for name, values in parse_qs(urlsplit(sent_back.headers["location"]).query).items()}


def connect(world: World, errands: Errands) -> AccountId:
    address = sign_on.begin(world.settings, errands, world.hosts.address("halyard"), BACK)
    account_id, job = sign_on.finish(world.store, world.settings, errands, sign_in(address), "Halyard")
    assert job is not None
    assert world.work().state == "done"
    return account_id


def test_an_account_is_opened_through_a_sign_on_host_and_its_tokens_are_renewed_unasked(at_halyard: World) -> None:
    world = at_halyard
    with pytest.raises(Unreachable) as refused:
        accounts.add(world.store, world.settings, world.hosts.address("halyard"), OFFICE, PASSWORD)
    assert refused.value.trouble == "sign-on"
    assert "was not sent" in str(refused.value)
    account_id = connect(world, Errands())
    row = account_of(world.store, account_id)
    assert (row.user, row.sign_on) == ("Harbour Office", world.hosts.address("sign-on"))
    assert b"refresh" not in row.grant_sealed
    accounts.switch_on(world.store, [r.id for r in remotes_of(world.store, account_id) if r.id is not None])
    world.hosts.sign_on.tokens.end(OFFICE, "access")
    assert world.work().result["results"][0]["outcome"] == "fetched 0"  # type: ignore[index]
    world.put("halyard", "berths", "BEGIN:VEVENT\nUID:a@skerrow.example\nDTSTART:20261201T080000Z\nEND:VEVENT")
    world.hosts.sign_on.tokens.end(OFFICE, "access")
    assert world.refresh(account_id).result["results"][0]["outcome"] == "1 added"  # type: ignore[index]


def test_of_many_who_need_the_next_token_at_once_one_alone_asks_for_it(at_halyard: World) -> None:
    world = at_halyard
    account_id = connect(world, Errands())
    world.hosts.sign_on.tokens.end(OFFICE, "access")
    several = [AccountTokens(world.store, world.settings, account_id) for _ in range(6)]
    refused = several[0].current()
    with ThreadPoolExecutor(6) as threads:
        renewed = set(threads.map(lambda one: one.renewed(refused), several))
    assert len(renewed - {refused}) == len(renewed) == 1
    with connected_to(world.store, world.settings, account_id) as line:
        assert line.server.discover().url


def test_who_ended_it_there_is_asked_to_sign_in_again(at_halyard: World) -> None:
    world, errands = at_halyard, Errands()
    account_id = connect(world, errands)
    for kind in ("access", "refresh"):
        world.hosts.sign_on.tokens.end(OFFICE, kind)
    accounts.survey(world.store, account_id)
    assert "Sign in again" in world.work().message
    assert "Sign in again" in account_of(world.store, account_id).trouble
    address = sign_on.begin_again(world.store, world.settings, errands, account_id, BACK)
    answer = sign_in(address)
    assert sign_on.finish(world.store, world.settings, errands, answer) == (account_id, None)
    assert not account_of(world.store, account_id).trouble
    with pytest.raises(NothingBegun):  # pressed twice
        sign_on.finish(world.store, world.settings, errands, answer)
    accounts.survey(world.store, account_id)
    assert world.work().state == "done"


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"answer": "no"}, "did not allow"),
        ({"code": "guessed"}, "Sign in again"),
        ({"iss": "https://elsewhere.example"}, "another sign-on host"),
        ({"error": "<b>odd", "error_description": "x" * 9_000}, "It says: xxx"),
    ],
)
def test_what_was_not_granted_is_said_and_nothing_is_added(
    at_halyard: World, change: dict[str, str], says: str
) -> None:
    world, errands = at_halyard, Errands()
    address = sign_on.begin(world.settings, errands, world.hosts.address("halyard"), BACK)
    answer = sign_in(address, answer=change.get("answer", "yes"))
    with pytest.raises(Unreachable, match=says):
        sign_on.finish(world.store, world.settings, errands, {**answer, **change})
    with pytest.raises(NothingBegun):
        sign_on.finish(world.store, world.settings, errands, {**answer, "state": "guessed"})


DEEP = b"[" * 100_000
Say = Callable[[str], tuple[int, bytes]]


@pytest.fixture
def serving() -> Iterator[Callable[[Say], str]]:
    """Starts a host that answers every request as it is told, from its own address; gives that address."""
    servers: list[ThreadingHTTPServer] = []

    def serve(say: Say) -> str:
        class Host(BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                status, body = say(at)
                self.send_response(status)
                self.send_header("Content-Length", str(len(body)))
                self.end_headers()
                self.wfile.write(body)

            do_POST = do_GET

            def log_message(self, *_: object) -> None:
                return

        server = ThreadingHTTPServer(("127.0.0.1", 0), Host)
        servers.append(server)
        at = f"http://127.0.0.1:{server.server_address[1]}"
        Thread(target=server.serve_forever, daemon=True).start()
        return at

    yield serve
    for server in servers:
        server.shutdown()
        server.server_close()


@pytest.mark.parametrize(
    "described",
    [
        b"",
        b"<html>",
        DEEP,
        b'"text"',
        {"authorization_servers": []},
        {"authorization_servers": [5]},
        {"authorization_servers": "AT"},
        {"authorization_servers": ["http://signs.example"]},
        {"authorization_servers": ["AT"], "resource": "https://elsewhere.example"},
        {"authorization_servers": ["AT"], "issuer": "https://elsewhere.example"},
        {"authorization_servers": ["AT"], "issuer": "AT"},
        {
            "authorization_servers": ["AT"],
            "issuer": "AT",
            "authorization_endpoint": "javascript:1",
            "token_endpoint": 1,
        },
        {
            "authorization_servers": ["AT"],
            "issuer": "AT",
            "authorization_endpoint": "http://signs.example/a",
            "token_endpoint": "http://signs.example/t",
        },
        {
            "authorization_servers": ["AT"],
            "issuer": "AT",
            "authorization_endpoint": "https://signs.example/a",
            "token_endpoint": "https://signs.example/t",
            "code_challenge_methods_supported": ["plain"],
        },
    ],
)
def test_what_does_not_describe_a_sign_on_host_is_refused_in_words(serving: Any, described: Any) -> None:
    at = serving(lambda path: (200, body_of(described, path)))
    with pytest.raises(Unreachable):
        protocol.host_named(Web(Gate([at])), at + "/dav/")


def body_of(described: Any, at: str) -> bytes:
    return described if isinstance(described, bytes) else json.dumps(described).replace("AT", at).encode()


@pytest.mark.parametrize(
    ("status", "token"),
    [
        (200, b""),
        (200, b"<html>"),
        (200, DEEP),
        (200, b"[]"),
        (200, {}),
        (200, {"access_token": 5}),
        (200, {"access_token": "a\r\nX: y"}),
        (200, {"access_token": "a", "refresh_token": [1]}),
        (400, {"error": "invalid_grant"}),
        (400, {"error": 5}),
        (401, {"error": "invalid_client"}),
        (403, b"no"),
        (500, b"no"),
        (302, b""),
    ],
)
def test_what_is_no_token_is_refused_in_words(serving: Any, status: int, token: Any) -> None:
    at = serving(lambda _path: (status, body_of(token, "")))
    grant = Grant(SignOnHost(at, at + "/a", at + "/t"), "old", "next", "date-bridge", "secret")
    with pytest.raises(Unreachable):
        protocol.renew(Web(Gate([at])), grant)
    with pytest.raises(Unreachable):
        protocol.grant_of(
            Web(Gate([at])), grant.host, Beginning("", "s", "v" * 43), BACK, {"code": "c", "state": "s"}, "c", ""
        )
