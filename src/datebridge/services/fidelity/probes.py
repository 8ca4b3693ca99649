"""Measuring what a server keeps: every feature written into a calendar made for that, read back, and taken away again.

Nobody is invited, and nothing else there is touched. Where the process is killed, the job is begun again at the next
start, and takes away first what is left of it.
"""

from __future__ import annotations

from collections.abc import Mapping

from datebridge.connect import dav
from datebridge.connect.declared import Declared, declared_by
from datebridge.connect.errors import Unreachable
from datebridge.core.accounts import reach_of
from datebridge.core.crossing.features import UID_TWICE, Verdict
from datebridge.core.crossing.fidelity import Measured
from datebridge.core.crossing.probing import NothingTaken, probe
from datebridge.core.ids import AccountId, JobId, RemoteId
from datebridge.core.job_kinds import JobKind
from datebridge.services.accounts.connecting import connected_to
from datebridge.services.fidelity.trying import Place, sweep
from datebridge.services.jobs import jobs
from datebridge.services.jobs.jobs import JobContext, Refused, performs
from datebridge.store import accounts as stored
from datebridge.store.accounts import NotConnected
from datebridge.store.database import Store
from datebridge.store.fidelity import keep_matrix

_WRITTEN = (200, 201, 204)
_NAME = (dav.DAV, "displayname")
_SECOND = "-second"


def measure(store: Store, account_id: AccountId, remote_id: RemoteId | None = None) -> JobId:
    """Queue measuring what an account keeps: in a calendar of its own, or in one there is.

    Raises:
        NotConnected: if there is no such account or calendar, or nothing can be written there.
    """
    account = stored.account(store, account_id)
    if not reach_of(account.kind).takes:
        raise NotConnected(f"{account.name} is a feed, which can only be read. There is nothing to measure.")
    if remote_id is not None:
        row = stored.remote(store, remote_id)
        if row.account_id != account_id or not row.writable:
            raise NotConnected(f"“{row.name}” is read-only. Choose a calendar of {account.name} that can be written.")
    params = {"account": account_id, "remote": remote_id}
    return jobs.enqueue(store, JobKind.PROBE, f"Measuring what {account.name} keeps", params, account_id)


@performs(JobKind.PROBE)
def probe_job(context: JobContext) -> dict[str, object]:
    """Measure what an account keeps; whatever is written is taken away, also where it is stopped."""
    store, account_id = context.store, AccountId(context.params["account"])
    remote_id = context.params.get("remote")
    with connected_to(store, context.settings, account_id, context.check) as line:
        try:
            sent_before = line.web.sent
            home = sweep(line, context.params.get("place", ""))
            place = Place(line, context, home)
            try:
                place.open(stored.remote(store, RemoteId(remote_id)).url if remote_id is not None else "")
                declared = declared_by(line.server, place.url)
                measured = _course(place, declared)
                if any(one.feature == UID_TWICE and one.verdict is Verdict.REFUSED for one in measured):
                    line.web.note("once-a-home")  # copies are told apart by that too
            except NothingTaken as error:
                raise Refused(f"{line.account.name} does not take a plain event in this calendar: {error}") from error
            finally:
                left = place.close()
        except Unreachable as error:
            raise Refused(error.message) from error
        requests = line.web.sent - sent_before
    with store.write() as connection:
        number = keep_matrix(connection, account_id, line.account.name, measured, in_words(declared), requests)
        result = {"matrix": number, "account": account_id, "requests": requests, "left": left}
        return context.conclude(connection, result)


def _course(place: Place, declared: Declared) -> list[Measured]:
    hints = {"limit-size": declared.max_size, "limit-attendees": declared.max_attendees}
    course = probe({name: limit for name, limit in hints.items() if limit})
    trials = next(course)
    while True:
        try:
            trials = course.send(place.tried(trials))
        except StopIteration as ended:
            measured: list[Measured] = ended.value
            return measured


def in_words(declared: Declared) -> dict[str, str]:
    """What a server declares, beside the feature that measures it."""
    limits: Mapping[str, str] = {
        "limit-size": f"at most {declared.max_size:,} bytes" if declared.max_size else "",
        "limit-attendees": f"at most {declared.max_attendees:,} attendees" if declared.max_attendees else "",
        "year-1890": f"nothing before {declared.first[:8]}" if declared.first else "",
        "year-2190": f"nothing after {declared.last[:8]}" if declared.last else "",
        "rule-endless": f"at most {declared.max_instances:,} occurrences" if declared.max_instances else "",
        "todo": _kind(declared, "VTODO", "to-dos"),
        "journal": _kind(declared, "VJOURNAL", "journals"),
        "attendees": "sends invitations by itself" if declared.schedules else "",
        "attachment-managed": "keeps attachments by itself" if declared.manages else "",
    }
    return {name: words for name, words in limits.items() if words}


def _kind(declared: Declared, kind: str, words: str) -> str:
    if not declared.kinds:
        return ""
    return f"takes {words}" if kind in declared.kinds else f"takes no {words}"
