"""Accounts through the web interface's server side: what is said, what is refused, and what never leaves."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from fastapi.testclient import TestClient

from datebridge.api.app import create_app
from datebridge.standins.faults import Fault
from datebridge.standins.feeds import Feed
from tests.conftest import browser, calendar
from tests.world import MEETING, OFFICE, PASSWORD, World, berth

HIDDEN = "/private/9d2k-duty.ics"


@pytest.fixture
def client(world: World) -> Iterator[TestClient]:
    app = create_app(world.settings, work=False)
    with browser(app) as made:
        yield made


def test_every_calendar_says_what_it_is(world: World, client: TestClient) -> None:
    world.hosts.breakwater.publish(Feed(HIDDEN, "Duty"), calendar(berth(1), header="X-PUBLISHED-TTL:PT6H").encode())
    world.put("tidewrack", "berths", berth(2))
    world.connect("tidewrack")
    world.subscribe(HIDDEN)
    world.bring(calendar(berth(3)), calendar="From a file")
    said = {c["name"]: (c["state"], c["flow"], c["owner"]) for c in client.get("/api/calendars").json()}
    assert said == {
        "Berths": ("live 15 min · writable", "both ways with Tidewrack", "you"),
        "127.0.0.1 1": ("live 6 h · read only", "from Breakwater only", "Breakwater"),
        "From a file": ("snapshot · writable here", "local only", ""),
    }


def test_calendars_of_one_name_are_told_apart(world: World, client: TestClient) -> None:
    for name in ("tidewrack", "lantern"):
        world.put(name, "berths", berth(1))
        world.connect(name)
    found = client.get("/api/calendars").json()
    assert {c["label"] for c in found} == {"Berths · Tidewrack", "Berths · Lantern"}
    for one in found:
        assert client.get("/api/entries", params={"filter": one["term"]}).json()["total"] == 1
    counted = client.get("/api/facets", params={"by": "calendar"}).json()
    assert sorted((one["term"], one["count"]) for one in counted) == sorted((one["term"], 1) for one in found)


def test_secrets_never_leave_but_on_request(world: World, client: TestClient) -> None:
    world.hosts.breakwater.publish(Feed(HIDDEN, "Duty"), calendar(berth(1)).encode())
    world.connect("tidewrack")
    world.subscribe(HIDDEN)
    for path in ("/api/accounts", "/api/calendars", "/api/route", "/api/jobs", "/api/change-sets"):
        text = client.get(path).text
        assert HIDDEN not in text
        assert PASSWORD not in text
    remote = next(a["remotes"][0]["id"] for a in client.get("/api/accounts").json() if a["kind"] == "feed")
    shown = client.post(f"/api/remotes/{remote}/address")
    assert shown.json()["address"].endswith(HIDDEN)
    assert shown.headers["cache-control"] == "no-store"


def test_a_wrong_password_is_said_and_nothing_is_added(world: World, client: TestClient) -> None:
    wish = {"address": world.hosts.address("lantern"), "user": OFFICE, "password": "guess"}
    refused = client.post("/api/accounts", json=wish)
    assert (refused.status_code, refused.json()["trouble"]) == (424, "password")
    assert client.get("/api/accounts").json() == []
    assert client.post("/api/accounts", json={**wish, "password": PASSWORD}).status_code == 200
    assert client.post("/api/accounts", json={**wish, "password": PASSWORD}).status_code == 409


def test_another_password_is_kept_only_if_it_works(world: World, client: TestClient) -> None:
    account = world.connect("lantern")
    world.hosts.lantern.records.add_person(OFFICE, "new-1", "Harbour Office", "harbour-office@skerrow.example")
    world.refresh(account)
    assert "does not accept" in client.get("/api/accounts").json()[0]["trouble"]
    url = f"/api/accounts/{account}/sign-in"
    assert client.post(url, json={"user": OFFICE, "password": "guess"}).status_code == 424
    assert client.post(url, json={"user": OFFICE, "password": "new-1"}).status_code == 204
    assert world.refresh(account).state == "done"
    assert client.get("/api/accounts").json()[0]["trouble"] == ""


def test_the_preview_says_who_is_told(world: World, client: TestClient) -> None:
    world.put("tidewrack", "berths", berth(1, *MEETING), berth(2, "ATTENDEE:mailto:a@skerrow.example"))
    world.connect("tidewrack")
    number = client.post("/api/deletions", json={"filter": "alongside"}).json()["set_id"]
    warnings = client.get(f"/api/change-sets/{number}").json()["warnings"]
    assert "Tidewrack notifies 1 attendee of 1 meeting." in warnings
    assert "The attendees of 1 entry are not notified." in warnings


def test_each_change_of_a_batch_says_how_it_fared(world: World, client: TestClient) -> None:
    world.put("tidewrack", "berths", berth(1), berth(2))
    world.connect("tidewrack")
    world.hosts.switches["tidewrack"].arm(Fault("meddle", method="DELETE"))
    number = world.delete("alongside")
    world.work()
    rows = client.get(f"/api/change-sets/{number}/changes").json()["rows"]
    assert sorted(row["push"] for row in rows) == ["conflict", "pushed"]
    review = client.get(f"/api/change-sets/{number}").json()
    assert (review["pushed"]["pushed"], review["pushed"]["conflict"]) == (1, 1)
    (undecided,) = client.get("/api/conflicts").json()["rows"]
    assert (undecided["what"][:6], undecided["when"]) == ("Launch", "2026-12-01 Tue 08:00")
    assert client.post(f"/api/conflicts/{undecided['id']}/theirs").status_code == 204
    assert client.get("/api/conflicts").json()["total"] == 0


def test_what_was_refused_is_grouped_by_reason_and_tried_again_at_once(world: World, client: TestClient) -> None:
    world.connect("lantern")
    world.hosts.switches["lantern"].arm(Fault("full", method="PUT", count=3))
    world.take("Berths", *map(berth, range(5)))
    world.work()
    (group,) = client.get("/api/conflicts").json()["refusals"]
    assert (group["count"], group["message"]) == (3, "Lantern has no space left (507).")
    assert client.post("/api/conflicts/again", json={"message": "Another reason."}).json() == {"count": 0}
    wish = {"remote_id": group["remote_id"], "message": group["message"]}
    assert client.post("/api/conflicts/again", json=wish).json() == {"count": 3}
    world.work()
    assert len(world.there("lantern", "berths")) == 5
    assert client.get("/api/conflicts").json() == {"total": 0, "rows": [], "refusals": []}


def test_how_a_calendar_came_here_is_not_taken_back_and_u_is_for_ones_own_batches(
    world: World, client: TestClient
) -> None:
    world.put("tidewrack", "berths", berth(1))
    world.connect("tidewrack")
    assert client.get("/api/route").json()["last_batch"] is None
    (batch,) = client.get("/api/change-sets").json()["rows"]
    assert batch["undoable"] is False
    refused = client.post(f"/api/change-sets/{batch['id']}/undo")
    assert (refused.status_code, "Switch the calendar off" in refused.json()["detail"]) == (409, True)
