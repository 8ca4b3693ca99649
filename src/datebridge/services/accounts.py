"""Accounts: finding out what is at an address, adding it, switching its calendars on and off, leaving it."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any
from urllib.parse import unquote, urlsplit

from sqlalchemy import Connection
from sqlmodel import select

from datebridge.connect.caldav import Home, Listed
from datebridge.connect.errors import Unreachable
from datebridge.connect.finding import FoundThere, find
from datebridge.core.choices import Keep
from datebridge.core.coming import Coming, coming
from datebridge.core.headers import description_of
from datebridge.core.ics.objects import take_apart
from datebridge.core.ics.source import open_bytes
from datebridge.core.inspection import Inspection, inspect
from datebridge.core.summary import Summary
from datebridge.services import jobs
from datebridge.services.calendars import add_calendar_row
from datebridge.services.connecting import NotConnected, line_to, open_web, origin_of, remote, remotes_of
from datebridge.services.jobs import JobContext
from datebridge.services.pulling import all_on
from datebridge.services.secrets import seal, unseal
from datebridge.settings import Settings
from datebridge.store.database import Store, now, this_day
from datebridge.store.logbook import Proposal, add_deletions, apply_within, close_set, open_set
from datebridge.store.remotes import OPEN
from datebridge.store.tables import Account, Remote

#: How far ahead a feed is shown before it is subscribed to, in days.
AHEAD = 92


@dataclass(frozen=True, slots=True)
class Look:
    """What was found at an address; for a feed with what is in it and what it brings in the coming months."""

    found: FoundThere
    title: str
    inspection: Inspection | None = None
    coming: tuple[Coming, ...] = ()


def look_at(settings: Settings, address: str, user: str = "", password: str = "") -> Look:
    """Find out what is at an address, without keeping anything.

    Raises:
        Unreachable: if nothing is there that holds calendars, or it cannot be reached.
    """
    address, user, password = _take_apart(address, user, password)
    with open_web(settings, user, password) as web:
        found = find(web, address)
    title = urlsplit(found.address).hostname or ""
    if found.kind != "feed" or found.locked:
        return Look(found, found.home.title if found.home and found.home.title else title)
    inspection = inspect(open_bytes(found.data), keep=True)
    entries = [(c.name, c.text) for c in inspection.components if c.name not in ("VCALENDAR", "VTIMEZONE")]
    header = next((c.text for c in inspection.components if c.name == "VCALENDAR"), "")
    ahead = coming(entries, this_day(), AHEAD)
    name = description_of(header).name or urlsplit(found.address).path.rsplit("/", 1)[-1].removesuffix(".ics")
    return Look(found, name or title, inspection, tuple(ahead))


def _take_apart(address: str, user: str, password: str) -> tuple[str, str, str]:
    """An address without the name and password it may hold."""
    parts = urlsplit(address.strip())
    if parts.username and not user:
        user, password = unquote(parts.username), unquote(parts.password or "")
    bare = parts._replace(netloc=parts.netloc.rpartition("@")[2]).geturl() if parts.username else address
    return bare, user, password


def add(
    store: Store, settings: Settings, address: str, user: str = "", password: str = "", name: str = "",
    publisher: str = "",
) -> tuple[int, int]:  # fmt: skip
    """Add what is at an address: a server with all its calendars left off, or a feed, subscribed to.

    `name` is what the account is called, or the feed's calendar; `publisher` who publishes the feed.

    Returns:
        the account, and the job that looks through its calendars or fetches the feed for the first time.

    Raises:
        Unreachable: see `look_at`; or if it is a page, or asks for a password.
        NotConnected: if it is connected already.
    """
    address, user, password = _take_apart(address, user, password)
    look = look_at(settings, address, user, password)
    found = look.found
    if found.locked:
        raise Unreachable("password", "A user name and a password are needed.")
    if found.kind == "page":
        raise Unreachable("answer", "This is a page. Choose one of the calendars it links to.")
    if known := connected_as(store, settings, found.address, user):
        raise NotConnected(f"This is connected already, as “{known}”.")
    host = origin_of(found.address)
    called = (publisher or urlsplit(host).hostname or "") if found.kind == "feed" else name.strip() or look.title
    with store.session() as session:
        account = Account(
            kind=found.kind, name=called, host=host, user=user, created_at=now(),
            address_sealed=seal(settings, found.address), password_sealed=seal(settings, password),
        )  # fmt: skip
        if found.home is not None:
            _keep_home(account, found.home)
        session.add(account)
        session.flush()
        assert account.id is not None  # noqa: S101
        if found.kind == "server":
            session.add_all(_remote(account.id, one) for one in found.calendars)
        else:
            session.add(Remote(account_id=account.id, name=name.strip() or look.title, owned=False))
        account_id = account.id
    if found.kind == "server":
        return account_id, survey(store, account_id)
    only = remotes_of(store, account_id)[0]
    assert only.id is not None  # noqa: S101
    job = switch_on(store, [only.id])
    return account_id, job


def connected_as(store: Store, settings: Settings, address: str, user: str) -> str:
    """The name of the account or feed that is connected at this address, "" for none."""
    with store.session() as session:
        for account in session.exec(select(Account).where(Account.user == user, Account.gone == False)):  # noqa: E712
            if unseal(settings, account.address_sealed).rstrip("/") == address.rstrip("/"):
                return account.name
    return ""


def _keep_home(account: Account, home: Home) -> None:
    account.principal, account.home = home.principal, home.url
    account.addresses, account.schedules = list(home.addresses), home.schedules


def _remote(account_id: int, one: Listed) -> Remote:
    return Remote(
        account_id=account_id, url=one.url, name=one.name, colour=one.colour, colour_space=one.colour_space,
        description=one.description, zone=one.zone, owner=one.owner, owned=one.owned, writable=one.writable,
        components=",".join(one.components), position=one.position, syncs=one.syncs,
    )  # fmt: skip


def survey(store: Store, account_id: int) -> int:
    """Queue looking through an account: which calendars there are now, and what is in those left off."""
    with store.session() as session:
        account = session.get(Account, account_id)
        if account is None or account.gone:
            raise NotConnected("There is no such account any more.")
        title = f"Looking through {account.name}"
    return jobs.enqueue(store, "survey", title, {"account": account_id})


def survey_job(context: JobContext) -> dict[str, Any]:
    """List an account's calendars anew and count what is in those left off."""
    store, account_id = context.store, int(context.params["account"])
    with line_to(store, context.settings, account_id) as line:
        try:
            home = line.server.discover()
            listed = line.server.calendars(home)
        except Unreachable as error:
            _note(store, account_id, error)
            raise jobs.Refused(error.message) from error
        _note(store, account_id, None, home)
        known = {row.url: row for row in remotes_of(store, account_id)}
        with store.session() as session:
            session.add_all(_remote(account_id, one) for one in listed if one.url not in known)
            for url, row in known.items():
                if row.calendar_id is None and url and url not in {one.url for one in listed}:
                    session.delete(row)
        off = [row for row in remotes_of(store, account_id) if row.calendar_id is None]
        for number, row in enumerate(off):
            context.progress(number, len(off), "calendars", row.name)
            summary = Summary()
            for piece in line.server.fetch(row.url, list(line.server.etags(row.url))):
                for resource in piece:
                    for facts, _ in take_apart(resource.data).entries if resource.data else ():
                        summary.add(facts)
            with store.session() as session:
                fresh = session.get(Remote, row.id)
                if fresh is not None:
                    fresh.entries, fresh.first, fresh.last = summary.entries, summary.first, summary.last
                    fresh.endless = bool(summary.features["series without end"])
    context.progress(1, 1, "calendars")
    return {"account": account_id}


