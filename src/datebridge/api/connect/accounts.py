"""Accounts and feeds: what is at an address, adding, switching on and off, refreshing, leaving; the catalogue."""

from __future__ import annotations

from fastapi import Response

from datebridge.api import present
from datebridge.api.connect.shapes import (
    AccountOut,
    AddedOut,
    AddIn,
    AddressOut,
    CatalogueRow,
    ComingOut,
    DiscoverIn,
    DiscoverOut,
    FoundCalendar,
    HabitOut,
    IntervalIn,
    KeepIn,
    LinkOut,
    RemoteOut,
    RemotesIn,
    SheetIn,
    SheetOut,
    SheetRowOut,
    SignInIn,
    UnreadableRowOut,
)
from datebridge.api.context import AppDep
from datebridge.api.kinds import AccountNo, RemoteNo
from datebridge.api.routing import new_router
from datebridge.api.shapes import JobQueued, SetMade
from datebridge.connect.feed import interval
from datebridge.connect.habits import says
from datebridge.connect.signing import has_sign_on
from datebridge.connect.trust import Trust
from datebridge.core.account_sheet import read_sheet
from datebridge.core.accounts import AccountKind, reach_of
from datebridge.core.choices import Keep
from datebridge.services.accounts import accounts, addresses, leaving, statements
from datebridge.store import remotes
from datebridge.store.accounts import accounts as accounts_of
from datebridge.store.tables import Remote, demand_id

router = new_router("/api", "accounts")


@router.get("/accounts")
def listed(app: AppDep) -> list[AccountOut]:
    """The accounts with every calendar they hold, switched on or left off."""
    with app.store.read() as connection:
        held = remotes.statements(connection)
    rows = sorted(accounts_of(app.store), key=lambda account: not reach_of(account.kind).many)
    return [
        AccountOut(
            id=demand_id(row.id),
            kind=AccountKind(row.kind).value,
            name=row.name,
            host=row.host,
            user=row.user,
            sign_on=row.sign_on,
            trouble=row.trouble,
            trouble_since=present.stamp(row.trouble_since),
            habits=_habits(row.habits),
            remotes=[_remote(r.remote) for r in held if r.remote.account_id == row.id],
        )
        for row in rows
    ]


def _habits(seen: dict[str, int]) -> list[HabitOut]:
    """The latest first."""
    latest = sorted(seen.items(), key=lambda one: (-one[1], one[0]))
    return [HabitOut(habit=habit, says=says(habit), at=present.stamp(at)) for habit, at in latest if says(habit)]


def _remote(row: Remote) -> RemoteOut:
    return RemoteOut(
        id=demand_id(row.id),
        name=row.name,
        on=row.calendar_id is not None,
        calendar_id=row.calendar_id,
        owner="you" if row.owned else row.owner,
        may="writable" if row.writable else "read only",
        entries=row.entries,
        span=statements.span(row.first, row.last, row.endless),
        holds=statements.kinds(row.components),
        trouble=row.trouble,
    )


@router.post("/accounts/discover")
def look(app: AppDep, body: DiscoverIn) -> DiscoverOut:
    """What is at an address: a server, a feed, or a page that links to one. Nothing is kept."""
    trust = Trust(body.authority, body.certificate)
    seen = addresses.look_at(app.settings, body.address, body.user, body.password, body.agreed, trust=trust)
    place = seen.found
    out = DiscoverOut(
        kind=place.kind,
        says=place.says(seen.title),
        locked=place.locked,
        sign_on=has_sign_on(place.offered),
        connected=accounts.connected_as(app.store, app.settings, place.address, body.user),
        title=seen.title,
        links=[LinkOut(title=title, address=address) for title, address in place.links],
        calendars=[
            FoundCalendar(
                name=c.name, owner="you" if c.owned else c.owner, may="writable" if c.writable else "read only"
            )
            for c in place.calendars
        ],
        coming=[ComingOut(day=f"{c.day:%Y-%m-%d %a}", time=c.time, title=c.title) for c in seen.coming],
    )
    seconds = interval(seen.header)
    out.interval = f"its publisher asks for every {statements.length(seconds)}" if seconds else ""
    out.size = len(place.data)
    if seen.inspection is not None:
        summary = seen.inspection.summary
        out.entries = summary.entries
        out.span = statements.span(summary.first, summary.last, bool(summary.features["series without end"]))
    return out


