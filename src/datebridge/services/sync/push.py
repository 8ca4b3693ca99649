"""Pushing changes to servers: conditional, a few at a time, and so that a killed process does nothing twice.

A unit is one UID of one calendar, since a series is one object there. What is sent is the state in force now,
so several batches about one entry become one request. Each unit ends as pushed, refused or is in conflict; while its
end is not known it is *sending*, and a refusal to overwrite what turns out to be one's own is no conflict.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from hashlib import blake2b
from typing import Any

from datebridge.connect import dav
from datebridge.connect.caldav import CalDavServer, Resource, canonical
from datebridge.connect.errors import Unreachable
from datebridge.connect.http import Answer
from datebridge.core.changes import Item
from datebridge.core.ids import AccountId, JobId, PushId, RemoteId, VersionId
from datebridge.core.index.derive import digest_of
from datebridge.core.invitations import silenced
from datebridge.core.objects import assemble, take_apart
from datebridge.services.accounts.connecting import Line, line_to
from datebridge.services.jobs.jobs import JobContext, Refused, Stopped
from datebridge.services.sync import push_calendar
from datebridge.services.sync.pull import failed, is_of_account, passing, refresh, trouble_of
from datebridge.settings import Settings
from datebridge.store.accounts import put_off, remote, switched_on
from datebridge.store.changesets.apply import follow_up
from datebridge.store.database import Store
from datebridge.store.entries.present import present_by_uid, texts_of
from datebridge.store.entries.zones import zones_of
from datebridge.store.jobs import ClaimLost
from datebridge.store.pushes import (
    Due,
    PushState,
    count_waiting,
    end_sending,
    mark_up_to,
    next_due,
    past_deciding,
    pending,
    queue_pushes,
)
from datebridge.store.remotes import Known, forget_objects, keep_objects, known_by_uid, unread_objects
from datebridge.store.tables import Remote

_CHUNK = 256
_SAFE = re.compile(r"[A-Za-z0-9._@-]{1,120}\Z")
#: Refusals named by their precondition (RFC 4791 §5.3.2.1, RFC 4331), in plain words.
_REASONS = {
    "no-uid-conflict": "An entry with this UID is in another calendar there already.",
    "valid-calendar-data": "It is not valid there.",
    "valid-calendar-object-resource": "It is not valid there.",
    "supported-calendar-component": "This calendar does not take entries of this kind.",
    "max-resource-size": "It is too large.",
    "need-privileges": "You may not write this calendar.",
    "quota-not-exceeded": "There is no room left.",
    "max-attendees-per-instance": "It has too many attendees.",
    "min-date-time": "It lies too far in the past.",
    "max-date-time": "It lies too far in the future.",
}


@dataclass(frozen=True, slots=True)
class Unit:
    """One UID to be pushed: its entries as they are here, and the object as last seen there.

    `last` is the newest push it answers for: what is applied while it is under way waits for its turn.
    """

    uid: str
    texts: tuple[str, ...]
    versions: tuple[VersionId, ...]
    known: Known | None
    tell: bool
    begun: bool
    last: PushId


@dataclass(frozen=True, slots=True)
class Outcome:
    """How a unit ended. An empty `etag` after pushing says that it has to be read back."""

    unit: Unit
    state: PushState
    message: str = ""
    href: str = ""
    etag: str = ""
    theirs: str = ""


def push_pending(store: Store, remotes: Sequence[RemoteId] | None = None) -> JobId | None:
    """Queue pushing what waits, one job an account, unless that is queued already; returns one of the jobs."""
    with store.read() as connection:
        if not pending(connection):
            return None
    with store.write() as connection:
        return queue_pushes(connection, remotes)


def push_job(context: JobContext) -> dict[str, Any]:
    """Push what waits. A server that cannot be reached keeps its changes waiting; the others go on."""
    out_of_reach: dict[AccountId, str] = {}
    troubles: list[str] = []
    counts: dict[str, int] = {}
    with context.store.read() as connection:
        waiting = {remote_id for own in pending(connection).values() for remote_id in own}
    for remote_id in [RemoteId(r) for r in context.params["remotes"] if r in waiting]:
        row = remote(context.store, remote_id)
        account = AccountId(row.account_id)
        if account in out_of_reach:
            failed(context.store, remote_id, out_of_reach[account])
            continue
        try:
            with line_to(context.store, context.settings, account, context.check) as line:
                pusher = Pusher(context.store, context.settings, line, row, context)
                for state, count in pusher.run().items():
                    counts[state] = counts.get(state, 0) + count
            if pusher.unread():
                refresh(context.store, context.settings, remote_id, read_back=True, check=context.check, by=context.by)
        except Stopped:
            put_off(context.store, [remote_id], context.settings.refresh_every)
            raise
        except Exception as error:
            message, of_account = trouble_of(error)
            troubles.append(message)
            if of_account:
                out_of_reach[account] = message
            failed(context.store, remote_id, message, of_account and not passing(error))
    with context.store.write() as connection:
        follow_up(connection)
    if troubles:
        raise Refused(" ".join(dict.fromkeys(troubles)) + " What has not been pushed waits and is tried again.")
    return counts


class Pusher:
    """Pushes what waits for one calendar."""

    def __init__(
        self, store: Store, settings: Settings, line: Line, row: Remote, context: JobContext | None = None
    ) -> None:
        self.store, self.settings, self.line, self.row, self.context = store, settings, line, row, context
        self.remote, self.calendar = switched_on(row)
        self.server: CalDavServer = line.server
        self.counts: dict[str, int] = {}
        self._last = PushId(0)

    def run(self) -> dict[str, int]:
        """Push everything; returns how many units ended in which state.

        Raises:
            Exception: the first trouble there was. A server that cannot be reached is not asked for more; where only
                one answer was not of use, the others are pushed first. What has not been pushed waits on.
        """
        if not push_calendar.push_calendar(self.store, self.line, self.row):
            push_calendar.hold_entries(self.store, self.remote)
            return self.counts
        self.row = remote(self.store, self.remote)
        done = 0
        odd: Exception | None = None
        with ThreadPoolExecutor(max_workers=self.line.web.connections) as pool:
            sent = self._submit(pool, self._begin())
            while sent:
                ahead = self._submit(pool, self._begin())  # so that no connection waits for the book-keeping
                outcomes: list[Outcome] = []
                trouble: Exception | None = None
                for future in sent:
                    try:
                        outcomes.append(future.result())
                    except (Stopped, ClaimLost) as error:  # raised once what did end has been noted
                        trouble = error
                    except Exception as error:
                        if isinstance(error, Unreachable) and is_of_account(error):
                            trouble = trouble or error
                        odd = odd or error
                self._record(outcomes)
                done += len(outcomes)
                if trouble is not None:
                    self._record(_finished(ahead))
                    raise trouble
                self._report(done)
                sent = ahead
        if odd is not None:
            raise odd
        return self.counts

    def _submit(self, pool: ThreadPoolExecutor, units: list[Unit]) -> list[Future[Outcome]]:
        return [pool.submit(self._send, unit) for unit in units]

    def unread(self) -> bool:
        with self.store.read() as connection:
            return bool(unread_objects(connection, self.remote))

    def _report(self, done: int) -> None:
        if self.context is None:
            return
        with self.store.read() as connection:
            left = count_waiting(connection, self.remote)
        try:
            self.context.progress(done, done + left, "entries", self.row.name)
        except Stopped as stopped:
            raise Stopped(f"Stopped: {done:,} pushed, {left:,} wait.") from stopped

    def _begin(self) -> list[Unit]:
        """The next units, marked as being sent before anything is."""
        with self.store.write() as connection:
            due = next_due(connection, self.remote, self._last, _CHUNK)
            uids = [one.uid for one in due]
            self._last = due[-1].first if due else self._last
            here = present_by_uid(connection, self.calendar, uids)
            known = known_by_uid(connection, self.remote, uids)
            self.zones = zones_of(connection, self.calendar)
            texts = texts_of(connection, (item.key for items in here.values() for item in items))
        return [self._unit(one, here.get(one.uid, []), texts, known.get(one.uid)) for one in due]

    @staticmethod
    def _unit(due: Due, here: list[Item[VersionId]], texts: dict[VersionId, str], known: Known | None) -> Unit:
        versions = tuple(item.key for item in here)
        return Unit(due.uid, tuple(texts[v] for v in versions), versions, known, due.tell, due.begun, due.last)

    # ---- one request -----------------------------------------------------------------------------

    def _send(self, unit: Unit) -> Outcome:
        known = unit.known
        if known is not None and known.etag and unit.versions and set(known.versions) == set(unit.versions):
            return Outcome(unit, PushState.PUSHED, "", known.href, known.etag)
        if known is not None and not known.etag:  # what is there has yet to be read back
            there = self.server.get(known.href)
            if there.data is None and not there.gone:
                return self._withheld(unit, known.href, there)
            if there.data is not None and not unit.begun and not self._ours(there.data, known):
                return self._in_conflict(unit, known.href, there)
            known = known._replace(etag=there.etag) if there.data is not None else None
        if not unit.texts:
            return self._delete(unit, known)
        texts = unit.texts if known is not None or unit.tell else tuple(silenced(text) for text in unit.texts)
        href = known.href if known is not None else self._new_href(unit.uid)
        data = assemble(texts, self.zones.items(), self.zones.rulings)
        answer = self.server.put(href, data, known.etag if known is not None else "")
        if answer.status in (200, 201, 204):
            return Outcome(unit, PushState.PUSHED, "", href, answer.etag if texts == unit.texts else "")
        if answer.status == 412:
            return self._conflict(unit, href, texts)
        return Outcome(unit, PushState.REFUSED, self._reason(answer), href)

    def _delete(self, unit: Unit, known: Known | None) -> Outcome:
        if known is None:
            return Outcome(unit, PushState.PUSHED)
        answer = self.server.delete(known.href, known.etag)
        if answer.status in (200, 202, 204, 404, 410):
            return Outcome(unit, PushState.PUSHED)
        if answer.status == 412:
            there = self.server.get(known.href)
            if there.gone:
                return Outcome(unit, PushState.PUSHED)
            if there.data is None:
                return self._withheld(unit, known.href, there)
            return self._in_conflict(unit, known.href, there)
        return Outcome(unit, PushState.REFUSED, self._reason(answer), known.href)

    def _conflict(self, unit: Unit, href: str, texts: tuple[str, ...]) -> Outcome:
        """What is there instead: one's own earlier writing whose answer was lost, or somebody else's change."""
        there = self.server.get(href)
        if there.data is None and not there.gone:
            return self._withheld(unit, href, there)
        if there.data is None:
            return Outcome(unit, PushState.CONFLICT, "It was deleted there meanwhile.", href)
        found = take_apart(there.data)
        if found.uid != unit.uid and unit.known is None:  # the name is somebody else's; take another one
            href = self._new_href(f"{unit.uid}\n{found.uid}")
            answer = self.server.put(href, assemble(texts, self.zones.items(), self.zones.rulings), "")
            if answer.status in (200, 201, 204):
                return Outcome(unit, PushState.PUSHED, "", href, "")
            return Outcome(unit, PushState.REFUSED, self._reason(answer), href)
        theirs = {(f.component, f.recurrence_id): text for f, text in found.entries}
        own = take_apart(assemble(texts, self.zones.items(), self.zones.rulings))
        mine = {(f.component, f.recurrence_id): text for f, text in own.entries}
        if found.uid == unit.uid and theirs.keys() == mine.keys():
            if all(digest_of(theirs[key]) == digest_of(mine[key]) for key in mine):
                return Outcome(unit, PushState.PUSHED, "", href, there.etag if texts == unit.texts else "")
            if unit.begun and all(_kept_of(theirs[key], mine[key]) for key in mine):
                return Outcome(unit, PushState.PUSHED, "", href, "")
        return self._in_conflict(unit, href, there)

    def _in_conflict(self, unit: Unit, href: str, there: Resource) -> Outcome:
        theirs = (there.data or b"").decode("utf-8", "replace")
        return Outcome(unit, PushState.CONFLICT, "It was changed there meanwhile.", href, there.etag, theirs)

    def _withheld(self, unit: Unit, href: str, there: Resource) -> Outcome:
        """It is there, and is not handed out: whether it may be written over cannot be known."""
        why = f"{self.line.account.name} does not hand out what is there now ({there.status})."
        return Outcome(unit, PushState.REFUSED, why, href)

    def _ours(self, data: bytes, known: Known) -> bool:
        """Whether what is there is what was written from here last, or what the server kept of it."""
        found = take_apart(data).entries
        with self.store.read() as connection:
            written = list(texts_of(connection, known.versions).values())
        return len(found) == len(written) and all(any(_kept_of(text, mine) for mine in written) for _, text in found)

    def _new_href(self, uid: str) -> str:
        name = uid if _SAFE.match(uid) else blake2b(uid.encode(), digest_size=16).hexdigest()
        return canonical(f"{self.row.url.rstrip('/')}/{name}.ics")

    def _reason(self, answer: Answer) -> str:
        host = self.line.account.name
        name, words = dav.condition(answer.body)
        if answer.status == 507:
            return f"{host} has no room left (507)."
        if answer.status in (404, 409) and not name:
            return f"{host} does not have this calendar any more."
        plain = _REASONS.get(name, "")
        said = words if words and words != plain else ""
        return f"{host}: {' '.join(x for x in (plain, said) if x) or 'it gives no reason'} ({answer.status})"

    # ---- the end of it ---------------------------------------------------------------------------

    def _record(self, outcomes: list[Outcome]) -> None:
        with self.store.write() as connection:
            gone = [
                o.unit.known.href for o in outcomes if o.state == PushState.PUSHED and not o.unit.texts and o.unit.known
            ]
            forget_objects(connection, self.remote, gone)
            keep_objects(
                connection, self.remote,
                (Known(o.href, o.unit.uid, o.etag, o.unit.versions) for o in outcomes
                 if o.state == PushState.PUSHED and o.unit.texts),
            )  # fmt: skip
            for outcome in outcomes:
                self.counts[outcome.state] = self.counts.get(outcome.state, 0) + 1
            # What stands there unknown to us is looked at again, whatever is decided.
            unknown = [o for o in outcomes if o.state == PushState.CONFLICT and o.theirs and o.unit.known is None]
            keep_objects(connection, self.remote, (Known(o.href, o.unit.uid, "", ()) for o in unknown))
            pushed = [o.unit for o in outcomes if o.state is PushState.PUSHED]
            mark_up_to(connection, self.remote, ((unit.uid, unit.last) for unit in pushed), PushState.PUSHED)
            past_deciding(connection, self.remote, "entry", [unit.uid for unit in pushed])
            for o in outcomes:
                if o.state is not PushState.PUSHED:
                    end_sending(connection, self.remote, o.unit.uid, o.state, o.message, o.theirs, o.etag)


def _finished(futures: list[Future[Outcome]]) -> list[Outcome]:
    """What did end of requests that were under way when another failed."""
    return [future.result() for future in futures if future.exception() is None]


def _kept_of(theirs: str, mine: str) -> bool:
    """Whether theirs is mine with lines left out: what a server that drops some properties made of it."""
    left = mine.split("\n")
    for line in theirs.split("\n"):
        if line.startswith("DTSTAMP"):
            continue
        if line not in left:
            return False
        left.remove(line)
    return True
