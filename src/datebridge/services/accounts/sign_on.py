"""Accounts that one signs in to through a sign-on host: sending somebody there, and what comes back."""

from __future__ import annotations

import threading
from collections.abc import Collection, Mapping
from dataclasses import dataclass, field

from datebridge.clock import now
from datebridge.connect import sign_on
from datebridge.connect.errors import Unreachable
from datebridge.connect.sign_on import Beginning, Grant, SignOnHost
from datebridge.connect.signing import sign_on_metadata
from datebridge.connect.trust import Trust
from datebridge.core.errors import CannotDo
from datebridge.core.ids import AccountId, JobId
from datebridge.services.accounts import accounts
from datebridge.services.accounts.addresses import look_at
from datebridge.services.accounts.connecting import looking_web
from datebridge.services.accounts.secrets import unseal
from datebridge.settings import Settings
from datebridge.store import accounts as stored
from datebridge.store.database import Store

#: Somebody may take so long to sign in, in seconds; and so many may be at it.
_PATIENCE, _MOST = 900, 100


class NothingBegun(CannotDo):
    """An answer of a sign-on host to which nobody here has sent anybody, or too long ago."""

    code, title = "nothing-begun", "Nobody was sent to sign in"


@dataclass(slots=True)
class Errand:
    """Somebody is signing in.

    Attributes:
        account_id: the account this is about; None for one that is to be added.
        grant: what was given, once it was.
    """

    address: str
    account_id: AccountId | None
    trust: Trust
    host: SignOnHost
    client: str
    secret: str
    redirect: str
    begun: Beginning
    until: int
    grant: Grant | None = None
    busy: threading.Lock = field(default_factory=threading.Lock)


class Errands:
    """Who is signing in at present. What they are to come back with is known to this process alone."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._by_state: dict[str, Errand] = {}

    def keep(self, errand: Errand) -> None:
        with self._lock:
            going = {state: one for state, one in self._by_state.items() if one.until > now()}
            for state in list(going)[: max(0, len(going) - _MOST + 1)]:
                del going[state]
            self._by_state = {**going, errand.begun.state: errand}

    def of(self, state: str) -> Errand:
        """The errand that an answer belongs to.

        Raises:
            NothingBegun: if there is none any more.
        """
        with self._lock:
            errand = self._by_state.get(state)
        if errand is None or errand.until <= now():
            raise NothingBegun("Nobody was sent from here to sign in, or longer than 15 minutes ago. Begin again.")
        return errand

    def end(self, errand: Errand) -> None:
        with self._lock:
            self._by_state.pop(errand.begun.state, None)


def begin(
    settings: Settings,
    errands: Errands,
    address: str,
    redirect: str,
    host_address: str = "",
    client: str = "",
    secret: str = "",
    agreed: Collection[str] = (),
    trust: Trust = Trust(),
) -> str:
    """Where somebody is to sign in, to add the server at an address.

    Args:
        redirect: where the sign-on host is to send the browser back to.
        host_address: of the sign-on host; "" for the one that the server names.
        client, secret: how this program is known there; "" for the usual name, and no secret.

    Raises:
        Unreachable: if the server, or the sign-on host, cannot be asked or does not know such a thing.
    """
    offered, at = ("", address) if host_address else _offered(settings, address, agreed, trust)
    with looking_web(settings) as web:
        if host_address:
            host = sign_on.host_at(web, host_address)
        else:
            host = sign_on.host_named(web, at, sign_on_metadata(offered))
    return _send(errands, Errand(address, None, trust, host, client, secret, redirect, _BLANK, 0))


def begin_again(store: Store, settings: Settings, errands: Errands, account_id: AccountId, redirect: str) -> str:
    """Where somebody is to sign in once more, as an account's grant is no good any more.

    Raises:
        NotConnected: if there is no such account.
    """
    account = stored.account(store, account_id)
    address, kept = unseal(settings, account.address_sealed), unseal(settings, account.grant_sealed)
    trust = Trust(account.authority, unseal(settings, account.certificate_sealed))
    if not kept:
        raise Unreachable("scheme", f"{account.name} is opened by a password, not through a sign-on host.")
    grant = Grant.from_text(kept)
    blank = Errand(address, account_id, trust, grant.host, grant.client, grant.secret, redirect, _BLANK, 0)
    return _send(errands, blank)


_BLANK = Beginning("", "", "")


def _send(errands: Errands, errand: Errand) -> str:
    errand.client = errand.client or sign_on.CLIENT
    errand.begun = sign_on.begin(errand.host, errand.redirect, errand.client)
    errand.until = now() + _PATIENCE
    errands.keep(errand)
    return errand.begun.address


def _offered(settings: Settings, address: str, agreed: Collection[str], trust: Trust) -> tuple[str, str]:
    """How a server says that one signs in, and which address it was that said so."""
    try:
        found = look_at(settings, address, agreed=agreed, within=False, trust=trust).found
    except Unreachable as error:
        if error.offered:
            return error.offered, error.origin or address
        raise
    return found.offered, found.address


def finish(
    store: Store,
    settings: Settings,
    errands: Errands,
    answer: Mapping[str, str],
    name: str = "",
    agreed: Collection[str] = (),
) -> tuple[AccountId, JobId | None]:
    """Add the account, or open it again, with what the sign-on host has answered.

    Args:
        answer: the parameters it has sent the browser back with; the same again once `agreed` was asked for.

    Returns:
        the account, and the job that looks through a new one.

    Raises:
        NothingBegun: if nobody here was sent to it.
        Unreachable: if nothing was granted, or the server does not take what was.
    """
    errand = errands.of(answer.get("state", ""))
    with errand.busy:  # a code is good once (RFC 6749 §4.1.2)
        if errand.grant is None:
            with looking_web(settings) as web:
                errand.grant = sign_on.grant_of(
                    web, errand.host, errand.begun, errand.redirect, answer, errand.client, errand.secret
                )
        grant, trust, job = errand.grant, errand.trust, None
        if errand.account_id is not None:
            account_id = errand.account_id
            accounts.sign_in(store, settings, account_id, "", "", agreed, trust, grant)
        else:
            account_id, job = accounts.add(
                store, settings, errand.address, name=name, agreed=agreed, trust=trust, grant=grant
            )
    errands.end(errand)
    return account_id, job
