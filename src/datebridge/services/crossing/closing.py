"""Old calendars made read-only for everybody but their owner, where their server takes that; and opened again."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from datebridge.connect.access import access_of, set_access
from datebridge.connect.errors import Unreachable
from datebridge.core.changes import By
from datebridge.core.crossing.cutover import CutoverStep
from datebridge.core.ids import AccountId, CrossingId, JobId, RemoteId
from datebridge.core.job_kinds import JobKind
from datebridge.services.accounts.connecting import connected_to
from datebridge.services.jobs.jobs import JobContext, Refused, performs
from datebridge.store import cutover as stored
from datebridge.store.accounts import NotConnected, remote
from datebridge.store.database import Connection
from datebridge.store.jobs import add_job

#: People by their address at the server, each with whether they may write.
People = Sequence[tuple[str, bool]]
ACCESS = "access"


def close_sources(connection: Connection, crossing: CrossingId, remotes: Sequence[RemoteId], by: By) -> JobId:
    """Queue making calendars read-only; who could write them is kept at the step of the cutover that marks them."""
    params = {"crossing": crossing, "remotes": list(remotes)}
    return add_job(connection, JobKind.CLOSE, "Making the old calendars read-only", params, crossing, by)


def open_again(connection: Connection, crossing: CrossingId, before: Mapping[str, object], by: By) -> None:
    """Queue letting people write again who could before calendars were closed."""
    if access := before.get(ACCESS):
        params = {"crossing": crossing, "reopen": access}
        add_job(connection, JobKind.CLOSE, "Opening the old calendars again", params, crossing, by)


@performs(JobKind.CLOSE)
def close_job(context: JobContext) -> dict[str, object]:
    """Close calendars, or open them again; says which could not be."""
    crossing = CrossingId(context.params["crossing"])
    reopen = context.params.get("reopen")
    if reopen is not None:
        notes = [note for number, people in reopen.items() if (note := _set(context, RemoteId(int(number)), people)[1])]
        if notes:  # else people would stay shut out, and nobody would know
            raise Refused(" ".join(dict.fromkeys(notes)) + " Until then people can only read what they could write.")
        with context.store.write() as connection:
            return context.conclude(connection, {"notes": notes})
    with context.store.read() as connection:
        marked = stored.is_taken(connection, crossing, CutoverStep.MARK)  # or it was taken back before it came to this
    remotes = context.params["remotes"] if marked else []
    access: dict[str, People] = dict(context.params.get(ACCESS, {}))
    notes = []
    for number in remotes:
        if str(number) not in access:
            people, note = _people(context, RemoteId(number))
            notes += [note] if note else []
            if not any(writes for _, writes in people):
                continue
            access[str(number)] = people
            context.remember(**{ACCESS: access})  # killed after closing, it would take them all for readers
        closed = [(principal, False) for principal, _ in access[str(number)]]
        refused, note = _set(context, RemoteId(number), closed)
        notes += [note] if note else []
        if refused:
            del access[str(number)]
    with context.store.write() as connection:
        before = {ACCESS: access} if access else {}
        if not stored.amend_act(connection, crossing, CutoverStep.MARK, before, notes):
            open_again(connection, crossing, before, context.by)
        return context.conclude(connection, {"closed": len(access), "notes": notes})


def _people(context: JobContext, number: RemoteId) -> tuple[People, str]:
    """Who may read and write a calendar; and what has to be said where that cannot be known or changed."""
    row = remote(context.store, number)
    try:
        with connected_to(context.store, context.settings, AccountId(row.account_id), context.check) as line:
            people = access_of(line.server, row.url)
    except Unreachable as error:
        return (), error.message
    if people is None:
        return (), f"By hand: make “{row.name}” read-only; its server does not say who may write it."
    return [(one.principal, one.writes) for one in people], ""


def _set(context: JobContext, number: RemoteId, people: People) -> tuple[bool, str]:
    """Let people read or write a calendar: whether that was refused for good, and what has to be said of it."""
    try:
        row = remote(context.store, number)
        with connected_to(context.store, context.settings, AccountId(row.account_id), context.check) as line:
            taken = set_access(line.server, row.url, [(principal, writes) for principal, writes in people])
    except NotConnected as error:
        return True, str(error)
    except Unreachable as error:  # it may have been done all the same
        return False, error.message
    if taken:
        return False, ""
    return True, f"By hand: say who may write “{row.name}”; {line.account.name} takes it from nobody here."
