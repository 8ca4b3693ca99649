"""Publishing a share to a web host: written by PUT, conditionally, once or after every change (RFC 9110 §13.1)."""

from __future__ import annotations

import hashlib
from dataclasses import replace
from urllib.parse import urlsplit

from datebridge.clock import now
from datebridge.connect.errors import Unreachable
from datebridge.connect.http import Answer
from datebridge.connect.origins import host_of, origin_of
from datebridge.core.changes import CLOCK, PERSON, By
from datebridge.core.choices import Form
from datebridge.core.ids import CalendarId
from datebridge.core.job_kinds import JobKind
from datebridge.core.sharing.formats import FORMATS
from datebridge.services.accounts.connecting import open_web
from datebridge.services.accounts.secrets import seal, unseal
from datebridge.services.jobs.jobs import JobContext, enqueue, performs
from datebridge.services.sharing.plans import content_of, plan_of, today_in
from datebridge.services.sharing.render_cache import make
from datebridge.services.sharing.shares import CannotShare, NoShare
from datebridge.settings import Settings
from datebridge.store import shares
from datebridge.store.database import Connection, Store
from datebridge.store.entries.ledger import Ledger
from datebridge.store.jobs import lanes_with
from datebridge.store.sql import revision_now
from datebridge.store.tables import Share, ShareHost, demand_id

#: After a failure it is tried again after so many seconds, twice as many each time, an hour at the most.
_PAUSE, _LONGEST = 60, 3600


def add_host(
    store: Store, settings: Settings, share: int, form: Form, address: str, user: str, password: str, always: bool
) -> int:
    """Have a share handed out to an address, now and (`always`) after every change.

    Raises:
        CannotShare: if that is no address one can write to.
        NoShare: if there is no such share any more.
    """
    address = address.strip()
    parts = urlsplit(address)
    if parts.scheme not in ("http", "https") or not parts.hostname or parts.path.endswith("/"):
        raise CannotShare(
            "Enter the complete address of the file on the web host, such as https://host.example/cal.ics."
        )
    if parts.username or parts.password:
        raise CannotShare("Enter user name and password in their own fields, not in the address.")
    if not FORMATS[form].hosted:
        raise CannotShare("A web host can get a feed, jCal or busy times.")
    with store.writing_session() as session:
        row = session.get(Share, share)
        if row is None or row.ended_at is not None:
            raise NoShare("This share no longer exists.")
        host = ShareHost(
            share_id=share,
            form=str(form),
            host=origin_of(address),
            user=user.strip(),
            address_sealed=seal(settings, address),
            password_sealed=seal(settings, password),
            always=always,
        )
        session.add(host)
        session.flush()
        number = demand_id(host.id)
    queue(store, number)
    return number


def queue(store: Store, host: int, over: bool = False, by: By = PERSON) -> int:
    """Hand it out now. `over`: also where somebody else has changed it there meanwhile."""
    return enqueue(store, JobKind.HAND_OUT, "Publishing a share", {"host": host, "over": over}, host, by)


#: What stands for a file that is not shown, whatever the host has answered.
_UNSEEN = 499


def _state(share: Share, revision: int) -> str:
    """Another one whenever a share may say something else."""
    fixed = share.fixed_at is not None
    return f"{share.changed_at}.{'' if fixed else revision}.{today_in(share.zone)}"


def _revision(connection: Connection, share: Share) -> int:
    own = None if share.filter else [CalendarId(number) for number in share.calendars]
    return revision_now(connection, own)


def queue_due(store: Store) -> None:
    """Queue what is to be handed out since something has changed."""
    with store.session() as session:
        hosts = [host for host in shares.hosts(session) if host.always]
        if not hosts:
            return
        share_by_id = {demand_id(share.id): share for share in shares.shares(session)}
        connection = session.connection()
        under_way = lanes_with(connection, JobKind.HAND_OUT, ("queued", "running"))
        due = []
        for host in hosts:
            share = share_by_id.get(host.share_id)
            pause = min(_PAUSE * 2**host.failures, _LONGEST) if host.failures else 0
            if share is None or (host.tried_at or 0) + pause > now() or JobKind.HAND_OUT.lane(host.id) in under_way:
                continue
            if host.seen != _state(share, _revision(connection, share)):
                due.append(demand_id(host.id))
    for number in due:
        queue(store, number, by=CLOCK)


