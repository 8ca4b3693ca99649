"""Refreshing: at first whole, then only what changed; what came in is a batch like any other."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

import structlog

from datebridge.connect.caldav import FETCH, LAGS, CalDavServer, Resource, withheld
from datebridge.connect.connector import Objects, RemoteState
from datebridge.connect.errors import Unreachable
from datebridge.connect.homes import ListedCalendar
from datebridge.core.changes import PERSON, By, Change, Kind
from datebridge.core.errors import CannotDo
from datebridge.core.ids import RemoteId, SetId, VersionId
from datebridge.core.job_kinds import JobKind
from datebridge.core.language.plural import counted
from datebridge.core.text.headers import Description, described, description_of, is_css_colour
from datebridge.services.accounts.connecting import AccountConnection, connected_to
from datebridge.services.accounts.secrets import KeyLost
from datebridge.services.jobs.jobs import JobContext, Refused, Stopped, performs
from datebridge.services.sync.absorb import Absorber, Incoming, rewrote
from datebridge.services.sync.feed import take_whole
from datebridge.settings import Settings
from datebridge.store.accounts import note_failure, note_success, put_off, remote, switched_on
from datebridge.store.calendars import header_of, set_writable
from datebridge.store.changesets.draft import CannotApply
from datebridge.store.database import Connection, Store, is_full
from datebridge.store.entries.versions import VersionWriter
from datebridge.store.jobs import ClaimLost
from datebridge.store.pushes import is_header_on_its_way
from datebridge.store.remotes import KnownObject, known_objects, note, unread_objects
from datebridge.store.sql import chunks
from datebridge.store.tables import Remote

log = structlog.get_logger()
Report = Callable[[int, int, str], None]
#: A calendar of so few entries is listed in two ways whenever it is listed.
_FEW = 1_000
_ATTEMPTS = 3
#: Why entries change after they were written.
_READ_BACK = "What it keeps was read back and is not all that was sent."


@dataclass(frozen=True, slots=True)
class Refreshed:
    """What a refresh of one calendar came to."""

    remote_id: RemoteId
    name: str
    outcome: str
    set_id: SetId | None = None
    failed: bool = False

    def as_dict(self) -> dict[str, object]:
        """As a job's result has it."""
        return {
            "remote": self.remote_id,
            "name": self.name,
            "outcome": self.outcome,
            "set_id": self.set_id,
            "failed": self.failed,
        }


@performs(JobKind.PULL)
def pull_job(context: JobContext) -> dict[str, object]:
    """Refresh the calendars of a job. An account that cannot be reached is asked once and holds up no other."""
    wanted = [RemoteId(i) for i in context.params["remotes"]]
    results: list[Refreshed] = []
    out_of_reach: dict[int, tuple[str, float]] = {}

    def report(done: int, total: int, name: str) -> None:
        context.progress(done, total, "entries", name)

    for remote_id in wanted:
        account = remote(context.store, remote_id).account_id
        if account in out_of_reach:
            message, pause = out_of_reach[account]
            results.append(failed(context.store, remote_id, message, pause=pause))
            continue
        try:
            results.append(
                refresh(context.store, context.settings, remote_id, report, check=context.check, by=context.by)
            )
        except Stopped:
            put_off(context.store, wanted, context.settings.refresh_every)
            raise
        except Exception as error:
            message, of_account = trouble_of(error)
            if of_account:
                out_of_reach[account] = message, pause_of(error)
            locked = of_account and not is_temporary(error)
            results.append(failed(context.store, remote_id, message, locked, pause_of(error)))
    context.progress(1, 1, "entries")
    if results and all(result.failed for result in results):
        raise Refused(results[0].outcome)
    return {"results": [result.as_dict() for result in results]}


def pause_of(error: Exception) -> float:
    """For how long the other system has asked to be left alone, in seconds."""
    return (error.retry_after or 0) if isinstance(error, Unreachable) else 0


def is_temporary(error: Exception) -> bool:
    """Whether it may well be over in a while."""
    return isinstance(error, Unreachable) and error.temporary


def trouble_of(error: Exception) -> tuple[str, bool]:
    """What went wrong with one calendar, in words, and whether it is the trouble of its whole account.

    Raises:
        Exception: the error itself, where it is not the other system's doing: a full disk, a claim that was lost.
    """
    if isinstance(error, Unreachable):
        return error.message, error.of_account
    if isinstance(error, CannotDo):
        return str(error), isinstance(error, KeyLost)
    if isinstance(error, ClaimLost) or is_full(error):
        raise error
    log.exception("what came from elsewhere was not understood")
    return "The answer cannot be understood. The entries here are kept; the log has the details.", False


