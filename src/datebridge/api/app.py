"""The application: routers, guards, errors in words, and the built front end."""

from __future__ import annotations

import base64
import gzip
import hashlib
import json
import mimetypes
import re
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from functools import cache, partial
from pathlib import Path
from typing import Any

import structlog
from anyio import to_thread
from fastapi import APIRouter, FastAPI, Request, Response
from fastapi.responses import FileResponse
from starlette.routing import BaseRoute, Route

from datebridge import __version__
from datebridge.api import errors, help, maintenance
from datebridge.api.answering import FIRST, LOOK, Answering, Spread, affordable
from datebridge.api.connect import accounts, conflicts, fidelity, imports, replies, sign_on, transfers
from datebridge.api.context import App
from datebridge.api.cross import crossings, cutover
from datebridge.api.guard import Guard
from datebridge.api.logbook import changesets, findings
from datebridge.api.look import entries
from datebridge.api.mend import bulk, checks, duplicates, reconcile, series, zones
from datebridge.api.packing import Packing, takes_gzip
from datebridge.api.readiness import give_memory_back, make_ready, readiness
from datebridge.api.share import readers, shares
from datebridge.api.time import editing, overlaps, views
from datebridge.services.imports import uploads
from datebridge.services.jobs import jobs
from datebridge.services.jobs.repeating import Repeating
from datebridge.services.logs import set_up
from datebridge.services.running.clock import clock
from datebridge.services.running.worker import Worker
from datebridge.services.sharing.seeing import Seeing
from datebridge.settings import Settings
from datebridge.store.change_feed import AsOfNow, marks
from datebridge.store.changesets.apply import recover
from datebridge.store.database import CONNECTIONS, Store
from datebridge.store.entries.density import Density
from datebridge.store.entries.ledger import Ledger
from datebridge.store.entries.occurrences import OccurrenceReader
from datebridge.store.soundness import CannotOpen, demand_whole
from datebridge.store.stages import at_stages

WEB = Path(__file__).resolve().parent.parent / "web"
log = structlog.get_logger()
#: How often the whole database is looked through, in seconds.
_DAILY = 86_400.0
_FOREVER = {"Cache-Control": "public, max-age=31536000, immutable"}


def create_app(settings: Settings, work: bool = True) -> FastAPI:
    """The application over the store of `settings`. `work` starts the worker process."""
    set_up()
    store = Store(settings.database)
    messages = [*recover(store), *jobs.resume_interrupted(store)]
    uploads.forget_strays(store, settings)
    app = _over(store, settings, messages)
    answering = Answering(settings, store, affordable() if work else 0)

    @asynccontextmanager
    async def lifespan(_: FastAPI) -> AsyncIterator[None]:
        # A few at once get on better than many, and each has a connection of its own.
        to_thread.current_default_thread_limiter().total_tokens = CONNECTIONS
        worker = Worker(store, settings) if work else None
        besides = [
            clock(store, settings),
            readiness(store, app.ledger, app.occurrences, lambda: not answering.worthwhile()),
            Repeating("processes that answer", LOOK, answering.look, first=FIRST),
            Repeating("the look through the database", _DAILY, partial(_look_through, app), first=60.0),
        ]
        if worker:
            give_memory_back()
            worker.start()
            for task in besides:
                task.start()
        yield
        if worker:
            for task in besides:
                task.stop()
            answering.stop()
            worker.stop()
        app.change_feed.close()
        app.stages.close()
        store.close()

    api = FastAPI(
        title="Date Bridge",
        version=__version__,
        lifespan=lifespan,
        docs_url=None,
        redoc_url=None,
        routes=[*_assets(), *operations()],
    )
    api.state.app = app
    api.openapi = schema  # type: ignore[method-assign]  # as it is tested, and as clients are made of it
    errors.install(api)
    help.install(api)
    _front_end(api)
    api.add_middleware(Packing, minimum_size=2_000, compresslevel=4)
    api.add_middleware(Spread, answering=answering)
    api.add_middleware(Guard, settings=settings, store=store, script_hashes=_inline_hashes())
    return api


def beside(settings: Settings) -> FastAPI:
    """What answers in a process beside the application: the same operations, and nothing that is done by itself."""
    set_up()
    give_memory_back()
    app = _over(Store(settings.database), settings, [])
    ready = readiness(app.store, app.ledger, app.occurrences)

    @asynccontextmanager
    async def lifespan(_: FastAPI) -> AsyncIterator[None]:
        to_thread.current_default_thread_limiter().total_tokens = CONNECTIONS
        make_ready(app.store, app.ledger, app.occurrences)  # before, nobody is to wait for it
        ready.start()
        yield
        ready.stop()
        app.store.close()

    api = FastAPI(lifespan=lifespan, docs_url=None, redoc_url=None, openapi_url=None, routes=[*operations()])
    api.state.app = app
    errors.install(api)
    api.add_middleware(Packing, minimum_size=2_000, compresslevel=4)
    return api


