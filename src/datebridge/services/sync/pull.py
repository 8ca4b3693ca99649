"""Refreshing: at first whole, then only what changed; what came in is a batch like any other."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import structlog
from sqlalchemy import Connection

from datebridge.connect.caldav import Delta, Listed
from datebridge.connect.errors import Unreachable
from datebridge.core.text.headers import Description, described, description_of, is_tint
from datebridge.services.accounts.connecting import Line, NotConnected, line_to, remote, remotes_of
from datebridge.services.accounts.secrets import KeyLost
from datebridge.services.jobs.jobs import JobContext, Refused, Stopped, enqueue, lane_of
from datebridge.services.sync.absorb import Absorber
from datebridge.services.sync.feed import refresh_feed
from datebridge.settings import Settings
from datebridge.store.changesets.logbook import CannotApply, Proposal, StoredChange
from datebridge.store.database import Store, is_full, now
from datebridge.store.entries.versions import add_text, text_of
from datebridge.store.jobs import ClaimLost
from datebridge.store.remotes import LONGEST_PAUSE, known_objects, unread_objects
from datebridge.store.tables import Account, Remote, demand_id

log = structlog.get_logger()
Report = Callable[[int, int, str], None]
_ATTEMPTS = 3
#: After a failure the next try comes after this, in seconds, then twice as long each time, at most a day.
_BACK_OFF = 60


@dataclass(frozen=True, slots=True)
class Refreshed:
    """What a refresh of one calendar came to."""

    remote_id: int
    name: str
    outcome: str
    set_id: int | None = None
    failed: bool = False


def queue_pulls(store: Store, verb: str, remote_ids: Sequence[int]) -> list[int]:
    """Queue refreshing calendars: one job an account, so that none waits for another; returns the jobs.

    Raises:
        NotConnected: if a calendar is not there any more.
    """
    rows = [remote(store, remote_id) for remote_id in remote_ids]
    made = []
    for account in dict.fromkeys(row.account_id for row in rows):
        own = [row for row in rows if row.account_id == account]
        what = own[0].name if len(own) == 1 else f"{len(own)} calendars"
        params = {"remotes": [demand_id(row.id) for row in own]}
        made.append(enqueue(store, "pull", f"{verb} {what}", params, lane_of(account)))
    return made


def pull_job(context: JobContext) -> dict[str, object]:
    """Refresh the calendars of a job. An account that cannot be reached is asked once and holds up no other."""
    wanted = [int(i) for i in context.params["remotes"]]
    results: list[Refreshed] = []
    out_of_reach: dict[int, str] = {}

    def report(done: int, total: int, name: str) -> None:
        context.progress(done, total, "entries", name)

    for remote_id in wanted:
        account = remote(context.store, remote_id).account_id
        if account in out_of_reach:
            results.append(note_failure(context.store, remote_id, out_of_reach[account]))
            continue
        try:
            results.append(refresh(context.store, context.settings, remote_id, report, check=context.check))
        except Stopped:
            put_off(context.store, context.settings, wanted)
            raise
        except Exception as error:
            message, of_account = trouble_of(error)
            if of_account:
                out_of_reach[account] = message
            results.append(note_failure(context.store, remote_id, message, of_account and not passing(error)))
    context.progress(1, 1, "entries")
    failed = [r for r in results if r.failed]
    if failed and len(failed) == len(results):
        raise Refused(failed[0].outcome)
    return {"results": [{"remote": r.remote_id, "name": r.name, "outcome": r.outcome, "set_id": r.set_id,
                         "failed": r.failed} for r in results]}  # fmt: skip


def passing(error: Exception) -> bool:
    """Whether it may well be over in a while."""
    return isinstance(error, Unreachable) and error.passing


def is_of_account(error: Unreachable) -> bool:
    """Whether it concerns everything of an account, not just what was asked."""
    return error.passing or error.trouble in ("password", "leaves", "plain", "certificate", "forbidden")


def trouble_of(error: Exception) -> tuple[str, bool]:
    """What went wrong with one calendar, in words, and whether it is the trouble of its whole account.

    Raises:
        Exception: the error itself, where it is not the other end's doing: a full disk, a claim that was lost.
    """
    if isinstance(error, Unreachable):
        return error.message, is_of_account(error)
    if isinstance(error, KeyLost):
        return str(error), True
    if isinstance(error, CannotApply | NotConnected):
        return str(error), False
    if isinstance(error, ClaimLost) or is_full(error):
        raise error
    log.exception("what came from elsewhere was not understood")
    return "What it answers cannot be understood. What was there before is kept; the log says more.", False


def refresh(
    store: Store, settings: Settings, remote_id: int, report: Report | None = None, read_back: bool = False,
    check: Callable[[], None] | None = None,
) -> Refreshed:  # fmt: skip
    """Bring the copy of one calendar up to what is there now; `read_back`: just after having written there.

    Raises:
        Unreachable: if its other end cannot be asked; the copy stays as it was, or follows as far as it could.
    """
    row = remote(store, remote_id)
    if row.calendar_id is None:
        return Refreshed(remote_id, row.name, "It is not switched on.")
    with line_to(store, settings, row.account_id, check) as line:
        if line.account.kind == "server" and not row.url:
            return Refreshed(remote_id, row.name, "It has yet to be made there.")
        for attempt in range(_ATTEMPTS):
            row = remote(store, remote_id)
            try:
                if line.account.kind == "feed":
                    outcome, set_id = refresh_feed(store, settings, line, row, report)
                else:
                    outcome, set_id = _Refresh(store, line, row, report).run(read_back)
                break
            except CannotApply:  # somebody changed an entry here meanwhile
                if attempt == _ATTEMPTS - 1:
                    raise
    with store.writing_session() as session:
        fresh = session.get(Remote, remote_id)
        account = session.get(Account, row.account_id)
        assert fresh is not None  # noqa: S101
        assert account is not None  # noqa: S101
        usual = settings.feed_every if line.account.kind == "feed" else settings.refresh_every
        fresh.refreshed_at, fresh.outcome = now(), outcome
        fresh.next_at = now() + max(fresh.every or usual, fresh.published_every)
        fresh.trouble, fresh.failed_since, fresh.failures = "", None, 0
        account.trouble, account.trouble_since = "", None
        name = fresh.name
    return Refreshed(remote_id, name, outcome, set_id)


def put_off(store: Store, settings: Settings, remotes: Sequence[int]) -> None:
    """What somebody stopped is not begun again at once."""
    with store.writing_session() as session:
        for remote_id in remotes:
            row = session.get(Remote, remote_id)
            if row is not None and (row.next_at is None or row.next_at <= now()):
                row.next_at = now() + settings.refresh_every


def note_failure(store: Store, remote_id: int, message: str, locked: bool = False) -> Refreshed:
    """Keep what was last good, say since when and why it is not refreshed, and wait longer each time."""
    with store.writing_session() as session:
        row = session.get(Remote, remote_id)
        if row is None:
            return Refreshed(remote_id, "", message, None, True)
        row.trouble = message
        row.failed_since = row.failed_since or now()
        row.next_at = now() + min(LONGEST_PAUSE, _BACK_OFF * 2 ** min(row.failures, 12))
        row.failures += 1
        account = session.get(Account, row.account_id)
        if account is not None and locked:
            account.trouble, account.trouble_since = message, account.trouble_since or now()
        return Refreshed(remote_id, row.name, message, None, True)


class _Refresh:
    """The refresh of one calendar on a server."""

    def __init__(self, store: Store, line: Line, row: Remote, report: Report | None) -> None:
        assert row.id is not None  # noqa: S101
        assert row.calendar_id is not None  # noqa: S101
        self.store, self.line, self.row, self.report = store, line, row, report
        self.server = line.server
        self.remote: int = row.id
        self.calendar: int = row.calendar_id

    def run(self, read_back: bool) -> tuple[str, int | None]:
        state = self.server.state(self.row.url)
        with self.store.read() as connection:
            unread = unread_objects(connection, self.remote)
            header = connection.exec_driver_sql(
                "SELECT id FROM entry WHERE calendar_id = ? AND component = 'VCALENDAR'", (self.calendar,)
            ).scalar()
        first = not self.row.token and not self.row.tag and header is None
        delta = self._delta(state)
        absorber = Absorber(self.store, self.row)
        if delta is not None or unread:
            self._fetch(absorber, delta, unread)
        absorber.settle()
        counts = absorber.found.counts
        missed = absorber.found.missed
        host = self.line.account.name
        if first:
            proposal = Proposal(f"Switch on {state.name} ({host})", "subscribe",
                                "A true copy: it follows what is there.")  # fmt: skip
        elif read_back and counts.changed and not (counts.added or counts.removed):
            noun = "entry" if counts.changed == 1 else "entries"
            proposal = Proposal(f"{host} rewrote {counts.changed:,} {noun} of {state.name} as it took them", "pull",
                                "What it keeps was read back and is not all that was sent.")  # fmt: skip
        else:
            proposal = Proposal(f"From {host}, {state.name}: {counts.words()}", "pull", "Changed there.")
        if not state.writable:
            proposal.details["read_only"] = True
        # What could not be had is asked for again: the server is told that one knows as much as before.
        tag, token = (self.row.tag, self.row.token) if missed else (state.tag, (delta.token if delta else ""))
        with self.store.write() as connection:
            change = self._header(connection, header, state)
            set_id = absorber.conclude(connection, proposal, change)
            connection.exec_driver_sql(
                "UPDATE remote SET tag = ?, token = ?, name = ?, colour = ?, colour_space = ?, description = ?,"
                " zone = ?, syncs = ?, writable = ? WHERE id = ?",
                (tag, token or self.row.token, state.name,
                 state.colour, state.colour_space, state.description, state.zone, state.syncs, state.writable,
                 self.remote),
            )  # fmt: skip
            connection.exec_driver_sql("UPDATE calendar SET writable = ? WHERE id = ?", (state.writable, self.calendar))
        if missed:
            raise Unreachable("answer", _missed(host, missed))
        return (f"fetched {counts.added:,}" if first else counts.words()), set_id

    def _delta(self, state: Listed) -> Delta | None:
        """What to look at; None where the server's tag or token says that nothing changed."""
        if self.row.syncs or state.syncs:
            if self.row.token and state.token == self.row.token:
                return None
            return self.server.changes(self.row.url, self.row.token)
        if state.tag and state.tag == self.row.tag:
            return None
        return Delta(self.server.etags(self.row.url), (), "", True)

    def _fetch(self, absorber: Absorber, delta: Delta | None, unread: list[str]) -> None:
        changed = delta.changed if delta is not None else {}
        with self.store.read() as connection:
            known = known_objects(connection, self.remote, None if delta and delta.whole else changed)
        wanted = [href for href, etag in changed.items() if href not in known or known[href].etag != etag]
        wanted = list(dict.fromkeys([*wanted, *unread]))
        done = 0
        if delta is not None:
            absorber.take_gone(delta.gone if not delta.whole else [href for href in known if href not in changed])
        for piece in self.server.fetch(self.row.url, wanted):
            absorber.take(piece)
            done += len(piece)
            if self.report:
                self.report(done, len(wanted), self.row.name)

    def _header(self, connection: Connection, header: int | None, state: Listed) -> StoredChange | None:
        """The calendar's own lines, where the server says something else than the copy does."""
        if (
            header is not None
            and connection.exec_driver_sql(
                "SELECT 1 FROM carriage WHERE remote_id = ? AND kind = 'calendar' AND state <> 'carried'",
                (self.remote,),
            ).first()
        ):
            return None  # one's own change to it is on its way
        there = (state.name, state.colour, state.description, state.zone)
        if header is not None and there == (self.row.name, self.row.colour, self.row.description, self.row.zone):
            return None
        before = text_of(connection, header) if header is not None else ""
        tint = state.colour.lower() if is_tint(state.colour.lower()) else description_of(before).tint
        after = described(before, Description(state.name, tint, state.zone, state.description))
        if after == before:
            return None
        return StoredChange(
            self.calendar, "", "", header, add_text(connection, "VCALENDAR", after), "As its server has it."
        )


