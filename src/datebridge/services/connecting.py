"""From an account in the store to a connection with what is at its other end."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from urllib.parse import urlsplit

from sqlmodel import select

from datebridge.connect.caldav import CalDavServer
from datebridge.connect.gate import Gate
from datebridge.connect.web import Web
from datebridge.services.secrets import seal, unseal
from datebridge.settings import Settings
from datebridge.store.database import Store
from datebridge.store.tables import Account, Remote


class NotConnected(Exception):
    """There is no such account or calendar, or it does not allow what is asked; the message says so."""


@dataclass(frozen=True, slots=True)
class Line:
    """An open connection: the account, its whole address, the client."""

    account: Account
    address: str
    web: Web

    @property
    def server(self) -> CalDavServer:
        return CalDavServer(self.web, self.address)


def open_web(settings: Settings, user: str = "", password: str = "", patient: bool = False) -> Web:
    """A client that goes where the settings let it; a patient one tries again what was put off."""
    return Web(
        Gate(settings.allowed_origins), user, password, connections=settings.connections,
        patience=settings.patience if patient else 0, most_octets=settings.max_file,
    )  # fmt: skip


@contextmanager
def line_to(store: Store, settings: Settings, account_id: int, patient: bool = True) -> Iterator[Line]:
    """A connection to an account's other end.

    Raises:
        NotConnected: if there is no such account.
        KeyLost: if its password cannot be opened any more.
    """
    with store.session() as session:
        account = session.get(Account, account_id)
    if account is None:
        raise NotConnected("There is no such account any more.")
    address, password = unseal(settings, account.address_sealed), unseal(settings, account.password_sealed)
    with open_web(settings, account.user, password, patient) as web:
        yield Line(account, address, web)


def remote(store: Store, remote_id: int) -> Remote:
    """A calendar that lives elsewhere.

    Raises:
        NotConnected: if there is none.
    """
    with store.session() as session:
        found = session.get(Remote, remote_id)
    if found is None:
        raise NotConnected("There is no such calendar any more.")
    return found


def remotes_of(store: Store, account_id: int, only_on: bool = False) -> list[Remote]:
    with store.session() as session:
        rows = session.exec(select(Remote).where(Remote.account_id == account_id))
        return [row for row in rows if row.calendar_id is not None or not only_on]


def origin_of(address: str) -> str:
    """Scheme, host and port: as much of an address as may be shown."""
    parts = urlsplit(address)
    return f"{parts.scheme}://{parts.netloc.rpartition('@')[2]}"


def sealed(settings: Settings, address: str, password: str) -> tuple[bytes, bytes]:
    return seal(settings, address), seal(settings, password)
