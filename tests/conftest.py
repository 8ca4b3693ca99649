"""What several tests need: an empty store, settings, and ways to bring calendar text in."""

from __future__ import annotations

import atexit
import io
import json
import random
import shutil
import threading
import time
from collections.abc import Callable, Iterator
from datetime import datetime
from functools import cache
from pathlib import Path
from tempfile import mkdtemp
from typing import TYPE_CHECKING

import pytest
from fastapi import FastAPI
from fastapi.testclient import TestClient

from datebridge import clock
from datebridge.services.imports import decide, uploads
from datebridge.services.imports.decide import Decision
from datebridge.services.running import worker
from datebridge.settings import Settings
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.database import Store
from datebridge.store.entries.ledger import Ledger
from tests import running, timing
from tests.asking import Asking

if TYPE_CHECKING:
    from tests.world import World


__all__ = ["Bench", "browser", "calendar", "event", "laid", "prepared", "running", "wait_until"]
#: When the tests of a run begin, in seconds since the epoch.
MOMENT = pytest.StashKey[float]()


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--at", help="The moment at which the tests run, such as 2028-02-29T12:00Z, instead of now.")
    parser.addoption("--shuffle", help="Run the tests in an order made of this number: none may lean on another.")
    parser.addoption("--timing", help="A file in which is kept how long each test took; see tests/timing.py.")


def pytest_configure(config: pytest.Config) -> None:
    """All tests run at one moment, in all processes: the day does not change under them."""
    at = config.getoption("at")
    moment = datetime.fromisoformat(at).timestamp() if at else float(clock.now())
    config.stash[MOMENT] = getattr(config, "workerinput", {}).get("moment", moment)
    if config.pluginmanager.has_plugin("xdist"):
        config.pluginmanager.register(_Moment())
    clock.set_ahead(config.stash[MOMENT] - time.time())  # noqa: TID251


class _Moment:
    """Tells the workers of pytest-xdist which moment it is."""

    def pytest_configure_node(self, node: object) -> None:
        node.workerinput["moment"] = node.config.stash[MOMENT]  # type: ignore[attr-defined]


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    if config.getoption("shuffle"):
        random.Random(config.getoption("shuffle")).shuffle(items)  # noqa: S311
    for item in items:
        test = getattr(item, "obj", None)
        if getattr(test, "is_hypothesis_test", False) and not hasattr(test, "tries"):
            raise pytest.UsageError(f"{item.nodeid} does not say how deep it goes: see tests/depth.py.")


def pytest_terminal_summary(terminalreporter: pytest.TerminalReporter, config: pytest.Config) -> None:
    if config.getoption("timing") and not hasattr(config, "workerinput"):
        Path(config.getoption("timing")).write_text(json.dumps(timing.kept(terminalreporter)))


@pytest.fixture(autouse=True)
def moment(pytestconfig: pytest.Config) -> Iterator[float]:
    """When this test begins, in seconds since the epoch: the same for all tests of a run."""
    with clock.starting_at(pytestconfig.stash[MOMENT]):
        yield pytestconfig.stash[MOMENT]


@cache
def _blank() -> Path:
    """Data without an entry, made once a process; every migration is gone through by `store/test_migrations.py`."""
    folder = Path(mkdtemp(prefix="blank-"))
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    Store(Settings(data_dir=folder / "data").database).close()
    return folder / "data"


def laid(folder: Path, source: Path | None = None) -> Path:
    """The folder with a copy of data in it: of `source`, or without an entry; what is there already stays."""
    if not folder.exists() or not any(folder.iterdir()):
        shutil.copytree(source or _blank(), folder, dirs_exist_ok=True)
    return folder


class Bench(Asking):
    """A store with the services around it, as the application uses them."""

    def __init__(self, folder: Path, source: Path | None = None) -> None:
        laid(folder, source)
        self.settings = Settings(data_dir=folder)
        self.store = Store(self.settings.database)
        self.ledger = Ledger(self.store)

    def read(self, text: str | bytes, name: str = "file.ics") -> int:
        """Read a file; returns the id under which it waits."""
        data = text.encode() if isinstance(text, str) else text
        uploads.receive(self.store, self.settings, [(name, io.BytesIO(data))])
        worker.drain(self.store, self.settings)
        return self.files()[-1].id

    def groups(self, file: int) -> list[int]:
        return [group.id for group in self.parts(file)]

    def bring(self, text: str | bytes, calendar: str = "Tides", into: int | None = None, **decision: object) -> int:
        """Read a file and take it in; returns the batch."""
        file = self.read(text)
        decisions = [Decision(group.id, into, calendar, **decision) for group in self.parts(file)]  # type: ignore[arg-type]
        set_id = decide.propose_import(self.store, [file], decisions)
        apply_set(self.store, set_id)
        return set_id


@pytest.fixture
def bench(tmp_path: Path) -> Iterator[Bench]:
    made = Bench(tmp_path / "data")
    yield made
    made.store.close()


def prepared(fill: Callable[[Bench], object]) -> Callable[..., Iterator[Bench]]:
    """A fixture: a bench as `fill` leaves it. Filled once a process, and copied for each test."""
    kept: list[Path] = []

    @pytest.fixture(name=fill.__name__)
    def made(tmp_path: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Bench]:
        if not kept:
            first = Bench(tmp_path_factory.mktemp(fill.__name__) / "data")
            fill(first)
            first.store.close()
            kept.append(first.settings.data_dir)
        bench = Bench(tmp_path / "data", kept[0])
        yield bench
        bench.store.close()

    return made


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
    for _ in range(1_800):
        if condition():
            return
        ticker.wait(0.1)
    raise AssertionError("it never came true")
