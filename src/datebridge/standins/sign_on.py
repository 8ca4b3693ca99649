"""A small sign-on host (RFC 6749, 7636, 8414): people sign in at its page, programs get tokens that are soon over.

>>> tokens = Tokens(b"key")
>>> tokens.person(tokens.issue("ida", "access", 60), "access"), tokens.person("ida", "access")
('ida', '')
"""

from __future__ import annotations

import base64
import hashlib
import hmac
import itertools
import json
import secrets
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import urlencode, urlsplit
from xml.sax.saxutils import quoteattr

from starlette.requests import Request
from starlette.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from starlette.types import Receive, Scope, Send

from datebridge.clock import now
from datebridge.standins.page import page

#: How long a token is good, and a code, in seconds.
LIFE, _CODE = 300, 60
#: The program it knows, without a secret.
CLIENT = "date-bridge"
_LOOPBACK = ("127.0.0.1", "localhost", "::1")


class Tokens:
    """Tokens that say themselves whose they are, signed, so that they outlast the process."""

    def __init__(self, key: bytes) -> None:
        self._key = key
        #: Tokens of people before these serials are no good any more; so are these that were used.
        self._ended: dict[tuple[str, str], int] = {}
        self._used: set[int] = set()
        self._serial = itertools.count(time.time_ns())  # later ones are larger, also after a restart

    def issue(self, person: str, kind: str, life: int) -> str:
        said = json.dumps([person, kind, now() + life, next(self._serial)]).encode()
        return f"{_text(said)}.{_text(hmac.digest(self._key, said, 'sha256'))}"

    def person(self, token: str, kind: str, once: bool = False) -> str:
        """Whose a token of a kind is; "" where it is none, or over, or was used although it is good but `once`."""
        try:
            said, signature = (base64.urlsafe_b64decode(part + "==") for part in token.split("."))
            if not hmac.compare_digest(hmac.digest(self._key, said, "sha256"), signature):
                return ""
            person, of, until, serial = json.loads(said)
        except ValueError:
            return ""
        if of != kind or until <= now() or serial < self._ended.get((person, kind), 0) or serial in self._used:
            return ""
        if once:
            self._used.add(serial)
        return str(person)

    def end(self, person: str, kind: str) -> None:
        """All of somebody's tokens of a kind are over."""
        self._ended[person, kind] = next(self._serial)


def _text(data: bytes) -> str:
    return base64.urlsafe_b64encode(data).decode().rstrip("=")


@dataclass(frozen=True, slots=True)
class _Code:
    person: str
    challenge: str
    redirect: str
    until: int


