"""The application: routers, guards, errors in words, and the built front end."""

from __future__ import annotations

import base64
import gzip
import hashlib
import mimetypes
import re
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any

from anyio import to_thread
from fastapi import FastAPI, Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse, JSONResponse
from sqlalchemy.exc import OperationalError
from starlette.exceptions import HTTPException
from starlette.middleware.gzip import GZipMiddleware

from datebridge import __version__
from datebridge.api import accounts, bringing, carrying, changes, comparing, editing, entries, looking
from datebridge.api.context import App
from datebridge.api.guard import Guard
from datebridge.api.readiness import give_memory_back, readiness
from datebridge.api.routing import in_words, refused
from datebridge.connect.errors import Unreachable
from datebridge.core.editing.fields import CannotEdit
from datebridge.core.words.filters import FilterError
from datebridge.core.words.phrases import NotUnderstood
from datebridge.services.accounts.connecting import NotConnected
from datebridge.services.accounts.secrets import KeyLost
from datebridge.services.imports import uploads
from datebridge.services.imports.uploads import NotTaken
from datebridge.services.jobs import jobs
from datebridge.services.jobs.clock import clock
from datebridge.services.jobs.worker import Worker
from datebridge.services.logs import set_up
from datebridge.settings import Settings
from datebridge.store.changesets.logbook import CannotApply, recover
from datebridge.store.database import CONNECTIONS, Store, is_full
from datebridge.store.entries.density import Density
from datebridge.store.entries.ledger import Ledger
from datebridge.store.entries.occurrences import Happenings

WEB = Path(__file__).resolve().parent.parent / "web"
_FOREVER = {"Cache-Control": "public, max-age=31536000, immutable"}


def create_app(settings: Settings, work: bool = True) -> FastAPI:
    """The application over the store of `settings`. `work` starts the worker process."""
    set_up()
    store = Store(settings.database)
    said = [*recover(store), *jobs.resume_interrupted(store)]
    uploads.forget_strays(store, settings)
    ledger = Ledger(store)
    app = App(store, settings, ledger, Happenings(store, ledger.spans), Density(store), said)

    @asynccontextmanager
    async def lifespan(_: FastAPI) -> AsyncIterator[None]:
        # A few at once get on better than many, and each has a connection of its own.
        to_thread.current_default_thread_limiter().total_tokens = CONNECTIONS
        worker = Worker(store, settings) if work else None
        besides = [clock(store, settings), readiness(store, app.ledger, app.happenings)]
        if worker:
            give_memory_back()
            worker.start()
            for one in besides:
                one.start()
        yield
        if worker:
            for one in besides:
                one.stop()
            worker.stop()
        store.close()

    api = _routes(FastAPI(title="Date Bridge", version=__version__, lifespan=lifespan, docs_url=None, redoc_url=None))
    api.state.app = app
    _errors(api)
    _front_end(api)
    api.add_middleware(GZipMiddleware, minimum_size=2_000, compresslevel=4)
    api.add_middleware(Guard, settings=settings, script_hashes=_inline_hashes())
    return api


def _routes(api: FastAPI) -> FastAPI:
    for module in (looking, comparing, editing, entries, changes, bringing, accounts, carrying):
        api.include_router(module.router)
    return api


def schema() -> dict[str, Any]:
    """The OpenAPI schema the front end's client is generated from."""
    return _routes(FastAPI(title="Date Bridge", version=__version__)).openapi()


def _errors(api: FastAPI) -> None:
    @api.exception_handler(FilterError)
    async def _filter(_: Request, error: FilterError) -> JSONResponse:
        return refused(error.message, 422, start=error.start, end=error.end)

    @api.exception_handler(NotUnderstood)
    @api.exception_handler(CannotEdit)
    async def _not_understood(_: Request, error: Exception) -> JSONResponse:
        return refused(str(error), 422)

    @api.exception_handler(RequestValidationError)
    async def _invalid(_: Request, error: RequestValidationError) -> JSONResponse:
        return refused(in_words(error), 422)

    @api.exception_handler(HTTPException)
    async def _http(_: Request, error: HTTPException) -> JSONResponse:
        answer = refused(str(error.detail), error.status_code)
        answer.headers.update(error.headers or {})
        return answer

    @api.exception_handler(CannotApply)
    @api.exception_handler(NotConnected)
    @api.exception_handler(KeyLost)
    async def _cannot(_: Request, error: Exception) -> JSONResponse:
        return refused(str(error), 409)

    @api.exception_handler(Unreachable)
    async def _unreachable(_: Request, error: Unreachable) -> JSONResponse:
        if error.trouble == "busy":
            answer = refused(error.message, 429, trouble=error.trouble)
            answer.headers["Retry-After"] = f"{error.retry_after or 5:.0f}"
            return answer
        # What was asked here failed with what was asked elsewhere (RFC 4918 §11.4).
        return refused(error.message, 424, trouble=error.trouble, origin=error.origin)

    @api.exception_handler(NotTaken)
    async def _not_taken(_: Request, error: NotTaken) -> JSONResponse:
        return refused(str(error), 413)

    @api.exception_handler(OperationalError)
    @api.exception_handler(OSError)
    async def _no_room(_: Request, error: Exception) -> JSONResponse:
        if not is_full(error):
            raise error
        return refused("The disk that holds the data is full, so nothing was changed. Make room.", 507)


def _front_end(api: FastAPI) -> None:
    """The built pages. Every path that is no file is the same page: the browser finds its way from there."""
    if not (WEB / "index.html").is_file():
        return
    packed: dict[str, tuple[bytes, str]] = {}  # the built files are few and never change while this runs

    @api.get("/_app/{path:path}", include_in_schema=False)
    def asset(path: str, request: Request) -> Response:
        file = (WEB / "_app" / path).resolve()
        if not file.is_relative_to(WEB) or not file.is_file():
            return Response(status_code=404)
        if path.endswith(".woff2") or "gzip" not in request.headers.get("accept-encoding", ""):
            return FileResponse(file, headers=_FOREVER)
        if path not in packed:
            kind = mimetypes.guess_type(path)[0] or "application/octet-stream"
            packed[path] = gzip.compress(file.read_bytes(), 9), kind
        data, kind = packed[path]
        return Response(
            data, media_type=kind, headers={**_FOREVER, "Content-Encoding": "gzip", "Vary": "Accept-Encoding"}
        )

    @api.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> FileResponse:
        known = {p.name for p in WEB.iterdir() if p.is_file()}
        if path.startswith("api/"):
            return FileResponse(WEB / "index.html", 404)
        return FileResponse(WEB / (path if path in known else "index.html"), headers={"Cache-Control": "no-cache"})


def _inline_hashes() -> tuple[str, ...]:
    """The one script inside the page itself, allowed by its digest."""
    page = WEB / "index.html"
    if not page.is_file():
        return ()
    scripts = re.findall(r"<script>(.*?)</script>", page.read_text("utf-8"), re.DOTALL)
    return tuple("sha256-" + base64.b64encode(hashlib.sha256(s.encode()).digest()).decode() for s in scripts)
