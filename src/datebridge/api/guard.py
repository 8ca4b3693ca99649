"""Who may ask: from which address, under which name, with which key; and what every answer carries.

Names are checked so that no foreign page can have a browser ask here (DNS rebinding), and writes are taken from this
application's own pages alone, or from a program that says so with a header of its own.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from http.cookies import CookieError, SimpleCookie
from urllib.parse import parse_qs, urlsplit

import structlog
from anyio import to_thread
from starlette.datastructures import Headers, MutableHeaders
from starlette.requests import Request
from starlette.responses import HTMLResponse, RedirectResponse, Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from datebridge.api.errors import refused
from datebridge.connect.origins import is_this_machine
from datebridge.services.access import LASTS, AccessKey
from datebridge.settings import Settings
from datebridge.store.database import Store

log = structlog.get_logger()
#: What a program sends that is no browser; a foreign page cannot have a browser send it (Fetch §3.2.2).
OWN_HEADER = "X-Date-Bridge"
#: The page to which sign-on hosts send people back. It holds nothing by itself.
SIGNED = "/connect/signed"
_COOKIE = "date-bridge-access"
_SAFE = frozenset({"GET", "HEAD", "OPTIONS"})
_HOST = re.compile(r"(\[[0-9a-f:.]{2,45}\]|[a-z0-9._-]{1,253})(?::[0-9]{1,5})?", re.IGNORECASE)
_POLICY = (
    "default-src 'self'; img-src 'self' data:; style-src 'self' 'unsafe-inline'; script-src 'self' {hashes};"
    " frame-ancestors 'none'; base-uri 'self'; form-action 'self'; object-src 'none'"
)
_ENTRANCE = """<!doctype html><html lang=en><meta charset=utf-8><title>Date Bridge</title>
<body style="font:16px/1.5 system-ui;max-width:34rem;margin:4rem auto;padding:0 1rem;background:#f6f3ea;color:#14213d">
<h1 style="font-size:1.3rem">Date Bridge needs its access key</h1>
<p>It was shown once, when Date Bridge was started for the first time. Ask who started it.</p>{message}
<form method=post action=/enter><label>Access key
<input name=key type=password autocomplete=current-password autofocus style="font:inherit;width:22rem"></label>
<button style="font:inherit">Enter</button></form>"""


class Guard:
    """Stands before everything else; also turns what nobody foresaw into an answer in words."""

    def __init__(self, app: ASGIApp, settings: Settings, store: Store, script_hashes: Iterable[str] = ()) -> None:
        self.app, self.settings = app, settings
        self.key = AccessKey(settings, store)
        self.policy = _POLICY.format(hashes=" ".join(f"'{h}'" for h in script_hashes))

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        begun = False

        async def with_headers(message: Message) -> None:
            nonlocal begun
            if message["type"] == "http.response.start":
                begun = True
                out = MutableHeaders(scope=message)
                out.setdefault("Content-Security-Policy", self.policy)
                out["X-Content-Type-Options"] = "nosniff"
                out.setdefault("Referrer-Policy", "no-referrer")
                out["Cross-Origin-Resource-Policy"] = "same-origin"
                out["Cross-Origin-Opener-Policy"] = "same-origin"
            await send(message)

        try:
            refusal = await self._refusal(scope, receive)
            await (refusal or self.app)(scope, receive, with_headers)
        except Exception:
            log.exception("an answer could not be made", path=scope["path"])
            if begun:  # too late for another answer: the connection is cut, and who asked sees that it was
                raise
            words = "An unexpected error occurred. Nothing was changed; the log has the details."
            await refused(words, 500, "failed", "Something went wrong")(scope, receive, with_headers)

    async def _refusal(self, scope: Scope, receive: Receive) -> Response | None:
        """An answer in place of the application's, for who may not ask, or not like this."""
        headers = Headers(scope=scope)
        near = is_this_machine(_peer(scope))
        through_proxy = bool(self.settings.proxy) and (near or _peer(scope) == self.settings.proxy)
        if self.settings.proxy and not through_proxy:
            return _no("Only the reverse proxy may connect here.")
        hosts = headers.getlist("host")
        if len(hosts) != 1 or not self._is_own_name(hosts[0], scope, near):
            return _no("This application does not answer under that name. Use the address it printed at its start.")
        if scope["method"] not in _SAFE and not _is_own_page(headers, hosts[0]):
            return _no("Changes are only taken from this application's own pages.")
        if near or through_proxy or self._has_key(headers):
            return None
        if scope["path"] == SIGNED and scope["method"] == "GET":  # from elsewhere, so that no cookie comes along
            return None
        if scope["path"] == "/enter" and scope["method"] == "POST":
            return await self._enter(scope, receive)
        if "text/html" in headers.get("accept", ""):
            return _entrance("", 401)
        return refused("The access key is required, as “Authorization: Bearer KEY”.", 401, "no-key", "Not let in")

    def _is_own_name(self, host: str, scope: Scope, near: bool) -> bool:
        match = _HOST.fullmatch(host)
        if match is None:
            return False
        name = match[1].lower().strip("[]")
        own = {self.settings.host, *self.settings.names}
        server = scope.get("server")
        if server and not is_this_machine(server[0]):  # no foreign name stands for a bare address
            own.add(server[0])
        return (near and is_this_machine(name)) or name in {one.lower() for one in own if not is_this_machine(one)}

    def _has_key(self, headers: Headers) -> bool:
        scheme, _, key = headers.get("authorization", "").partition(" ")
        if scheme.lower() == "bearer" and self.key.opens(key.strip()):
            return True
        try:
            cookie = SimpleCookie(headers.get("cookie", "")).get(_COOKIE)
        except CookieError:
            return False
        return cookie is not None and self.key.accepts(cookie.value)

    async def _enter(self, scope: Scope, receive: Receive) -> Response:
        body = b""
        async for piece in Request(scope, receive).stream():
            body += piece
            if len(body) > 4096:
                return _no("The access key is wrong.")
        given = parse_qs(body.decode("utf-8", "replace")).get("key", [""])[0]
        if not self.key.opens(given.strip()):
            return _entrance("<p role=alert><strong>This is not the key.</strong></p>", 403)
        answer = RedirectResponse("/", 303)
        cookie = await to_thread.run_sync(self.key.new_cookie)
        answer.set_cookie(_COOKIE, cookie, max_age=LASTS, httponly=True, samesite="strict")
        return answer


def _peer(scope: Scope) -> str:
    client = scope.get("client")
    return str(client[0]) if client else ""


def _is_own_page(headers: Headers, host: str) -> bool:
    """Whether a browser sends this for a page of ours, or a program of its own accord (Fetch Metadata, RFC 6454)."""
    origin, site = headers.get("origin"), headers.get("sec-fetch-site")
    if origin is not None:
        try:
            parts = urlsplit(origin)
        except ValueError:
            return False
        return parts.scheme in ("http", "https") and parts.netloc == host and site in (None, "same-origin")
    return site == "same-origin" or (site is None and OWN_HEADER in headers)


def _no(words: str) -> Response:
    return refused(words, 403, "not-let-in", "Not let in")


def _entrance(message: str, status: int) -> Response:
    # A form sends no origin under "no-referrer" (Fetch §3.1), and without one nothing is taken.
    return HTMLResponse(_ENTRANCE.replace("{message}", message), status, {"Referrer-Policy": "same-origin"})
