"""Reconciling: two calendars compared, and one made as the other is, of a kind at once or pair by pair."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from typing import Literal, NamedTuple

from datebridge.clock import now
from datebridge.core.changes import Change, Kind
from datebridge.core.checks import examine
from datebridge.core.comparing import Difference, PairedEntries, reconcile
from datebridge.core.editing.carrying import Carrying
from datebridge.core.ids import CalendarId, VersionId
from datebridge.core.invitations import silenced
from datebridge.core.job_kinds import JobKind
from datebridge.core.language.plural import counted
from datebridge.core.moments import Clock
from datebridge.core.occurrences.expanding import Bounds, clock_of
from datebridge.core.text.component import Component
from datebridge.core.zones.meaning import Zones
from datebridge.services.jobs.jobs import JobContext, Refused, performs
from datebridge.store import comparisons
from datebridge.store.calendars import names
from datebridge.store.changesets.draft import Draft, propose
from datebridge.store.comparisons import PairFilter, PairRow
from datebridge.store.database import Store
from datebridge.store.entries.occurrences import clocks_of
from datebridge.store.entries.present import texts_of
from datebridge.store.entries.versions import VersionWriter
from datebridge.store.entries.zones import zones_of
from datebridge.store.sql import chunks, revision_now

#: Which side is made as the other is.
Side = Literal["left", "right"]
_AT_ONCE = 500
_TEXTS = 5_000
#: What nobody asked for is looked at over a year before and after now.
_YEAR = 366 * 86_400
_NOTHING = "There is no difference any more."


# ---- comparing --------------------------------------------------------------------------------------------


@performs(JobKind.COMPARE)
def compare_job(context: JobContext) -> dict[str, object]:
    """Compare two calendars, and keep what was found."""
    parameters, store = context.params, context.store
    left, right = CalendarId(parameters["left"]), CalendarId(parameters["right"])
    with store.read() as connection:
        there = names(connection, live=True)
        revision = revision_now(connection)
    if left not in there or right not in there:
        raise Refused("One of these calendars no longer exists.")
    pairs, cut = _compared(context, left, right, parameters["low"], parameters["high"])
    with store.write() as connection:
        number = comparisons.keep(connection, left, right, parameters["low"], parameters["high"], pairs, revision)
        return context.conclude(connection, {"comparison": number, "cut": cut})


def _compared(
    context: JobContext, left: CalendarId, right: CalendarId, low: int, high: int
) -> tuple[list[PairedEntries[VersionId]], int]:
    """The pairs, and of how many series not all times were compared."""
    store = context.store
    with store.read() as connection:
        one, other = comparisons.items_in(connection, left), comparisons.items_in(connection, right)
        clocks = clocks_of(connection, (left, right))
    context.check()

    def read(keys: Collection[VersionId]) -> Mapping[VersionId, str]:
        texts: dict[VersionId, str] = {}
        for some in chunks(keys, _TEXTS):
            with store.read() as connection:
                texts.update(texts_of(connection, some))
            context.check()
        return texts

    bounds = Bounds(left=1_000_000)
    pairs = reconcile(one, other, read, low, high, clocks=clocks, bounds=bounds)
    return pairs, len(bounds.cut)


@performs(JobKind.SEASONS)
def seasons_job(context: JobContext) -> dict[str, object]:
    """Find what agrees with its counterpart in another calendar for a part of the year only."""
    store, moment = context.store, now()
    with store.read() as connection:
        revision = revision_now(connection)
        likely = comparisons.likely(connection)
    seasons = []
    for number, (left, right) in enumerate(likely):
        context.progress(number, len(likely), "pairs of calendars")
        pairs, _ = _compared(context, left, right, moment - _YEAR, moment + _YEAR)
        off = [pair for pair in pairs if pair.misreading is not None and pair.verdict in ("season", "both", "moved")]
        seasons.append((left, right, off))
    with store.write() as connection:
        comparisons.drop_automatic(connection)
        for left, right, off in seasons:
            if any(pair.verdict == "season" for pair in off):
                comparisons.keep(connection, left, right, moment - _YEAR, moment + _YEAR, off, revision, found=True)
        comparisons.note_looked(connection, revision)
        return context.conclude(connection, {"off": sum(len(off) for _, _, off in seasons)})


class Told(NamedTuple):
    """A pair compared occurrence by occurrence, with the titles of its entries."""

    row: PairRow
    differences: list[Difference]
    same: int
    zones: tuple[str, str]
    clocks: tuple[Clock | None, Clock | None]


def occurrences_of(store: Store, number: int) -> Told | None:
    """How the occurrences of a pair differ, looked at now; None where it is kept no more."""
    with store.read() as connection:
        row = comparisons.pair(connection, number)
        if row is None:
            return None
        asked = comparisons.comparison(connection, row.comparison)
        if asked is None:
            return None
        sides = [comparisons.items_of(connection, ids) for ids in (row.left_ids, row.right_ids)]
        clocks = clocks_of(connection, (asked.left, asked.right))
        # What is paired by what it says goes by one UID here.
        left, right = ([item._replace(uid="1", calendar=n) for item in items] for n, items in enumerate(sides))
        texts = texts_of(connection, [*row.left_ids, *row.right_ids])
    pairs = reconcile(left, right, lambda keys: texts, asked.low, asked.high, clocks=clocks, match=False)
    first = [next((item.timed for item in items if item.timed is not None), None) for items in sides]
    one, other = (timed.tzid if timed is not None else "" for timed in first)
    here, there = (clock_of(timed, clocks) if timed is not None else None for timed in first)
    differences = [difference for pair in pairs for difference in pair.differences]
    return Told(row, differences, sum(pair.same for pair in pairs), (one, other), (here, there))


# ---- making one as the other is ---------------------------------------------------------------------------


@dataclass(slots=True)
class _Making:
    """Makes entries of one side those of the other; `calendar` is the side that changes."""

    draft: Draft
    calendar: CalendarId
    source: CalendarId
    own: Zones
    theirs: Zones
    silent: int = 0
    carrying: Carrying = field(init=False)

    def __post_init__(self) -> None:
        self.carrying = Carrying(self.own, self.theirs)

    def add(self, writer: VersionWriter, rows: list[PairRow], to: Side) -> None:
        ids = [number for row in rows for number in (*row.left_ids, *row.right_ids)]
        texts = texts_of(writer.connection, ids)
        for row in rows:
            mine, theirs = (row.right_ids, row.left_ids) if to == "right" else (row.left_ids, row.right_ids)
            if texts.keys() >= {*mine, *theirs}:
                self._pair(writer, [(n, texts[n]) for n in mine], [(n, texts[n]) for n in theirs])

    def _pair(
        self, writer: VersionWriter, mine: list[tuple[VersionId, str]], theirs: list[tuple[VersionId, str]]
    ) -> None:
        had: defaultdict[tuple[str, str, str], list[tuple[VersionId, str]]] = defaultdict(list)
        for number, text in mine:
            facts = examine(Component(text).kind, text, self.own)
            had[facts.component, facts.uid, facts.recurrence_id].append((number, text))
        for _, text in theirs:
            text = self._prepared(text)
            facts = examine(Component(text).kind, text, self.carrying.there)
            place = facts.component, facts.uid, facts.recurrence_id
            stored_pair = had[place]
            same = next((at for at, (_, was) in enumerate(stored_pair) if was == text), None)
            if same is not None:
                stored_pair.pop(same)
                continue
            version = writer.add(facts, text)
            here = stored_pair.pop(0)[0] if stored_pair else None
            self.draft.add(Change(self.calendar, *place, here, version, "To match the other calendar."))
        for place, number in ((place, number) for place, some in had.items() for number, _ in some):
            self.draft.add(Change(self.calendar, *place, number, None, "Not in the other calendar."))

    def _prepared(self, text: str) -> str:
        text = self.carrying.carried(text)
        if "ATTENDEE" in text.upper() and Component(text).first("ATTENDEE") is not None:
            self.silent += 1
            return silenced(text)
        return text

    def zones(self, writer: VersionWriter) -> None:
        """Definitions go along that are not here."""
        for tzid, definition in sorted(self.carrying.wanted.items()):
            version = writer.add_text("VTIMEZONE", definition)
            self.draft.add(Change(self.calendar, "VTIMEZONE", tzid, "", None, version))


@performs(JobKind.ADJUST)
def adjust_job(context: JobContext) -> dict[str, object]:
    """Propose making one side as the other is: some pairs, or all that are asked for."""
    parameters, store = context.params, context.store
    to: Side = parameters["to"]
    with store.read() as connection:
        comparison = comparisons.comparison(connection, parameters["comparison"])
        if comparison is None:
            raise Refused("This comparison no longer exists. Compare again.")
        _, rows = comparisons.page(connection, comparison.id, PairFilter(*parameters["asked"]), 0, None)
        here, there = (comparison.right, comparison.left) if to == "right" else (comparison.left, comparison.right)
        own, theirs = zones_of(connection, here), zones_of(connection, there)
        called = names(connection)
    chosen = set(parameters["pairs"])
    rows = [row for row in rows if not chosen or row.id in chosen]
    recut = sum(row.verdict == "recut" for row in rows)  # they happen alike, and a whole beside its pieces would not
    rows = [row for row in rows if row.verdict != "recut"]
    with propose(store, Kind.RECONCILE, context.by, "", nothing=_NOTHING) as draft:
        draft.afterwards(context.conclude_with_set)
        making = _Making(draft, here, there, own, theirs)
        for at, some in enumerate(chunks(rows, _AT_ONCE)):
            context.progress(at * _AT_ONCE, len(rows), "pairs")
            with draft.stage() as writer:
                making.add(writer, list(some), to)
        with draft.stage() as writer:
            making.zones(writer)
        draft.title = lambda tally: f"Make {tally.what} in {called[here]} as in {called[there]}"
        told = f"The attendees of {counted(making.silent, 'entry', 'entries')} are not notified."
        left = f"{counted(recut, 'pair is', 'pairs are')} only cut differently, and left as they are."
        draft.reason = " ".join([*([told] if making.silent else []), *([left] if recut else [])])
    return {"set_id": draft.id}
