"""Whether an answer may be packed, by what its reader says (RFC 9110 §12.5.3)."""

from __future__ import annotations

from starlette.datastructures import Headers
from starlette.middleware.gzip import GZipMiddleware
from starlette.types import Receive, Scope, Send


def takes_gzip(accepts: str) -> bool:
    """Whether somebody who sends this Accept-Encoding takes gzip.

    >>> [takes_gzip(text) for text in ("gzip, br", "gzip;q=0", "*;q=0.5", "*, x-gzip;q=0.000", "identity", "")]
    [True, False, True, False, False, False]
    """
    codings: dict[str, bool] = {}
    for part in accepts.lower().split(","):
        coding, *params = (piece.strip() for piece in part.split(";"))
        weight = next((piece[2:].strip() for piece in params if piece.startswith("q=")), "1")
        codings[coding.removeprefix("x-")] = weight.strip("0.") != ""
    return codings.get("gzip", codings.get("*", False))


class Packing(GZipMiddleware):
    """Packs answers for those who take them packed."""

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "http" and not takes_gzip(Headers(scope=scope).get("Accept-Encoding", "")):
            scope = {**scope, "headers": [pair for pair in scope["headers"] if pair[0] != b"accept-encoding"]}
        await super().__call__(scope, receive, send)
