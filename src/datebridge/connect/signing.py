"""Signing in: by the strongest way a server offers of those known here, Digest before Basic (RFC 7616, RFC 7617).

A password without a user name is an access token wherever the server takes those (RFC 6750).

>>> strongest('Basic realm="a", Digest realm="a", nonce="1", algorithm=SHA-256, Digest realm="a", nonce="1"')
('digest', 'Digest realm="a", nonce="1", algorithm=SHA-256')
>>> strongest('Negotiate, Bearer realm="a"')
"""

from __future__ import annotations

import re
from collections.abc import Generator
from functools import lru_cache
from typing import Literal, Protocol

import httpx

from datebridge.connect.errors import Unreachable
from datebridge.connect.origins import is_loopback

Way = Literal["basic", "digest"]
#: Algorithms of Digest, the stronger ones first; "" is MD5.
_ALGORITHMS = ("SHA-512-256", "SHA-512", "SHA-256", "SHA", "MD5", "")
_SPOKEN = frozenset({"SHA-512", "SHA-256", "SHA", "MD5", ""})
#: How often a server may say that a nonce it has just given is no good any more.
_MOST_STALE = 10
_SCHEME = re.compile(r'(?:^|,)\s*([A-Za-z][A-Za-z0-9-]*)(?=\s*$|\s*,|\s+[^=\s,"])')
_QUOTED = re.compile(r'"(?:[^"\\]|\\.)*"')


def challenges(header: str) -> list[tuple[str, str]]:
    """The schemes a WWW-Authenticate header offers (RFC 9110 §11.6.1), lower case, each with its whole challenge."""
    plain = _QUOTED.sub(lambda match: '"' + "x" * (len(match[0]) - 2) + '"', header)
    starts = [(m.start(1), m[1].lower()) for m in _SCHEME.finditer(plain)]
    ends = [*(start for start, _ in starts), len(header)][1:]
    return [
        (scheme, header[start:end].strip().rstrip(",").strip())
        for (start, scheme), end in zip(starts, ends, strict=True)
    ]


def strongest(header: str) -> tuple[Way, str] | None:
    """The best way to sign in that is offered and known here, with its challenge; None if there is none."""
    best: tuple[int, str] | None = None
    basic = ""
    for scheme, challenge in challenges(header):
        if scheme == "basic":
            basic = challenge
        if scheme != "digest" or not re.search(r"\bnonce\s*=", challenge) or not re.search(r"\brealm\s*=", challenge):
            continue
        algorithm = _part(challenge, "algorithm").upper()
        qop = {part.strip() for part in _part(challenge, "qop").lower().split(",")}
        plain = algorithm.removesuffix("-SESS")
        if plain not in _SPOKEN or not qop & {"", "auth"}:
            continue
        rank = _ALGORITHMS.index(plain)
        if best is None or rank < best[0]:
            best = rank, challenge
    if best is not None:
        return "digest", best[1]
    return ("basic", basic) if basic else None


def takes_token(header: str) -> bool:
    """Whether a WWW-Authenticate header offers access tokens, or nothing that is known here.

    >>> takes_token('Basic realm="a", Bearer realm="a"'), takes_token('Basic realm="a"')
    (True, False)
    """
    schemes = {scheme for scheme, _ in challenges(header)}
    return "bearer" in schemes or not schemes & {"basic", "digest"}


def has_sign_on(header: str) -> bool:
    """Whether a WWW-Authenticate header names a sign-on host (RFC 9728 §5.1)."""
    return bool(sign_on_metadata(header))


def sign_on_metadata(header: str) -> str:
    """Where a server says which sign-on hosts it trusts (RFC 9728 §5.1); "" where it does not say.

    >>> sign_on_metadata('Bearer realm="a", resource_metadata="https://a.example/.well-known/oauth-protected-resource"')
    'https://a.example/.well-known/oauth-protected-resource'
    """
    bearer = (challenge for scheme, challenge in challenges(header) if scheme == "bearer")
    return next((address for challenge in bearer if (address := _part(challenge, "resource_metadata"))), "")


