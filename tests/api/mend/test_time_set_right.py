"""Zones, series and reconciling over the wire: shapes ready to be drawn, and refusals in words."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from datetime import date
from typing import Any

import pytest
from fastapi.testclient import TestClient

from datebridge.api.app import create_app
from datebridge.demo.timing import COPY, HALIFAX, HOME, PLAN, Watch
from datebridge.services.running import maintenance, worker
from tests.conftest import Bench, browser, prepared

TODAY = date(2026, 11, 27)
SPAN = {"first": "2026-05-01", "last": "2027-05-01"}


@prepared
def watch(bench: Bench) -> None:
    made = Watch(TODAY)
    bench.bring(made.plan(), PLAN)
    bench.bring(made.copy(), COPY)
    maintenance.queue_maintenance(bench.store)
    worker.drain(bench.store, bench.settings)


@pytest.fixture
def bench(watch: Bench) -> Bench:
    return watch


@pytest.fixture
def client(bench: Bench) -> Iterator[TestClient]:
    with browser(create_app(bench.settings, work=False)) as client:
        yield client


def done(bench: Bench, client: TestClient, answer: Any) -> dict[str, Any]:
    """What a queued job came to."""
    assert answer.status_code == 200, answer.text
    worker.drain(bench.store, bench.settings)
    job = client.get(f"/api/jobs/{answer.json()['job_id']}").json()
    assert job["state"] == "done", job
    return dict(job["result"])


def named(client: TestClient, tzid: str) -> list[dict[str, Any]]:
    return [one for one in client.get("/api/zone-names").json()["names"] if one["tzid"] == tzid]


def test_zone_names_come_with_their_year_and_what_they_could_be(client: TestClient) -> None:
    [moncton] = named(client, "America/Moncton")
    assert (moncton["state"], moncton["named"], moncton["like"]) == (
        "contradicts",
        "America/Moncton",
        "America/New_York",
    )
    own, other = ([step["minutes"] for step in moncton[name]] for name in ("own_year", "zone_year"))
    assert (own, other) == ([-300, -240, -300], [-240, -180, -240])
    [ast] = named(client, "AST")
    assert [one["zones"] for one in ast["candidates"]] == [["America/Halifax"], ["America/Puerto_Rico"]]
    assert (ast["state"], ast["own_year"], ast["filter"]) == ("unknown", [], "zone:AST")
    hobart, halifax = named(client, "Partner time")
    assert {hobart["like"], halifax["like"]} == {"Australia/Hobart", HALIFAX}
    readings = client.get("/api/zone-names/readings", params={"tzid": "America/Moncton"}).json()
    assert (len(readings["rows"]), readings["rows"][0]["by_name"], readings["rows"][0]["apart"]) == (3, "14:00", "+1 h")


def test_rulings_are_made_listed_and_taken_back(client: TestClient, bench: Bench) -> None:
    plan = named(client, "Skerrow local")[0]["uses"][0]["calendar_id"]
    wish = {"tzid": "Skerrow local", "zone": HOME, "calendar_id": plan}
    done(bench, client, client.post("/api/zone-names/rulings", json=wish))
    [ruling] = client.get("/api/zone-names").json()["rulings"]
    assert (ruling["tzid"], ruling["zone"], ruling["calendar"]) == ("Skerrow local", HOME, PLAN)
    assert named(client, "Skerrow local")[0]["state"] == "ruled"
    done(bench, client, client.delete(f"/api/zone-names/rulings/{ruling['id']}"))
    assert named(client, "Skerrow local")[0]["state"] == "unknown"
    again = client.delete(f"/api/zone-names/rulings/{ruling['id']}")
    assert (again.status_code, again.json()["code"]) == (422, "cannot-rule")


@pytest.mark.parametrize(
    ("method", "path", "body", "said"),
    [
        ("post", "/api/zone-names/rulings", {"tzid": "AST", "zone": "Skerrow/Nowhere"}, "is not a time zone"),
        ("post", "/api/zone-names/rulings", {"tzid": "", "zone": HOME}, "have no name"),
        ("post", "/api/zone-names/rulings", {"tzid": "AST", "zone": HOME, "calendar_id": 99}, "no longer exists"),
        ("post", "/api/comparisons", {"left": 1, "right": 1, **SPAN}, "two different calendars"),
        ("post", "/api/comparisons", {"left": 1, "right": 99, **SPAN}, "no longer exists"),
        ("get", "/api/comparisons/99", None, "no longer exists"),
        ("get", "/api/comparisons/pairs/99", None, "no longer exists"),
        ("get", "/api/series/9999/strip", None, "no longer exists"),
        ("get", "/api/series/against?left=9998&right=9999", None, "no longer exists"),
        ("post", "/api/series/9999/shape", {"how": "explode"}, "no longer exists"),
        ("get", "/api/change-sets/99/times", None, "There is no change set"),
    ],
)
def test_refusals_are_in_words(client: TestClient, method: str, path: str, body: Any, said: str) -> None:
    answer = client.request(method, path, json=body)
    assert answer.status_code in (404, 422)
    assert said in answer.text


def test_series_come_with_their_health_and_a_year(client: TestClient) -> None:
    head = client.get("/api/series/head").json()
    assert {one["code"]: one["count"] for one in head["findings"]}["exdate-misses"] == 1
    [kelp] = client.get("/api/series", params={"filter": "what:Kelp"}).json()["rows"]
    assert (kelp["first"], kelp["left_out"], kelp["ill"]) == (
        "2026-05-25",
        1,
        ["Exception date without an occurrence"],
    )
    strip = client.get(f"/api/series/{kelp['entry']['id']}/strip", params={"year": 2026}).json()
    assert [change["words"] for change in strip["changes"]] == ["−60 min", "+60 min"]
    assert Counter(tick["what"] for tick in strip["ticks"]) == {"kept": 32, "left out": 1}
    assert "may be meant" in strip["ill"][0]["message"]


def test_two_calendars_are_compared_and_one_is_made_as_the_other(client: TestClient, bench: Bench) -> None:
    ids = {one["name"]: one["id"] for one in client.get("/api/calendars").json()}
    wish = {"left": ids[PLAN], "right": ids[COPY], **SPAN}
    number = done(bench, client, client.post("/api/comparisons", json=wish))["comparison"]
    review = client.get(f"/api/comparisons/{number}").json()
    kinds = {one["value"]: one["count"] for one in review["verdicts"]}
    assert (kinds["season"], kinds["fields"], kinds["uid"], kinds["moved"]) == (1, 1, 1, 3)
    [season] = client.get(f"/api/comparisons/{number}/pairs", params={"verdict": "season"}).json()["rows"]
    assert f"{HALIFAX} taken for Etc/GMT+3" in season["says"]
    detail = client.get(f"/api/comparisons/pairs/{season['id']}").json()
    first = detail["page"]["rows"][0]
    assert (first["left"]["hours"], first["right"]["hours"], first["moved"]) == ("14:00–15:00", "14:00–15:00", "−1 h")
    assert (first["left"]["there"], first["right"]["there"]) == ("15:00", "13:00")
    asked = {"to": "right", "verdict": "season"}
    made = done(bench, client, client.post(f"/api/comparisons/{number}/adjust", json=asked))
    times = client.get(f"/api/change-sets/{made['set_id']}/times").json()
    assert times["moved"] >= season["changed"]
    assert (times["gone"], times["new"], times["clock_change"]) == (0, 0, 0)
    assert times["page"]["rows"][0]["moved"] == "+1 h"
