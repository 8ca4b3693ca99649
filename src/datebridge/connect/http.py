"""HTTP as Date Bridge speaks it: guarded, bounded in size and time, patient with throttling, clear about failures."""

from __future__ import annotations

import asyncio
import logging
import math
import time
from collections.abc import Callable, Generator, Iterable, Mapping, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from typing import NamedTuple

import httpx
from tenacity import AsyncRetrying, RetryCallState, retry_if_exception, stop_after_delay

from datebridge import __version__
from datebridge.connect.errors import ALONE, Unreachable
from datebridge.connect.gate import Gate, GuardedTransport
from datebridge.connect.judging import connect_trouble, no_way_in, retry_after
from datebridge.connect.origins import host_of, is_upgrade, origin_of
from datebridge.connect.signing import TokenAuth, Tokens, signing
from datebridge.connect.trust import Trust
from datebridge.connect.unpacking import Body
from datebridge.connect.waiting import begin, result_of, wait

# It would write every address down, and some addresses work like passwords.
logging.getLogger("httpx").setLevel(logging.WARNING)

_REDIRECTS = 5
_HEADERS = [
    (b"User-Agent", f"DateBridge/{__version__}".encode()),
    (b"accept", b"*/*"),
    (b"Accept-Encoding", b"gzip, deflate"),
    (b"Connection", b"keep-alive"),
]
#: How much of what comes with a 401 is read, in bytes.
_MOST_REFUSAL = 1 << 20
_SAFE = frozenset({"GET", "HEAD", "OPTIONS", "PROPFIND", "REPORT"})
#: Trouble after which nobody knows whether a request was carried out.
_UNCERTAIN = frozenset({"cut", "timeout", "failing"})
_LONGEST_WAIT = 60.0
#: A body may come as slowly as it likes for so many seconds, and then no slower than so many bytes a second.
_GRACE, _SLOWEST = 10.0, 2048
#: An end is slow that takes longer than so many seconds for the quickest of at least so many requests.
_SLOW, _ENOUGH = 1 / 6, 3
#: However fast it comes, a request ends after so many seconds.
_WHOLE = 600.0
#: Tokens are renewed by so many threads at once.
_RENEWALS = ThreadPoolExecutor(4, "renewal")


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

    def header(self, name: str) -> str:
        """A header's value, to be sent back as it came; "" where there is none, or it is no text."""
        for key, value in self.headers.raw:
            if key.lower() == name.encode():
                try:
                    return value.decode().strip()
                except UnicodeDecodeError:
                    return ""
        return ""

    @property
    def etag(self) -> str:
        """The ETag if it is a strong one (RFC 9110 §8.8.3), else ""."""
        etag = self.header("etag")
        return "" if etag.startswith("W/") else etag


class WebRequest(NamedTuple):
    """A request to be sent with others."""

    method: str
    url: str
    body: bytes
    headers: Mapping[str, str]


