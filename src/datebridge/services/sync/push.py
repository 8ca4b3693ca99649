"""Pushing changes to servers: conditional, a few at a time, and so that a killed process does nothing twice.

A unit is one UID of one calendar, since a series is one object there. What is sent is the state in force now,
so several batches about one entry become one request. Each unit ends as pushed, refused or is in conflict; while its
end is not known it is *sending*, and a refusal to overwrite what turns out to be one's own is no conflict.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import suppress
from functools import partial
from typing import Any, NamedTuple

from datebridge.connect.caldav import Resource
from datebridge.connect.errors import Unreachable
from datebridge.connect.http import Answer
from datebridge.core.ids import AccountId, JobId, PushId, RemoteId, VersionId
from datebridge.core.job_kinds import JobKind
from datebridge.core.keeping import contents, dropped, entries_in, fingerprint
from datebridge.core.language.plural import counted
from datebridge.core.objects import take_apart
from datebridge.services.accounts.connecting import AccountConnection, connected_to
from datebridge.services.jobs.jobs import JobContext, Refused, Stopped, performs
from datebridge.services.sync import push_calendar
from datebridge.services.sync.holding import objects_holding
from datebridge.services.sync.pull import failed, is_temporary, pause_of, refresh, trouble_of
from datebridge.services.sync.sending import Outcome, Plain, Sender, Unit
from datebridge.settings import Settings
from datebridge.store.accounts import put_off, remote, switched_on, went_through
from datebridge.store.changesets.apply import follow_up
from datebridge.store.database import Connection, Store
from datebridge.store.entries.following import become
from datebridge.store.entries.present import present_by_uid, texts_of, uids_of
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
from datebridge.store.remotes import KnownObject, forget_objects, keep_objects, note, unread_objects
from datebridge.store.tables import Remote

_CHUNK = 256
#: How many objects that were read back are kept for the refresh that takes them over; the rest is asked for again.
_MOST_KEPT = 20_000
#: Of so many objects a piece is learned what the server leaves out.
_MOST_LOOKED = 20
#: After so many failures in a row no more is sent to a calendar for now.
_STRIKES = 5


def push_pending(store: Store, remotes: Sequence[RemoteId] | None = None) -> JobId | None:
    """Queue pushing what waits, one job an account, unless that is queued already; returns one of the jobs."""
    with store.read() as connection:
        if not pending(connection):
            return None
    with store.write() as connection:
        return queue_pushes(connection, remotes)


@performs(JobKind.PUSH)
def push_job(context: JobContext) -> dict[str, Any]:
    """Push what waits. A server that cannot be reached keeps its changes waiting; the others go on."""
    out_of_reach: dict[AccountId, tuple[str, float]] = {}
    troubles: list[str] = []
    counts: dict[str, int] = {}
    reasons: list[str] = []
    with context.store.read() as connection:
        waiting = {remote_id for own in pending(connection).values() for remote_id in own}
        # What was written before this job was restarted may not have been read back.
        waiting.update(RemoteId(r) for r in context.params["remotes"] if unread_objects(connection, RemoteId(r)))
    for remote_id in [RemoteId(r) for r in context.params["remotes"] if r in waiting]:
        row = remote(context.store, remote_id)
        account = AccountId(row.account_id)
        if account in out_of_reach:
            message, pause = out_of_reach[account]
            failed(context.store, remote_id, message, pause=pause)
            continue
        try:
            with connected_to(context.store, context.settings, account, context.check) as line:
                pusher = Pusher(context.store, context.settings, line, row, context)
                own = pusher.run()
                for state, count in own.items():
                    counts[state] = counts.get(state, 0) + count
                reasons += [why for why, _ in pusher.reasons.most_common(2)]
                if own.get(PushState.PUSHED):
                    went_through(context.store, account)
            if pusher.unread():
                refresh(
                    context.store,
                    context.settings,
                    remote_id,
                    check=context.check,
                    by=context.by,
                    read_back=pusher.fetched,
                )
        except Stopped:
            put_off(context.store, [remote_id], context.settings.refresh_every)
            raise
        except Exception as error:
            message, of_account = trouble_of(error)
            troubles.append(message)
            if of_account:
                out_of_reach[account] = message, pause_of(error)
            failed(context.store, remote_id, message, of_account and not is_temporary(error), pause_of(error))
    with context.store.write() as connection:
        follow_up(connection)
    refused = counts.get(PushState.REFUSED, 0)
    if refused and not troubles and not counts.get(PushState.PUSHED):
        why = " ".join(dict.fromkeys(reasons))
        raise Refused(f"{counted(refused, 'change was', 'changes were')} refused. {why}".strip())
    if troubles:
        raise Refused(" ".join(dict.fromkeys(troubles)) + " Remaining changes are pending and are tried again.")
    return counts


class _Sent(NamedTuple):
    """Units under way: those that one request writes, with the answers as they come, and the others."""

    plain: list[Plain]
    answers: list[Answer | Exception | None]
    together: Future[None]
    others: list[Future[Outcome]]


class Pusher:
    """Pushes what waits for one calendar."""

    def __init__(
        self, store: Store, settings: Settings, line: AccountConnection, row: Remote, context: JobContext | None = None
    ) -> None:
        self.store, self.settings, self.line, self.row, self.context = store, settings, line, row, context
        self.remote, self.calendar = switched_on(row)
        self.sender = Sender(store, line, row)
        self.counts: dict[str, int] = {}
        self.fetched: dict[str, Resource] = {}
        self.reasons: Counter[str] = Counter()
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
        self.sender.row = self.row = remote(self.store, self.remote)
        done = 0
        unexpected: Exception | None = None
        strikes = 0
        with ThreadPoolExecutor(max_workers=self.line.web.connections) as pool:
            sent = self._submit(pool, self._begin())
            while sent is not None:
                ahead = self._submit(pool, self._begin())  # so that no connection waits for the book-keeping
                outcomes: list[Outcome] = []
                trouble: Exception | None = None
                for ended in self._ended(pool, sent):
                    try:
                        outcomes.append(ended())
                    except (Stopped, ClaimLost) as error:  # raised once what did end has been noted
                        trouble = error
                    except Exception as error:
                        unexpected = unexpected or error
                        strikes += not (isinstance(error, Unreachable) and error.trouble == "locked")
                        if (isinstance(error, Unreachable) and error.of_account) or strikes >= _STRIKES:
                            trouble = trouble or error
                    else:
                        strikes = 0
                self._record(outcomes)
                self._read_back(outcomes)
                done += len(outcomes)
                if trouble is not None:
                    self._record(self._finished(ahead))
                    raise trouble
                self._report(done)
                sent = ahead
        if unexpected is not None:
            raise unexpected
        return self.counts

    def _submit(self, pool: ThreadPoolExecutor, units: list[Unit]) -> _Sent | None:
        """Begin sending; what one request writes goes together, without a thread for each."""
        if not units:
            return None
        plain: list[Plain] = []
        others: list[Future[Outcome]] = []
        for unit in units:
            one = self.sender.plain(unit)
            if one is None:
                others.append(pool.submit(self.sender.send, unit))
            else:
                plain.append(one)
        answers: list[Answer | Exception | None] = [None] * len(plain)
        return _Sent(plain, answers, self.line.web.begin_many([one.asked for one in plain], answers), others)

    def _ended(self, pool: ThreadPoolExecutor, sent: _Sent) -> Iterator[Callable[[], Outcome]]:
        """How each unit ended, once it has: to be called, and to raise what went wrong."""
        try:
            self.line.web.finish(sent.together)
        except (Stopped, ClaimLost) as error:
            yield _raising(error)
        further: list[Future[Outcome]] = []
        for one, answer in zip(sent.plain, sent.answers, strict=True):
            if answer is None:  # it was not sent any more
                continue
            if self.sender.is_written(answer):
                yield partial(self.sender.answered, one, answer)
            else:
                further.append(pool.submit(self.sender.answered, one, answer))
        for future in (*further, *sent.others):
            yield future.result

    def _finished(self, sent: _Sent | None) -> list[Outcome]:
        """What did end of requests that were under way when another failed."""
        if sent is None:
            return []
        with suppress(Exception):
            self.line.web.finish(sent.together)
        written = [
            self.sender.answered(one, answer)
            for one, answer in zip(sent.plain, sent.answers, strict=True)
            if answer is not None and self.sender.is_written(answer)
        ]
        return [*written, *(future.result() for future in sent.others if future.exception() is None)]

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
            self._last = due[-1].first if due else self._last
            self.sender.zones = zones_of(connection, self.calendar)
            return self._units(connection, due)

    def _units(self, connection: Connection, due: list[Due]) -> list[Unit]:
        """What is sent for UIDs that are due: mostly one object each.

        Some servers keep several objects of one UID, objects of several UIDs, or of none. Then each object is to hold
        what became of the very entries it held, and what belongs to none goes into the first of its UID.
        """
        uids = [one.uid for one in due]
        here = present_by_uid(connection, self.calendar, uids)
        holders = objects_holding(connection, self.remote, uids)
        wanted: list[tuple[Due, KnownObject | None, tuple[VersionId, ...]]] = []
        for one in due:
            items = [item.key for item in here.get(one.uid, [])]
            own = holders.get(one.uid, [])
            if one.uid and len(own) <= 1 and all(each.uid for each in own):
                wanted.append((one, own[0] if own else None, tuple(items)))
                continue
            parts = self._parts(connection, own, items)
            wanted += [(one, each, versions) for each, versions in parts]
        texts = texts_of(connection, (v for _, _, versions in wanted for v in versions))
        siblings = Counter(one.uid for one, _, _ in wanted)
        return [
            Unit(
                one.uid,
                self._texts(connection, one, each, versions, texts),
                versions,
                each,
                one.tell,
                one.begun,
                one.last,
                siblings[one.uid],
                one.seen,
                one.moved,
            )
            for one, each, versions in wanted
        ]

    @staticmethod
    def _texts(
        connection: Connection,
        due: Due,
        known: KnownObject | None,
        versions: tuple[VersionId, ...],
        texts: Mapping[VersionId, str],
    ) -> tuple[str, ...]:
        """What an object is to hold. Where somebody has decided about one UID of several in it, the others stay as they
        were seen there."""
        seen = take_apart(due.seen.encode()).entries if due.seen and known is not None and not known.uid else []
        if not any(facts.uid == due.uid for facts, _ in seen):
            return tuple(texts[v] for v in versions)
        uid_of = uids_of(connection, versions)
        own = [texts[v] for v in versions if uid_of.get(v) == due.uid]
        return (*own, *(text for facts, text in seen if facts.uid != due.uid))

    @staticmethod
    def _parts(
        connection: Connection, objects: list[KnownObject], items: list[VersionId]
    ) -> list[tuple[KnownObject | None, tuple[VersionId, ...]]]:
        """What each of several objects is to hold; what is in none of them comes last, as one more."""
        now = become(connection, {v for each in objects for v in each.versions})
        held = [(each, [now[v] for v in each.versions if v in now]) for each in objects]
        rest = [item for item in items if not any(item in versions for _, versions in held)]
        regular = next((versions for each, versions in held if each.uid), None)
        if regular is not None:
            regular += rest
        parts: list[tuple[KnownObject | None, tuple[VersionId, ...]]] = [(each, tuple(vs)) for each, vs in held]
        return parts if regular is not None or not (rest or not parts) else [*parts, (None, tuple(rest))]

    # ---- the end of it ---------------------------------------------------------------------------

    def _record(self, outcomes: list[Outcome]) -> None:
        with self.store.write() as connection:
            ended = [o for o in outcomes if o.state is PushState.PUSHED]
            forget_objects(
                connection,
                self.remote,
                [o.unit.known.href for o in ended if o.unit.known and o.href != o.unit.known.href],
            )
            keep_objects(
                connection,
                self.remote,
                (KnownObject(o.href, self._uid(o.unit), o.etag, o.unit.versions) for o in ended if o.unit.texts),
            )
            for outcome in outcomes:
                self.counts[outcome.state] = self.counts.get(outcome.state, 0) + 1
                self.reasons[outcome.message] += outcome.state is PushState.REFUSED
            # What is there and unknown to us is looked at again, whatever is decided.
            unknown = [o for o in outcomes if o.state == PushState.CONFLICT and o.theirs and o.unit.known is None]
            keep_objects(connection, self.remote, (KnownObject(o.href, o.unit.uid, "", ()) for o in unknown))
            well = Counter(o.unit.uid for o in ended)
            whole = {o.unit.uid: o.unit for o in ended if well[o.unit.uid] == o.unit.siblings}
            mark_up_to(connection, self.remote, ((unit.uid, unit.last) for unit in whole.values()), PushState.PUSHED)
            past_deciding(connection, self.remote, "entry", list(whole))
            for o in outcomes:
                if o.state is not PushState.PUSHED:
                    end_sending(connection, self.remote, o.unit.uid, o.state, o.message, o.theirs, o.etag)

    def _read_back(self, outcomes: list[Outcome]) -> None:
        """Look at once at what is there of what was written, where the server's answer does not say it.

        What is there as it was sent is known then. Of the rest is kept what the server made of it: nobody else can
        have had a hand in it yet. It is taken over by the refresh that follows.
        """
        doubtful = {o.href: o for o in outcomes if o.state is PushState.PUSHED and o.unit.texts and not o.etag}
        if not doubtful:
            return
        known_objects: list[KnownObject] = []
        drops, looked = set(self.row.drops.split()), 0
        for there in (resource for piece in self.line.server.fetch(self.row.url, list(doubtful)) for resource in piece):
            outcome = doubtful.get(there.href)
            if outcome is None or there.data is None:
                continue
            unit, kept = outcome.unit, entries_in(there.data)
            as_sent = contents(kept) == contents(outcome.sent)
            if not as_sent and (looked := looked + 1) <= _MOST_LOOKED:
                drops |= dropped(outcome.sent, kept)
            lasting = as_sent and outcome.sent == unit.texts and not unit.seen
            mark = "" if lasting else fingerprint(kept)
            if not lasting and len(self.fetched) < _MOST_KEPT:
                self.fetched[there.href] = there
            known_objects.append(
                KnownObject(there.href, self._uid(unit), there.etag if lasting else "", unit.versions, mark)
            )
        self.row.drops = " ".join(sorted(drops))
        with self.store.write() as connection:
            keep_objects(connection, self.remote, known_objects)
            note(connection, self.remote, drops=self.row.drops)

    @staticmethod
    def _uid(unit: Unit) -> str:
        """By which UID an object is known; "" where it holds several or none, as before."""
        return unit.known.uid if unit.known is not None else unit.uid


def _raising(error: Exception) -> Callable[[], Outcome]:
    def ended() -> Outcome:
        raise error

    return ended
