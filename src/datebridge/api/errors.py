"""What cannot be done, as problem details (RFC 9457): one shape for every refusal, with the words of the core."""

from __future__ import annotations

from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from starlette.exceptions import HTTPException

from datebridge.connect.errors import Unreachable
from datebridge.core.errors import CannotDo
from datebridge.core.text.storable import storable
from datebridge.store.database import DatabaseError, is_damage, is_full
from datebridge.store.soundness import DAMAGED

_MEDIA = "application/problem+json"


def refused(
    detail: str, status: int, code: str = "refused", title: str = "It cannot be done", **members: Any
) -> JSONResponse:
    """An answer of the shape `shapes.Refusal`."""
    problem = {"type": "about:blank", "title": title, "status": status, "detail": storable(detail), "code": code}
    return JSONResponse({**problem, **members}, status, media_type=_MEDIA)


def of(error: CannotDo) -> JSONResponse:
    """The answer to what cannot be done."""
    return refused(str(error), error.status, error.code, error.title, **error.members())


def in_words(error: RequestValidationError) -> str:
    """The first thing that is wrong with what was sent: ``limit: Input should be less than or equal to 500``."""
    first = error.errors()[0]
    where = ".".join(str(part) for part in first["loc"] if part not in ("body", "query", "path"))
    return f"{where}: {first['msg']}" if where else str(first["msg"])


def install(api: FastAPI) -> None:
    """Have the application answer in these words."""

    @api.exception_handler(CannotDo)
    async def _cannot(_: Request, error: CannotDo) -> JSONResponse:
        answer = of(error)
        if isinstance(error, Unreachable) and error.status == 429:
            answer.headers["Retry-After"] = f"{error.retry_after or 5:.0f}"
        return answer

    @api.exception_handler(RequestValidationError)
    async def _invalid(_: Request, error: RequestValidationError) -> JSONResponse:
        return refused(in_words(error), 422, "not-valid", "The request is not valid")

    @api.exception_handler(HTTPException)
    async def _http(_: Request, error: HTTPException) -> JSONResponse:
        code, title = ("not-found", "Not found") if error.status_code == 404 else ("refused", "Refused")
        answer = refused(str(error.detail), error.status_code, code, title)
        answer.headers.update(error.headers or {})
        return answer

    @api.exception_handler(DatabaseError)
    @api.exception_handler(OSError)
    async def _no_room(_: Request, error: Exception) -> JSONResponse:
        if is_damage(error):
            return refused(DAMAGED, 500, "damaged", "The database is damaged")
        if not is_full(error):
            raise error
        return refused(
            "The disk that holds the data is full, so nothing was changed. Free space there.",
            507,
            "disk-full",
            "The disk is full",
        )
