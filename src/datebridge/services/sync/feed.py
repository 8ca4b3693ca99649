"""Where a feed is refreshed: compared as a whole, and held back where it would lose very much."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from hashlib import blake2b
from itertools import islice

from datebridge.connect.connector import Whole
from datebridge.connect.feed import interval
from datebridge.connect.origins import origin_of
from datebridge.core.changes import By, Change, Details, Item, Kind, Policy, Reconciler, State, Verdict, identity_of
from datebridge.core.checks import examine
from datebridge.core.ids import CalendarId, SetId, VersionId
from datebridge.core.index.derive import digest_of
from datebridge.core.keeping import substance
from datebridge.core.text.component import Component
from datebridge.core.text.headers import Description, described, description_of
from datebridge.core.text.reader import Reader
from datebridge.core.text.source import open_bytes
from datebridge.core.zones.meaning import Zones
from datebridge.services.accounts.connecting import AccountConnection
from datebridge.services.accounts.secrets import seal
from datebridge.services.sync.absorb import Counts
from datebridge.settings import Settings
from datebridge.store.accounts import note_address, switched_on
from datebridge.store.calendars import header_of
from datebridge.store.changesets.apply import apply_within, discard_within, set_state
from datebridge.store.changesets.draft import Staging, propose
from datebridge.store.database import Connection, Store
from datebridge.store.entries.present import present, texts_of
from datebridge.store.entries.versions import VersionWriter
from datebridge.store.entries.zones import zones_of
from datebridge.store.remotes import note
from datebridge.store.sql import chunks
from datebridge.store.tables import Remote

#: A refresh that loses more than this share of the entries is asked about.
HELD_SHARE = 0.2
#: Feeds with fewer entries than this may lose what they like.
_FEW = 5
_BATCH = 1_000


@dataclass(slots=True)
class _Comparison:
    """A feed's content beside the calendar's entries in force."""

    store: Store
    calendar: CalendarId
    staging: Staging = field(default_factory=Staging)
    changes: list[Change] = field(default_factory=list)
    counts: Counts = field(default_factory=Counts)
    total: int = 0
    _here: Reconciler[None, VersionId] = field(init=False)
    _zones: Zones = field(init=False)

    def __post_init__(self) -> None:
        with self.store.read() as connection:
            self._zones = zones_of(connection, self.calendar)
            there = [item for item in present(connection, self.calendar) if item.identity.component != "VTIMEZONE"]
        self._here = Reconciler(there, Policy.FOLLOW)
        self.total = self._here.total

    def read(self, reader: Reader, report: Callable[[int], None]) -> None:
        components = (component for component in reader if component.name != "VCALENDAR")
        differing: list[tuple[str, str]] = []
        done = 0
        while batch := list(islice(components, _BATCH)):
            # What is unchanged is seen by its text alone; its facts need not be read.
            differing += [(c.name, c.text) for c in batch if self._here.same(digest_of(c.text)) is None]
            done += len(batch)
            report(done)
        for some in chunks(self._telling(differing), _BATCH):
            with self.store.write() as connection:
                self.staging.begin(connection, self.store.claim)
                writer = VersionWriter(connection)
                for name, text in some:
                    self._one(writer, name, text)
                writer.flush()
        for met in self._here.left():
            if met.present is not None:
                component, uid, recurrence_id = met.present.identity
                self._add(met.verdict, component, uid, recurrence_id, met.present.key, None)

    def _telling(self, coming: list[tuple[str, str]]) -> list[tuple[str, str]]:
        """Those that say something that is not here yet.

        Some publishers write when an entry was rewritten at each fetch, or give it another UID each time: what says
        the same is the same, once for each.
        """
        left = [met.present for met in self._here.left() if met.present is not None] if coming else []
        here: dict[bytes, dict[str, list[Item[VersionId]]]] = defaultdict(lambda: defaultdict(list))
        for some in chunks(left, _BATCH):
            with self.store.read() as connection:
                texts = texts_of(connection, [item.key for item in some])
            for item in some:
                here[substance(texts[item.key])][item.identity.uid].append(item)
        telling = []
        for name, text in coming:
            alike = here.get(substance(text))
            if not alike:
                telling.append((name, text))
                continue
            uid = _uid_of(text)
            uid = uid if uid in alike else next(iter(alike))
            self._here.answered(alike[uid].pop())
            if not alike[uid]:
                del alike[uid]
        return telling

    def _one(self, writer: VersionWriter, name: str, text: str) -> None:
        facts = examine(name, text, self._zones)
        if name == "VTIMEZONE":
            if facts.uid not in self._zones:
                self._zones.add(facts.uid, text)
                self.changes.append(Change(self.calendar, name, facts.uid, "", None, writer.add(facts, text)))
            return
        identity = identity_of(name, facts.uid, facts.recurrence_id, facts.digest)
        met = self._here.meet(Item(identity, facts.digest, None, facts.sequence, facts.modified))
        before = met.present.key if met.present is not None else None
        if met.verdict is not Verdict.SAME:
            self._add(met.verdict, name, facts.uid, facts.recurrence_id, before, writer.add(facts, text))

    def _add(
        self,
        verdict: Verdict,
        component: str,
        uid: str,
        recurrence_id: str,
        before: VersionId | None,
        after: VersionId | None,
    ) -> None:
        self.counts.count(verdict)
        recurrence_id = recurrence_id if uid else ""
        self.changes.append(Change(self.calendar, component, uid, recurrence_id, before, after))


def _uid_of(text: str) -> str:
    line = Component(text).first("UID")
    return line.value if line is not None else ""


def take_whole(
    store: Store,
    settings: Settings,
    line: AccountConnection,
    row: Remote,
    news: Whole,
    by: By,
    report: Callable[[int, int, str], None] | None,
) -> tuple[str, SetId | None]:
    """Bring the copy of a feed up to date; returns the outcome in words, and the batch if there is one."""
    remote, calendar = switched_on(row)
    if news.moved and line.web.signed_in and origin_of(news.moved) not in line.web.origins:
        news = replace(news, moved="")  # it is followed each time: its new place was not given the password
    if news.moved:
        with store.write() as connection:
            note_address(connection, line.account_id, seal(settings, news.moved))
    moved = " The feed has moved; the new address is used from now on." if news.moved else ""
    if news.data is None:
        return "nothing changed" + moved, None
    digest = blake2b(news.data, digest_size=16).hexdigest()
    held_set = SetId(row.held_set_id) if row.held_set_id is not None else None
    asked = row.held_digest == digest and not (held_set is not None and _was_applied(store, held_set))
    if asked:  # once is enough, also where the answer was to drop it
        return "Still held back: it would lose very much.", held_set
    comparison = _Comparison(store, calendar)
    try:
        reader = Reader(open_bytes(news.data))
        comparison.read(reader, lambda done: report(done, done + _BATCH, row.name) if report else None)
        first = comparison.total == 0 and row.refreshed_at is None
        held = comparison.total >= _FEW and comparison.counts.removed > HELD_SHARE * comparison.total
        with store.write() as connection:
            if held_set is not None:  # what was held back before is out of date now
                discard_within(connection, [held_set])
            set_id = _propose(connection, line, row, comparison, reader.header(0), by, first, held)
            comparison.staging.end(connection)
            note(
                connection,
                remote,
                published_every=interval(reader.header(0)),
                etag="" if held else news.etag,
                modified="" if held else news.modified,
                held_set_id=set_id if held else None,
                held_digest=digest if held else "",
                entries=None,
            )
            if set_id is not None and not held:
                apply_within(connection, set_id)
    except BaseException:
        comparison.staging.give_up(store)
        raise
    counts = comparison.counts
    if held:
        return f"Held back: {counts.removed:,} of {comparison.total:,} entries would be deleted.", set_id
    return (f"fetched {counts.added:,}" if first else counts.words()) + moved, set_id


def _propose(
    connection: Connection,
    line: AccountConnection,
    row: Remote,
    comparison: _Comparison,
    header_text: str,
    by: By,
    first: bool,
    held: bool,
) -> SetId | None:
    header = _header(connection, comparison.calendar, row, header_text, first)
    if header is None and not comparison.changes:
        return None
    counts = comparison.counts
    kind, title = Kind.PULL, f"From {line.account.name}, {row.name}: {counts.words()}"
    reason = "Published again."
    if first:
        kind, title = Kind.SUBSCRIBE, f"Subscribe to {row.name} ({line.account.name})"
        reason = "Mirrors the published feed."
    if held:
        reason = (
            f"Held back: the feed has lost {counts.removed:,} of {comparison.total:,} entries since the "
            "last refresh. Apply the proposal if this is right; discard it to keep the entries here."
        )
    with propose(connection, kind, by, title, reason, details=Details(read_only=True)) as draft:
        draft.add(*([header] if header else []), *comparison.changes)
    return draft.id


def _header(connection: Connection, calendar: CalendarId, row: Remote, header: str, first: bool) -> Change | None:
    """The feed's own calendar lines under the name the calendar has here."""
    there = header_of(connection, calendar)
    if there is not None and not first:
        return None
    description = description_of(header)
    text = described(header, Description(row.name, description.own_colour, description.zone, description.text))
    before, present_text = there or (None, None)
    if present_text == text:
        return None
    writer = VersionWriter(connection)
    version = writer.add_text("VCALENDAR", text)
    writer.flush()
    return Change(calendar, "VCALENDAR", "", "", before, version)


def _was_applied(store: Store, set_id: SetId) -> bool:
    with store.read() as connection:
        return set_state(connection, set_id) == State.APPLIED