def _missed(host: str, missed: Counter[int]) -> str:
    """What could not be had, and why: ``Lantern does not hand out 2 of its entries (500).``"""
    number = missed.total()
    why = ", ".join(f"{status}" if status else "it passes them over" for status in sorted(missed))
    what = "one of its entries" if number == 1 else f"{number:,} of its entries"
    return f"{host} does not hand out {what} just now ({why}). Until it does, nothing is taken for removed there."


def due(connection: Connection, settings: Settings) -> list[int]:
    """Calendars whose time to be refreshed has come, or has never been set.

    A time further ahead than a calendar's interval is due too: the clock was set back since.
    """
    rows = connection.exec_driver_sql(
        "SELECT r.id, r.next_at, r.failures, max(coalesce(nullif(r.every, 0),"
        " CASE a.kind WHEN 'feed' THEN ? ELSE ? END), r.published_every) FROM remote r"
        " JOIN calendar k ON k.id = r.calendar_id JOIN account a ON a.id = r.account_id"
        " WHERE NOT a.gone AND (a.kind = 'feed' OR r.url <> '') ORDER BY r.next_at",
        (settings.feed_every, settings.refresh_every),
    )
    moment = now()
    return [
        number
        for number, next_at, failures, every in rows
        if next_at is None or next_at <= moment or next_at > moment + max(every, LONGEST_PAUSE if failures else 0)
    ]


def all_on(store: Store, account_id: int) -> list[int]:
    return [row.id for row in remotes_of(store, account_id, only_on=True) if row.id is not None]
