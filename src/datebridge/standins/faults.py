"""Switches for what goes wrong on a network and at the other system; armed by tests, and in the browser by hand.

>>> switches = Switches()
>>> switches.arm(Fault("throttle", count=2, method="PUT", seconds=1))
>>> switches.take("GET"), [fault.kind for fault in switches.take("PUT")]
([], ['throttle'])
"""

from __future__ import annotations

import asyncio
import html
import json
from collections import Counter
from collections.abc import Collection, Mapping
from dataclasses import asdict, dataclass, replace
from typing import Literal, Protocol, get_args

from starlette.requests import Request
from starlette.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from datebridge.standins.habits import HABITS, Habits
from datebridge.standins.page import page
from datebridge.standins.unusual import answer_unusually

Kind = Literal[
    "latency",
    "throttle",
    "unavailable",
    "cut",
    "full",
    "password",
    "meddle",
    "drip",
    "endless",
    "nonsense",
    "marks",
    "damage",
    "twice",
    "bomb",
    "withhold",
    "away",
]
KINDS: dict[str, str] = {
    "latency": "answers late",
    "throttle": "429 with Retry-After",
    "unavailable": "503",
    "cut": "does what it is asked, then cuts the connection in the middle of its answer",
    "full": "507, no room left",
    "password": "401, whatever the password",
    "meddle": "somebody else edits the entry just before it is written",
    "drip": "answers an octet at a time",
    "endless": "answers without end",
    "nonsense": "answers with what is neither XML nor a calendar",
    "marks": "ETag and Last-Modified that are no text",
    "damage": "a packed answer that is damaged",
    "twice": "an answer packed twice",
    "bomb": "an answer that unpacks to 400 MB",
    "withhold": "hands out all entries but one, for which it says 500",
    "away": "sends one on to another server, for good",
}
_UNUSUAL = frozenset({"drip", "endless", "nonsense", "marks", "damage", "twice", "bomb", "withhold"})
assert set(KINDS) == set(get_args(Kind))  # noqa: S101


@dataclass(frozen=True, slots=True)
class Fault:
    """One thing that goes wrong `count` times, after `after` requests that go well.

    Attributes:
        method: only for requests of this method; "" for all.
        path: only for requests whose path holds this; "" for all.
        seconds: how late, how long between two bytes, or what Retry-After says.
        to: the origin one is sent on to.
    """

    kind: Kind
    count: int = 1
    after: int = 0
    method: str = ""
    seconds: float = 0.0
    path: str = ""
    to: str = ""


class Switches:
    """The armed faults of one server, and a count of the requests it was sent; of those with a name and password."""

    def __init__(self) -> None:
        self.armed: list[Fault] = []
        self.requests: Counter[str] = Counter()
        self.signed = 0

    def arm(self, *faults: Fault) -> None:
        self.armed += faults

    def clear(self) -> None:
        self.armed = []

    def take(self, method: str, path: str = "") -> list[Fault]:
        """The faults that strike this request; each one is used up by it."""
        striking, left = [], []
        for fault in self.armed:
            if fault.method not in ("", method) or fault.path not in path:
                left.append(fault)
            elif fault.after > 0:
                left.append(replace(fault, after=fault.after - 1))
            else:
                striking.append(fault)
                if fault.count > 1:
                    left.append(replace(fault, count=fault.count - 1))
        self.armed = left
        return striking


class Meddling(Protocol):
    """What can be done to a server beside asking it: as other people do, or who runs it."""

    habits: Habits

    def meddle(self, path: str) -> None:
        """Somebody else edits the object at a path."""
        ...

    def stir(self) -> int: ...

    def rename(self) -> int: ...

    def lay(self) -> int: ...


#: What happens at once when a button is pressed.
ACTS = {
    "stir": "somebody edits three entries now",
    "rename": "three entries get other names now",
    "lay": "somebody lays down objects that the standard forbids: without UID, with two, a UID once more",
}


