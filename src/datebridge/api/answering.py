"""Where much is stored, answers that take computing come from processes beside the application.

Python computes one thing at a time in a process: several people who look at weeks would wait for each other. These
processes are asked what only reads, and what depends on nothing but the store; whatever they do not answer, the
application answers itself.
"""

from __future__ import annotations

import shutil
import socket
import tempfile
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from multiprocessing.process import BaseProcess
from pathlib import Path
from zlib import crc32

import httpx
import structlog
from starlette.types import ASGIApp, Receive, Scope, Send

from datebridge import cores, processes
from datebridge.settings import Settings
from datebridge.store.database import Store

log = structlog.get_logger()
#: What they are asked: all of it reads, and takes more than a few rows.
COMPUTED = frozenset({"/api/days", "/api/entries", "/api/facets", "/api/occurrences", "/api/overlaps"})
#: From so many entries on they are worth their memory.
MANY = 50_000
#: How often it is looked whether they are needed, and whether they live, in seconds; for the first time once whoever
#: started the application has seen a page, since getting ready takes each of them a core for a while.
LOOK, FIRST = 2.0, 5.0
_MOST = 4
_PATIENCE = httpx.Timeout(60, connect=2)
#: Of an answer, what the connection to whoever asked says for itself.
_HOP = frozenset({b"connection", b"date", b"keep-alive", b"server", b"transfer-encoding"})


def affordable() -> int:
    """How many processes there can be: none where all would share one core."""
    free = cores.usable()
    return min(free, _MOST) if free > 1 and hasattr(socket, "AF_UNIX") else 0


class Helper:
    """One process, and the socket at which it is asked; one that ended is replaced."""

    def __init__(self, settings: Settings, path: Path) -> None:
        self._settings = settings.model_dump_json()
        self._listener = socket.socket(socket.AF_UNIX)
        self._listener.bind(str(path))
        self._listener.listen(64)
        self._path = str(path)
        self._client = httpx.AsyncClient(transport=httpx.AsyncHTTPTransport(uds=self._path), timeout=_PATIENCE)
        self._process: BaseProcess | None = None
        self._ready = False
        self.asked = 0

    def keep(self) -> None:
        """See that it lives."""
        if self._process is not None and not self._process.is_alive():
            log.warning("a process that answers ended", exitcode=self._process.exitcode)
            self._process = None
        if self._process is None:
            self._ready = False
            self._process = processes.start("answers", _main, self._settings, self._listener)
            threading.Thread(target=self._greet, name="greeting", daemon=True).start()

    def _greet(self) -> None:
        """Wait until it answers, however long it takes to be ready: before, nobody else is to wait for it."""
        process = self._process
        with httpx.Client(transport=httpx.HTTPTransport(uds=self._path), timeout=60) as web:
            while process is self._process and process is not None and process.is_alive() and not self._ready:
                with suppress(httpx.HTTPError):
                    self._ready = web.get("http://beside/api/calendars").is_success

    def answers(self) -> bool:
        return self._ready and self._process is not None and self._process.is_alive()

    def end(self) -> None:
        if self._process is not None:
            self._process.terminate()
            self._process.join(5)
        self._listener.close()

    async def answer(self, scope: Scope) -> tuple[int, list[tuple[bytes, bytes]], bytes] | None:
        """Status, headers and body of its answer as they came; None where it has none."""
        query = b"?" + scope["query_string"] if scope["query_string"] else b""
        with self._counted(), suppress(httpx.HTTPError, httpx.InvalidURL):
            url = httpx.URL("http://beside").copy_with(raw_path=scope["path"].encode() + query)
            async with self._client.stream("GET", url, headers=scope["headers"]) as response:
                body = b"".join([piece async for piece in response.aiter_raw()])
                if response.status_code < 500:
                    headers = [(name.lower(), value) for name, value in response.headers.raw]
                    return response.status_code, [header for header in headers if header[0] not in _HOP], body
        return None

    @contextmanager
    def _counted(self) -> Iterator[None]:
        self.asked += 1
        try:
            yield
        finally:
            self.asked -= 1


class Answering:
    """The processes beside an application: there as soon as its store holds many entries."""

    def __init__(self, settings: Settings, store: Store, most: int, many: int = MANY) -> None:
        self._settings, self._store, self._most, self._many = settings, store, most, many
        self._folder: Path | None = None
        self.helpers: list[Helper] = []

    def look(self) -> None:
        """Start them where there are many entries, one after the other, and replace those that ended."""
        if not self.helpers and self.worthwhile():
            self._folder = Path(tempfile.mkdtemp(prefix="datebridge-"))  # for this user alone
            self.helpers = [Helper(self._settings, self._folder / str(number)) for number in range(self._most)]
        for helper in self.helpers:
            helper.keep()
            if not helper.answers():
                break  # getting ready takes a core

    def worthwhile(self) -> bool:
        """Whether they are there, or will be: there are cores for them, and the store holds many entries."""
        if self.helpers or not self._most:
            return bool(self.helpers)
        with self._store.read() as connection:
            counted = "SELECT count(*) FROM (SELECT 1 FROM entry WHERE listed = 1 LIMIT ?)"
            return int(connection.exec_driver_sql(counted, (self._many,)).scalar_one()) >= self._many

    def choose(self, scope: Scope) -> Helper | None:
        """Whoever has least to do; of those, the same for the same question, since it may remember the answer."""
        alive = [helper for helper in self.helpers if helper.answers()]
        if not alive:
            return None
        least = min(helper.asked for helper in alive)
        idle = [helper for helper in alive if helper.asked == least]
        return idle[crc32(scope["path"].encode() + scope["query_string"]) % len(idle)]

    def stop(self) -> None:
        helpers, self.helpers = self.helpers, []
        for helper in helpers:
            helper.end()
        if self._folder is not None:
            shutil.rmtree(self._folder, ignore_errors=True)


class Spread:
    """Has what takes computing answered beside, and everything else, and what was not answered there, here."""

    def __init__(self, app: ASGIApp, answering: Answering) -> None:
        self.app, self.answering = app, answering

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "http" and scope["method"] == "GET" and scope["path"] in COMPUTED:
            helper = self.answering.choose(scope)
            answer = await helper.answer(scope) if helper is not None else None
            if answer is not None:
                status, headers, body = answer
                await send({"type": "http.response.start", "status": status, "headers": headers})
                await send({"type": "http.response.body", "body": body})
                return
        await self.app(scope, receive, send)


def _main(settings_json: str, listener: socket.socket) -> None:
    import uvicorn

    from datebridge.api.app import beside

    processes.end_with_parent()
    app = beside(Settings.model_validate_json(settings_json))
    uvicorn.Server(uvicorn.Config(app, log_config=None, access_log=False, server_header=False)).run(sockets=[listener])