class Tokens(Protocol):
    """Access tokens of one account, each good for a while (RFC 6749 §1.4)."""

    def current(self) -> str:
        """The token in use."""

    def renewed(self, refused: str) -> str:
        """The token after one that was refused. It may ask a sign-on host, so it is called from a thread of its own.

        Raises:
            Unreachable: if there is none.
        """


class TokenAuth(httpx.Auth):
    """Signs requests by an access token (RFC 6750 §2.1)."""

    def __init__(self, token: str) -> None:
        self._token = token

    def auth_flow(self, request: httpx.Request) -> Generator[httpx.Request, httpx.Response, None]:
        """Send a request with the token."""
        request.headers["Authorization"] = f"Bearer {self._token}"
        yield request


def _part(challenge: str, name: str) -> str:
    match = re.search(rf'\b{name}\s*=\s*(?:"([^"]*)"|([^\s,]+))', challenge, re.IGNORECASE)
    return (match[1] or match[2] or "") if match else ""


def _is_readable(url: str) -> bool:
    """Whether somebody on the way can read what is sent."""
    return not (url.startswith("https://") or is_loopback(url))


class Signing(httpx.Auth):
    """Signs requests once a server has asked for it, and from then on before it asks."""

    def __init__(self, user: str, password: str) -> None:
        self._user, self._password = user, password
        self._way: httpx.BasicAuth | httpx.DigestAuth | TokenAuth | None = None

    @property
    def is_digest(self) -> bool:
        """Whether it is Digest that was learned."""
        return isinstance(self._way, httpx.DigestAuth)

    def auth_flow(self, request: httpx.Request) -> Generator[httpx.Request, httpx.Response, None]:
        """Send a request; where the server asks for it, send it once more, signed."""
        way = self._way
        if way is not None:
            request = next(way.auth_flow(request))
        response = yield request
        asked_for = response.headers.get("www-authenticate", "")
        if response.status_code == 401 and not self._user and self._password and takes_token(asked_for):
            if not isinstance(way, TokenAuth):
                self._way = TokenAuth(self._password)
                yield next(self._way.auth_flow(request))
            return
        offered = strongest(asked_for) if response.status_code == 401 else None
        if offered is None or (offered[0] == "basic" and isinstance(way, httpx.BasicAuth)):  # refused
            return
        if offered[0] == "basic" and way is not None and _is_readable(str(request.url)):
            raise Unreachable(
                "scheme",
                f"{request.url.host} let one in by Digest before, and now takes Basic only, by which everybody on the"
                " way could read the password. It was not sent. If who runs it says that this is meant, sign in again.",
            )
        if offered[0] == "basic":
            self._way = httpx.BasicAuth(self._user.encode(), self._password.encode())
            yield next(self._way.auth_flow(request))
            return
        for _ in range(_MOST_STALE):
            digest = httpx.DigestAuth(self._user.encode(), self._password.encode())
            request.headers.pop("Authorization", None)
            flow = digest.auth_flow(request)
            next(flow)
            asked = httpx.Response(401, headers=[(b"www-authenticate", offered[1].encode())], request=request)
            try:
                signed = flow.send(asked)
            except (httpx.ProtocolError, ValueError, KeyError):  # a challenge that is none
                return
            response = yield signed
            if response.status_code != 401:
                self._way = digest  # only now: others would use its nonce up
                return
            offered = strongest(response.headers.get("www-authenticate", ""))
            # The password was right, the nonce was not any more (RFC 7616 §3.3).
            if offered is None or offered[0] != "digest" or _part(offered[1], "stale").lower() != "true":
                return


@lru_cache(maxsize=64)
def signing(user: str, password: str, origins: frozenset[str]) -> Signing:
    """How one signs in at some origins: what was learned of it once is known to the next who asks there."""
    return Signing(user, password)


def forget() -> None:
    """Learn again how to sign in everywhere: somebody has just given a user name and a password once more."""
    signing.cache_clear()