class Faulty:
    """A server with switches: they can be read and set under ``/-/``, and strike everything else."""

    def __init__(self, app: ASGIApp, switches: Switches, server: Meddling | None = None) -> None:
        self.app, self.switches, self.server = app, switches, server

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        request = Request(scope, receive)
        if request.url.path.startswith("/-/"):
            await (await self._control(request))(scope, receive, send)
            return
        self.switches.requests[request.method] += 1
        self.switches.signed += "authorization" in request.headers
        cut, unusual = False, None
        for fault in self.switches.take(request.method, request.url.path):
            if fault.kind == "latency":
                await asyncio.sleep(fault.seconds)
            elif fault.kind == "meddle" and self.server is not None:
                self.server.meddle(request.url.path)
            elif fault.kind == "cut":
                cut = True
            elif fault.kind in _UNUSUAL:
                unusual = fault
            elif fault.kind == "away":
                await RedirectResponse(fault.to + request.url.path, 301)(scope, receive, send)
                return
            elif fault.kind != "meddle":
                await request.body()
                await _refusal(fault)(scope, receive, send)
                return
        if unusual is not None:
            await answer_unusually(unusual.kind, unusual.seconds, self.app, scope, receive, send)
            return
        await self.app(scope, receive, _Cut(send) if cut else send)

    async def _control(self, request: Request) -> Response:
        if request.url.path == "/-/" and request.method == "POST":
            what, _, button = (await request.body()).decode().partition("=")
            self._press(button) if what == "press" else self._toggle(button)
            return RedirectResponse("/-/", 303)
        if request.url.path == "/-/":
            return HTMLResponse(self._panel())
        if request.url.path == "/-/requests":
            return JSONResponse(dict(self.switches.requests))
        if request.url.path == "/-/habits" and self.server is not None:
            if request.method == "POST":
                self.server.habits.set(json.loads(await request.body() or b"[]"))
            return JSONResponse(sorted(self.server.habits.on))
        if request.method == "POST":
            given = json.loads(await request.body() or b"[]")
            self.switches.clear()
            self.switches.arm(*(Fault(**one) for one in given))
        return JSONResponse([asdict(fault) for fault in self.switches.armed])

    def _press(self, button: str) -> None:
        if button == "well":
            self.switches.clear()
        elif button in ACTS and self.server is not None:
            getattr(self.server, button)()
        elif button in KINDS:
            self.switches.arm(Fault(button, count=3, seconds=2, to="http://127.0.0.1:8142"))  # type: ignore[arg-type]

    def _toggle(self, habit: str) -> None:
        if self.server is not None and habit in HABITS:
            self.server.habits.set({str(one) for one in self.server.habits.on} ^ {habit})

    def _panel(self) -> str:
        acts = ACTS if self.server is not None else {}
        armed = ", ".join(f"{fault.kind} × {fault.count}" for fault in self.switches.armed) or "nothing"
        faults = _rows("press", {**KINDS, **acts, "well": "all is well again"})
        body = f"<form method=post action=/-/><table>{faults}</table></form>"
        if self.server is not None:
            on = self.server.habits.on
            body += (
                "<h2>Habits</h2><p>What the standards allow, or what servers do although they forbid it. A habit stays"
            )
            body += f" until its button is pressed again. On: {', '.join(sorted(on)) or 'none'}.</p>"
            body += f"<form method=post action=/-/><table>{_rows('habit', dict(HABITS.items()), on)}</table></form>"
        return page(
            "What goes wrong here", f"Waiting to go wrong: {armed}. Each button is good for three requests.", body
        )


def _rows(name: str, buttons: Mapping[str, str], on: Collection[str] = ()) -> str:
    return "".join(
        f"<tr><td><button name={name} value={key} aria-pressed={'true' if key in on else 'false'}>"
        f"{key}{' · on' if key in on else ''}</button><td>{html.escape(what)}"
        for key, what in buttons.items()
    )


def _refusal(fault: Fault) -> Response:
    if fault.kind == "throttle":
        return Response("Too many requests.", 429, {"Retry-After": f"{fault.seconds:g}"})
    if fault.kind == "unavailable":
        headers = {"Retry-After": f"{fault.seconds:g}"} if fault.seconds else {}
        return Response("Down for maintenance.", 503, headers)
    if fault.kind == "full":
        return Response("There is no room left.", 507)
    return Response("Who are you?", 401, {"WWW-Authenticate": 'Basic realm="calendars"'})


class _Cut:
    """Sends half of an answer and says that the whole was promised; the server then drops the connection."""

    def __init__(self, send: Send) -> None:
        self._send = send

    async def __call__(self, message: Message) -> None:
        if message["type"] == "http.response.start":
            headers = [(k, v) for k, v in message["headers"] if k.lower() != b"content-length"]
            await self._send({**message, "headers": [*headers, (b"content-length", b"100000000")]})
        else:
            body = message.get("body", b"")
            await self._send({**message, "body": body[: len(body) // 2], "more_body": False})
