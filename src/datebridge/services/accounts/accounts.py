"""Accounts: adding one, looking through it, switching its calendars on, refreshing them, signing in again."""

from __future__ import annotations

from collections.abc import Collection
from itertools import count

from datebridge.clock import now
from datebridge.connect.caldav import CalDavServer
from datebridge.connect.errors import Unreachable
from datebridge.connect.homes import Home, ListedCalendar
from datebridge.connect.origins import host_of, origin_of
from datebridge.connect.sign_on import Fresh, Grant
from datebridge.connect.trust import Trust
from datebridge.core.accounts import reach_of
from datebridge.core.crossing.probing import is_place
from datebridge.core.ids import AccountId, JobId, RemoteId
from datebridge.core.index.summary import Summary
from datebridge.core.job_kinds import JobKind
from datebridge.core.objects import take_apart
from datebridge.services.accounts.addresses import bare, look_at
from datebridge.services.accounts.connecting import connected_to
from datebridge.services.accounts.refreshing import queue_pulls
from datebridge.services.accounts.secrets import KeyLost, seal, unseal
from datebridge.services.jobs import jobs
from datebridge.services.jobs.jobs import JobContext, performs
from datebridge.settings import Settings
from datebridge.store import accounts as stored
from datebridge.store.accounts import NotConnected, ids_on, remote, remotes_of
from datebridge.store.calendars import add_calendar
from datebridge.store.database import Session, Store
from datebridge.store.remotes import note
from datebridge.store.tables import Account, Remote, demand_id


def add(
    store: Store,
    settings: Settings,
    address: str,
    user: str = "",
    password: str = "",
    name: str = "",
    publisher: str = "",
    agreed: Collection[str] = (),
    trust: Trust = Trust(),
    grant: Grant | None = None,
) -> tuple[AccountId, JobId]:
    """Add what is at an address: a server with all its calendars left off, or a feed, subscribed to.

    `name` is what the account is called, or the feed's calendar; `publisher` who publishes the feed; `agreed` as for
    `look_at`; `grant` what a sign-on host has given instead of a password. An account whose password can no longer be
    opened, since the key to it is lost, is taken up again.

    Returns:
        the account, and the job that looks through its calendars or fetches the feed for the first time.

    Raises:
        Unreachable: see `look_at`; or if it is a page, or asks for a password.
        NotConnected: if it is connected already.
    """
    address, user, password = bare(address, user, password)
    tokens = Fresh(grant) if grant is not None else None
    look = look_at(settings, address, user, password, agreed, within=False, trust=trust, tokens=tokens)
    place = look.found
    if grant is not None and place.home is not None:
        user = place.home.title or place.home.principal.rstrip("/").rpartition("/")[2]
    if place.locked:
        raise Unreachable("password", "A user name and a password are needed.")
    if place.is_page:
        raise Unreachable("answer", "This is a web page. Choose one of the calendars it links to.")
    if connected_name := connected_as(store, settings, place.address, user):
        raise NotConnected(f"Already connected as “{connected_name}”.")
    host = origin_of(place.address)
    many = reach_of(place.kind).many
    called = name.strip() or look.title if many else publisher or host_of(host)
    with store.writing_session() as session:
        account = _locked_out(session, settings, place.kind, host, user, (name.strip(), look.title)) or Account(
            kind=place.kind, name=called, host=host, user=user, created_at=now(), address_sealed=b""
        )
        again = account.id is not None
        account.address_sealed, account.password_sealed = seal(settings, place.address), seal(settings, password)
        account.authority, account.certificate_sealed = trust.authority, seal(settings, trust.certificate)
        account.origins, account.trouble, account.trouble_since = look.origins, "", None
        _keep_grant(settings, account, grant)
        if place.home is not None:
            _keep_home(account, place.home)
        session.add(account)
        session.flush()
        account_id = AccountId(demand_id(account.id))
        if not again and many:
            session.add_all(_remote(account_id, one) for one in place.calendars if not is_place(one.name, one.url))
        elif not again:
            title = name.strip() or look.title
            if title == host_of(host):
                title = _numbered(session, title)
            session.add(Remote(account_id=account_id, name=title, owned=False))
    if many:
        if again:
            refresh_account(store, account_id)
        return account_id, survey(store, account_id)
    return account_id, switch_on(store, [RemoteId(demand_id(row.id)) for row in remotes_of(store, account_id)])[-1]


