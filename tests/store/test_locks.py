"""Who only looks does not wait for who writes."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from fastapi.testclient import TestClient

from datebridge.api.app import create_app, schema
from datebridge.store.tables import Job
from tests.conftest import Bench, browser, calendar, event

#: What is asked with numbers that there are.
NUMBERS = {"{calendar_id}": "1", "{entry_id}": "1", "{set_id}": "1", "{file_id}": "1", "{job_id}": "1"}
#: Answers that never end, or are no data.
ELSE = {"/api/revisions"}


@pytest.fixture
def client(bench: Bench) -> Iterator[TestClient]:
    bench.bring(calendar(event("a", "Tide"), event("b", "Ebb", "20261125T080000Z", "RRULE:FREQ=DAILY;COUNT=3")))
    bench.store.close()
    with browser(create_app(bench.settings, work=False)) as made:
        yield made


def test_every_page_is_answered_while_somebody_writes(bench: Bench, client: TestClient) -> None:
    with bench.store.write() as connection:  # and it goes on for as long as all of this takes
        connection.exec_driver_sql("UPDATE meta SET revision = revision + 1")
        asked = 0
        for path, operations in schema()["paths"].items():
            address = path
            for name, number in NUMBERS.items():
                address = address.replace(name, number)
            needed = [
                p for p in operations.get("get", {}).get("parameters", []) if p.get("required") and p["in"] == "query"
            ]
            if "get" not in operations or "{" in address or needed or path in ELSE:
                continue
            answer = client.get(address)
            assert answer.status_code in (200, 404), (address, answer.text)
            asked += 1
        assert asked >= 20


def test_a_session_that_looks_keeps_nothing(bench: Bench) -> None:
    with pytest.raises(RuntimeError, match="only looks"), bench.store.session() as session:
        session.add(Job(kind="read", title="Never"))
    assert "Never" not in [job.title for job in bench.jobs()]