class SignOn:
    """The sign-on host as an ASGI application.

    Args:
        password: finds somebody's.
        kept: where its key is kept.
    """

    def __init__(self, password: Callable[[str], str | None], kept: Path) -> None:
        if not kept.is_file():
            kept.write_bytes(secrets.token_bytes(32))
        self.tokens = Tokens(kept.read_bytes())
        self._password = password
        self._codes: dict[str, _Code] = {}
        #: How long tokens are good; tests shorten it.
        self.life = LIFE

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        request = Request(scope, receive)
        await (await self._answer(request))(scope, receive, send)

    async def _answer(self, request: Request) -> Response:
        issuer = str(request.base_url).rstrip("/")
        match request.url.path, request.method:
            case "/", "GET":
                return HTMLResponse(page("Sign-on", "A simulated sign-on host. Halyard lets people in through it.", ""))
            case "/.well-known/oauth-authorization-server", "GET":
                return JSONResponse(
                    {
                        "issuer": issuer,
                        "authorization_endpoint": f"{issuer}/authorize",
                        "token_endpoint": f"{issuer}/token",
                        "response_types_supported": ["code"],
                        "grant_types_supported": ["authorization_code", "refresh_token"],
                        "code_challenge_methods_supported": ["S256"],
                        "token_endpoint_auth_methods_supported": ["none"],
                        "authorization_response_iss_parameter_supported": True,
                    }
                )
            case "/authorize", "GET":
                return self._form(dict(request.query_params))
            case "/authorize", "POST":
                form = {name: str(value) for name, value in (await request.form()).items()}
                return self._signed_in(form, issuer)
            case "/token", "POST":
                return self._token({name: str(value) for name, value in (await request.form()).items()})
        return Response("There is nothing here.", 404)

    def _form(self, asked: dict[str, str], wrong: str = "") -> Response:
        """The page at which one signs in. What is wrong with the program is said here (RFC 6749 §4.1.2.1)."""
        redirect = asked.get("redirect_uri", "")
        if asked.get("client_id") != CLIENT or urlsplit(redirect).hostname not in _LOOPBACK:
            return HTMLResponse(page("Sign-on", "This program is not known here.", ""), 400)
        if asked.get("response_type") != "code" or asked.get("code_challenge_method") != "S256":
            return _back(redirect, {"error": "invalid_request", "state": asked.get("state", "")})
        kept = "".join(
            f"<input type=hidden name={quoteattr(name)} value={quoteattr(asked.get(name, ''))}>"
            for name in (
                "client_id",
                "redirect_uri",
                "response_type",
                "state",
                "code_challenge",
                "code_challenge_method",
            )
        )
        fields = (
            "<p><label>User name <input name=user autofocus></label></p>"
            "<p><label>Password <input name=password type=password></label></p>"
            "<p><button name=answer value=yes>Sign in and let Date Bridge in</button>"
            " <button name=answer value=no>Let nobody in</button></p>"
        )
        form = f"{wrong and f'<p><strong>{wrong}</strong></p>'}<form method=post>{kept}{fields}</form>"
        return HTMLResponse(page("Sign-on", "Date Bridge asks to read and write your calendars at Halyard.", form))

    def _signed_in(self, form: dict[str, str], issuer: str) -> Response:
        redirect, state, person = form.get("redirect_uri", ""), form.get("state", ""), form.get("user", "")
        if urlsplit(redirect).hostname not in _LOOPBACK:
            return self._form(form)
        if form.get("answer") == "no":
            return _back(redirect, {"error": "access_denied", "state": state, "iss": issuer})
        password = self._password(person)
        if password is None or not secrets.compare_digest(password.encode(), form.get("password", "").encode()):
            return self._form(form, "This user name and password do not belong together.")
        code = secrets.token_urlsafe(24)
        self._codes[code] = _Code(person, form.get("code_challenge", ""), redirect, now() + _CODE)
        return _back(redirect, {"code": code, "state": state, "iss": issuer})

    def _token(self, form: dict[str, str]) -> Response:
        person = ""
        if form.get("client_id") != CLIENT:
            return JSONResponse({"error": "invalid_client"}, 401)
        if form.get("grant_type") == "authorization_code":
            code = self._codes.pop(form.get("code", ""), None)
            proof = _text(hashlib.sha256(form.get("code_verifier", "").encode()).digest())
            if code and code.until > now() and code.challenge == proof and code.redirect == form.get("redirect_uri"):
                person = code.person
        elif form.get("grant_type") == "refresh_token":
            person = self.tokens.person(form.get("refresh_token", ""), "refresh", once=True)
        else:
            return JSONResponse({"error": "unsupported_grant_type"}, 400)
        if not person:
            return JSONResponse({"error": "invalid_grant"}, 400)
        granted = {
            "access_token": self.tokens.issue(person, "access", self.life),
            "token_type": "Bearer",
            "expires_in": self.life,
            "refresh_token": self.tokens.issue(person, "refresh", 90 * 86_400),
        }
        return JSONResponse(granted, headers={"Cache-Control": "no-store"})


def _back(redirect: str, answer: dict[str, str]) -> Response:
    return RedirectResponse(f"{redirect}{'&' if '?' in redirect else '?'}{urlencode(answer)}", 303)