class Web:
    """A client for one account. Safe to use from several threads.

    Args:
        origins: those that the user name and the password may be sent to.
        patience: for how many seconds a request that was put off or cut is tried again; 0 for never.
        most_bytes: that a body may have, unpacked.
        timeout: how long nothing may come, in seconds.
        budget: how long all requests together may take, in seconds; None for as long as they need.
        check: asked while waiting; raises to give up.
        trust: certificates that count at these origins alone.
        tokens: of a sign-on host, instead of a user name and a password.
    """

    def __init__(
        self,
        gate: Gate,
        user: str = "",
        password: str = "",
        *,
        origins: Iterable[str] = (),
        connections: int = 6,
        patience: float = 0,
        most_bytes: int = 128 << 20,
        timeout: float = 30,
        budget: float | None = None,
        check: Callable[[], None] | None = None,
        trust: Trust = Trust(),
        tokens: Tokens | None = None,
    ) -> None:
        self.connections, self.patience, self.most_bytes = connections, patience, most_bytes
        self.origins = {origin_of(origin) for origin in origins}
        self._auth = signing(user, password, frozenset(self.origins)) if user or password else None
        self._tokens = tokens
        self._transport = GuardedTransport(gate, connections, trust, self.origins)
        self._extensions = {"timeout": httpx.Timeout(timeout, connect=10).as_dict()}
        self._check = check
        self._ends = time.monotonic() + budget if budget is not None else None
        self._not_before = 0.0
        self._quickest = math.inf
        self._seen: set[str] = set()
        self.sent = 0

    @property
    def signed_in(self) -> bool:
        """Whether requests carry a user name and a password, or a token."""
        return self._auth is not None or self._tokens is not None

    def note(self, *habits: str) -> None:
        """The other end was seen to have these habits (`connect.habits`)."""
        self._seen.update(habits)

    @property
    def habits(self) -> set[str]:
        """What was seen so far of how the other system does things."""
        seen = set(self._seen)
        if self._auth is not None and self._auth.is_digest:
            seen.add("digest-only")
        if self.sent >= _ENOUGH and _SLOW < self._quickest < math.inf:
            seen.add("slow")
        return seen

    def ignore_stops(self) -> None:
        """What follows is tidying up: it is done also where somebody wants the work to stop."""
        self._check = None

    def close(self) -> None:
        wait(self._transport.aclose())

    def __enter__(self) -> Web:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def request(
        self, method: str, url: str, body: bytes = b"", headers: Mapping[str, str] | None = None, once: bool = False
    ) -> Answer:
        """Send a request; answers of any status but 401, 429 and 5xx come back as they are.

        Args:
            once: where the server has trouble with it (5xx) it is not tried again, however patient one is.

        Raises:
            Unreachable: if there is no answer, or none that is of use; or if it would take the user name and the
                password to an origin they were not given for.
        """
        origin = origin_of(url)
        if self.signed_in and origin not in self.origins:
            raise self._leaves(origin)
        encoded = {name.encode(): value.encode() for name, value in (headers or {}).items()}
        return wait(self._patiently(method, url, body, encoded, once), self._check)

    def begin_many(self, asked: Sequence[WebRequest], answers: list[Answer | Exception | None]) -> Future[None]:
        """Send many requests meanwhile, as many at once as there are connections.

        Each answer, or what went wrong, is put in its place in `answers` as it comes; where the other system itself
        fails, no more are sent. `finish` waits for them.

        Raises:
            Unreachable: as `request` does, if the password would leave.
        """
        for request in asked:
            if self.signed_in and origin_of(request.url) not in self.origins:
                raise self._leaves(origin_of(request.url))
        turns = iter(range(len(asked)))

        async def some() -> None:
            for place in turns:
                one = asked[place]
                encoded = {name.encode(): value.encode() for name, value in one.headers.items()}
                try:
                    answers[place] = await self._patiently(one.method, one.url, one.body, encoded, False)
                except Exception as error:
                    answers[place] = error
                    if not (isinstance(error, Unreachable) and error.trouble in ALONE):
                        for _ in turns:  # nobody takes another turn
                            pass

        async def together() -> None:
            await asyncio.gather(*(some() for _ in range(min(self.connections, len(asked)))))

        return begin(together())

    def finish(self, sent: Future[None]) -> None:
        """Wait for requests that were begun; given up where `check` raises."""
        result_of(sent, self._check)

    async def _patiently(self, method: str, url: str, body: bytes, headers: dict[bytes, bytes], once: bool) -> Answer:
        try:
            return await self._follow(method, url, body, headers)
        except Unreachable as error:
            if not self.patience or not error.temporary:
                raise
            failed = error
        final = {"name", "failing", "down"} if once else {"name"}
        if method == "POST":  # it may have been done, and would be done twice (RFC 9110 §9.2.2)
            if failed.trouble in _UNCERTAIN:
                raise failed
            final |= _UNCERTAIN
        retrying = AsyncRetrying(
            retry=retry_if_exception(lambda e: isinstance(e, Unreachable) and e.temporary and e.trouble not in final),
            stop=_LoseNoTime(self.patience),
            wait=_pause,
            reraise=True,
        )
        ahead = [failed]

        async def again() -> Answer:
            if ahead:
                raise ahead.pop()
            return await self._follow(method, url, body, headers)

        return await retrying(again)

    async def _follow(self, method: str, url: str, body: bytes, headers: dict[bytes, bytes]) -> Answer:
        """Follow redirects, each checked like the first; names and passwords go only to the origins they are for."""
        moved = ""
        first = host_of(url)
        for hop in range(_REDIRECTS + 1):
            try:
                answer = await self._once(method, url, body, headers)
            except Unreachable as error:
                if host_of(url) == first:
                    raise
                text = f"{first} redirects to another host. {error.message}"
                raise Unreachable(error.trouble, text, error.retry_after, error.origin, error.http_status) from error
            location = answer.headers.get("location")
            if answer.status not in (301, 302, 303, 307, 308) or not location:
                return Answer(answer.status, answer.headers, answer.body, url, moved)
            before = origin_of(url)
            try:
                onward = str(httpx.URL(url).join(location))
                if not onward.startswith(("http://", "https://")):
                    raise httpx.InvalidURL(onward)
            except httpx.InvalidURL as error:
                text = f"{host_of(url)} redirects to something that is not a web address."
                raise Unreachable("answer", text) from error
            # What writes is repeated only where that is said to be meant, and not elsewhere (RFC 9110 §15.4).
            if method not in _SAFE and (answer.status not in (307, 308) or origin_of(onward) != before):
                return Answer(answer.status, answer.headers, answer.body, url, moved)
            url = onward
            if answer.status in (307, 308):
                self.note("redirects")
            if before in self.origins and is_upgrade(before, origin_of(url)):
                self.origins.add(origin_of(url))
            permanent = answer.status in (301, 308) and (hop == 0 or bool(moved))
            moved = url if permanent else ""
        raise Unreachable("answer", f"{host_of(url)} redirects endlessly.")

    async def _once(self, method: str, url: str, body: bytes, headers: dict[bytes, bytes]) -> Answer:
        host = host_of(url)
        pause = self._not_before - time.monotonic()
        if pause > 0 and self.patience:
            await asyncio.sleep(pause)
        self.sent += 1
        began = time.monotonic()
        left = _WHOLE if self._ends is None else min(_WHOLE, self._ends - time.monotonic())
        try:
            async with asyncio.timeout(max(0.0, left)):
                response, content = await self._ask(method, url, body, headers, host)
        except (httpx.TimeoutException, TimeoutError) as error:
            raise Unreachable("timeout", f"{host} takes too long to answer.") from error
        except httpx.ConnectError as error:
            raise connect_trouble(error, host) from error
        except (httpx.InvalidURL, httpx.UnsupportedProtocol) as error:
            raise Unreachable("address", "This is not a web address.") from error
        except httpx.LocalProtocolError as error:
            raise Unreachable("answer", f"What {host} calls its entries cannot be sent back to it.") from error
        except httpx.TransportError as error:
            raise Unreachable("cut", f"The connection to {host} was interrupted.") from error
        self._quickest = min(self._quickest, time.monotonic() - began)
        if response.http_version == "HTTP/1.0":
            self.note("http-1.0")
        if response.headers.get("content-encoding"):
            self.note("gzip")
        self._judge(response, host, url)
        return Answer(response.status_code, response.headers, content, url)

    async def _ask(
        self, method: str, url: str, body: bytes, headers: dict[bytes, bytes], host: str
    ) -> tuple[httpx.Response, bytes]:
        own = [pair for pair in _HEADERS if pair[0] != b"accept" or b"Accept" not in headers]
        request = httpx.Request(
            method, url, headers=[*own, *headers.items()], content=body or None, extensions=self._extensions
        )
        is_own = origin_of(url) in self.origins
        if self._tokens is not None and is_own:
            response = await self._with_token(request, self._tokens)
        else:
            response = await self._signed(request, self._auth if is_own else None)
        try:
            taken = Body(
                response.headers.get("content-encoding", "") if method != "HEAD" else "", self.most_bytes, host
            )
            began, size = time.monotonic(), 0
            async for piece in response.aiter_raw():
                size += len(piece)
                taken.add(piece)
                seconds = time.monotonic() - began
                if seconds > _GRACE and size < seconds * _SLOWEST:
                    raise Unreachable("timeout", f"{host} sends its answer too slowly.")
            return response, taken.end() if size else b""
        finally:
            await response.aclose()

    async def _with_token(self, request: httpx.Request, tokens: Tokens) -> httpx.Response:
        """Send a request with a token; where that has run out, once more with the next one (RFC 6750 §3.1)."""
        token = tokens.current()
        response = await self._signed(request, TokenAuth(token))
        if response.status_code != 401:
            return response
        await response.aclose()
        loop = asyncio.get_running_loop()
        renewed = await loop.run_in_executor(_RENEWALS, tokens.renewed, token)
        return await self._signed(request, TokenAuth(renewed))

    async def _signed(self, request: httpx.Request, auth: httpx.Auth | None) -> httpx.Response:
        """Send a request, once more where it has to be signed. Redirects and cookies are nobody's business here."""
        flow = auth.auth_flow(request) if auth is not None else iter([request])
        request = next(flow)
        while True:
            response = await self._transport.handle_async_request(request)
            response.request = request
            try:
                request = flow.send(response) if isinstance(flow, Generator) else next(flow)
            except StopIteration:
                return response
            except BaseException:
                await response.aclose()
                raise
            size = 0
            try:
                async for piece in response.aiter_raw():  # to its end, so that the connection can be used again
                    size += len(piece)
                    if size > _MOST_REFUSAL:
                        break
            finally:
                await response.aclose()

    def _judge(self, response: httpx.Response, host: str, url: str) -> None:
        code = response.status_code
        if code == 401:
            offered = response.headers.get("www-authenticate", "")
            unsigned = no_way_in(host, offered, self.signed_in, "authorization" in response.request.headers)
            if unsigned is not None:
                unsigned.offered, unsigned.origin = offered, origin_of(url)
                raise unsigned
            if origin_of(url) not in self.origins:
                raise self._leaves(origin_of(url))
            if self._tokens is not None:
                raise Unreachable("password", f"{host} does not accept what its sign-on host has given. Sign in again.")
            raise Unreachable("password", f"{host} does not accept this user name and password.")
        if code in (429, 503):
            seconds = retry_after(response.headers.get("retry-after", ""))
            if seconds is not None and seconds <= self.patience:  # all hold off, or the server would go on refusing
                self._not_before = max(self._not_before, time.monotonic() + min(seconds, _LONGEST_WAIT))
            if code == 429:
                raise Unreachable("throttled", f"{host} accepts no more requests at present (429).", seconds)
            raise Unreachable("down", f"{host} is not available at present (503).", seconds, http_status=code)
        if code in (500, 502, 504):
            raise Unreachable("failing", f"{host} has an internal error ({code}).", http_status=code)

    def _leaves(self, origin: str) -> Unreachable:
        given = " and ".join(sorted(self.origins)) or "another place"
        return Unreachable(
            "leaves",
            f"This leads from {given} to {origin}. The user name and the password were given for {given} and have not"
            f" been sent on.",
            origin=origin,
        )


class _LoseNoTime(stop_after_delay):
    """Patience that ends at once where a server wants to be left alone for longer than it lasts."""

    def __call__(self, retry_state: RetryCallState) -> bool:
        return super().__call__(retry_state) or (_asked(retry_state) or 0) > self.max_delay


def _pause(state: RetryCallState) -> float:
    """What the server asked for, else longer each time."""
    asked = _asked(state)
    return min(_LONGEST_WAIT, asked if asked is not None else 0.2 * 2 ** min(state.attempt_number, 8))


def _asked(state: RetryCallState) -> float | None:
    """For how many seconds the server wants to be left alone; None where it does not say."""
    error = state.outcome.exception() if state.outcome else None
    return error.retry_after if isinstance(error, Unreachable) else None
