"""The web interface's server side: guards, errors in words, shapes."""

from __future__ import annotations

import json
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path

import httpx
import pytest
from bench.application import application
from fastapi.testclient import TestClient

from datebridge.api import schema
from datebridge.api.app import create_app
from datebridge.clock import this_day
from datebridge.services.running import worker
from datebridge.settings import Settings
from tests.conftest import browser, calendar, event, laid

BASE = "http://127.0.0.1:8137"


@pytest.fixture
def client(tmp_path: Path) -> Iterator[TestClient]:
    with browser(create_app(Settings(data_dir=laid(tmp_path / "data")), work=False)) as made:
        yield made


def bring(client: TestClient, text: str, name: str = "tides.ics") -> int:
    """Upload, read, import and apply; returns the batch."""
    job = client.post("/api/imports", files=[("files", (name, text.encode()))]).json()["job_id"]
    app = client.app.state.app  # type: ignore[attr-defined]
    worker.drain(app.store, app.settings)
    (number,) = client.get(f"/api/jobs/{job}").json()["result"]["files"]
    group = client.get(f"/api/imports/{number}").json()["groups"][0]
    wish = {"decisions": [{"group_id": group["id"], "name": group["suggested_name"]}]}
    set_id = client.post(f"/api/imports/{number}/take", json=wish).json()["set_id"]
    assert client.post(f"/api/change-sets/{set_id}/apply").status_code == 200
    return int(set_id)


def test_a_file_comes_in_is_found_deleted_and_taken_back(client: TestClient) -> None:
    bring(client, calendar(event("a", "High water"), event("b", "Low water")))
    page = client.get("/api/entries", params={"filter": "high"}).json()
    assert [row["what"] for row in page["rows"]] == ["High water"]
    set_id = client.post("/api/deletions", json={"filter": "water"}).json()["set_id"]
    review = client.get(f"/api/change-sets/{set_id}").json()
    assert review["button"] == "Delete 2 entries from “tides”"
    assert client.get(f"/api/change-sets/{set_id}/changes").json()["rows"][0]["verb"] == "removed"
    client.post(f"/api/change-sets/{set_id}/apply")
    assert client.get("/api/entries").json()["total"] == 0
    undone = client.post(f"/api/change-sets/{set_id}/undo").json()
    assert (undone["applied"], client.get("/api/entries").json()["total"]) == (True, 2)
    route = client.get("/api/route").json()
    assert (route["look"], route["logbook"], route["last_batch"]["kind"]) == (2, 3, "import")


def test_an_entry_is_shown_with_its_source_and_problems(client: TestClient) -> None:
    bring(client, calendar(event("a", "Odd", "TZID=Harbour clock:20261124T080000")))
    entry = client.get("/api/entries").json()["rows"][0]
    assert entry["when"] == "2026-11-24 Tue 08:00"
    detail = client.get(f"/api/entries/{entry['id']}").json()
    assert detail["source"][1] == "UID:a"
    assert [p["code"] for p in detail["problems"]] == ["unresolved-zone"]
    assert {"label": "Start", "value": "2026-11-24 Tue 08:00 in an unknown zone"} in detail["facts"]
    assert [p["code"] for p in client.get("/api/problems").json()] == ["unresolved-zone"]


@pytest.mark.parametrize(
    ("lines", "when"),
    [
        (["20261124T200000Z", "DTEND:20261125T080000Z"], "2026-11-24 Tue 20:00–08:00 +1 d"),
        (["20261124T200000Z", "DTEND:20261125T000000Z"], "2026-11-24 Tue 20:00–24:00"),
        (["20261124", "DTEND;VALUE=DATE:20261126"], "2026-11-24 – 2026-11-25"),
        (["20261124"], "2026-11-24 Tue"),
        (["20261399"], "at no time"),
    ],
)
def test_when_is_short_and_whole(client: TestClient, lines: list[str], when: str) -> None:
    bring(client, calendar(event("a", "x", *lines)))
    assert client.get("/api/entries").json()["rows"][0]["when"] == when


def test_a_filter_that_does_not_parse_is_a_plain_error(client: TestClient) -> None:
    answer = client.get("/api/entries", params={"filter": "colour:red"})
    assert answer.status_code == 422
    assert answer.json()["detail"].startswith("There is no field “colour”")
    assert (answer.json()["start"], answer.json()["end"]) == (0, 10)


def test_a_handout_is_a_file_with_a_name(client: TestClient) -> None:
    bring(client, calendar(event("a")))
    answer = client.post("/api/exports", params={"format": "ics", "name": "Höfn/2026"}, json={})
    assert answer.headers["content-type"] == "text/calendar; charset=utf-8"
    assert answer.headers["content-disposition"].endswith("H%C3%B6fn-2026.ics")
    assert answer.content.startswith(b"BEGIN:VCALENDAR\r\n")
    assert client.post("/api/exports", params={"format": "csv", "zone": "Moon/Base"}, json={}).status_code == 422