def refresh(
    store: Store,
    settings: Settings,
    remote_id: RemoteId,
    report: Report | None = None,
    read_back: Mapping[str, Resource] | None = None,
    check: Callable[[], None] | None = None,
    by: By = PERSON,
) -> Refreshed:
    """Bring the copy of one calendar up to what is there now.

    Args:
        read_back: just after having written there; with what has been read of it already.

    Raises:
        Unreachable: if its other end cannot be asked; the copy stays as it was, or follows as far as it could.
    """
    row = remote(store, remote_id)
    if row.calendar_id is None:
        return Refreshed(remote_id, row.name, "It is not switched on.")
    with connected_to(store, settings, row.account_id, check) as line:
        if line.reach.takes and not row.url:
            return Refreshed(remote_id, row.name, "It has yet to be made there.")
        for attempt in range(_ATTEMPTS):
            row = remote(store, remote_id)
            seen = RemoteState(row.tag, row.token, row.syncs, row.etag, row.modified)
            news = line.connector.news(row.url, seen)
            try:
                if isinstance(news, Objects):
                    outcome, set_id = _Refresh(store, line, row, by, report).run(news, read_back)
                else:
                    outcome, set_id = take_whole(store, settings, line, row, news, by, report)
                break
            except CannotApply:  # somebody changed an entry here meanwhile
                if attempt == _ATTEMPTS - 1:
                    raise
        usual = settings.usual_interval(line.account.kind)
    return Refreshed(remote_id, note_success(store, remote_id, outcome, usual), outcome, set_id)


def failed(store: Store, remote_id: RemoteId, message: str, locked: bool = False, pause: float = 0) -> Refreshed:
    """A refresh that came to nothing, noted; `pause`: for how long the other system wants to be left alone."""
    return Refreshed(remote_id, note_failure(store, remote_id, message, locked, pause), message, None, True)


