"""HTTP as Date Bridge speaks it: guarded, bounded in size and time, patient with throttling, clear about failures."""

from __future__ import annotations

import logging
import ssl
import threading
import time
from collections.abc import Mapping
from dataclasses import dataclass
from email.utils import parsedate_to_datetime

import httpx
from tenacity import RetryCallState, Retrying, retry_if_exception, stop_after_delay

from datebridge import __version__
from datebridge.connect.errors import Unreachable
from datebridge.connect.gate import Gate, GuardedTransport

# It would write every address down, and some addresses work like passwords.
logging.getLogger("httpx").setLevel(logging.WARNING)

_REDIRECTS = 5
_SAFE = frozenset({"GET", "HEAD", "OPTIONS", "PROPFIND", "REPORT"})
_LONGEST_WAIT = 60.0


@dataclass(frozen=True, slots=True)
class Answer:
    """What came back.

    Attributes:
        url: where it came from in the end.
        moved: the new address, where every redirect on the way was for good; else "".
    """

    status: int
    headers: httpx.Headers
    body: bytes
    url: str
    moved: str = ""

    @property
    def etag(self) -> str:
        """The ETag if it is a strong one (RFC 9110 §8.8.3), else ""."""
        etag = self.headers.get("etag", "")
        return "" if etag.startswith("W/") else etag


class Web:
    """A client for one account. Safe to use from several threads.

    Args:
        patience: for how many seconds a request that was put off or cut is tried again; 0 for never.
    """

    def __init__(
        self, gate: Gate, user: str = "", password: str = "", *, connections: int = 6, patience: float = 0,
        most_octets: int = 256 << 20, timeout: float = 30,
    ) -> None:  # fmt: skip
        self.connections, self.patience, self.most_octets = connections, patience, most_octets
        self._auth = httpx.BasicAuth(user, password) if user or password else None
        self._client = httpx.Client(
            transport=GuardedTransport(gate, connections), timeout=httpx.Timeout(timeout, connect=10),
            headers={"User-Agent": f"DateBridge/{__version__}"}, trust_env=False,
        )  # fmt: skip
        self._retrying = Retrying(
            retry=retry_if_exception(lambda e: isinstance(e, Unreachable) and e.passing and e.trouble != "name"),
            stop=stop_after_delay(patience),
            wait=_pause,
            reraise=True,
        )
        self._held = threading.Lock()
        self._not_before = 0.0
        self.sent = 0

    @property
    def signed_in(self) -> bool:
        """Whether requests carry a user name and a password."""
        return self._auth is not None

    def close(self) -> None:
        self._client.close()

    def __enter__(self) -> Web:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def request(
        self, method: str, url: str, body: bytes = b"", headers: Mapping[str, str] | None = None
    ) -> Answer:  # fmt: skip
        """Send a request; answers of any status but 401, 429 and 5xx come back as they are.

        Raises:
            Unreachable: if there is no answer, or none that is of use.
        """
        if not self.patience:
            return self._follow(method, url, body, dict(headers or {}))
        return self._retrying(self._follow, method, url, body, dict(headers or {}))

    def _follow(self, method: str, url: str, body: bytes, headers: dict[str, str]) -> Answer:
        """Follow redirects, each checked like the first; names and passwords go only to the origin they are for."""
        at = first = httpx.URL(url)
        moved = ""
        for hop in range(_REDIRECTS + 1):
            same = (at.scheme, at.host, at.port) == (first.scheme, first.host, first.port)
            answer = self._once(method, at, body, headers, self._auth if same else None)
            location = answer.headers.get("location")
            if answer.status not in (301, 302, 303, 307, 308) or not location or method not in _SAFE:
                return Answer(answer.status, answer.headers, answer.body, url, moved)
            at = at.join(location)
            url = str(at)
            permanent = answer.status in (301, 308) and (hop == 0 or bool(moved))
            moved = url if permanent else ""
        raise Unreachable("answer", f"{first.host} sends one on and on, without end.")

    def _once(
        self, method: str, url: httpx.URL, body: bytes, headers: dict[str, str], auth: httpx.BasicAuth | None
    ) -> Answer:
        wait = self._not_before - time.monotonic()
        if wait > 0 and self.patience:
            time.sleep(wait)
        self.sent += 1
        try:
            request = self._client.build_request(method, url, content=body or None, headers=headers)
            response = self._client.send(request, auth=auth, stream=True)
            try:
                content = self._bounded(response, url.host)
            finally:
                response.close()
        except httpx.TimeoutException as error:
            raise Unreachable("timeout", f"{url.host} takes too long to answer.") from error
        except httpx.ConnectError as error:
            raise _connect_trouble(error, url.host) from error
        except httpx.InvalidURL as error:
            raise Unreachable("address", "This is no web address.") from error
        except httpx.TransportError as error:
            raise Unreachable("cut", f"The connection to {url.host} was cut in the middle.") from error
        self._check(response, url.host)
        return Answer(response.status_code, response.headers, content, str(url))

    def _bounded(self, response: httpx.Response, host: str) -> bytes:
        pieces, size = [], 0
        for piece in response.iter_bytes():
            size += len(piece)
            if size > self.most_octets:
                raise Unreachable(
                    "large", f"{host} sends more than {self.most_octets >> 20} MB, the most that is taken."
                )
            pieces.append(piece)
        return b"".join(pieces)

    def _check(self, response: httpx.Response, host: str) -> None:
        code = response.status_code
        if code == 401:
            if self._auth is None:
                raise Unreachable("password", f"{host} asks for a user name and a password.")
            raise Unreachable("password", f"{host} does not accept this user name and password.")
        if code in (429, 503):
            seconds = _retry_after(response.headers.get("retry-after", ""))
            if seconds is not None:
                with self._held:  # all threads hold off, or the server would go on refusing
                    self._not_before = max(self._not_before, time.monotonic() + min(seconds, _LONGEST_WAIT))
            if code == 429:
                raise Unreachable("throttled", f"{host} takes no more requests for now (429).", seconds)
            raise Unreachable("down", f"{host} is not available for now (503).", seconds)
        if code in (500, 502, 504):
            raise Unreachable("down", f"{host} has trouble of its own ({code}).")


def _pause(state: RetryCallState) -> float:
    """What the server asked for, else longer each time."""
    error = state.outcome.exception() if state.outcome else None
    asked = error.retry_after if isinstance(error, Unreachable) else None
    return min(_LONGEST_WAIT, asked if asked is not None else 0.2 * 2 ** min(state.attempt_number, 8))


def _retry_after(value: str) -> float | None:
    """Seconds (RFC 9110 §10.2.3: a number of them, or a date); None where nothing is said."""
    try:
        return max(0.0, float(value))
    except ValueError:
        pass
    try:
        return max(0.0, parsedate_to_datetime(value).timestamp() - time.time())
    except (ValueError, TypeError):
        return None


def _connect_trouble(error: httpx.ConnectError, host: str) -> Unreachable:
    cause: BaseException | None = error
    while cause is not None:
        if isinstance(cause, ssl.SSLCertVerificationError):
            return Unreachable(
                "certificate",
                f"{host} cannot prove that it is {host}: {cause.verify_message}. Nothing was sent to it. Ask who runs"
                " it for a certificate that is in order.",
            )
        cause = cause.__cause__ or cause.__context__
    return Unreachable("refused", f"{host} cannot be reached: nothing answers there.")
