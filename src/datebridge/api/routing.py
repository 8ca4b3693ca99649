"""Routers, all alike: what comes in can be kept and read again, and what cannot be done is said in one shape."""

from __future__ import annotations

from collections.abc import Callable, Coroutine
from typing import Any

from fastapi import APIRouter, HTTPException, Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from fastapi.routing import APIRoute

from datebridge.api.shapes import Refusal
from datebridge.core.text.storable import is_storable, storable

_REFUSALS: dict[int | str, dict[str, Any]] = {
    422: {"model": Refusal, "description": "What was sent makes no sense; the message says where."},
    "4XX": {"model": Refusal, "description": "It cannot be done; the message says why."},
}


class _Careful(Request):
    async def json(self) -> Any:
        value = await super().json()
        if not is_storable(value):
            raise HTTPException(422, "What was sent holds halves of characters, or is nested too deeply.")
        return value


class _CarefulRoute(APIRoute):
    def get_route_handler(self) -> Callable[[Request], Coroutine[Any, Any, Response]]:
        handle = super().get_route_handler()

        async def careful(request: Request) -> Response:
            return await handle(_Careful(request.scope, request.receive))

        return careful


def new_router(prefix: str, tag: str) -> APIRouter:
    return APIRouter(prefix=prefix, tags=[tag], route_class=_CarefulRoute, responses=_REFUSALS)


def refused(message: str, status: int, **besides: Any) -> JSONResponse:
    """An answer of the shape `Refusal`."""
    return JSONResponse({"message": storable(message), **besides}, status)


def in_words(error: RequestValidationError) -> str:
    """The first thing that is wrong with what was sent: ``limit: Input should be less than or equal to 500``."""
    first = error.errors()[0]
    where = ".".join(str(part) for part in first["loc"] if part not in ("body", "query", "path"))
    return f"{where}: {first['msg']}" if where else str(first["msg"])