def _note(store: Store, account_id: int, error: Unreachable | None, home: Home | None = None) -> None:
    with store.session() as session:
        account = session.get(Account, account_id)
        if account is None:
            return
        account.trouble = error.message if error else ""
        account.trouble_since = (account.trouble_since or now()) if error else None
        if home is not None:
            _keep_home(account, home)


def switch_on(store: Store, remote_ids: list[int]) -> int:
    """Switch calendars on: each gets a copy here. Returns the job that fetches them.

    Raises:
        NotConnected: if one is not there any more.
    """
    for remote_id in remote_ids:
        row = remote(store, remote_id)
        if row.calendar_id is not None:
            continue
        with store.write() as connection:
            host = connection.exec_driver_sql("SELECT name FROM account WHERE id = ?", (row.account_id,)).scalar_one()
            calendar = add_calendar_row(connection, row.name, str(host))
            connection.exec_driver_sql("UPDATE calendar SET writable = ? WHERE id = ?", (row.writable, calendar))
            connection.exec_driver_sql("UPDATE remote SET calendar_id = ? WHERE id = ?", (calendar, remote_id))
    names = [remote(store, i).name for i in remote_ids]
    what = names[0] if len(names) == 1 else f"{len(names)} calendars"
    return jobs.enqueue(store, "pull", f"Fetching {what}", {"remotes": remote_ids})


def refresh_now(store: Store, remote_ids: list[int]) -> int:
    """Queue refreshing calendars that are switched on."""
    names = [remote(store, i).name for i in remote_ids]
    what = names[0] if len(names) == 1 else f"{len(names)} calendars"
    return jobs.enqueue(store, "pull", f"Refreshing {what}", {"remotes": remote_ids})


def refresh_account(store: Store, account_id: int) -> int:
    return refresh_now(store, all_on(store, account_id))


def switch_off(store: Store, remote_id: int, keep: Keep) -> int:
    """Stop following a calendar; returns the batch. Nothing is deleted where it lives.

    Raises:
        NotConnected: if it is not switched on.
    """
    row = remote(store, remote_id)
    if row.calendar_id is None:
        raise NotConnected(f"{row.name} is not switched on.")
    with store.write() as connection:
        return _leave(connection, f"Switch off {row.name}", [row], keep)


