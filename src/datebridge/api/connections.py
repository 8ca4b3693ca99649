"""Connections at a door: how long each may take, and which one goes when there are too many.

Whoever asks has asked within seconds, and takes the answer as quickly as the line lets them. A connection that does not
is closed; and where a new one finds no room, the one that has waited longest makes room, so that somebody who does ask
gets in however many do not.
"""

from __future__ import annotations

import asyncio
import resource
from collections.abc import Collection
from dataclasses import dataclass, field
from typing import Any

import uvicorn
from uvicorn.protocols.http.h11_impl import H11Protocol

#: Within so many seconds a request has come, up to its empty line.
HEAD = 10.0
#: In each span of so many seconds as many bytes have to move, of a request's body or of an answer.
_SPAN, _LEAST = 20.0, 1_024
#: Descriptors that are left for the database, the log and all else.
_OWN = 64
_MOST = 4_000


def descriptors() -> int:
    """How many descriptors this process may have open: the limit is raised as far as it may be."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = min(hard, 65_536) if hard != resource.RLIM_INFINITY else 65_536
    if soft == resource.RLIM_INFINITY or soft >= wanted:
        return min(soft, 65_536) if soft != resource.RLIM_INFINITY else 65_536
    try:
        resource.setrlimit(resource.RLIMIT_NOFILE, (wanted, hard))
    except (OSError, ValueError):
        return soft
    return wanted


@dataclass(slots=True)
class Room:
    """The connections of a door.

    Attributes:
        most: so many there may be in all.
        trusted: clients that stand for many, such as a proxy: they have all the room there is.
        waiting: those that have not said yet what they ask, by client, the longest waiting first.
    """

    most: int
    trusted: Collection[str] = ()
    every: set[Connection] = field(default_factory=set)
    waiting: dict[str, dict[Connection, None]] = field(default_factory=dict)
    clients: dict[str, int] = field(default_factory=dict)
    timer: asyncio.TimerHandle | None = None

    def add(self, connection: Connection) -> bool:
        """Take a connection in, and send another one away if there is no room; False if that cannot be."""
        crowded = connection.address not in self.trusted and self.clients.get(connection.address, 0) >= max(
            self.most // 2, 1
        )
        if crowded or len(self.every) >= self.most:
            going = self._longest(connection.address if crowded else None)
            if going is None:
                return False
            going.drop()
        self.every.add(connection)
        self.clients[connection.address] = self.clients.get(connection.address, 0) + 1
        self.wait(connection)
        if self.timer is None:
            self.timer = connection.loop.call_later(1.0, self._look)
        return True

    def wait(self, connection: Connection) -> None:
        """A connection asks nothing now."""
        self.waiting.setdefault(connection.address, {})[connection] = None

    def stop_waiting(self, connection: Connection) -> None:
        of_client = self.waiting.get(connection.address)
        if of_client is not None:
            of_client.pop(connection, None)
            if not of_client:
                del self.waiting[connection.address]

    def remove(self, connection: Connection) -> None:
        if connection not in self.every:
            return
        self.every.discard(connection)
        self.stop_waiting(connection)
        self.clients[connection.address] -= 1
        if not self.clients[connection.address]:
            del self.clients[connection.address]

    def _longest(self, client: str | None) -> Connection | None:
        """Who has waited longest, of a client or of the one that has most waiting; else who takes longest to read."""
        queues: list[dict[Connection, None]] = [
            queue for address, queue in self.waiting.items() if client in (None, address)
        ]
        if queues:
            return next(iter(sorted(queues, key=len)[-1]))
        slow = [connection for connection in self.every if connection.unread and client in (None, connection.address)]
        return min(slow, key=lambda connection: connection.since, default=None)

    def _look(self) -> None:
        loop = asyncio.get_running_loop()
        now = loop.time()
        for one in [connection for connection in self.every if connection.is_late(now)]:
            one.drop()
        self.timer = loop.call_later(1.0, self._look) if self.every else None


class Connection(H11Protocol):
    """One connection. `since`: when what it does now began, on the loop's clock."""

    room: Room

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        self.address = self.client[0] if self.client else ""
        self.since, self.moved, self._left = self.loop.time(), 0, 0
        self._asking: object = None
        if not self.room.add(self):
            self.drop()

    def connection_lost(self, exc: Exception | None) -> None:
        self.room.remove(self)
        super().connection_lost(exc)

    def data_received(self, data: bytes) -> None:
        self.moved += len(data)
        super().data_received(data)

    def handle_events(self) -> None:
        super().handle_events()
        if self.cycle is not self._asking:
            self._asking = self.cycle
            self._begin()
            if not self.cycle.response_complete:
                self.room.stop_waiting(self)

    def on_response_complete(self) -> None:
        self._begin()
        if self in self.room.every:
            self.room.wait(self)
        super().on_response_complete()

    @property
    def unread(self) -> int:
        """How many bytes of an answer the other side has not taken yet."""
        return self.transport.get_write_buffer_size()

    def is_late(self, now: float) -> bool:
        """Whether a connection has had its time."""
        unread = self.unread
        if unread:
            self.moved += max(self._left - unread, 0)
        self._left = unread
        answering = self.cycle is not None and not self.cycle.response_complete
        if not unread and not (answering and self.cycle.more_body and not self.flow.read_paused):
            return not answering and now - self.since > HEAD
        if now - self.since < _SPAN:
            return False
        late = self.moved < _LEAST
        self._begin()
        return late

    def drop(self) -> None:
        """Close it at once, whatever is still to be sent."""
        self.room.remove(self)
        self.transport.abort()

    def _begin(self) -> None:
        self.since, self.moved = self.loop.time(), 0


def configured(app: Any, trusted: Collection[str] = (), most: int | None = None, **given: Any) -> uvicorn.Config:
    """How an application is served.

    Args:
        most: room for so many connections; without, for as many as there are descriptors for.
    """
    free = max(descriptors() - _OWN, 8)
    backlog = min(free // 4, 2_048)  # so many may come before one of them has been looked at
    room = Room(min(free - backlog, _MOST) if most is None else most, frozenset(trusted))
    return uvicorn.Config(
        app,
        log_config=None,
        access_log=False,
        server_header=False,
        proxy_headers=False,
        backlog=backlog,
        timeout_graceful_shutdown=2,
        http=type("Connection", (Connection,), {"room": room}),
        **given,
    )