def _over(store: Store, settings: Settings, messages: list[str]) -> App:
    """What routers need, over a store."""
    ledger = Ledger(store)
    occurrences = OccurrenceReader(store, ledger.spans)
    return App(
        store,
        settings,
        ledger,
        occurrences,
        Density(store),
        change_feed=AsOfNow(store, marks),
        stages=AsOfNow(store, partial(at_stages, ledger)),
        seeing=Seeing(store, ledger),
        notices=messages,
    )


@cache
def operations() -> tuple[BaseRoute, ...]:
    """All operations of the interface, made once a process: it takes a while, and they know nothing of a store."""
    router = APIRouter()
    for module in (
        views,
        overlaps,
        editing,
        entries,
        changesets,
        findings,
        duplicates,
        checks,
        bulk,
        zones,
        series,
        reconcile,
        maintenance,
        imports,
        replies,
        sign_on,
        accounts,
        transfers,
        cutover,
        crossings,
        fidelity,
        conflicts,
        shares,
        readers,
    ):
        router.include_router(module.router)
    return tuple(router.routes)


@cache
def schema() -> dict[str, Any]:
    """The OpenAPI schema, as it is served and as the front end's client is generated from it."""
    made = FastAPI(title="Date Bridge", version=__version__, routes=[*operations()]).openapi()
    for operation in (one for path in made["paths"].values() for one in path.values()):
        for response in operation["responses"].values():
            content = response.get("content", {})
            if "Refusal" in json.dumps(content.get("application/json", {})):
                content["application/problem+json"] = content.pop("application/json")
    return made


def _look_through(app: App) -> None:
    """Look whether the database is whole while it is in use; people are told where it is not."""
    try:
        demand_whole(app.settings.database, thoroughly=True)
    except CannotOpen as error:
        log.error("the database is damaged", words=str(error))
        if str(error) not in app.notices:
            app.notices.append(str(error))


def _assets() -> list[BaseRoute]:
    """Scripts, styles and fonts, which a first page waits for: before all other routes, and packed once."""
    packed: dict[str, tuple[bytes, str]] = {}  # the built files are few and never change while this runs

    async def asset(request: Request) -> Response:
        path = request.path_params["path"]
        if "\0" in path:
            return Response(status_code=404)
        file = (WEB / "_app" / path).resolve()
        if not file.is_relative_to(WEB / "_app") or not file.is_file():
            return Response(status_code=404)
        if path.endswith(".woff2") or not takes_gzip(request.headers.get("accept-encoding", "")):
            return FileResponse(file, headers=_FOREVER)
        if path not in packed:
            kind = mimetypes.guess_type(path)[0] or "application/octet-stream"
            packed[path] = gzip.compress(file.read_bytes(), 9), kind
        data, kind = packed[path]
        headers = {**_FOREVER, "Content-Encoding": "gzip", "Vary": "Accept-Encoding"}
        return Response(data, media_type=kind, headers=headers)

    return [Route("/_app/{path:path}", asset)]


def _front_end(api: FastAPI) -> None:
    """The built pages. Every path that is no file is the same page: the browser finds its way from there."""
    if not (WEB / "index.html").is_file():
        return

    @api.get("/reader/{name}", include_in_schema=False)
    def reader(name: str) -> Response:
        """What the readers' page is made of, for a look at it."""
        paths = {file.name: file for file in (WEB / "reader").iterdir()} if (WEB / "reader").is_dir() else {}
        return FileResponse(paths[name]) if name in paths else Response(status_code=404)

    @api.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> FileResponse:
        file_names = {p.name for p in WEB.iterdir() if p.is_file()}
        if path.startswith("api/"):
            return FileResponse(WEB / "index.html", 404)
        return FileResponse(WEB / (path if path in file_names else "index.html"), headers={"Cache-Control": "no-cache"})


def _inline_hashes() -> tuple[str, ...]:
    """The one script inside the page itself, allowed by its digest."""
    page = WEB / "index.html"
    if not page.is_file():
        return ()
    scripts = re.findall(r"<script>(.*?)</script>", page.read_text("utf-8"), re.DOTALL)
    return tuple("sha256-" + base64.b64encode(hashlib.sha256(s.encode()).digest()).decode() for s in scripts)
