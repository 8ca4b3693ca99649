"""The demo in headless Chromium: prepared once, a fresh copy of its data for every test."""

from __future__ import annotations

import fcntl
import json
import os
import re
import shutil
import sqlite3
import tempfile
from collections.abc import Iterator
from contextlib import closing, contextmanager
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import urlsplit

import pytest
from bench.application import FLAGS
from playwright.sync_api import Browser, BrowserContext, CDPSession, Page, Playwright, expect, sync_playwright

from datebridge import clock
from datebridge.demo.setup import prepare
from datebridge.services.accounts.secrets import seal, unseal
from datebridge.services.running import worker
from datebridge.services.running.maintenance import queue_maintenance
from datebridge.settings import Settings
from datebridge.standins.hosts import PORTS
from datebridge.store.database import Store
from tests.conftest import MOMENT
from tests.running import application

#: Where the first of the demo's servers listens.
FIRST_PORT = 21_000
expect.set_options(timeout=120_000)  # a busy machine is slow, not wrong
#: Fewer processes, and what all tests look at is compiled once.
THRIFTY = ["--in-process-gpu", "--num-raster-threads=1", "--process-per-site"]
#: The browser's clock, as far ahead of the machine's as the application's.
SAME_CLOCK = """(() => {
  const ahead = %f, Machine = window.Machine ??= Date;
  window.Date = class extends Machine {
    constructor(...of) { if (of.length) super(...of); else super(Machine.now() + ahead); }
    static now() { return Machine.now() + ahead; }
  };
})()"""


@pytest.fixture(scope="session")
def playwright() -> Iterator[Playwright]:
    with sync_playwright() as made:
        yield made


@pytest.fixture(scope="session")
def whole_browser(playwright: Playwright) -> Iterator[Browser]:
    """Chromium as people have it, where Tab leads from the end of a page back to its start."""
    path = os.environ.get("CHROMIUM") or shutil.which("chromium")
    assert path, "Chromium is missing. Install it with:  sudo apt-get install chromium"
    browser = playwright.chromium.launch(executable_path=path, args=[*FLAGS, *THRIFTY])
    yield browser
    browser.close()


@pytest.fixture(scope="session")
def browser(playwright: Playwright, request: pytest.FixtureRequest) -> Iterator[Browser]:
    """Chromium without its own frame, which is half as much work, where it is installed; else the whole one."""
    path = shutil.which("chromium-headless-shell")
    if path is None:
        yield request.getfixturevalue("whole_browser")
        return
    browser = playwright.chromium.launch(executable_path=path, args=[*FLAGS, *THRIFTY])
    yield browser
    browser.close()


@contextmanager
def _own_ports() -> Iterator[int]:
    """The first of some ports that no other process has, of this run or of another at the same time."""
    for first in range(FIRST_PORT, FIRST_PORT + 1000, 20):
        with Path(tempfile.gettempdir(), f"date-bridge-test-ports-{first}").open("w") as held:
            try:
                fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except BlockingIOError:
                continue
            yield first
            return
    raise pytest.UsageError("Fifty processes run browser tests on this machine: there are no ports for one more.")


@pytest.fixture(scope="session")
def prepared(pytestconfig: pytest.Config, tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[Path, int]]:
    """The demo's data, and the moment at which it was there; its servers listen where no other process's do."""
    name = os.environ.get("PYTEST_XDIST_WORKER", "")
    # Prepared by whichever process comes first; the others take a copy with ports of their own.
    shared = tmp_path_factory.getbasetemp().parent if name else tmp_path_factory.getbasetemp()
    with _own_ports() as port:
        with (shared / "preparing").open("w") as turn:
            fcntl.flock(turn, fcntl.LOCK_EX)
            if not (shared / "prepared.json").exists():
                moment = _prepare(shared / "prepared", pytestconfig.stash[MOMENT], port)
                (shared / "prepared.json").write_text(json.dumps([moment, port]))
        moment, first = json.loads((shared / "prepared.json").read_text())
        folder = tmp_path_factory.mktemp("own")
        _copy(shared / "prepared", folder, by=port - first)
        yield folder, moment


def _prepare(folder: Path, begins: float, port: int) -> int:
    settings = Settings(data_dir=folder)
    with clock.starting_at(begins):
        prepare(settings, ports={name: port + k for k, name in enumerate(PORTS)})
        with closing(Store(settings.database)) as store:  # what the application would do first, and each time again
            queue_maintenance(store)
            worker.drain(store, settings)
        return clock.now()


