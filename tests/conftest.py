"""What several tests need: an empty store, settings, and ways to bring calendar text in."""

from __future__ import annotations

import io
import os
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING

import pytest
from fastapi import FastAPI
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, settings

from datebridge.services.imports import decide, uploads
from datebridge.services.imports.decide import Decision
from datebridge.services.jobs import worker
from datebridge.settings import Settings
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.database import Store
from datebridge.store.entries.ledger import Ledger

if TYPE_CHECKING:
    from tests.world import World

settings.register_profile("calm", deadline=None, suppress_health_check=[HealthCheck.too_slow], max_examples=150)
settings.register_profile("ci", settings.get_profile("calm"), derandomize=True)  # the same examples every time
settings.load_profile("ci" if os.environ.get("CI") else "calm")


class Bench:
    """A store with the services around it, as the application uses them."""

    def __init__(self, folder: Path) -> None:
        self.settings = Settings(data_dir=folder)
        self.store = Store(self.settings.database)
        self.ledger = Ledger(self.store)

    def read(self, text: str | bytes, name: str = "file.ics") -> int:
        """Read a file; returns the id under which it waits."""
        data = text.encode() if isinstance(text, str) else text
        uploads.receive(self.store, self.settings, [(name, io.BytesIO(data))])
        worker.drain(self.store, self.settings)
        return int(self.one("SELECT max(id) FROM import_file"))

    def groups(self, file: int) -> list[int]:
        return [row[0] for row in self.rows("SELECT id FROM import_group WHERE file_id = ? ORDER BY id", file)]

    def bring(self, text: str | bytes, calendar: str = "Tides", into: int | None = None, **decision: object) -> int:
        """Read a file and take it in; returns the batch."""
        file = self.read(text)
        decisions = [Decision(g, into, calendar, **decision) for g in self.groups(file)]  # type: ignore[arg-type]
        set_id = decide.propose_import(self.store, [file], decisions)
        apply_set(self.store, set_id)
        return set_id

    def rows(self, sql: str, *values: object) -> list[tuple[object, ...]]:
        with self.store.read() as connection:
            return [tuple(row) for row in connection.exec_driver_sql(sql, values)]

    def one(self, sql: str, *values: object) -> object:
        return self.rows(sql, *values)[0][0]

    def titles(self, filter: str = "", sort: str = "when") -> list[str]:
        return [row.summary for row in self.ledger.page(filter, sort, limit=500)[1]]

    def texts(self) -> list[str]:
        return [str(t) for (t,) in self.rows(
            "SELECT t.text FROM entry e JOIN version_text t ON t.id = e.id WHERE e.listed ORDER BY e.id"
        )]  # fmt: skip


@pytest.fixture
def bench(tmp_path: Path) -> Iterator[Bench]:
    made = Bench(tmp_path / "data")
    yield made
    made.store.close()


@pytest.fixture
def world(tmp_path: Path) -> Iterator[World]:
    from tests.world import new_world

    with new_world(tmp_path) as made:
        yield made


def browser(app: FastAPI, origin: str = "http://127.0.0.1:8137") -> TestClient:
    """A client that asks as a page of the application does, from this machine."""
    return TestClient(app, base_url=origin, client=("127.0.0.1", 50000), headers={"Origin": origin})


def event(uid: str, summary: str = "Tide", start: str = "20261124T080000Z", *extra: str) -> str:
    name = "DTSTART" if start[0].isdigit() else "DTSTART;"
    joined = f"{name}:{start}" if start[0].isdigit() else f"{name}{start}"
    if len(start) == 8:
        joined = f"DTSTART;VALUE=DATE:{start}"
    return "\n".join(["BEGIN:VEVENT", f"UID:{uid}", joined, f"SUMMARY:{summary}", *extra, "END:VEVENT"])


def calendar(*entries: str, header: str = "") -> str:
    return "\n".join(["BEGIN:VCALENDAR", "VERSION:2.0", *([header] if header else []), *entries, "END:VCALENDAR", ""])


def wait_until(condition) -> None:  # type: ignore[no-untyped-def]
    """Ask again and again, for three minutes at most: a busy machine is slow, not wrong."""
    ticker = threading.Event()
    for _ in range(9000):
        if condition():
            return
        ticker.wait(0.02)
    raise AssertionError("it never came true")
