"""The pages of the docs, as the application serves them."""

import re

import pytest
from fastapi import FastAPI
from fastapi.testclient import TestClient

from datebridge.api.help import PAGES, install


@pytest.fixture
def client() -> TestClient:
    api = FastAPI()
    install(api)
    return TestClient(api)


@pytest.mark.parametrize("name", PAGES)
def test_every_page_is_served_and_its_links_lead_somewhere(client: TestClient, name: str) -> None:
    answer = client.get(f"/help/{name}")
    assert answer.status_code == 200
    assert f"<title>{PAGES[name]}" in answer.text
    assert "default-src 'none'" in answer.headers["content-security-policy"]
    for link in re.findall(r'href="([^"#:]+)"', answer.text):
        assert link in PAGES


def test_nothing_else_of_the_disk_is(client: TestClient) -> None:
    assert client.get("/help/architecture").status_code == 404
    assert client.get("/help/..%2F..%2Fpyproject.toml").status_code == 404
