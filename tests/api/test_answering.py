"""Processes beside the application: their answers are its own, and where they have none it answers itself."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from fastapi.testclient import TestClient
from starlette.types import ASGIApp, Receive, Scope, Send

from datebridge.api.answering import Answering, Spread
from datebridge.api.app import create_app
from tests.conftest import Bench, browser, calendar, event, wait_until

ASKED = (
    "/api/entries?sort=what",
    "/api/entries?filter=tide%201&sort=when",
    "/api/entries?filter=before:",  # a refusal in words
    "/api/entries?filter=%22Tide%201%22%25&sort=when&filter=%zz",
    "/api/entries?limit=-1&sort=nothing",  # a refusal of what was asked
    "/api/facets?by=calendar",
    "/api/days?first=2026-11-23&count=7&calendar=1",
    "/api/occurrences?first=2026-11-23&calendar=1",
    "/api/overlaps?first=2026-11-23&count=7&calendar=1",
)


def all_answer(answering: Answering) -> None:
    """Look after them, as is done every few seconds, until all of them answer."""

    def looked() -> bool:
        answering.look()
        return all(helper.answers() for helper in answering.helpers)

    wait_until(looked)


@pytest.fixture
def answering(bench: Bench) -> Iterator[Answering]:
    bench.bring(calendar(*(event(str(k), f"Tide {k}", f"202611{k % 5 + 23}T080000Z") for k in range(60))))
    made = Answering(bench.settings, bench.store, most=2, many=50)
    all_answer(made)
    yield made
    made.stop()


class Here:
    """The application itself, and what it was asked."""

    def __init__(self, app: ASGIApp) -> None:
        self.app, self.asked = app, list[str]()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "http":
            self.asked.append(scope["path"])
        await self.app(scope, receive, send)


@pytest.fixture
def here(bench: Bench) -> Here:
    return Here(create_app(bench.settings, work=False))


@pytest.fixture
def client(here: Here, answering: Answering) -> Iterator[TestClient]:
    with browser(Spread(here, answering)) as client:  # type: ignore[arg-type]
        yield client


def test_what_they_answer_is_what_the_application_answers(client: TestClient, answering: Answering, here: Here) -> None:
    beside = {path: client.get(path) for path in ASKED}
    assert here.asked == []
    answering.stop()
    for path, answer in beside.items():
        own = client.get(path)
        assert (answer.status_code, answer.json()) == (own.status_code, own.json()), path
    assert len(here.asked) == len(ASKED)


def test_they_see_what_was_changed_a_moment_ago(client: TestClient, bench: Bench) -> None:
    assert client.get("/api/entries").json()["total"] == 60
    bench.bring(calendar(event("new", "Tide new")))
    assert client.get("/api/entries").json()["total"] == 61


def test_one_that_dies_is_not_missed_and_replaced(client: TestClient, answering: Answering) -> None:
    for helper in answering.helpers:
        process = helper._process
        assert process is not None
        process.kill()
        process.join()
    assert client.get(ASKED[0]).status_code == 200
    all_answer(answering)
    assert client.get(ASKED[0]).json()["total"] == 60


def test_a_small_store_has_none(bench: Bench) -> None:
    bench.bring(calendar(event("a")))
    answering = Answering(bench.settings, bench.store, most=2)
    answering.look()
    assert answering.helpers == []