def _numbered(session: Session, host: str) -> str:
    """A name for a feed without one: its host, and a number where there are several."""
    taken = stored.named(session)
    return next(name for number in count(1) if (name := f"{host} {number}") not in taken)


def _locked_out(
    session: Session, settings: Settings, kind: str, host: str, user: str, names: Collection[str]
) -> Account | None:
    """The account there whose address cannot be opened any more, as its key is lost; a feed also goes by its name."""
    for account in stored.accounts_at(session, kind, host, user):
        try:
            unseal(settings, account.address_sealed)
        except KeyLost:
            calendar_names = stored.names_on(session, AccountId(demand_id(account.id)))
            if reach_of(kind).many or calendar_names & set(names):
                return account
    return None


def connected_as(store: Store, settings: Settings, address: str, user: str) -> str:
    """The name of the account or feed that is connected at this address, "" for none."""
    for account in stored.accounts_of_user(store, user):
        try:
            if unseal(settings, account.address_sealed).rstrip("/") == address.rstrip("/"):
                return account.name
        except KeyLost:  # it has to be added again
            continue
    return ""


def _keep_grant(settings: Settings, account: Account, grant: Grant | None) -> None:
    account.sign_on = origin_of(grant.host.issuer) if grant is not None else ""
    account.grant_sealed = seal(settings, grant.as_text()) if grant is not None else b""


def _keep_home(account: Account, home: Home) -> None:
    account.principal, account.home = home.principal, home.url
    account.addresses, account.schedules = list(home.addresses), home.schedules


def _remote(account_id: AccountId, listed_calendar: ListedCalendar) -> Remote:
    return Remote(
        account_id=account_id,
        url=listed_calendar.url,
        name=listed_calendar.name,
        colour=listed_calendar.colour,
        colour_space=listed_calendar.colour_space,
        description=listed_calendar.description,
        zone=listed_calendar.zone,
        owner=listed_calendar.owner,
        owned=listed_calendar.owned,
        writable=listed_calendar.writable,
        components=",".join(listed_calendar.components),
        position=listed_calendar.position,
        syncs=listed_calendar.syncs,
        max_size=listed_calendar.max_size,
    )


def survey(store: Store, account_id: AccountId) -> JobId:
    """Queue looking through an account: which calendars there are now, and what is in those left off."""
    title = f"Discovering calendars on {stored.account(store, account_id).name}"
    return jobs.enqueue(store, JobKind.SURVEY, title, {"account": account_id}, account_id)


@performs(JobKind.SURVEY)
def survey_job(context: JobContext) -> dict[str, object]:
    """List an account's calendars again and count what is in those left off."""
    store, account_id = context.store, AccountId(context.params["account"])
    with connected_to(store, context.settings, account_id, context.check) as line:
        try:
            home = line.server.discover()
            listed = [one for one in line.server.calendars(home) if not is_place(one.name, one.url)]
        except Unreachable as error:
            _note(store, account_id, error)
            raise jobs.Refused(error.message) from error
        _note(store, account_id, None, home)
        remotes = {row.url: row for row in remotes_of(store, account_id)}
        with store.writing_session() as session:
            session.add_all(_remote(account_id, calendar) for calendar in listed if calendar.url not in remotes)
            for url, row in remotes.items():
                if row.calendar_id is None and url and url not in {calendar.url for calendar in listed}:
                    session.delete(row)
        off = [row for row in remotes_of(store, account_id) if row.calendar_id is None]
        for number, row in enumerate(off):
            context.progress(number, len(off), "calendars", row.name)
            try:
                summary, trouble = _counted(line.server, row.url), ""
            except Unreachable as error:
                if error.of_account:
                    _note(store, account_id, error)
                    raise jobs.Refused(error.message) from error
                summary, trouble = None, error.message
            with store.writing_session() as session:
                fresh = session.get(Remote, row.id)
                if fresh is not None:
                    fresh.trouble = trouble
                if fresh is not None and summary is not None:
                    fresh.entries, fresh.first, fresh.last = summary.entries, summary.first, summary.last
                    fresh.endless = bool(summary.features["series without end"])
    context.progress(1, 1, "calendars")
    return {"account": account_id}


