"""Every operation, asked with whatever its schema allows and what it does not: no 5xx, no answer outside the schema."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest
import schemathesis
from fastapi.testclient import TestClient
from hypothesis import given
from hypothesis.errors import Unsatisfiable
from schemathesis import Case, GenerationMode
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_schema_conformance,
    status_code_conformance,
)

from datebridge.api.app import create_app, schema
from datebridge.settings import Settings
from tests.conftest import Bench, browser, calendar, event
from tests.depth import tries

CHECKS = [not_a_server_error, status_code_conformance, content_type_conformance, response_schema_conformance]


@pytest.fixture(scope="module")
def client(tmp_path_factory: pytest.TempPathFactory) -> Iterator[TestClient]:
    """The application over a store that holds something of everything."""
    folder: Path = tmp_path_factory.mktemp("schema")
    bench = Bench(folder)
    series = event("series", "Watch", "TZID=Europe/London:20261102T080000", "RRULE:FREQ=WEEKLY;COUNT=9")
    bench.bring(
        calendar(series, event("day", "Open day", "20261124"), event("odd", "Odd", "TZID=Nowhere:20261124T080000"))
    )
    bench.bring(calendar(event("other", "Calibration")), calendar="Other")
    bench.read(calendar(event("waiting", "Waits")))
    bench.store.close()
    with browser(create_app(Settings(data_dir=folder), work=False)) as client:
        yield client


SERVED = schema()
SCHEMA = schemathesis.openapi.from_dict(SERVED)
#: An answer that never ends is looked at by itself (see `test_api`).
ENDLESS = "/api/revisions"
OPERATIONS = [(path, method.upper()) for path, item in SERVED["paths"].items() for method in item if path != ENDLESS]


@pytest.mark.parametrize("mode", list(GenerationMode))
@pytest.mark.parametrize(("path", "method"), OPERATIONS)
def test_no_answer_is_outside_the_schema(client: TestClient, path: str, method: str, mode: GenerationMode) -> None:
    @tries(3, 500)
    @given(case=SCHEMA[path][method].as_strategy(generation_mode=mode))
    def ask(case: Case) -> None:
        # Its own transport does not get along with another library's; what it makes up is sent like everything else.
        asked = case.as_transport_kwargs(base_url=str(client.base_url))
        content = asked.get("data")
        try:
            answer = client.request(
                asked["method"],
                asked["url"],
                params=asked.get("params"),
                json=asked.get("json"),
                files=[
                    (str(name), ("a.ics", str(part).encode("utf-8", "replace")))
                    for name, part in asked.get("files") or ()
                ],
                content=content if isinstance(content, bytes | str) else None,
                headers=dict(asked["headers"]),
            )
        except httpx.InvalidURL:  # no client sends an address that long
            return
        answer.request.read()
        case.validate_response(answer, checks=CHECKS)

    try:
        ask()
    except Unsatisfiable:  # there is nothing that could be sent wrongly
        pytest.skip("nothing to ask")