def test_refusals_say_why(client: TestClient) -> None:
    assert (
        client.post("/api/deletions", json={}).json()["detail"] == "Nothing is selected, so there is nothing to delete."
    )
    assert client.post("/api/change-sets/99/apply").json()["detail"] == "There is no change set 99."
    assert client.get("/api/entries/99").status_code == 404
    assert client.get("/api/archives/..%2Fdate-bridge.sqlite").status_code == 404
    assert client.post("/api/imports", files=[("files", ("x.zip", b"PK\x05\x06" + b"\0" * 18))]).status_code == 413


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({}, 200),
        ({"Host": "evil.example"}, 403),
        ({"Host": "127.0.0.1.evil.example"}, 403),
        ({"Origin": BASE}, 200),
        ({"Origin": "https://evil.example"}, 403),
        ({"Origin": "null"}, 403),
        ({"Sec-Fetch-Site": "cross-site"}, 403),
    ],
)
def test_only_this_applications_own_pages_may_write(client: TestClient, headers: dict[str, str], status: int) -> None:
    assert client.post("/api/exports/check", json={}, headers=headers).status_code == status


def test_every_answer_forbids_framing_and_foreign_scripts(client: TestClient) -> None:
    policy = client.get("/api/route").headers["content-security-policy"]
    assert "frame-ancestors 'none'" in policy
    assert "default-src 'self'" in policy


def test_the_clients_schema_is_that_of_the_server() -> None:
    committed = Path(__file__).parents[2] / "frontend/openapi.json"
    assert committed.read_text("utf-8") == schema.text(), "run “make client”"


def test_a_start_says_what_a_kill_interrupted(tmp_path: Path) -> None:
    settings = Settings(data_dir=tmp_path)
    with browser(create_app(settings, work=False)) as client:
        set_id = bring(client, calendar(event("a")))
        store = client.app.state.app.store  # type: ignore[attr-defined]
        with store.write() as connection:
            connection.exec_driver_sql("UPDATE change_set SET state = 'applying' WHERE id = ?", (set_id,))
    with browser(create_app(settings, work=False)) as client:
        assert "nothing of it was applied" in client.get("/api/route").json()["notices"][0]


def test_who_listens_is_told_of_what_has_changed_and_of_nothing_else(tmp_path: Path) -> None:
    with application(tmp_path / "data") as address, httpx.Client(base_url=address, timeout=30) as web:
        web.headers["X-Date-Bridge"] = "test"
        with web.stream("GET", "/api/revisions") as stream:
            said = (line.removeprefix("data: ") for line in stream.iter_lines() if line.startswith("data: "))
            web.put("/api/preferences/days/Mondays", json={"value": {"days": ["2026-11-30"]}}).raise_for_status()
            assert json.loads(next(said)) == ["preferences"]
            set_id = web.post("/api/calendars", json={"name": "Cranes"}).raise_for_status().json()["set_id"]
            assert json.loads(next(said)) == ["sets"]
            web.post(f"/api/change-sets/{set_id}/apply").raise_for_status()
            assert set(json.loads(next(said))) >= {"entries", "sets"}


def test_the_logbook_is_searched_by_words_calendar_day_and_by_whom(client: TestClient) -> None:
    for name in ("Berths", "Labs"):
        bring(client, calendar(event(name, f"{name} check", "20261201T080000Z")), f"{name}.ics")

    def found(**sought: str | int) -> list[str]:
        page = client.get("/api/change-sets", params={"zone": "UTC", **sought}).json()
        assert page["total"] == len(page["rows"])
        return [row["title"] for row in page["rows"]]

    both = found()
    assert len(both) == 2
    assert [len(found(words=words)) for words in ("labs", "IMPORT labs", "berths labs", "%", "person")] == [
        1,
        1,
        0,
        0,
        2,
    ]
    assert sum(len(found(calendar=one["id"])) for one in client.get("/api/calendars").json()) == 2
    today = this_day()
    assert found(day=today.isoformat()) == both
    assert found(day=(today + timedelta(days=2)).isoformat()) == []
    assert (found(by="person"), found(by="clock")) == (both, [])


@pytest.mark.parametrize("path", ["%00.js", "../index.html", "%2e%2e/index.html", "no-such.js"])
def test_a_file_of_the_pages_that_is_not_there_is_not_found(client: TestClient, path: str) -> None:
    answer = client.get(f"/_app/{path}")
    assert answer.status_code in (200, 404)  # a path that leaves the folder before it is asked for is the page
    assert answer.status_code == 404 or "<!doctype html>" in answer.text.lower()
