"""What it comes to that a connection is not made, or nobody is let in."""

from __future__ import annotations

import math
import re
import ssl
from collections.abc import Iterator
from email.utils import parsedate_to_datetime

import httpx

from datebridge.clock import now
from datebridge.connect.errors import Unreachable
from datebridge.connect.signing import challenges, has_sign_on, strongest

_ALGORITHM = re.compile(r"algorithm=\"?([A-Za-z0-9-]{1,40})", re.IGNORECASE)


def no_way_in(host: str, offered: str, signed_in: bool, sent: bool) -> Unreachable | None:
    """Why nobody is let in (401), whatever the password; None where it may be the password.

    Args:
        offered: how one may sign in, as the server says it (``WWW-Authenticate``).
        signed_in: whether there are a user name and a password; sent: whether they were sent.
    """
    tokens = any(scheme == "bearer" for scheme, _ in challenges(offered))
    if tokens and strongest(offered) is None:
        if sent:
            return None
        if has_sign_on(offered):
            return Unreachable(
                "sign-on",
                f"{host} lets one in through its sign-on host, where you sign in by yourself in the browser."
                + (" The password was not sent." if signed_in else ""),
            )
        return Unreachable(
            "scheme" if signed_in else "password",
            f"{host} lets one in by Bearer only: enter an access token as the password, and leave the user name empty."
            + (" The password was not sent." if signed_in else ""),
        )
    if offered and strongest(offered) is None:
        ways = " or ".join(dict.fromkeys(_way(scheme, text) for scheme, text in challenges(offered))) or "another way"
        others = "Basic" if "Digest" in ways else "Digest or Basic"
        return Unreachable(
            "scheme",
            f"{host} lets one in by {ways} only, which Date Bridge does not know. The password was not sent, so it may"
            f" well be right. Ask who runs it whether it also takes {others}, perhaps with a password made for"
            " programs.",
        )
    if not signed_in:
        return Unreachable("password", f"{host} requires a user name and a password.")
    if not offered and not sent:
        return Unreachable(
            "scheme",
            f"{host} lets nobody in, and does not say how one signs in (401 without WWW-Authenticate). The password was"
            " not sent, so it may well be right. Ask who runs it for the address that calendar programs use.",
        )
    return None


def _way(scheme: str, header: str) -> str:
    """A way to sign in, with what it computes with where it says that."""
    how = _ALGORITHM.search(header) if scheme == "digest" else None
    return f"{scheme.title()} with {how[1]}" if how else scheme.title()


def retry_after(value: str) -> float | None:
    """Seconds (RFC 9110 §10.2.3: a number of them, or a date), a day at most; None where nothing of use is said."""
    try:
        seconds = float(value)
    except ValueError:
        try:
            seconds = parsedate_to_datetime(value).timestamp() - now()
        except (ValueError, TypeError, OverflowError):
            return None
    return min(86400.0, max(0.0, seconds)) if math.isfinite(seconds) else None


def _causes(error: BaseException) -> Iterator[BaseException]:
    cause: BaseException | None = error
    while cause is not None:
        yield cause
        cause = cause.__cause__ or cause.__context__


def connect_trouble(error: httpx.ConnectError, host: str) -> Unreachable:
    cause = next((cause for cause in _causes(error) if isinstance(cause, ssl.SSLError)), None)
    if isinstance(cause, ssl.SSLCertVerificationError):
        return Unreachable(
            "certificate",
            f"{host} cannot prove that it is {host}: {cause.verify_message}. Nothing was sent to it. Ask who runs it"
            " for a certificate that is in order.",
        )
    if cause is not None:
        return Unreachable(
            "refused",
            f"{host} answers, but not under https: this port speaks without encryption, or in a way that is out of"
            " date. Ask who runs it for the port that https has.",
        )
    return Unreachable("refused", f"{host} cannot be reached: nothing answers there.")
