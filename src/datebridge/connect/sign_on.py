"""Signing in through a sign-on host: OAuth 2 with PKCE, and tokens that are renewed (RFC 6749, 7636, 8414, 9728).

A person signs in there in the browser; Date Bridge never sees that password. What it is given instead is a grant: a
token that is good for a while, and another one by which the next is had.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from typing import Any
from urllib.parse import urlencode, urlsplit

from authlib.common.security import generate_token
from authlib.oauth2.client import OAuth2Client
from authlib.oauth2.rfc6749 import OAuth2Error

from datebridge.connect.errors import Unreachable
from datebridge.connect.http import Answer, Web
from datebridge.connect.origins import host_of, is_loopback, origin_of

#: How Date Bridge is called at sign-on hosts, unless who runs one has given it another name.
CLIENT = "date-bridge"
_RESOURCE, _SERVER = "/.well-known/oauth-protected-resource", "/.well-known/oauth-authorization-server"
_OPENID = "/.well-known/openid-configuration"
#: The longest answer of a sign-on host that is read, in characters.
_LONGEST = 1 << 20


@dataclass(frozen=True, slots=True)
class SignOnHost:
    """A sign-on host as it describes itself (RFC 8414 §2).

    Attributes:
        issuer: its own name for itself, an address.
        authorize: where a person signs in; token: where grants are had and renewed.
        scope: what is asked for, as the server it stands before says it (RFC 9728 §2); "" for what is usual there.
        secret_in_body: it takes the secret of a program in the body of a request only.
    """

    issuer: str
    authorize: str
    token: str
    scope: str = ""
    secret_in_body: bool = False


@dataclass(frozen=True, slots=True)
class Grant:
    """What a person has let this program do at a server; whoever has it can do it too, so it is kept sealed.

    Attributes:
        access: the token in use; refresh: what the next is had by, "" for nothing.
        client, secret: how this program is known there.
    """

    host: SignOnHost
    access: str
    refresh: str
    client: str
    secret: str = ""

    def as_text(self) -> str:
        return json.dumps(asdict(self))

    @classmethod
    def from_text(cls, text: str) -> Grant:
        """What `as_text` made."""
        read: dict[str, Any] = json.loads(text)
        return cls(**{**read, "host": SignOnHost(**read["host"])})


@dataclass(frozen=True, slots=True)
class Beginning:
    """Somebody was sent to sign in.

    Attributes:
        address: where to; state: comes back with the answer; verifier: shows that it was this program (RFC 7636 §4.1).
    """

    address: str
    state: str
    verifier: str


def host_named(web: Web, address: str, metadata: str = "") -> SignOnHost:
    """The sign-on host that the server at an address trusts.

    Args:
        metadata: where the server says so, as it was given with a refusal; "" for the usual place (RFC 9728 §3).

    Raises:
        Unreachable: if it names none, or one that cannot be used.
    """
    origin = origin_of(address)
    if metadata and origin_of(metadata) != origin:  # whoever answers there could send people anywhere
        raise Unreachable(
            "answer", f"{host_of(address)} leads to another host, {host_of(metadata)}, to sign in. It was not asked."
        )
    described = _described(web, metadata or origin + _RESOURCE) or {}
    servers = described.get("authorization_servers")
    if not isinstance(servers, list) or not servers or not isinstance(servers[0], str):
        raise Unreachable(
            "missing",
            f"{host_of(address)} does not say which sign-on host it trusts. Ask who runs it, and enter its address.",
        )
    if described.get("resource") and origin_of(str(described["resource"])) != origin:  # RFC 9728 §3.3
        raise Unreachable("answer", f"What {host_of(address)} says about signing in is about another server.")
    scopes = described.get("scopes_supported")
    scope = " ".join(str(one) for one in scopes) if isinstance(scopes, list) else ""
    return replace(host_at(web, servers[0]), scope=scope)


def host_at(web: Web, issuer: str) -> SignOnHost:
    """The sign-on host at an address.

    Raises:
        Unreachable: if there is none, or what it says cannot be used.
    """
    issuer = issuer.strip().rstrip("/")
    _demand_encryption(issuer)
    origin, path = origin_of(issuer), urlsplit(issuer).path
    described = _described(web, origin + _SERVER + path) or _described(web, issuer + _OPENID)
    host = host_of(issuer)
    if not described:
        raise Unreachable("missing", f"{host} is no sign-on host: it does not describe itself (RFC 8414).")
    if str(described.get("issuer", "")).rstrip("/") != issuer:  # RFC 8414 §3.3
        raise Unreachable("answer", f"The sign-on host at {host} calls itself by another address. It was not used.")
    authorize, token = described.get("authorization_endpoint"), described.get("token_endpoint")
    if not isinstance(authorize, str) or not isinstance(token, str):
        raise Unreachable("answer", f"{host} does not say where one signs in, or where tokens are given.")
    for address in (authorize, token):
        _demand_encryption(address)
    challenges = described.get("code_challenge_methods_supported")
    if isinstance(challenges, list) and "S256" not in challenges:
        raise Unreachable("answer", f"{host} does not know PKCE with S256, without which an answer could be stolen.")
    methods = described.get("token_endpoint_auth_methods_supported")
    in_body = isinstance(methods, list) and "client_secret_basic" not in methods
    return SignOnHost(issuer, authorize, token, secret_in_body=in_body)


def begin(host: SignOnHost, redirect: str, client: str = CLIENT) -> Beginning:
    """Where somebody is to sign in; the answer comes to `redirect`, an address of this program."""
    verifier, state = generate_token(64), generate_token(32)
    asking = OAuth2Client(None, client, redirect_uri=redirect, scope=host.scope or None, code_challenge_method="S256")
    address, _ = asking.create_authorization_url(host.authorize, state, verifier)
    return Beginning(address, state, verifier)


def grant_of(
    web: Web, host: SignOnHost, begun: Beginning, redirect: str, answer: Mapping[str, str], client: str, secret: str
) -> Grant:
    """What comes of somebody's having signed in.

    Args:
        answer: the parameters with which the sign-on host sent the browser back (RFC 6749 §4.1.2).

    Raises:
        Unreachable: ``password`` if nothing was granted.
    """
    if answer.get("error"):
        raise _refused(host, answer["error"], answer.get("error_description", ""))
    if answer.get("iss", host.issuer).rstrip("/") != host.issuer:  # RFC 9207 §2.4
        raise _refused(host, "the answer came from another sign-on host", "")
    client_of = _client(web, host, client, secret, redirect)
    response = f"{redirect}?{urlencode({'code': answer.get('code', ''), 'state': answer.get('state', '')})}"
    with _in_words(host):
        token = client_of.fetch_token(
            host.token, authorization_response=response, state=begun.state, code_verifier=begun.verifier
        )
    return _granted(host, token, client, secret, "")


def renew(web: Web, grant: Grant) -> Grant:
    """The next token (RFC 6749 §6).

    Raises:
        Unreachable: ``password`` if there is none any more: somebody has to sign in again.
    """
    if not grant.refresh:
        raise _refused(grant.host, "the token has run out, and the host gives no next one", "")
    with _in_words(grant.host):
        token = _client(web, grant.host, grant.client, grant.secret).refresh_token(
            grant.host.token, refresh_token=grant.refresh
        )
    return _granted(grant.host, token, grant.client, grant.secret, grant.refresh)


def _granted(host: SignOnHost, token: Mapping[str, Any], client: str, secret: str, refresh: str) -> Grant:
    access, next_refresh = token.get("access_token"), token.get("refresh_token") or refresh
    if not isinstance(access, str) or not access or not isinstance(next_refresh, str):
        raise Unreachable("answer", f"{host_of(host.issuer)} has given no token.")
    if not (access + next_refresh).isascii() or any(c.isspace() for c in access):
        raise Unreachable("answer", f"{host_of(host.issuer)} has given a token that cannot be sent.")
    return Grant(host, access, next_refresh, client, secret)


def _client(web: Web, host: SignOnHost, client: str, secret: str, redirect: str | None = None) -> OAuth2Client:
    method = None if not secret else "client_secret_post" if host.secret_in_body else "client_secret_basic"
    return OAuth2Client(
        _Session(web), client, secret or None, token_endpoint_auth_method=method, redirect_uri=redirect, leeway=0
    )


class _Session:
    """What Authlib sends its requests by: the guarded client, as everything else does."""

    def __init__(self, web: Web) -> None:
        self._web = web

    def post(self, url: str, data: Mapping[str, str], headers: Mapping[str, str], auth: Any) -> _Response:
        address, sent, body = auth.prepare("POST", url, dict(headers), urlencode(data))
        return _Response(self._web.request("POST", str(address), str(body).encode(), sent))


class _Response:
    """An answer as Authlib reads it."""

    def __init__(self, answer: Answer) -> None:
        self._answer, self.status_code = answer, answer.status

    def json(self) -> Any:
        return _json(self._answer)

    def raise_for_status(self) -> None:
        if self.status_code >= 400:
            raise Unreachable("answer", f"{host_of(self._answer.url)} has answered {self.status_code}.")


class _in_words:
    """What Authlib has to say about a sign-on host, in the words used here."""

    def __init__(self, host: SignOnHost) -> None:
        self._host = host

    def __enter__(self) -> None:
        return None

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: object) -> None:
        if isinstance(error, OAuth2Error):
            raise _refused(self._host, str(error.error or "refused"), str(error.description or "")) from error
        if isinstance(error, Unreachable) and error.trouble == "password":  # 401: it is the program it does not know
            raise _refused(self._host, "invalid_client", "") from error
        if isinstance(error, (ValueError, TypeError, AttributeError, RecursionError)):
            text = f"{host_of(self._host.issuer)} has answered with something that is no token."
            raise Unreachable("answer", text) from error


_REASONS = {
    "access_denied": "You did not allow it there, or you may not.",
    "invalid_grant": "What it has given is no good any more. Sign in again.",
    "invalid_client": "It does not know this program by that name. Ask who runs it for the client ID to enter.",
    "unauthorized_client": "It does not know this program by that name. Ask who runs it for the client ID to enter.",
    "mismatching_state": "The answer does not belong to what was asked. Begin again.",
}


def _refused(host: SignOnHost, code: str, description: str) -> Unreachable:
    """That nothing was granted, and why: by the codes of RFC 6749 §4.1.2.1 and §5.2."""
    why = _REASONS.get(code) or f"It says: {(description or code)[:200]}."
    return Unreachable("password", f"The sign-on host {host_of(host.issuer)} lets nobody in. {why}")


def _described(web: Web, address: str) -> dict[str, Any] | None:
    """What is said at an address, a JSON object; None where nothing is."""
    answer = web.request("GET", address, headers={"Accept": "application/json"})
    if answer.status != 200:
        return None
    try:
        read = _json(answer)
    except (ValueError, RecursionError):
        return None
    return read if isinstance(read, dict) else None


def _json(answer: Answer) -> Any:
    if len(answer.body) > _LONGEST:
        raise ValueError("too long")
    return json.loads(answer.body)


def _demand_encryption(address: str) -> None:
    if not address.startswith("https://") and not is_loopback(address):
        raise Unreachable(
            "plain", f"{host_of(address)} would get what opens the account without encryption. It was not asked."
        )


class Fresh:
    """The tokens of a grant that nobody keeps yet: just given, so there is no next one."""

    def __init__(self, grant: Grant) -> None:
        self._grant = grant

    def current(self) -> str:
        return self._grant.access

    def renewed(self, refused: str) -> str:
        raise _refused(self._grant.host, "the server does not take the token it has just given", "")