def _counted(server: CalDavServer, url: str) -> Summary:
    summary = Summary()
    for piece in server.fetch(url, list(server.etags(url))):
        for resource in piece:
            for facts, _ in take_apart(resource.data).entries if resource.data else ():
                summary.add(facts)
    return summary


def _note(store: Store, account_id: AccountId, error: Unreachable | None, home: Home | None = None) -> None:
    with store.writing_session() as session:
        account = session.get(Account, account_id)
        if account is None:
            return
        account.trouble = error.message if error else ""
        account.trouble_since = (account.trouble_since or now()) if error else None
        if home is not None:
            _keep_home(account, home)


def switch_on(store: Store, remote_ids: list[RemoteId]) -> list[JobId]:
    """Switch calendars on: each gets a copy here. Returns the jobs that fetch them, one an account.

    Raises:
        NotConnected: if one is not there any more.
    """
    for remote_id in remote_ids:
        row = remote(store, remote_id)
        if row.calendar_id is None:
            owner = stored.account(store, AccountId(row.account_id))
            with store.write() as connection:
                note(connection, remote_id, calendar_id=add_calendar(connection, row.name, owner.name, row.writable))
    return queue_pulls(store, "Fetching", remote_ids)


def refresh_now(store: Store, remote_ids: list[RemoteId]) -> list[JobId]:
    """Queue refreshing calendars that are switched on; returns the jobs, one an account.

    Raises:
        NotConnected: if one is not there any more.
    """
    return queue_pulls(store, "Refreshing", remote_ids)


def refresh_account(store: Store, account_id: AccountId) -> JobId:
    """Queue refreshing all that is switched on of an account; returns the job.

    Raises:
        NotConnected: if nothing is.
    """
    wanted = ids_on(store, account_id)
    if not wanted:
        raise NotConnected("No calendar of this account is switched on, so there is nothing to refresh.")
    return refresh_now(store, wanted)[-1]


def sign_in(
    store: Store,
    settings: Settings,
    account_id: AccountId,
    user: str,
    password: str,
    agreed: Collection[str] = (),
    trust: Trust | None = None,
    grant: Grant | None = None,
) -> None:
    """Give another user name and password for an account, and other certificates, once they have been seen to work.

    Args:
        trust: None for the certificates it has.
        grant: what a sign-on host has given, instead of a user name and a password.

    Raises:
        Unreachable: if they do not.
        NotConnected: if there is no such account.
        KeyLost: if its address cannot be opened any more.
    """
    account = stored.account(store, account_id)
    address = unseal(settings, account.address_sealed)
    trust = trust or Trust(account.authority, unseal(settings, account.certificate_sealed))
    tokens = Fresh(grant) if grant is not None else None
    origins = {*account.origins, *agreed}
    look = look_at(settings, address, user, password, origins, within=False, trust=trust, tokens=tokens)
    if look.found.locked:
        raise Unreachable("password", f"{account.name} requires a user name and a password.")
    with store.writing_session() as session:
        fresh = stored.demand_account(session, account_id)
        fresh.password_sealed, fresh.origins = seal(settings, password), look.origins
        fresh.user = user if grant is None else fresh.user
        _keep_grant(settings, fresh, grant)
        fresh.authority, fresh.certificate_sealed = trust.authority, seal(settings, trust.certificate)
        fresh.trouble, fresh.trouble_since = "", None


def set_interval(store: Store, remote_id: RemoteId, every: int) -> None:
    """One's own refresh interval in seconds; it can be longer than the publisher's, never shorter. 0: the usual one."""
    with store.writing_session() as session:
        fresh = stored.demand_remote(session, remote_id)
        fresh.every = every
        if fresh.refreshed_at is not None and every:
            fresh.next_at = fresh.refreshed_at + max(every, fresh.published_every)


def address_of(store: Store, settings: Settings, remote_id: RemoteId) -> str:
    """The whole address of a calendar. It may work like a password: show it only to who asks."""
    row = remote(store, remote_id)
    if row.url:
        return row.url
    return unseal(settings, stored.account(store, AccountId(row.account_id)).address_sealed)
