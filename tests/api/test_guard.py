"""Who may ask, and what every answer carries."""

from __future__ import annotations

import json
from collections.abc import Iterator
from hashlib import sha256
from pathlib import Path

import pytest
from fastapi import FastAPI
from fastapi.testclient import TestClient

from datebridge.api.app import create_app, schema
from datebridge.services.access import new_key
from datebridge.settings import Settings
from datebridge.store.database import Store
from datebridge.store.sessions import open_sessions
from tests.conftest import browser, laid

BASE = "http://127.0.0.1:8137"
HEADERS = {
    "content-security-policy",
    "x-content-type-options",
    "referrer-policy",
    "cross-origin-resource-policy",
    "cross-origin-opener-policy",
}


@pytest.fixture(scope="module")
def app(tmp_path_factory: pytest.TempPathFactory) -> Iterator[FastAPI]:
    """The application, which these tests only look at from outside."""
    made = create_app(Settings(data_dir=laid(tmp_path_factory.mktemp("guard") / "data")), work=False)
    yield made
    made.state.app.store.close()


def asked(app: FastAPI, method: str = "GET", peer: str = "127.0.0.1", path: str = "/api/jobs", **headers: str):  # type: ignore[no-untyped-def]
    """An answer to a request without any header but those given."""
    client = TestClient(app, base_url=BASE, client=(peer, 5000), raise_server_exceptions=False)
    return client.request(method, path, headers={name.replace("_", "-"): value for name, value in headers.items()})


@pytest.mark.parametrize(
    "host",
    [
        "127.0.0.1:x.evil.example",
        "evil.example",
        "127.0.0.1.evil.example",
        "127.0.0.1@evil.example",
        "[::1",
        "",
        "localhost:",
    ],
)
def test_no_other_name_is_answered_to(app: FastAPI, host: str) -> None:
    assert asked(app, host=host).status_code == 403


@pytest.mark.parametrize("host", ["127.0.0.1:8137", "localhost", "LOCALHOST:80", "[::1]:8137"])
def test_own_names_are(app: FastAPI, host: str) -> None:
    assert asked(app, host=host).status_code == 200


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({}, 403),
        ({"origin": "http://evil.example"}, 403),
        ({"origin": "null"}, 403),
        ({"origin": "http://[x"}, 403),
        ({"origin": "null", "sec_fetch_site": "same-origin"}, 403),
        ({"sec_fetch_site": "cross-site"}, 403),
        ({"sec_fetch_site": "none"}, 403),
        ({"origin": BASE, "sec_fetch_site": "same-site"}, 403),
        ({"origin": "http://evil.example", "x_date_bridge": "x"}, 403),
        ({"sec_fetch_site": "cross-site", "x_date_bridge": "x"}, 403),
        ({"origin": BASE}, 404),
        ({"sec_fetch_site": "same-origin"}, 404),
        ({"x_date_bridge": "curl"}, 404),
    ],
)
def test_a_write_comes_from_a_page_of_ours_or_a_program_that_says_so(
    app: FastAPI, headers: dict[str, str], status: int
) -> None:
    assert asked(app, "POST", path="/api/jobs/999/stop", **headers).status_code == status


@pytest.mark.parametrize("host", ["localhost:8137", "127.0.0.1:8137", "calendars.example"])
def test_from_elsewhere_a_name_is_no_key(tmp_path: Path, host: str) -> None:
    settings = Settings(data_dir=tmp_path, host="0.0.0.0", access_key=True, names=("calendars.example",))
    key = new_key(settings)
    assert new_key(settings) == ""  # shown once
    assert key not in (tmp_path / "access.key").read_text()
    app = create_app(settings, work=False)
    own = host == "calendars.example"
    assert asked(app, peer="192.0.2.7", host=host).status_code == (401 if own else 403)
    assert asked(app, peer="192.0.2.7", host=host, authorization="Bearer no").status_code == (401 if own else 403)
    assert asked(app, peer="192.0.2.7", host=host, authorization=f"Bearer {key}").status_code == (200 if own else 403)
    assert asked(app, host="localhost").status_code == 200  # this machine needs none


def test_a_browser_enters_the_key_once(tmp_path: Path) -> None:
    settings = Settings(data_dir=tmp_path, host="0.0.0.0", access_key=True, names=("calendars.example",))
    key = new_key(settings)
    app = create_app(settings, work=False)
    origin = "http://calendars.example"
    with TestClient(app, base_url=origin, client=("192.0.2.7", 5000), headers={"Origin": origin}) as client:
        page = client.get("/", headers={"Accept": "text/html"})
        assert (page.status_code, "access key" in page.text) == (401, True)
        assert "not the key" in client.post("/enter", data={"key": "guess"}).text
        entered = client.post("/enter", data={"key": key}, follow_redirects=False)
        assert (entered.status_code, key in entered.headers["set-cookie"]) == (303, False)
        assert "SameSite=strict" in entered.headers["set-cookie"]
        assert client.get("/api/jobs").status_code == 200
        cookies = dict(client.cookies)
    with TestClient(create_app(settings, work=False), base_url=origin, client=("192.0.2.7", 5000)) as later:
        assert (
            later.get("/api/jobs", headers={"Cookie": "; ".join(f"{k}={v}" for k, v in cookies.items())}).status_code
            == 200
        )