class _Refresh:
    """The refresh of one calendar of objects."""

    def __init__(self, store: Store, line: AccountConnection, row: Remote, by: By, report: Report | None) -> None:
        self.store, self.line, self.row, self.by, self.report = store, line, row, by, report
        self.remote, self.calendar = switched_on(row)

    def run(self, news: Objects, read_back: Mapping[str, Resource] | None) -> tuple[str, SetId | None]:
        absorber = Absorber(self.store, self.row)
        try:
            return self._run(absorber, news, read_back)
        except BaseException:
            absorber.give_up()
            raise

    def _run(
        self, absorber: Absorber, news: Objects, read_back: Mapping[str, Resource] | None
    ) -> tuple[str, SetId | None]:
        with self.store.read() as connection:
            unread = unread_objects(connection, self.remote)
            header = header_of(connection, self.calendar)
        first = not self.row.token and not self.row.tag and header is None
        if news.delta is not None or unread:
            self._fetch(absorber, news, unread, read_back or {})
        absorber.resolve_deletions()
        self._note(absorber)
        counts, missed, state = absorber.found.counts, absorber.found.missed, news.state
        incoming = self._called(absorber, state, first, read_back is not None)
        # What could not be had is asked for again: the server is told that one knows as much as before.
        token = news.delta.token if news.delta else self.row.token
        tag, token = (self.row.tag, self.row.token) if missed else (state.tag, token)
        with self.store.write() as connection:
            set_id = absorber.conclude(connection, incoming, self._header(connection, header, state))
            note(
                connection,
                self.remote,
                tag=tag,
                token=token,
                name=state.name,
                colour=state.colour,
                colour_space=state.colour_space,
                description=state.description,
                zone=state.zone,
                syncs=state.syncs,
                writable=state.writable,
                components=",".join(state.components) or self.row.components,
                max_size=state.max_size,
            )
            set_writable(connection, self.calendar, state.writable)
        if missed:
            raise Unreachable("answer", _missed(self.line.account.name, missed, absorber.found.spared))
        return (f"fetched {counts.added:,}" if first else counts.words()), set_id

    def _note(self, absorber: Absorber) -> None:
        """What of the server's habits its entries show."""
        if any(not known_object.uid and known_object.versions for known_object in absorber.found.kept):
            self.line.web.note("lax")
        if absorber.found.renamed:
            self.line.web.note("renames")

    def _called(self, absorber: Absorber, state: ListedCalendar, first: bool, read_back: bool) -> Incoming:
        counts, host = absorber.found.counts, self.line.account.name
        kind, title, reason = Kind.PULL, f"From {host}, {state.name}: {counts.words()}", "Changed there."
        if first:
            kind, title = Kind.SUBSCRIBE, f"Switch on {state.name} ({host})"
            reason = "Mirrors the server."
        elif read_back and counts.changed and not (counts.added or counts.removed):
            title = rewrote(host, state.name, counts.changed)
            reason = _READ_BACK
        elif counts.added and counts.added == counts.removed == absorber.found.under_other_uids():
            title = f"{host} keeps {counted(counts.added, 'entry', 'entries')} of {state.name} under UIDs of its own"
            reason = _READ_BACK
        return Incoming(kind, title, reason, self.by, read_only=not state.writable)

    def _fetch(self, absorber: Absorber, news: Objects, unread: list[str], read: Mapping[str, Resource]) -> None:
        delta = news.delta
        changed = dict(delta.changed) if delta is not None else {}
        with self.store.read() as connection:
            objects = known_objects(connection, self.remote, None if delta and delta.whole else changed)
        gone = delta.gone if delta is not None else ()
        server = self.line.server
        if delta is not None and delta.whole:
            changed |= self._unlisted(server, changed, objects)
            gone = tuple(href for href in objects if href not in changed)
        wanted = [
            href for href, etag in changed.items() if href not in objects or not etag or objects[href].etag != etag
        ]
        wanted = list(dict.fromkeys([*wanted, *unread]))
        at_hand = [h for h in wanted if h in read and changed.get(h, read[h].etag) == read[h].etag]
        given = set(at_hand)
        wanted = [href for href in wanted if href not in given]
        done = 0
        absorber.take_gone(gone)
        for some in chunks(at_hand, FETCH):
            absorber.take(read[href] for href in some)
        for piece in server.fetch(self.row.url, wanted):
            # What has just been listed is not gone: whoever says so may lag behind, and is asked again later.
            absorber.take(
                replace(resource, status=LAGS) if resource.gone and resource.href in changed else resource
                for resource in piece
            )
            done += len(piece)
            if self.report:
                self.report(done, len(wanted), self.row.name)

    def _unlisted(
        self, server: CalDavServer, listed: dict[str, str], objects: dict[str, KnownObject]
    ) -> dict[str, str]:
        """What is there although a listing of everything does not name it.

        The whole is asked for in a second way where that costs next to nothing, the first time, and where a listing
        shows nothing new although something is. Else each entry that is not listed any more is asked for: a listing
        that was cut short without a word is no reason to remove anything.
        """
        missing = [href for href in objects if href not in listed]
        news = missing or any(href not in objects or objects[href].etag != etag for href, etag in listed.items())
        there = server.queried(self.row.url) if len(listed) <= _FEW or not objects or not news else None
        if there is None:
            there = server.still_there(self.row.url, missing) if missing else {}
            if there:
                there |= server.queried(self.row.url) or {}
        if any(href not in listed for href in there):
            self.line.web.note("short-listings")
        return {
            href: etag or objects[href].etag if href in objects else etag
            for href, etag in there.items()
            if href not in listed
        }

    def _header(
        self, connection: Connection, header: tuple[VersionId, str] | None, state: ListedCalendar
    ) -> Change | None:
        """The calendar's own lines, where the server says something else than the copy does."""
        if header is not None and is_header_on_its_way(connection, self.remote):
            return None  # one's own change to it
        there = (state.name, state.colour, state.description, state.zone)
        if header is not None and there == (self.row.name, self.row.colour, self.row.description, self.row.zone):
            return None
        before, text = header or (None, "")
        own_colour = state.colour.lower() if is_css_colour(state.colour.lower()) else description_of(text).own_colour
        after = described(text, Description(state.name, own_colour, state.zone, state.description))
        if after == text:
            return None
        writer = VersionWriter(connection)
        version = writer.add_text("VCALENDAR", after)
        writer.flush()
        return Change(self.calendar, "VCALENDAR", "", "", before, version, "As on its server.")


def _missed(host: str, missed: Counter[int], spared: int) -> str:
    """What could not be had, and why: ``Lantern does not hand out 2 of its entries (500).``"""
    why = ", ".join(map(withheld, sorted(missed)))
    what = "one of its entries" if missed.total() == 1 else f"{missed.total():,} of its entries"
    kept = f" {spared:,} that are not listed any more may be among them and are kept, too." if spared else ""
    return f"{host} does not hand out {what} just now ({why}). The copies here are kept.{kept}"
