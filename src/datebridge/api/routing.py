"""Routers, all alike: what comes in can be kept and read again, and what cannot be done is said in one shape."""

from __future__ import annotations

from collections.abc import Callable, Coroutine
from typing import Any

from fastapi import APIRouter, Request, Response
from fastapi.routing import APIRoute

from datebridge.api.shapes import Refusal
from datebridge.core.errors import NotValid
from datebridge.core.text.storable import is_storable

_REFUSALS: dict[int | str, dict[str, Any]] = {
    422: {"model": Refusal, "description": "The request is not valid; the detail says where."},
    "4XX": {"model": Refusal, "description": "It cannot be done; the detail says why."},
}


class _Careful(Request):
    async def json(self) -> Any:
        value = await super().json()
        if not is_storable(value):
            raise NotValid("The request contains incomplete characters, or is nested too deeply.")
        return value


class _CarefulRoute(APIRoute):
    def get_route_handler(self) -> Callable[[Request], Coroutine[Any, Any, Response]]:
        handle = super().get_route_handler()

        async def careful(request: Request) -> Response:
            return await handle(_Careful(request.scope, request.receive))

        return careful


def new_router(prefix: str, tag: str) -> APIRouter:
    return APIRouter(prefix=prefix, tags=[tag], route_class=_CarefulRoute, responses=_REFUSALS)
