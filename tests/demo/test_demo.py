"""The sample scenario: what it holds, and the application started with it as its users start it."""

from __future__ import annotations

import json
import re
from datetime import date
from pathlib import Path

import httpx
import pytest
from bench.application import application as started

from datebridge.demo.samples import sample_calendars, sample_files
from datebridge.demo.scenario import OLD_DOMAIN
from tests.conftest import calendar, event
from tests.running import command as run


@pytest.mark.starts
def test_the_demo_starts_reads_a_file_in_its_worker_and_reindexes(tmp_path: Path) -> None:
    data = tmp_path / "demo"
    with (
        started(data, "demo") as address,
        httpx.Client(base_url=address, timeout=30, headers={"X-Date-Bridge": "test", "Connection": "close"}) as client,
    ):
        assert client.get("/api/route").json()["look"] > 6000
        job = client.post(
            "/api/imports", files=[("files", ("tide.ics", calendar(event("a", "Höfn")).encode()))]
        ).json()["job_id"]
        for _ in range(3000):
            state = client.get(f"/api/jobs/{job}").json()
            if state["state"] in ("done", "failed"):
                break
        assert state["state"] == "done", state
    done = run("reindex", "--data", data, "--json")
    assert (done.returncode, json.loads(done.stdout)) == (0, {"changed": 0})


def test_the_sample_scenario_is_the_same_from_the_same_seed_and_holds_what_it_promises() -> None:
    today = date(2026, 11, 24)
    files = {f.name: f for f in sample_files(today)}
    calendars = sample_calendars(today)
    assert [f.content for f in sample_files(today)] == [f.content for f in files.values()]
    assert files["tide-tables.ics"].calendar in {c.name for c in calendars}
    assert files["tide-tables.ics"].content.count(b"BEGIN:VEVENT") > 400
    assert [c.name for c in calendars if not c.on] == ["Mess room"]
    contents = [*(f.content for f in files.values()), *(c.content for c in calendars)]
    assert 5500 < sum(content.count(b"BEGIN:VEVENT") for content in contents) < 6800
    text = b"".join(contents).replace(b"\r\n ", b"")
    assert set(re.findall(rb"[\w.]+@([\w.-]+)", text)) == {b"skerrow.example", OLD_DOMAIN.encode()}
