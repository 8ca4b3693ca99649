"""Who may ask: the Host and Origin a browser sends must be this application's own; nothing may be framed."""

from __future__ import annotations

from urllib.parse import urlsplit

from starlette.datastructures import Headers, MutableHeaders
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

_SAFE = frozenset({"GET", "HEAD", "OPTIONS"})
_LOCAL = ("127.0.0.1", "localhost", "[::1]")
_POLICY = (
    "default-src 'self'; img-src 'self' data:; style-src 'self' 'unsafe-inline'; script-src 'self' {hashes};"
    " frame-ancestors 'none'; base-uri 'self'; form-action 'self'; object-src 'none'"
)


class Guard:
    """Refuses requests under foreign names (DNS rebinding) and writes from foreign pages; sets headers."""

    def __init__(self, app: ASGIApp, host: str, script_hashes: tuple[str, ...] = ()) -> None:
        self.app = app
        self.hosts = {*_LOCAL, host}
        self.policy = _POLICY.format(hashes=" ".join(f"'{h}'" for h in script_hashes))

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        refusal = self._refusal(scope["method"], headers)
        if refusal:
            await JSONResponse({"message": refusal}, 403)(scope, receive, send)
            return

        async def with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                out = MutableHeaders(scope=message)
                out["Content-Security-Policy"] = self.policy
                out["X-Content-Type-Options"] = "nosniff"
                out["Referrer-Policy"] = "no-referrer"
                out["Cross-Origin-Resource-Policy"] = "same-origin"
            await send(message)

        await self.app(scope, receive, with_headers)

    def _refusal(self, method: str, headers: Headers) -> str:
        host = headers.get("host", "")
        if host.rsplit(":", 1)[0] not in self.hosts and host not in self.hosts:
            return "This application does not answer under that name. Use the address it printed at its start."
        origin = headers.get("origin")
        if method not in _SAFE and origin is not None and urlsplit(origin).netloc != host:
            return "Changes are only taken from this application's own pages."
        if method not in _SAFE and headers.get("sec-fetch-site", "same-origin") not in ("same-origin", "none"):
            return "Changes are only taken from this application's own pages."
        return ""
