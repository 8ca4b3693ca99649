"""Carrying changes to servers: conditional, a few at a time, and so that a killed process does nothing twice.

A unit is one UID of one calendar, since a series is one object there. What is sent is the state in force now,
so several batches about one entry become one request. Each unit ends as carried, refused or collided; while its
end is not known it is *sending*, and a refusal to overwrite what turns out to be one's own is no collision.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from hashlib import blake2b
from typing import Any

from sqlalchemy import Connection

from datebridge.connect import dav
from datebridge.connect.caldav import CalDavServer, Resource, canonical
from datebridge.connect.errors import Unreachable
from datebridge.connect.http import Answer
from datebridge.core.index.derive import digest_of
from datebridge.core.index.objects import assemble, take_apart
from datebridge.core.invitations import silenced
from datebridge.services.accounts.connecting import Line, line_to, remote
from datebridge.services.jobs.jobs import JobContext, Refused, Stopped, enqueue, lane_of
from datebridge.services.sync import push_calendar
from datebridge.services.sync.pull import is_of_account, note_failure, passing, put_off, refresh, trouble_of
from datebridge.services.transfer.moving import finish_moves
from datebridge.settings import Settings
from datebridge.store.database import Store
from datebridge.store.entries.versions import bound, chunks, text_of
from datebridge.store.entries.zones import zones_of
from datebridge.store.jobs import ClaimLost, lanes_with
from datebridge.store.remotes import (
    PENDING,
    Known,
    forget_objects,
    in_force,
    keep_objects,
    known_by_uid,
    pending,
    unread_objects,
)
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
    """One UID to be carried: its entries as they are here, and the object as last seen there.

    `last` is the newest carriage it answers for: what is applied while it is under way waits for its turn.
    """

    uid: str
    texts: tuple[str, ...]
    versions: tuple[int, ...]
    known: Known | None
    tell: bool
    begun: bool
    last: int


@dataclass(frozen=True, slots=True)
class Outcome:
    """How a unit ended. An empty `etag` after carrying says that it has to be read back."""

    unit: Unit
    state: str
    message: str = ""
    href: str = ""
    etag: str = ""
    theirs: str = ""


def push_pending(store: Store, remotes: Sequence[int] | None = None) -> int | None:
    """Queue carrying what waits, one job an account, unless that is queued already; returns one of the jobs."""
    made = None
    with store.read() as connection:
        wanted = pending(connection)
        queued = lanes_with(connection, "push", ("queued",))
    for account, own in wanted.items():
        those = [remote_id for remote_id in own if remotes is None or remote_id in remotes]
        if those and lane_of(account) not in queued:
            made = enqueue(store, "push", "Carrying changes there", {"remotes": those}, lane_of(account))
    return made


def push_job(context: JobContext) -> dict[str, Any]:
    """Carry what waits. A server that cannot be reached keeps its changes waiting; the others go on."""
    out_of_reach: dict[int, str] = {}
    failed: list[str] = []
    counts: dict[str, int] = {}
    with context.store.read() as connection:
        waiting = {remote_id for own in pending(connection).values() for remote_id in own}
    for remote_id in [r for r in context.params["remotes"] if r in waiting]:
        row = remote(context.store, remote_id)
        if row.account_id in out_of_reach:
            note_failure(context.store, remote_id, out_of_reach[row.account_id])
            continue
        try:
            with line_to(context.store, context.settings, row.account_id, context.check) as line:
                carrier = Carrier(context.store, context.settings, line, row, context)
                for state, count in carrier.run().items():
                    counts[state] = counts.get(state, 0) + count
            if carrier.unread():
                refresh(context.store, context.settings, remote_id, read_back=True, check=context.check)
        except Stopped:
            put_off(context.store, context.settings, [remote_id])
            raise
        except Exception as error:
            message, of_account = trouble_of(error)
            failed.append(message)
            if of_account:
                out_of_reach[row.account_id] = message
            note_failure(context.store, remote_id, message, of_account and not passing(error))
    moved = finish_moves(context.store)
    if failed:
        raise Refused(" ".join(dict.fromkeys(failed)) + " What has not been carried waits and is tried again.")
    if moved:  # what they delete at their source is carried next
        push_pending(context.store)
    return counts


class Carrier:
    """Carries what waits for one calendar."""

    def __init__(
        self, store: Store, settings: Settings, line: Line, row: Remote, context: JobContext | None = None
    ) -> None:
        assert row.id is not None  # noqa: S101
        assert row.calendar_id is not None  # noqa: S101
        self.store, self.settings, self.line, self.row, self.context = store, settings, line, row, context
        self.remote: int = row.id
        self.calendar: int = row.calendar_id
        self.server: CalDavServer = line.server
        self.counts: dict[str, int] = {}
        self._last = 0

    def run(self) -> dict[str, int]:
        """Carry everything; returns how many units ended in which state.

        Raises:
            Exception: the first trouble there was. A server that cannot be reached is not asked for more; where only
                one answer was not of use, the others are carried first. What has not been carried waits on.
        """
        if not push_calendar.carry_calendar(self.store, self.line, self.row):
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
            left = connection.exec_driver_sql(
                f"SELECT count(DISTINCT uid) FROM carriage WHERE remote_id = ? AND state IN {PENDING}", (self.remote,)
            ).scalar_one()
        try:
            self.context.progress(done, done + left, "entries", self.row.name)
        except Stopped as stopped:
            raise Stopped(f"Stopped: {done:,} carried, {left:,} wait.") from stopped

    def _begin(self) -> list[Unit]:
        """The next units, marked as being sent before anything is."""
        with self.store.write() as connection:
            rows = connection.exec_driver_sql(
                "SELECT c.uid, max(c.state = 'sending'), max(coalesce(json_extract(s.details, '$.tell'), 0)),"
                " max(c.id), min(c.id)"
                " FROM carriage c JOIN change_set s ON s.id = c.set_id WHERE c.remote_id = ? AND c.kind = 'entry'"
                f" AND c.state IN {PENDING} GROUP BY c.uid HAVING min(c.id) > ? ORDER BY min(c.id) LIMIT {_CHUNK}",
                (self.remote, self._last),
            ).fetchall()
            uids = [row[0] for row in rows]
            self._last = rows[-1][4] if rows else self._last
            self._set(connection, ((row[0], row[3]) for row in rows), "sending")
            here = in_force(connection, self.calendar, uids)
            known = known_by_uid(connection, self.remote, uids)
            self.zones = zones_of(connection, self.calendar)
            ids = [e.id for entries in here.values() for e in entries]
            texts: dict[int, str] = {}
            for chunk in chunks(ids):
                texts.update(
                    (row[0], row[1])
                    for row in connection.exec_driver_sql(
                        f"SELECT id, text FROM version_text WHERE id IN ({bound(len(chunk))})", tuple(chunk)
                    )
                )
        return [
            Unit(uid, tuple(texts[e.id] for e in here.get(uid, [])), tuple(e.id for e in here.get(uid, [])),
                 known.get(uid), bool(tell), bool(begun), last)
            for uid, begun, tell, last, _ in rows
        ]  # fmt: skip

    # ---- one request -----------------------------------------------------------------------------

    def _send(self, unit: Unit) -> Outcome:
        known = unit.known
        if known is not None and known.etag and unit.versions and set(known.versions) == set(unit.versions):
            return Outcome(unit, "carried", "", known.href, known.etag)
        if known is not None and not known.etag:  # what is there has yet to be read back
            there = self.server.get(known.href)
            if there.data is None and not there.gone:
                return self._withheld(unit, known.href, there)
            if there.data is not None and not unit.begun and not self._ours(there.data, known):
                return self._collided(unit, known.href, there)
            known = known._replace(etag=there.etag) if there.data is not None else None
        if not unit.texts:
            return self._delete(unit, known)
        texts = unit.texts if known is not None or unit.tell else tuple(silenced(text) for text in unit.texts)
        href = known.href if known is not None else self._new_href(unit.uid)
        data = assemble(texts, self.zones.items())
        answer = self.server.put(href, data, known.etag if known is not None else "")
        if answer.status in (200, 201, 204):
            return Outcome(unit, "carried", "", href, answer.etag if texts == unit.texts else "")
        if answer.status == 412:
            return self._collision(unit, href, texts)
        return Outcome(unit, "refused", self._reason(answer), href)

    def _delete(self, unit: Unit, known: Known | None) -> Outcome:
        if known is None:
            return Outcome(unit, "carried")
        answer = self.server.delete(known.href, known.etag)
        if answer.status in (200, 202, 204, 404, 410):
            return Outcome(unit, "carried")
        if answer.status == 412:
            there = self.server.get(known.href)
            if there.gone:
                return Outcome(unit, "carried")
            if there.data is None:
                return self._withheld(unit, known.href, there)
            return self._collided(unit, known.href, there)
        return Outcome(unit, "refused", self._reason(answer), known.href)

    def _collision(self, unit: Unit, href: str, texts: tuple[str, ...]) -> Outcome:
        """What is there instead: one's own earlier writing whose answer was lost, or somebody else's change."""
        there = self.server.get(href)
        if there.data is None and not there.gone:
            return self._withheld(unit, href, there)
        if there.data is None:
            return Outcome(unit, "collided", "It was deleted there meanwhile.", href)
        found = take_apart(there.data)
        if found.uid != unit.uid and unit.known is None:  # the name is somebody else's; take another one
            href = self._new_href(f"{unit.uid}\n{found.uid}")
            answer = self.server.put(href, assemble(texts, self.zones.items()), "")
            if answer.status in (200, 201, 204):
                return Outcome(unit, "carried", "", href, "")
            return Outcome(unit, "refused", self._reason(answer), href)
        theirs = {(f.component, f.recurrence_id): text for f, text in found.entries}
        mine = {
            (f.component, f.recurrence_id): text for f, text in take_apart(assemble(texts, self.zones.items())).entries
        }
        if found.uid == unit.uid and theirs.keys() == mine.keys():
            if all(digest_of(theirs[key]) == digest_of(mine[key]) for key in mine):
                return Outcome(unit, "carried", "", href, there.etag if texts == unit.texts else "")
            if unit.begun and all(_kept_of(theirs[key], mine[key]) for key in mine):
                return Outcome(unit, "carried", "", href, "")
        return self._collided(unit, href, there)

    def _collided(self, unit: Unit, href: str, there: Resource) -> Outcome:
        theirs = (there.data or b"").decode("utf-8", "replace")
        return Outcome(unit, "collided", "It was changed there meanwhile.", href, there.etag, theirs)

    def _withheld(self, unit: Unit, href: str, there: Resource) -> Outcome:
        """It is there, and is not handed out: whether it may be written over cannot be known."""
        why = f"{self.line.account.name} does not hand out what is there now ({there.status})."
        return Outcome(unit, "refused", why, href)

    def _ours(self, data: bytes, known: Known) -> bool:
        """Whether what is there is what was written from here last, or what the server kept of it."""
        found = take_apart(data).entries
        with self.store.read() as connection:
            written = [text_of(connection, version) for version in known.versions]
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
            gone = [o.unit.known.href for o in outcomes if o.state == "carried" and not o.unit.texts and o.unit.known]
            forget_objects(connection, self.remote, gone)
            keep_objects(
                connection, self.remote,
                (Known(o.href, o.unit.uid, o.etag, o.unit.versions) for o in outcomes
                 if o.state == "carried" and o.unit.texts),
            )  # fmt: skip
            for outcome in outcomes:
                self.counts[outcome.state] = self.counts.get(outcome.state, 0) + 1
            # What stands there unknown to us is looked at again, whatever is decided.
            unknown = [o for o in outcomes if o.state == "collided" and o.theirs and o.unit.known is None]
            keep_objects(connection, self.remote, (Known(o.href, o.unit.uid, "", ()) for o in unknown))
            carried = [o.unit for o in outcomes if o.state == "carried"]
            self._set(connection, ((unit.uid, unit.last) for unit in carried), "carried")
            self._settle(connection, [unit.uid for unit in carried])
            for o in outcomes:
                if o.state != "carried":
                    connection.exec_driver_sql(
                        "UPDATE carriage SET state = ?, message = ?, theirs = ?, theirs_etag = ? WHERE remote_id = ?"
                        " AND kind = 'entry' AND uid = ? AND state = 'sending'",
                        (o.state, o.message, o.theirs, o.etag if o.theirs else "", self.remote, o.unit.uid),
                    )

    def _set(self, connection: Connection, units: Iterable[tuple[str, int]], state: str) -> None:
        rows = [(state, self.remote, uid, last) for uid, last in units]
        if rows:
            connection.exec_driver_sql(
                "UPDATE carriage SET state = ?, message = '' WHERE remote_id = ? AND kind = 'entry' AND uid = ?"
                f" AND id <= ? AND state IN {PENDING}",
                rows,
            )

    def _settle(self, connection: Connection, uids: list[str]) -> None:
        """What waited for a decision about an entry is past deciding once a later batch has been carried."""
        for chunk in chunks(uids):
            connection.exec_driver_sql(
                "UPDATE carriage SET state = 'dropped', message = 'A later batch was carried.' WHERE remote_id = ?"
                f" AND kind = 'entry' AND state IN ('refused', 'collided') AND uid IN ({bound(len(chunk))})",
                (self.remote, *chunk),
            )


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