@router.post("/accounts")
def add(app: AppDep, body: AddIn) -> AddedOut:
    """Add a server, all calendars left off, or subscribe to a feed."""
    account, job = accounts.add(
        app.store,
        app.settings,
        body.address,
        body.user,
        body.password,
        body.name,
        body.publisher,
        body.agreed,
        Trust(body.authority, body.certificate),
    )
    return AddedOut(account_id=account, job_id=job)


@router.post("/accounts/sheet")
def sheet(body: SheetIn, response: Response) -> SheetOut:
    """A sheet of accounts, row by row. Nothing is kept, and nothing is added yet."""
    response.headers["Cache-Control"] = "no-store"
    read = read_sheet(body.text)
    return SheetOut(
        rows=[
            SheetRowOut(row=one.number, name=one.name, address=one.address, user=one.user, password=one.password)
            for one in read.rows
        ],
        unreadable=[UnreadableRowOut(row=one.row, column=one.column, why=one.why) for one in read.unreadable],
    )


@router.post("/accounts/{account_id}/rediscover")
def look_through(app: AppDep, account_id: AccountNo) -> JobQueued:
    """List an account's calendars again, and count what is in those left off."""
    return JobQueued(job_id=accounts.survey(app.store, account_id))


@router.post("/accounts/{account_id}/refresh")
def refresh_account(app: AppDep, account_id: AccountNo) -> JobQueued:
    return JobQueued(job_id=accounts.refresh_account(app.store, account_id))


@router.post("/accounts/{account_id}/sign-in", status_code=204)
def sign_in(app: AppDep, account_id: AccountNo, body: SignInIn) -> None:
    """Another user name and password, kept once they have been seen to work."""
    accounts.sign_in(app.store, app.settings, account_id, body.user, body.password, body.agreed)


@router.post("/accounts/{account_id}/disconnect")
def disconnect(app: AppDep, account_id: AccountNo, body: KeepIn) -> SetMade:
    """Disconnect an account. Nothing is deleted on the server."""
    return SetMade(set_id=leaving.disconnect(app.store, account_id, body.keep))


@router.post("/remotes")
def switch_on(app: AppDep, body: RemotesIn) -> JobQueued:
    return JobQueued(job_id=accounts.switch_on(app.store, body.remotes)[-1])


@router.delete("/remotes/{remote_id}")
def switch_off(app: AppDep, remote_id: RemoteNo, keep: Keep) -> SetMade:
    return SetMade(set_id=leaving.switch_off(app.store, remote_id, keep))


@router.post("/remotes/refresh")
def refresh(app: AppDep, body: RemotesIn) -> JobQueued:
    return JobQueued(job_id=accounts.refresh_now(app.store, body.remotes)[-1])


@router.put("/remotes/{remote_id}/interval", status_code=204)
def set_interval(app: AppDep, remote_id: RemoteNo, body: IntervalIn) -> None:
    accounts.set_interval(app.store, remote_id, body.every)


@router.post("/remotes/{remote_id}/address")
def reveal(app: AppDep, remote_id: RemoteNo, response: Response) -> AddressOut:
    """The whole address, which may work like a password; asked for, never sent along."""
    response.headers["Cache-Control"] = "no-store"
    return AddressOut(address=accounts.address_of(app.store, app.settings, remote_id))


@router.get("/catalogue-feeds")
def catalogue(app: AppDep) -> list[CatalogueRow]:
    """Open feeds by subject."""
    return [
        CatalogueRow(**row, connected=accounts.connected_as(app.store, app.settings, row["address"], ""))
        for row in addresses.catalogue(app.settings)
    ]
