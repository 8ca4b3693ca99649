"""What readers ask for: a feed of ten thousand entries, made, given out beside a static file, changed; and the page."""

from __future__ import annotations

import multiprocessing
import os
import shutil
import socket
import statistics
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import NamedTuple

import uvicorn
from playwright.sync_api import sync_playwright
from starlette.applications import Starlette
from starlette.staticfiles import StaticFiles

from bench import generate
from bench.application import FLAGS
from bench.importing import fresh, take_in
from datebridge.api.public.serve import readers_door
from datebridge.core.choices import Form
from datebridge.core.ids import CalendarId
from datebridge.core.language.filters import Selection
from datebridge.core.sharing.terms import Detail, Terms
from datebridge.services.mend import deletion
from datebridge.services.sharing import shares
from datebridge.services.sharing.plans import Plan, plan_of
from datebridge.services.sharing.render_cache import ShareRenderer
from datebridge.services.sharing.shares import Wanted
from datebridge.settings import Settings
from datebridge.store.changesets.apply import apply
from datebridge.store.database import Store
from datebridge.store.entries.ledger import Ledger
from datebridge.store.tables import Share

ENTRIES = 10_000


class Shared(NamedTuple):
    """What was measured, in seconds; rates in requests a second."""

    made: dict[str, float]
    given: float
    static: float
    same: float
    drawn_first: float
    drawn: float
    seen: float


def measure(folder: Path, entries: int = ENTRIES) -> Shared:
    """All of it, over a store of its own."""
    path = folder / "shared.ics"
    generate.write(path, entries, seed=16)
    store, settings = fresh(folder / "shared")
    take_in(store, settings, path)
    ledger = Ledger(store)
    numbers, made = {}, {}
    ShareRenderer(store).page_data(0, Plan("", Terms(), (CalendarId(0),)), "")  # imports are not measured
    for detail in Detail:
        said = Wanted(detail.value, "bench", calendars=(CalendarId(1),), terms=Terms(detail), forms=tuple(Form))
        numbers[detail] = shares.make(store, ledger, said)
        with store.session() as session:
            share = session.get(Share, numbers[detail])
            assert share is not None
        start = time.perf_counter()
        ShareRenderer(store).made(numbers[detail], plan_of(share), "", Form.FEED)
        made[detail.value] = time.perf_counter() - start
    _, token = shares.add_reader(store, numbers[Detail.TITLES])
    settings = settings.model_copy(update={"share_client_rate": 1e6, "share_rate": 1e6})
    with _door(settings) as port, _static(folder, port, token) as static:
        at = f"/s/{token}/feed.ics"
        etag, _ = _ask(port, at, 5)
        given = _rate(port, at, 300)
        plain = _rate(static, "/feed.ics", 300)
        same = _rate(port, at, 4_000, f"If-None-Match: {etag}\r\n")
        drawn = _drawn(f"http://127.0.0.1:{port}/s/{token}/?view=month&on=2026-11-24")
        seen = _seen(store, ledger, port, at, etag)
    store.close()
    return Shared(made, given, plain, same, drawn[0], statistics.median(drawn[1:]), seen)


@contextmanager
def _door(settings: Settings) -> Iterator[int]:
    listener = socket.create_server(("127.0.0.1", 0))
    port = listener.getsockname()[1]
    with readers_door(settings, listener):
        yield port


@contextmanager
def _static(folder: Path, port: int, token: str) -> Iterator[int]:
    """The same octets as a file, given out by the same server."""
    where = folder / "static"
    where.mkdir()
    (where / "feed.ics").write_bytes(_ask(port, f"/s/{token}/feed.ics", 1)[1])
    listener = socket.create_server(("127.0.0.1", 0))
    process = multiprocessing.get_context("spawn").Process(target=_serve, args=(str(where), listener), daemon=True)
    process.start()
    yield listener.getsockname()[1]
    process.terminate()
    process.join()


def _serve(where: str, listener: socket.socket) -> None:
    app = Starlette()
    app.mount("/", StaticFiles(directory=where))
    uvicorn.Server(uvicorn.Config(app, log_config=None, access_log=False)).run(sockets=[listener])


def _ask(port: int, path: str, times: int, headers: str = "") -> tuple[str, bytes]:
    """Ask over one connection, again and again; the last ETag and body."""
    with socket.create_connection(("127.0.0.1", port), 60) as connection:
        asked = f"GET {path} HTTP/1.1\r\nHost: 127.0.0.1\r\n{headers}\r\n".encode()
        etag, body = "", b""
        for _ in range(times):
            connection.sendall(asked)
            data = b""
            while b"\r\n\r\n" not in data:
                data += connection.recv(1 << 20)
            head, _, body = data.partition(b"\r\n\r\n")
            said = dict(line.lower().split(b": ", 1) for line in head.split(b"\r\n")[1:])
            left = int(said.get(b"content-length", b"0")) - len(body)
            pieces = [body]
            while left > 0:
                pieces.append(connection.recv(min(left, 1 << 20)))
                left -= len(pieces[-1])
            body, etag = b"".join(pieces), said.get(b"etag", b"").decode()
    return etag, body


def _rate(port: int, path: str, times: int, headers: str = "") -> float:
    _ask(port, path, 20, headers)
    start = time.perf_counter()
    _ask(port, path, times, headers)
    return times / (time.perf_counter() - start)


def _drawn(address: str) -> list[float]:
    """Seconds until the page shows its days, in a browser that is running."""
    chromium = os.environ.get("CHROMIUM") or shutil.which("chromium")
    times = []
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=chromium, args=FLAGS)
        for _ in range(2):  # the browser has drawn such a page before, and the door has not
            page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
            page.goto(address.partition("/s/")[0] + "/s/nobody/")
            page.close()
        for _ in range(4):
            page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
            start = time.perf_counter()
            page.goto(address, wait_until="commit")
            page.wait_for_selector(".month .entry")
            times.append(time.perf_counter() - start)
            page.close()
        browser.close()
    return times


def _seen(store: Store, ledger: Ledger, port: int, path: str, etag: str) -> float:
    """Seconds from a change being applied to the feed saying so."""
    with store.read() as connection:
        one = next(iter(ledger.ids(connection, Selection())))
    apply(store, deletion.propose_deletion(store, ledger, Selection(only=(one,))))
    start = time.perf_counter()
    while _ask(port, path, 1)[0] == etag:
        pass
    return time.perf_counter() - start