#: An address of a stand-in.
PORT = re.compile(rb"((?:127\.0\.0\.1|localhost):)(21\d\d\d)\b")


def _copy(source: Path, folder: Path, by: int) -> None:
    """Copy data, its servers at ports so much further on: as long in figures, wherever an address stands."""

    def moved(match: re.Match[bytes]) -> bytes:
        return match[1] + str(int(match[2]) + by).encode()

    shutil.copytree(source, folder, dirs_exist_ok=True)
    for path in folder.rglob("*"):
        if path.name == "ports.json":
            path.write_text(json.dumps({name: port + by for name, port in json.loads(path.read_text()).items()}))
        elif path.is_file() and by:
            path.write_bytes(PORT.sub(moved, path.read_bytes()))
    if by:
        settings = Settings(data_dir=folder)
        with closing(sqlite3.connect(settings.database)) as database:
            for number, sealed in database.execute("SELECT id, address_sealed FROM account").fetchall():
                address = PORT.sub(moved, unseal(settings, sealed).encode()).decode()
                database.execute(
                    "UPDATE account SET address_sealed = ? WHERE id = ?", (seal(settings, address), number)
                )
            database.commit()


@pytest.fixture
def data(prepared: tuple[Path, int], tmp_path: Path) -> Iterator[Path]:
    """A copy of it, at a time when it has just been prepared: earlier, the clock would seem to have been set back."""
    source, moment = prepared
    folder = tmp_path / "data"
    shutil.copytree(source, folder)
    with clock.starting_at(moment):
        yield folder


@pytest.fixture
def address(data: Path, standins: dict[str, str]) -> Iterator[str]:
    # At the same address in every test, behind those of the stand-ins.
    with application(data, "demo", port=1 + max(int(one.rpartition(":")[2]) for one in standins.values())) as address:
        yield address


@pytest.fixture
def standins(data: Path) -> dict[str, str]:
    """The addresses of the simulated servers beside the application."""
    ports = json.loads((data / "standins" / "ports.json").read_text())
    return {name: f"http://127.0.0.1:{port}" for name, port in ports.items()}


def said(url: str) -> bool:
    """Whether a refusal of this address is something that is shown to the reader in words."""
    return url.endswith(("/api/accounts/discover", "/api/imports")) or "/api/phrases/" in url or "/api/fields?" in url


@dataclass(frozen=True)
class Window:
    """A window of a browser that stays open from test to test, with a page in it that does nothing."""

    context: BrowserContext
    still: Page
    control: CDPSession

    def forget(self) -> None:
        """Close what a test has opened, and forget what it left: every test begins as somebody who was never here."""
        origins = {f"http://{urlsplit(page.url).netloc}" for page in self.context.pages}
        for page in self.context.pages:
            if page != self.still:
                page.close()
        for origin in origins:
            self.control.send("Storage.clearDataForOrigin", {"origin": origin, "storageTypes": "all"})
        self.control.send("Network.clearBrowserCache")
        self.context.clear_cookies()
        self.context.clear_permissions()


@pytest.fixture(scope="session")
def windows() -> dict[Browser, Window]:
    return {}


@pytest.fixture
def window(browser: Browser, address: str, windows: dict[Browser, Window]) -> Iterator[Window]:
    if browser not in windows:
        # Drawn coarsely: nothing here looks at pixels, and filling them is an eighth of all work.
        context = browser.new_context(
            viewport={"width": 1280, "height": 800}, device_scale_factor=0.25, base_url=address, accept_downloads=True
        )
        still = context.new_page()
        still.goto("/mark.svg")
        windows[browser] = Window(context, still, context.new_cdp_session(still))
    yield windows[browser]
    windows[browser].forget()


@pytest.fixture
def page(window: Window, request: pytest.FixtureRequest) -> Iterator[Page]:
    """A page of the demo. A request that is refused fails the test, unless it is marked as one that meets refusals."""
    least = 500 if request.node.get_closest_marker("refused") else 400
    window.context.add_init_script(SAME_CLOCK % (1000 * clock.ahead()))
    page = window.context.new_page()
    page.set_default_timeout(120_000)
    wrong: list[str] = []
    page.on("pageerror", lambda error: wrong.append(str(error)))
    heard = least == 400
    page.on(
        "console",
        lambda m: wrong.append(m.text) if heard and m.type == "error" and not said(m.location["url"]) else None,
    )
    page.on("response", lambda r: wrong.append(r.url) if r.status >= least and not said(r.url) else None)
    yield page
    page.close()
    assert not wrong, wrong