@performs(JobKind.HAND_OUT)
def hand_out_job(context: JobContext) -> dict[str, object]:
    """Write a form of a share to its host."""
    store, settings = context.store, context.settings
    with store.session() as session:
        host = session.get(ShareHost, int(context.params["host"]))
        share = session.get(Share, host.share_id) if host is not None else None
    if host is None or share is None or share.ended_at is not None:
        return {}
    plan, form = plan_of(share), Form(host.form)
    today = today_in(plan.zone)
    with store.read() as connection:
        state = _state(share, _revision(connection, share))
        content = content_of(connection, Ledger(store), plan, today)
    body = make(content, plan, form, today)
    digest = hashlib.sha256(body).hexdigest()
    if digest == host.digest and not host.trouble:
        _note(store, host, seen=state, tried_at=now(), failures=0)
        return {"same": True}
    _note(store, host, sending=digest)
    try:
        answer = _put(context, settings, host, body, FORMATS[form].media, bool(context.params.get("over")))
    except Unreachable as error:
        _note(store, host, trouble=error.message, failures=host.failures + 1, tried_at=now())
        raise
    trouble = _trouble(answer, host)
    if trouble:
        _note(store, host, trouble=trouble, failures=host.failures + 1, tried_at=now())
        raise CannotShare(trouble)
    outcome = f"{len(content.entries):,} entries, {len(body):,} bytes"
    _note(
        store,
        host,
        outcome=outcome,
        trouble="",
        failures=0,
        tried_at=now(),
        done_at=now(),
        digest=digest,
        seen=state,
        etag=answer.etag,
    )
    return {"bytes": len(body)}


def _put(context: JobContext, settings: Settings, host: ShareHost, body: bytes, media: str, over: bool) -> Answer:
    """Write only over what was written from here, or where there is nothing: what is there is looked at first, since
    some hosts have no ETags and others do not heed conditions."""
    address, password = unseal(settings, host.address_sealed), unseal(settings, host.password_sealed)
    headers = {"Content-Type": media}
    with open_web(settings, host.user, password, [origin_of(address)], context.check) as web:
        if over:
            return web.request("PUT", address, body, headers)
        there = web.request("GET", address)
        if there.status in (404, 410):
            return web.request("PUT", address, body, headers | {"If-None-Match": "*"})
        if there.status != 200:
            return replace(there, status=_UNSEEN)
        digest = hashlib.sha256(there.body).hexdigest()
        if there.body == body:  # it was written the last time, and the answer was lost
            return there
        if digest not in {host.digest, host.sending} - {""} and not (host.etag and there.etag == host.etag):
            return replace(there, status=412)
        return web.request("PUT", address, body, headers | ({"If-Match": there.etag} if there.etag else {}))


def _trouble(answer: Answer, host: ShareHost) -> str:
    name = host_of(host.host)
    if answer.status in (200, 201, 204):
        return ""
    if answer.status == 412:
        return (
            f"Somebody else changed the file on {name} since it was published. It was not overwritten."
            if host.digest
            else f"There is a file at that address on {name} already. It was not overwritten."
        )
    if answer.status == _UNSEEN:
        return (
            f"{name} does not show what is at that address, so its owner is unknown. It was not overwritten. Let"
            " the file be read there, or publish over it once."
        )
    if answer.status in (403, 405):
        return (
            f"{name} does not allow writing there ({answer.status}). Ask who runs it for an address one can write to."
        )
    if answer.status in (404, 409):
        return f"{name} has no such folder ({answer.status}). Make it there first, or choose another address."
    if answer.status in (413, 507):
        return f"{name} has no room for it ({answer.status})."
    return f"{name} did not take it ({answer.status})."


def _note(store: Store, host: ShareHost, **values: object) -> None:
    with store.write() as connection:
        shares.change_host(connection, demand_id(host.id), **values)
