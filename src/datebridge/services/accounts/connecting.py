"""From an account in the store to a connection with what is at its other end."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from filelock import FileLock

from datebridge.connect import sign_on
from datebridge.connect.caldav import CalDavServer
from datebridge.connect.connector import Connector, connector_to
from datebridge.connect.errors import Unreachable
from datebridge.connect.gate import Gate
from datebridge.connect.http import Web
from datebridge.connect.origins import origin_of
from datebridge.connect.sign_on import Grant
from datebridge.connect.signing import Tokens
from datebridge.connect.trust import Trust
from datebridge.core.accounts import Reach, reach_of
from datebridge.core.ids import AccountId
from datebridge.services.accounts.secrets import seal, unseal
from datebridge.settings import Settings
from datebridge.store import accounts
from datebridge.store.database import Store
from datebridge.store.tables import Account, demand_id


@dataclass(frozen=True, slots=True)
class AccountConnection:
    """An open connection: the account, its whole address, the client."""

    account: Account
    address: str
    web: Web

    @property
    def account_id(self) -> AccountId:
        return AccountId(demand_id(self.account.id))

    @property
    def reach(self) -> Reach:
        """What can be done there."""
        return reach_of(self.account.kind)

    @property
    def connector(self) -> Connector:
        return connector_to(self.account.kind, self.web, self.address)

    @property
    def server(self) -> CalDavServer:
        """For what only servers take: writing, listing."""
        return CalDavServer(self.web, self.address)


def open_web(
    settings: Settings,
    user: str = "",
    password: str = "",
    origins: Iterable[str] = (),
    check: Callable[[], None] | None = None,
    trust: Trust = Trust(),
    tokens: Tokens | None = None,
) -> Web:
    """A patient client: it goes where the settings let it, and tries again what was put off."""
    return Web(
        Gate(settings.allowed_origins),
        user,
        password,
        origins=origins,
        connections=settings.connections,
        patience=settings.patience,
        most_bytes=settings.max_answer,
        check=check,
        trust=trust,
        tokens=tokens,
    )


#: How many may look at once at what is elsewhere while somebody waits for the answer.
_LOOKS = threading.BoundedSemaphore(4)
#: How long they may, in seconds, and how much is taken.
_LOOK_TIME, _LOOK_BYTES = 45.0, 64 << 20


@contextmanager
def looking_web(
    settings: Settings,
    user: str = "",
    password: str = "",
    origins: Iterable[str] = (),
    trust: Trust = Trust(),
    tokens: Tokens | None = None,
) -> Iterator[Web]:
    """A client for somebody who waits: never patient, soon done, and few at once.

    Raises:
        Unreachable: ``busy`` while too many are at it.
    """
    if not _LOOKS.acquire(blocking=False):
        raise Unreachable("busy", "Several addresses are being checked already. Try again in a moment.", 5)
    try:
        with Web(
            Gate(settings.allowed_origins),
            user,
            password,
            origins=origins,
            connections=2,
            timeout=15,
            most_bytes=min(_LOOK_BYTES, settings.max_answer),
            budget=_LOOK_TIME,
            trust=trust,
            tokens=tokens,
        ) as web:
            yield web
    finally:
        _LOOKS.release()


class AccountTokens:
    """The tokens of an account, renewed and kept for whoever else uses it, in this process or another.

    A token by which the next is had is often good once (RFC 9700 §2.2.2), so one alone renews at a time, and who waited
    takes what that one was given.
    """

    def __init__(self, store: Store, settings: Settings, account_id: AccountId) -> None:
        self._store, self._settings, self._account_id = store, settings, account_id
        self._grant = self._kept()

    def current(self) -> str:
        return self._grant.access

    def renewed(self, refused: str) -> str:
        with _lock_of(self._settings.data_dir / f"sign-on-{self._account_id}.lock"):
            self._grant = self._kept()
            if self._grant.access == refused:
                with looking_web(self._settings) as web:
                    self._grant = sign_on.renew(web, self._grant)
                with self._store.write() as connection:
                    accounts.note_grant(connection, self._account_id, seal(self._settings, self._grant.as_text()))
        return self._grant.access

    def _kept(self) -> Grant:
        account = accounts.account(self._store, self._account_id)
        return Grant.from_text(unseal(self._settings, account.grant_sealed))


@lru_cache(maxsize=256)
def _lock_of(path: Path) -> FileLock:
    """One lock for all threads of this process: each thread has its own hold on it."""
    return FileLock(path, mode=0o600, thread_local=True)


@contextmanager
def connected_to(
    store: Store, settings: Settings, account_id: int, check: Callable[[], None] | None = None, waiting: bool = False
) -> Iterator[AccountConnection]:
    """A connection to an account's other end; `waiting` where somebody waits for what comes of it.

    Raises:
        NotConnected: if there is no such account.
        KeyLost: if its password cannot be opened any more.
    """
    account = accounts.account(store, AccountId(account_id))
    address, password = unseal(settings, account.address_sealed), unseal(settings, account.password_sealed)
    tokens = AccountTokens(store, settings, AccountId(account_id)) if account.grant_sealed else None
    user = account.user if tokens is None else ""
    signed = (settings, user, password, account.origins or [origin_of(address)])
    trust = Trust(account.authority, unseal(settings, account.certificate_sealed))
    with looking_web(*signed, trust, tokens) if waiting else open_web(*signed, check, trust, tokens) as web:
        try:
            yield AccountConnection(account, address, web)
        except Unreachable:
            accounts.note_habits(store, AccountId(account_id), web.habits)
            raise
        accounts.note_habits(store, AccountId(account_id), web.habits)