def disconnect(store: Store, account_id: int, keep: Keep) -> int:
    """Disconnect an account; returns the batch. Nothing is deleted where it lives.

    Raises:
        NotConnected: if there is no such account.
    """
    with store.session() as session:
        account = session.get(Account, account_id)
        if account is None or account.gone:
            raise NotConnected("There is no such account any more.")
        name = account.name
    rows = remotes_of(store, account_id, only_on=True)
    with store.write() as connection:
        set_id = _leave(connection, f"Disconnect {name}", rows, keep)
        connection.exec_driver_sql(
            "UPDATE account SET gone = 1, address_sealed = x'', password_sealed = x'', user = '', trouble = ''"
            " WHERE id = ?",
            (account_id,),
        )
    return set_id


def _leave(connection: Connection, title: str, rows: list[Remote], keep: Keep) -> int:
    stays = "nothing stays here" if keep == "nothing" else "a snapshot stays here"
    set_id = open_set(connection, Proposal(f"{title}; {stays}", "leave", "Nothing is deleted where it lives."))
    for row in rows:
        if keep == "nothing":
            ids = connection.exec_driver_sql(
                "SELECT id FROM entry WHERE calendar_id = ?", (row.calendar_id,)
            ).fetchall()
            add_deletions(connection, set_id, [i for (i,) in ids], "No longer followed.")
    close_set(connection, set_id)
    apply_within(connection, set_id)
    for row in rows:
        connection.exec_driver_sql("DELETE FROM resource WHERE remote_id = ?", (row.id,))
        connection.exec_driver_sql(
            f"UPDATE carriage SET state = 'dropped', message = 'The calendar was switched off.' WHERE remote_id = ?"
            f" AND state IN {OPEN}",
            (row.id,),
        )
        connection.exec_driver_sql(
            "UPDATE calendar SET writable = 1, source = 'a snapshot of ' || source, taken_at = ? WHERE id = ?",
            (now(), row.calendar_id),
        )
        connection.exec_driver_sql(
            "UPDATE remote SET calendar_id = NULL, tag = '', token = '', etag = '', modified = '', next_at = NULL,"
            " refreshed_at = NULL, trouble = '', failed_since = NULL, failures = 0, held_set_id = NULL WHERE id = ?",
            (row.id,),
        )
    return set_id


def sign_in(store: Store, settings: Settings, account_id: int, user: str, password: str) -> None:
    """Give another user name and password for an account, once they have been seen to work.

    Raises:
        Unreachable: if they do not.
    """
    with line_to(store, settings, account_id, patient=False) as line:
        look = look_at(settings, line.address, user, password)
    if look.found.locked:
        raise Unreachable("password", f"{line.account.name} asks for a user name and a password.")
    with store.session() as session:
        account = session.get(Account, account_id)
        assert account is not None  # noqa: S101
        account.user, account.password_sealed = user, seal(settings, password)
        account.trouble, account.trouble_since = "", None


def set_interval(store: Store, remote_id: int, every: int) -> None:
    """One's own refresh interval in seconds; it can be longer than the publisher's, never shorter. 0: the usual one."""
    row = remote(store, remote_id)
    with store.session() as session:
        fresh = session.get(Remote, row.id)
        assert fresh is not None  # noqa: S101
        fresh.every = every
        if fresh.refreshed_at is not None and every:
            fresh.next_at = fresh.refreshed_at + max(every, fresh.published_every)


def address_of(store: Store, settings: Settings, remote_id: int) -> str:
    """The whole address of a calendar. It may work like a password: show it only to who asks."""
    row = remote(store, remote_id)
    if row.url:
        return row.url
    with line_to(store, settings, row.account_id) as line:
        return line.address


def catalogue(settings: Settings) -> list[dict[str, str]]:
    """The open feeds of the catalogue, by subject.

    Raises:
        Unreachable: if it cannot be fetched.
    """
    if not settings.catalogue:
        return []
    with open_web(settings) as web:
        answer = web.request("GET", settings.catalogue)
    try:
        rows = json.loads(answer.body)
        names = ("title", "subject", "description", "address", "publisher")
        found = [{name: str(row[name]) for name in names} for row in rows]
    except (ValueError, KeyError, TypeError) as error:
        raise Unreachable("answer", "The catalogue cannot be read.") from error
    return sorted(found, key=lambda row: (row["subject"], row["title"]))


def says(look: Look) -> str:
    """What was found, in a sentence."""
    found = look.found
    if found.locked:
        what = "a calendar server" if found.kind == "server" else "a feed"
        return f"This is {what} that asks for a user name and a password."
    if found.kind == "server":
        count = len(found.calendars)
        noun = "calendar" if count == 1 else "calendars"
        return f"This is a calendar server. It holds {count} {noun} for {look.title}."
    if found.kind == "page":
        return "This is a web page that links to calendars. Choose one."
    return "This is a feed: it follows what is published, and can only be read."