def test_who_has_the_files_has_no_cookie(tmp_path: Path) -> None:
    settings = Settings(data_dir=tmp_path, host="0.0.0.0", access_key=True, names=("calendars.example",))
    key = new_key(settings)
    app = create_app(settings, work=False)
    with TestClient(app, base_url="http://calendars.example", client=("192.0.2.7", 5000)) as client:
        entered = client.post(
            "/enter", data={"key": key}, headers={"Origin": "http://calendars.example"}, follow_redirects=False
        )
        cookie = entered.headers["set-cookie"].partition("=")[2].partition(";")[0]
    kept = settings.access_file.read_text()
    with Store(settings.database).read() as connection:
        found = {kept, *open_sessions(connection)}
    guesses = {
        guess
        for one in found
        for guess in (one, sha256(one.encode()).hexdigest(), sha256(f"cookie {one}".encode()).hexdigest())
    }
    assert cookie not in guesses
    again = create_app(settings, work=False)
    for guess in guesses:
        answer = asked(again, peer="192.0.2.7", host="calendars.example", cookie=f"date-bridge-access={guess}")
        assert answer.status_code == 401


@pytest.mark.parametrize(("accepts", "packed"), [("gzip", True), ("gzip;q=0", False), ("br, *;q=0", False)])
def test_answers_are_packed_for_those_who_take_them_so(app: FastAPI, accepts: str, packed: bool) -> None:
    answer = asked(app, path="/openapi.json", **{"accept-encoding": accepts})
    assert ("content-encoding" in answer.headers) == packed
    assert answer.json() == schema()


def test_behind_a_proxy_only_the_proxy_may_ask(tmp_path: Path) -> None:
    settings = Settings(data_dir=tmp_path, host="0.0.0.0", proxy="192.0.2.1", names=("calendars.example",))
    app = create_app(settings, work=False)
    assert asked(app, peer="192.0.2.1", host="calendars.example").status_code == 200
    assert asked(app, peer="192.0.2.7", host="calendars.example").status_code == 403


@pytest.mark.parametrize("status", [200, 403, 404, 405, 422, 500])
def test_every_answer_carries_the_security_headers(app: FastAPI, status: int) -> None:
    @app.get("/api/broken")
    def broken() -> None:
        raise RuntimeError("https://feeds.example/s/9d2k-duty.ics")

    app.router.routes.insert(0, app.router.routes.pop())
    path = {500: "/api/broken", 404: "/api/jobs/99", 422: "/api/jobs/x"}.get(status, "/api/jobs")
    answer = asked(
        app,
        "DELETE" if status == 405 else "GET",
        path=path,
        origin=BASE,
        host="evil.example" if status == 403 else "127.0.0.1:8137",
    )
    assert answer.status_code == status
    assert answer.headers.keys() >= HEADERS
    assert "9d2k" not in answer.text
    assert status == 200 or answer.json()["detail"]


HALF = "\ud800"


@pytest.mark.parametrize(
    ("method", "path", "body"),
    [
        ("PUT", "/api/preferences/layers/a", {"value": {"on": [HALF]}}),
        ("PUT", "/api/preferences/layers/a", {"value": {HALF: 1}}),
        ("POST", "/api/deletions", {"filter": HALF}),
        ("POST", "/api/calendars", {"name": HALF}),
        ("POST", "/api/deletions", {"filter": "calendar:" + "x" * 100_000 + " before:9999-99-99"}),
        ("POST", "/api/deletions", {"only": [2**63]}),
        ("POST", "/api/entries/uids", [-(2**70)]),
        ("POST", "/api/accounts/discover", {"address": "http://[::1"}),
        ("POST", "/api/accounts/discover", {"address": "\x00"}),
        ("POST", "/api/shifts", {"entry": 2**63, "begin": 0, "end": 0}),
        ("GET", "/api/change-sets?limit=-1", None),
        ("GET", "/api/filters/check?cursor=-99&filter=%00", None),
        ("GET", "/api/days?first=9999-12-31&count=371", None),
        ("GET", "/api/days?day=0001-01-01", None),
        ("GET", f"/api/jobs/{2**63}", None),
        ("GET", "/api/entries?filter=imported:99999999999999999999", None),
        ("GET", "/api/conflicts?offset=99999999999999999999", None),
        ("POST", "/api/exports", {"filter": "before:x"}),
        ("POST", "/api/archives", {"selection": {"filter": "before:x"}}),
        ("POST", "/api/transfers", {"chosen": {"filter": "nofield:x"}, "target": {}}),
        ("GET", "/api/facets?by=year&filter=%22", None),
        ("GET", "/api/occurrences?first=2026-01-01&filter=on:x", None),
        ("GET", "/api/entries/today?filter=has:x", None),
        ("GET", "/api/entries/ids?filter=-", None),
    ],
)
def test_what_makes_no_sense_is_refused_in_words_and_leaves_nothing_behind(
    app: FastAPI, method: str, path: str, body: object
) -> None:
    with browser(app) as client:
        content = json.dumps(body) if body is not None else None
        answer = client.request(method, path, content=content, headers={"Content-Type": "application/json"})
        assert 400 <= answer.status_code < 500
        assert answer.json()["detail"]
        assert client.get("/api/preferences/layers").json() == []


def test_what_is_nested_beyond_reason_is_refused(app: FastAPI) -> None:
    with browser(app) as client:
        for depth in (60, 5_000, 200_000):
            content = '{"value": {"a": ' + "[" * depth + "]" * depth + "}}"
            answer = client.put(
                "/api/preferences/layers/a", content=content, headers={"Content-Type": "application/json"}
            )
            assert answer.status_code in (400, 422)
