"""Addresses by which readers come: drawn at random, told once, and kept as digests alone."""

from __future__ import annotations

import hashlib
import hmac
import re
import secrets
import threading
import time
from dataclasses import dataclass

from datebridge.services.sharing.plans import Plan, plan_of
from datebridge.settings import Settings
from datebridge.store import shares
from datebridge.store.database import Connection, Store
from datebridge.store.shares import Address
from datebridge.store.sql import revision_now
from datebridge.store.tables import Reader, Share, demand_id

#: How many bytes at random: 192 bits.
_OCTETS = 24
_TOKEN = re.compile(r"/s/([A-Za-z0-9_-]{32})(?:/|$)", re.ASCII)
#: How often it is looked whether something was changed, in seconds.
_LOOK = 0.2


def new_token() -> str:
    """What an address holds that nobody can guess."""
    return secrets.token_urlsafe(_OCTETS)


def digest_of(token: str) -> str:
    """What is kept of it. A plain digest is enough: it is drawn at random, and long."""
    return hashlib.sha256(token.encode("utf-8", "replace")).hexdigest()


def token_in(address: str) -> str:
    """What an address of ours holds; "" where it is none."""
    match = _TOKEN.search(address)
    return match[1] if match else ""


def door(settings: Settings) -> str:
    """Where readers come in, without a slash at the end; "" where they have no door."""
    if settings.share_address:
        return settings.share_address.rstrip("/")
    return f"http://{settings.share_listen}" if settings.share_listen else ""


def address_of(settings: Settings, token: str) -> str:
    """The address of a reader, which leads to the page and, with more behind it, to everything else."""
    return f"{door(settings)}/s/{token}/"


@dataclass(frozen=True, slots=True)
class KnownShare:
    """What is known of a share while readers ask for it. `version` is another one whenever the share was changed."""

    share: Share
    plan: Plan
    owner: str
    contact: str
    version: object


class Registry:
    """Shares and addresses as of now, asked for by every request: the store is looked at a few times a second."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self.state = 0
        #: Another one whenever anything was changed.
        self.readings = 0
        self.shares: dict[int, KnownShare] = {}
        self.readers: dict[int, Reader] = {}
        self._addresses: dict[str, Address] = {}
        self._looked = 0.0
        self._version = -1
        self._lock = threading.Lock()
        self._connection: Connection | None = None

    def look(self) -> None:
        """See what was changed since."""
        if time.monotonic() - self._looked < _LOOK:
            return
        with self._lock:
            if self._connection is None:
                self._connection = self.store.engine.connect()
            self._looked = time.monotonic()
            version = int(self._connection.exec_driver_sql("PRAGMA data_version").scalar_one())
            if version != self._version:
                self._read()
                self._version = version

    def _read(self) -> None:
        with self.store.session() as session:
            owners = {role.id: role for role in shares.roles(session)}
            every = shares.shares(session, ended=True)
            self.readers = {demand_id(reader.id): reader for reader in shares.readers(session)}
            addresses = {}
            for one in every:
                owner = owners[one.role_id]
                version = (
                    one.changed_at,
                    repr(sorted(one.terms.items())),
                    one.title,
                    one.fixed_at,
                    one.filter,
                    tuple(one.calendars),
                    one.zone,
                    one.interval,
                )
                addresses[demand_id(one.id)] = KnownShare(one, plan_of(one), owner.name, owner.contact, version)
            self.shares = addresses
        with self.store.read() as connection:
            self._addresses = {address.digest: address for address in shares.addresses(connection)}
            self.state = revision_now(connection)
        self.readings += 1

    @property
    def live(self) -> set[int]:
        """The shares that can be read."""
        return {number for number, known in self.shares.items() if known.share.ended_at is None}

    def find(self, token: str) -> Address | None:
        """Whose an address is; None where it is unknown."""
        digest = digest_of(token)
        address = self._addresses.get(digest)
        return address if address is not None and hmac.compare_digest(address.digest, digest) else None

    def close(self) -> None:
        with self._lock:
            if self._connection is not None:
                self._connection.close()
                self._connection = None
