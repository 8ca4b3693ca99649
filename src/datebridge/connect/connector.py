"""What every other end of an account can be asked: one protocol, so that no caller asks what kind it is.

A new kind of other end is a class with `news`, a line in `connector_to`, and its `Reach` in `core.accounts`.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

from datebridge.connect.caldav import CalDavServer, Delta
from datebridge.connect.feed import fetch
from datebridge.connect.homes import ListedCalendar
from datebridge.connect.http import Web
from datebridge.core.accounts import AccountKind


@dataclass(frozen=True, slots=True)
class RemoteState:
    """What is known of a calendar from the last time: its tag and sync token, or the validators of its content."""

    tag: str = ""
    token: str = ""
    syncs: bool = False
    etag: str = ""
    modified: str = ""


@dataclass(frozen=True, slots=True)
class Objects:
    """A calendar of objects: as it is now, and which of them changed; no `delta` where nothing did."""

    state: ListedCalendar
    delta: Delta | None


@dataclass(frozen=True, slots=True)
class Whole:
    """A calendar in one piece; no `data` where it is as it was. `moved`: its new address, given for good."""

    data: bytes | None
    etag: str
    modified: str
    moved: str


News = Objects | Whole


class Connector(Protocol):
    """The other end of an account."""

    def news(self, url: str, seen: RemoteState) -> News:
        """What is new in a calendar since it was seen last, in as few requests as there can be.

        Raises:
            Unreachable: if it cannot be asked, or not be understood.
        """
        ...


class ServerConnector:
    """A calendar server: calendars of objects, each at an address of its own."""

    def __init__(self, server: CalDavServer) -> None:
        self.server = server

    def news(self, url: str, seen: RemoteState) -> Objects:
        state = self.server.state(url)
        if (seen.token and state.token == seen.token) or (not seen.token and state.tag and state.tag == seen.tag):
            return Objects(state, None)
        if seen.token or state.syncs:
            return Objects(state, self.server.changes(url, seen.token))
        return Objects(state, Delta(self.server.etags(url), (), "", True))


class FeedConnector:
    """A feed: one calendar, published in one piece at the account's own address."""

    def __init__(self, web: Web, address: str) -> None:
        self.web, self.address = web, address

    def news(self, url: str, seen: RemoteState) -> Whole:
        got = fetch(self.web, url or self.address, seen.etag, seen.modified)
        return Whole(got.data, got.etag, got.modified, got.moved)


def connector_to(kind: str, web: Web, address: str) -> Connector:
    """The connector for an account."""
    if AccountKind(kind) is AccountKind.SERVER:
        return ServerConnector(CalDavServer(web, address))
    return FeedConnector(web, address)
