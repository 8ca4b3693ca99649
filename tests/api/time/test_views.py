"""Time over the wire: days ready to be drawn, drags, typed lines, what is kept, and refusals in words."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from typing import Any

import pytest
from fastapi.testclient import TestClient

from datebridge.api.app import create_app
from datebridge.core.moments import wall_seconds_of
from tests.conftest import Bench, browser, calendar, event


@pytest.fixture
def client(bench: Bench) -> Iterator[TestClient]:
    with browser(create_app(bench.settings, work=False)) as client:
        yield client


@pytest.fixture
def filled(client: TestClient, bench: Bench) -> TestClient:
    bench.bring(
        calendar(
            event(
                "a",
                "Handover",
                "TZID=America/Halifax:20261123T090000",
                "DTEND;TZID=America/Halifax:20261123T093000",
                "RRULE:FREQ=WEEKLY",
            ),
            event("b", "Call", "20261123T131500Z", "DTEND:20261123T140000Z"),
            event("c", "Regatta", "VALUE=DATE:20261125"),
        )
    )
    return client


def _pieces(client: TestClient, **query: Any) -> list[dict[str, Any]]:
    asked = {"calendar": 1, "first": "2026-11-23", "count": 7, "zone": "Atlantic/Reykjavik", **query}
    return [piece for day in client.get("/api/days", params=asked).json()["days"] for piece in day["pieces"]]


def test_days_come_ready_to_be_drawn(filled: TestClient) -> None:
    handover, _, regatta = _pieces(filled)
    assert (handover["start"], handover["end"], handover["own"]) == (780, 810, "09:00–09:30 Halifax -04:00")
    assert handover["marks"] == ["series"]
    assert (regatta["whole"], regatta["row"]) == (True, 0)
    answer = filled.get("/api/days", params={"first": "2026-11-01", "count": 30, "calendar": 1, "most": 0}).json()
    assert (answer["title"], answer["total"], answer["days"][22]["total"]) == ("1–30 Nov 2026", 4, 2)
    assert answer["days"][22]["week"] == "2026-W48"


def test_a_drag_is_a_batch_on_the_clock_it_was_dragged_on(filled: TestClient) -> None:
    one = _pieces(filled)[0]
    body = {**{k: one[k] for k in ("entry", "series", "slot")}, "begin": 60, "end": 60, "zone": "Atlantic/Reykjavik"}
    done = filled.post("/api/shifts", json=body).json()
    assert done["title"] == "Move “Handover”, 2026-11-23 only"
    assert [p["hours"] for p in _pieces(filled) if p["title"] == "Handover"] == ["14:00–14:30"]
    assert [p["hours"] for p in _pieces(filled, first="2026-11-30")] == ["13:00–13:30"]


def test_what_a_series_comes_to(filled: TestClient) -> None:
    entry = _pieces(filled)[0]["entry"]
    found = filled.get(f"/api/entries/{entry}/occurrences", params={"zone": "UTC"}).json()
    assert (found["count"], found["last"], found["first"]["date"]) == (None, None, "2026-11-23 Mon")
    assert len(found["upcoming"]) == 10


def test_fields_are_checked_while_they_are_typed(filled: TestClient) -> None:
    one = {k: _pieces(filled)[0][k] for k in ("entry", "series", "slot")}
    fields = filled.get("/api/fields", params=one).json()["fields"]
    asked = {**one, "scope": "all", "fields": {**fields, "rule": "FREQ=WEEKLY;COUNT=3"}}
    found = filled.post("/api/fields/check", params={"clock": ["Australia/Hobart"]}, json=asked).json()
    assert (found["words"], found["count"], len(found["dates"])) == ("every Monday, 3 times", 3, 3)
    assert found["clocks"] == [{"zone": "Australia/Hobart", "shown": "00:00–00:30 next day +11:00"}]
    wrong = filled.post("/api/fields/check", json={**asked, "fields": {**fields, "end": "2026-11-23T08:00"}}).json()
    assert wrong["wrong"] == "The end is before the start."


def test_a_zone_is_said_by_what_its_name_means(client: TestClient, bench: Bench) -> None:
    bench.bring(calendar(event("a", "Handover", "TZID=/tidewrack.example/1/America/Halifax:20261123T090000")))
    entry = _pieces(client)[0]["entry"]
    found = client.get("/api/fields", params={"entry": entry}).json()
    assert (found["fields"]["zone"], found["zone_means"]) == (
        "/tidewrack.example/1/America/Halifax",
        "America/Halifax",
    )


def test_a_todo_keeps_its_status_while_it_is_edited(client: TestClient, bench: Bench) -> None:
    bench.bring(calendar("BEGIN:VTODO\nUID:t\nSUMMARY:Paint\nSTATUS:NEEDS-ACTION\nDUE:20261130T120000Z\nEND:VTODO"))
    entry = client.get("/api/entries").json()["rows"][0]["id"]
    fields = client.get("/api/fields", params={"entry": entry}).json()["fields"]
    asked = {"entry": entry, "fields": {**fields, "title": "Paint twice"}}
    assert client.post("/api/fields/check", json=asked).json()["wrong"] == ""
    wrong = client.post("/api/fields/check", json={**asked, "fields": {**fields, "status": "CONFIRMED"}}).json()
    assert "not a status" in wrong["wrong"]
    assert client.post("/api/edits", json=asked).json()["title"] == "Edit “Paint twice”"


def test_an_event_by_a_typed_line(filled: TestClient) -> None:
    line = {"calendar": 1, "text": "Crane check, 26 nov 2026 14:00–15:30, Hobart time", "zone": "UTC"}
    assert filled.post("/api/lines", json=line).json()["title"] == "New: Crane check"
    assert [p["hours"] for p in _pieces(filled) if p["title"] == "Crane check"] == ["03:00–04:30"]


def test_occurrences_as_a_list_of_what_matches_a_filter(filled: TestClient) -> None:
    asked = {"first": "2026-11-23", "count": 31, "calendar": 1, "filter": "repeats:yes", "limit": 2, "offset": 1}
    found = filled.get("/api/occurrences", params=asked).json()
    assert (found["total"], [row["date"] for row in found["rows"]]) == (5, ["2026-11-30 Mon", "2026-12-07 Mon"])


def test_collisions_and_two_sides(filled: TestClient) -> None:
    asked = {"first": "2026-11-23", "count": 7, "calendar": 1, "zone": "UTC"}
    found = filled.get("/api/overlaps", params=asked).json()
    assert [(r["left"]["title"], r["right"]["title"], r["shared"]) for r in found["rows"]] == [
        ("Handover", "Call", "15 min")
    ]
    assert len(found["keys"]) == 2
    term = filled.post("/api/entries/uids", json=found["entries"]).json()["term"]
    assert filled.get("/api/entries", params={"filter": term}).json()["total"] == 2
    sides = filled.get("/api/mirrored-days", params={"first": "2026-11-23", "left": 1, "right": 1}).json()
    assert (sides["same"], sides["moved"], sides["alone_left"]) == (3, 0, 0)


def test_what_is_kept_under_a_name(client: TestClient) -> None:
    client.put("/api/preferences/layers/Ships", json={"value": {"on": [1, 2]}})
    client.put("/api/preferences/layers/Ships", json={"value": {"on": [2]}})
    assert client.get("/api/preferences/layers").json() == [{"name": "Ships", "value": {"on": [2]}}]
    client.put("/api/preferences/layers/Ships%2Fboats", json={"value": {}})
    assert client.get("/api/preferences/layers").json()[1]["name"] == "Ships/boats"
    client.delete("/api/preferences/layers/Ships%2Fboats")
    client.delete("/api/preferences/layers/Ships")
    assert client.get("/api/preferences/layers").json() == []


@pytest.mark.parametrize(
    ("path", "said"),
    [
        ("/api/days?zone=Skerrow/Nowhere", "is not a time zone"),
        ("/api/phrases/date?text=soon", "is not a date"),
        ("/api/phrases/days?text=blue+days", "says no days"),
        ("/api/entries/99/occurrences", "no longer exists"),
        ("/api/fields?entry=99", "no longer exists"),
    ],
)
def test_refusals_are_in_words(client: TestClient, path: str, said: str) -> None:
    answer = client.get(path)
    assert answer.status_code in (404, 422)
    assert said in answer.text


@pytest.mark.parametrize(
    ("path", "query"),
    [
        ("phrases/date", {"text": "in 99999 years"}),
        ("phrases/date", {"text": "٣ jun"}),
        ("phrases/date", {"text": "9" * 400}),
        ("phrases/days", {"text": "Mondays of december 9999"}),
        ("phrases/days", {"text": "days of 9999"}),
        ("phrases/days", {"text": "last day of the next ²² months"}),
        ("entries", {"filter": "imported:²"}),
        ("entries", {"filter": " ".join(["a"] * 1200)}),
        ("entries", {"filter": "calendar:" + ",".join(["a"] * 1200)}),
        ("entries", {"filter": "-a " * 149}),
        ("entries", {"filter": "on:9999"}),
        ("entries", {"filter": "before:0001"}),
        ("days", {"first": "9999-12-30", "count": 7, "calendar": 1}),
        ("days", {"first": "0001-01-01", "count": 7, "calendar": 1}),
        ("occurrences", {"first": "9999-12-31", "calendar": 1}),
        ("mirrored-days", {"first": "9999-12-31", "left": 1, "right": 1}),
        ("overlaps", {"first": "9999-12-31", "calendar": 1}),
    ],
)
def test_no_words_make_it_fail(filled: TestClient, path: str, query: dict[str, Any]) -> None:
    assert filled.get(f"/api/{path}", params=query).status_code in (200, 422, 400)


@pytest.mark.parametrize(
    "text", ["Long, 9:00 for 99999999999 minutes", "Last day, 9999-12-31", "Late, 9999-12-31 23:30"]
)
def test_no_typed_line_makes_it_fail(filled: TestClient, text: str) -> None:
    assert filled.post("/api/lines", json={"calendar": 1, "text": text}).status_code in (200, 422)


def test_a_move_no_rule_says_is_offered_as_dates(client: TestClient, bench: Bench) -> None:
    bench.bring(
        calendar(event("m", "Report", "20260331T090000", "RRULE:FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1;COUNT=4"))
    )
    entry = bench.entry("uid:m").id
    fields = client.get("/api/fields", params={"entry": entry}).json()["fields"]
    wish = {
        "entry": entry,
        "scope": "all",
        "fields": {**fields, "start": "2026-04-01T09:00", "end": "2026-04-01T09:00"},
    }
    checked = client.post("/api/fields/check", json=wish).json()
    assert checked["listable"] == 4
    assert "last working day" in checked["wrong"]
    assert client.post("/api/edits", json=wish).status_code == 422
    assert client.post("/api/edits", json={**wish, "listed": True}).status_code == 200
    assert bench.entry("uid:m").repeats == "on 4 extra dates"


def test_this_and_all_after_says_how_many_are_left(client: TestClient, bench: Bench) -> None:
    bench.bring(calendar(event("w", "Watch", "20261103T090000", "RRULE:FREQ=WEEKLY;COUNT=80")))
    entry = bench.entry("uid:w").id
    slot = wall_seconds_of(date(2026, 12, 1)) + 9 * 3600
    one = {"entry": entry, "series": entry, "slot": slot}
    fields = client.get("/api/fields", params=one).json()["fields"]
    asked = {**one, "scope": "following", "fields": {**fields, "title": "Night watch"}}
    found = client.post("/api/fields/check", json=asked).json()
    assert (found["count"], found["dates"][0]) == (76, "Tue 1 Dec 2026")
    assert "76 times" in found["words"]
    assert client.post("/api/edits", json=asked).status_code == 200
    assert "until 24 November" in bench.entry("uid:w").repeats
