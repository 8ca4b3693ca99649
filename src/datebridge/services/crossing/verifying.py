"""Verification of lanes: both ends fetched fresh, compared, and every difference explained or not."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from hashlib import blake2b

from datebridge.clock import this_day
from datebridge.core.changes import PERSON, By, Identity, Item
from datebridge.core.comparing import differing
from datebridge.core.crossing.again import PUT_TOGETHER, Carried
from datebridge.core.crossing.on_the_way import OnItsWay
from datebridge.core.crossing.verification import (
    EntryDifference,
    Expected,
    Span,
    Unit,
    is_same,
    means_otherwise,
    verify,
)
from datebridge.core.ids import CrossingId, JobId, LaneId, SetId, VersionId
from datebridge.core.job_kinds import JobKind
from datebridge.core.keeping import same_times, substance
from datebridge.core.occurrences.expanding import Bounds, Clocks, Timed, occurrences
from datebridge.core.zones.meaning import Zones
from datebridge.services.crossing.carrying import RULED, decision_mark
from datebridge.services.crossing.lanes import Going, LaneUnit, WorkingLane, going, units, working_lanes
from datebridge.services.crossing.running import demand_fetched, fetch
from datebridge.services.jobs import jobs
from datebridge.services.jobs.jobs import JobContext, Refused, performs
from datebridge.store import crossings, lanes_carried, lanes_verified
from datebridge.store.calendars import facts_of
from datebridge.store.comparisons import items_of
from datebridge.store.database import Store
from datebridge.store.entries.following import become
from datebridge.store.entries.occurrences import clocks_of
from datebridge.store.entries.present import present, texts_of
from datebridge.store.entries.zones import zones_of
from datebridge.store.lanes_verified import FoundDifference
from datebridge.store.sql import chunks, revision_now

#: So many years are compared occurrence by occurrence, before and after this day.
_YEARS_BEFORE, _YEARS_AFTER = 1, 2
_TEXTS = 1_000


def verify_lanes(store: Store, crossing: CrossingId, lanes: Sequence[LaneId] = (), by: By = PERSON) -> JobId:
    """Queue verifying some lanes of a crossing, or all.

    Raises:
        NoCrossing: if there is none.
    """
    with store.session() as session:
        name = crossings.crossing(session, crossing).name
    pulls = fetch(store, working_lanes(store, crossing, lanes or None), by)
    params = {"crossing": crossing, "lanes": list(lanes), "pulls": pulls}
    return jobs.enqueue(store, JobKind.VERIFY, f"Verifying {name}", params, crossing, by)


@performs(JobKind.VERIFY)
def verify_job(context: JobContext) -> dict[str, object]:
    """Compare both ends of every lane."""
    store, number = context.store, CrossingId(context.params["crossing"])
    every = [lane for lane in working_lanes(store, number) if lane.target is not None]
    chosen = set(context.params["lanes"])
    lanes = [lane for lane in every if not chosen or lane.id in chosen]
    if not lanes:
        raise Refused("Nothing was carried yet, so there is nothing to verify. Run the crossing first.")
    demand_fetched(context)
    unexplained = 0
    for done, lane in enumerate(lanes):
        context.progress(done, len(lanes), "lanes", lane.target_name)
        others = [one for one in every if one.target == lane.target]
        unexplained += verify_lane(context, lane, others)
    with store.write() as connection:
        return context.conclude(connection, {"lanes": len(lanes), "unexplained": unexplained})


def verify_lane(context: JobContext, lane: WorkingLane, others: Sequence[WorkingLane]) -> int:
    """Compare both ends of a lane, and keep what is otherwise; returns how much of it nobody can explain.

    Args:
        others: all lanes that lead to the same calendar, in their order: what one of them brought is not too much.
    """
    verification = _Verification.of(context.store, lane, others)
    for some in units(context.store, lane, verification.leaving.ids):
        context.check()
        verification.compare(some)
    verification.find_extras()
    return verification.keep()


def digests_now(store: Store, lane: WorkingLane) -> list[str]:
    """The digests of a lane's content at both ends, as they are known here now."""
    verification = _Verification.of(store, lane, [lane])
    for some in units(store, lane, verification.leaving.ids):
        verification.compare(some)
    return [canonical_digest(some) for some in verification.substances]


@dataclass(slots=True)
class _Verification:
    """One lane being verified.

    Attributes:
        there: the target's entries, by version; `by_uid`: the same by UID.
        now: what became of what was carried, by the state the target had agreed to.
        held: why entries were not carried, by their versions.
        own: batches by which somebody here changed what the target had agreed to.
        waiting: what the target's server does not have as it is here, by UID.
    """

    store: Store
    lane: WorkingLane
    leaving: Going
    sources: dict[VersionId, Item[VersionId]]
    there: dict[VersionId, Item[VersionId]]
    by_uid: dict[tuple[str, str], list[VersionId]]
    zones_there: Zones
    carried: dict[Identity, Carried[VersionId]]
    now: dict[VersionId, VersionId]
    held: dict[VersionId, str]
    own: dict[VersionId, SetId]
    waiting: dict[str, tuple[str, str]]
    ruled: set[bytes]
    others: Sequence[WorkingLane]
    target_name: str
    span: Span
    ran: bool
    revision: int
    found: list[FoundDifference] = field(default_factory=list)
    matched: set[VersionId] = field(default_factory=set)
    same: int = 0
    substances: list[list[bytes]] = field(default_factory=lambda: [[], []])
    cut: bool = False
    doubtful_zones: set[str] = field(default_factory=set)

    def __post_init__(self) -> None:
        """Zones that the two ends define, and not alike."""
        with self.store.read() as connection:
            here = zones_of(connection, self.lane.source)
        names = {*here, *self.zones_there}
        self.doubtful_zones = {name for name in names if means_otherwise(name, here, self.zones_there)}

    @classmethod
    def of(cls, store: Store, lane: WorkingLane, others: Sequence[WorkingLane]) -> _Verification:
        assert lane.target is not None  # noqa: S101
        leaving = going(store, lane)
        with store.read() as connection:
            facts = facts_of(connection, lane.target)
            if facts is None or not facts.live:
                raise Refused(f"The calendar “{lane.target_name}” is not there any more.")
            carried = lanes_carried.carried_by(connection, lane.id, lane.target)
            agreed = [was.agreed for was in carried.values()]
            items = [one for one in present(connection, lane.target) if one.identity.component != "VTIMEZONE"]
            by_uid: dict[tuple[str, str], list[VersionId]] = {}
            for item in items:
                by_uid.setdefault((item.identity.component, item.identity.uid), []).append(item.key)
            return cls(
                store,
                lane,
                leaving,
                {item.key: item for item in leaving.items},
                {item.key: item for item in items},
                by_uid,
                zones_of(connection, lane.target),
                carried,
                become(connection, agreed),
                lanes_carried.held_by(connection, lane.id),
                lanes_carried.own_changes(connection, agreed),
                lanes_carried.not_arrived(connection, lane.target),
                lanes_verified.rulings_of(connection, lane.id),
                others,
                facts.account or facts.name,
                _span(),
                bool(carried),
                revision_now(connection),
            )

    def compare(self, some: Iterable[LaneUnit]) -> None:
        """Compare some units of the source with what stands at the target."""
        paired = [(unit, self._counterparts(unit)) for unit in some]
        with self.store.read() as connection:
            texts = texts_of(connection, [version for _, versions in paired for version in versions])
        for unit, versions in paired:
            self._unit(unit, [(version, texts[version]) for version in versions if version in texts])

    def _counterparts(self, unit: LaneUnit) -> list[VersionId]:
        """The target's entries of a unit: what became of those that were carried, and all else of their UID."""
        versions: dict[VersionId, None] = {}
        places: dict[tuple[str, str], None] = {}
        for version, _ in unit.members:
            identity = self.sources[version].identity
            was = self.carried.get(identity)
            there = self.now.get(was.agreed) if was is not None else None
            if there is not None and there in self.there:
                versions[there] = None
                places[identity.component, self.there[there].identity.uid] = None
            elif was is None:
                places[identity.component, identity.uid] = None
        for place in places:
            versions.update(dict.fromkeys(self.by_uid.get(place, ())))
        return [version for version in versions if version not in self.matched]

    def _is_same(self, unit: LaneUnit, there: list[tuple[VersionId, str]]) -> bool:
        """Whether a unit stands at the target as it is at the source, told at a glance; it is counted then."""
        texts = dict(there)
        if self.lane.way.steps or len(texts) != len(unit.members):
            return False
        for version, text in unit.members:
            now = self._now_of(version)
            other = texts.get(now, "") if now is not None else ""
            if not is_same(text, other) or any(f"TZID={name}" in text for name in self.doubtful_zones):
                return False
        if self.waiting and self.there[there[0][0]].identity.uid in self.waiting:
            return False
        same = [substance(text) for _, text in unit.members]
        for substances in self.substances:
            substances += same
        self.same += len(same)
        return True

    def _unit(self, unit: LaneUnit, there: list[tuple[VersionId, str]]) -> None:
        self.matched.update(version for version, _ in there)
        if self._is_same(unit, there):
            return
        way = self.lane.way
        arriving = way.arriving(way.planned(unit.members, unit.zones, unit.sound), unit.zones, unit.sound)
        before = dict(unit.members)
        expected: list[Expected[VersionId]] = []
        for one in arriving:
            version = VersionId(one.key)
            if one.text is None:
                self._add_left(version, one)
            expected.append(Expected(version, before[version], one.text, one.reasons))
        self.substances[0] += [substance(text) for _, text in unit.members]
        self.substances[1] += [substance(text) for _, text in there]
        as_foretold = self._is_as_foretold(expected, dict(there))
        whole = Unit(expected, there, unit.zones, self.zones_there)
        differences = [] if as_foretold else verify(whole, self.span)
        uid = self.sources[unit.members[0][0]].identity.uid
        on_its_way = self.waiting.get(self.there[there[0][0]].identity.uid if there else uid)
        if on_its_way is not None and not differences:
            self.found += [self._pending(one.key, on_its_way) for one in expected if one.text is not None]
            return
        for difference in differences:
            self.cut = self.cut or difference.cut
            self.found.append(self._explained(difference))
        otherwise = {difference.key for difference in differences}
        texts = dict(there)
        for wanted in expected:
            if wanted.text is not None and wanted.key not in otherwise:
                stands = self._now_of(wanted.key)
                self._add_foreseen(wanted, stands, texts.get(stands, wanted.text) if stands else wanted.text)

    def _is_as_foretold(self, expected: Sequence[Expected[VersionId]], texts: Mapping[VersionId, str]) -> bool:
        """Whether everything stands there as it was to arrive, told at a glance."""
        arriving = [(self._now_of(one.key), one.text) for one in expected if one.text is not None]
        return len(arriving) == len(texts) and all(
            now is not None
            and is_same(text, texts.get(now, ""))
            and not any(f"TZID={name}" in text for name in self.doubtful_zones)
            for now, text in arriving
        )

    def _now_of(self, source: VersionId) -> VersionId | None:
        was = self.carried.get(self.sources[source].identity)
        return self.now.get(was.agreed) if was is not None else None

    def _add_left(self, version: VersionId, entry: OnItsWay) -> None:
        reason = "; ".join(entry.reasons) or "left behind by the plan"
        cause, _, words = reason.partition(": ")
        known = cause in ("plan", "remedy", "loss")
        if not known:
            cause, words = "plan", reason
        self.found.append(FoundDifference("left", version, None, "", cause=cause, reason=words))

    def _add_foreseen(self, one: Expected[VersionId], there: VersionId | None, text: str) -> None:
        """What the plan or the forecast says of an entry, where it can be seen."""
        fields = differing(one.before, text)
        if one.reasons and not same_times(one.before, text):
            fields = (*fields, "time")
        if not fields or not one.reasons:
            self.same += 1
            return
        causes = [reason.partition(": ")[0] for reason in one.reasons if not reason.startswith("plan: not done")]
        words = "; ".join(dict.fromkeys(reason.partition(": ")[2] for reason in one.reasons))
        cause = causes[0] if causes else "loss"
        self.found.append(FoundDifference("changed", one.key, there, "", ", ".join(fields), cause=cause, reason=words))

    def _pending(self, source: VersionId, state: tuple[str, str]) -> FoundDifference:
        where, message = state
        under_way = where in ("waiting", "sending")
        reason = f"On its way to {self.target_name}." if under_way else message or f"{self.target_name} refused it."
        return FoundDifference("missing", source, None, "", reason=reason)

    def _explained(self, one: EntryDifference[VersionId]) -> FoundDifference:
        cause, reason = self._why(one)
        return FoundDifference(
            one.verdict,
            one.key,
            one.there,
            "",
            ", ".join(one.fields),
            one.occurrences,
            one.moved_by,
            cause,
            reason,
        )

    def _why(self, one: EntryDifference[VersionId]) -> tuple[str, str]:
        """Why something is otherwise: the cause, "" where nobody knows, and the words."""
        item = self.sources[one.key] if one.key is not None else None
        there = self.there.get(one.there) if one.there is not None else None
        identity = item.identity if item is not None else there.identity if there is not None else None
        if identity is None:
            return "", "It cannot be told what this belongs to."
        if decision_mark(identity, item.digest if item else None, there.digest if there else None) in self.ruled:
            return "ruled", RULED
        was = self.carried.get(identity)
        if one.key is not None and one.key in self.held:
            left = was is None and (there is None or self.lane.options.standing == "keep")
            return ("left" if left else ""), self.held[one.key]
        if item is not None and was is None:
            if there is not None:
                return "", "It stood there already, and differs."
            return ("since", "New at the source since it was carried.") if self.ran else ("", "Not carried yet.")
        if item is not None and was is not None and was.digest != item.digest:
            return "since", "Changed at the source since it was carried."
        if was is not None:
            batch = self.own.get(was.agreed)
            if batch is not None:
                return "since", f"Changed here since, by batch {batch}."
            now_there = self.now.get(was.agreed)
            if now_there is None:
                return "", "Deleted at the target since it arrived."
            if now_there != was.agreed:
                return "", "Changed at the target since it arrived."
            if was.merged:
                return "since", PUT_TOGETHER
        return "", "Not as it was to arrive."

    def find_extras(self) -> None:
        """What stands at the target and did not come along any lane, but for what was no business of this crossing."""
        if self.others and self.others[0].id != self.lane.id:
            return
        theirs = self._of_other_lanes()
        here = {item.identity for item in self.leaving.items}
        gone = {self.now.get(was.agreed) for identity, was in self.carried.items() if identity not in here}
        extras = [version for version in self.there if version not in self.matched and version not in theirs]
        twins = Counter(self.substances[1])
        for some in chunks(extras, _TEXTS):
            with self.store.read() as connection:
                texts = texts_of(connection, some)
            for version in some:
                if version in gone:
                    why = "since", "Deleted at the source since it was carried."
                elif twins[substance(texts[version])]:
                    why = "", "It stands there twice."
                else:
                    continue  # made there by somebody, before or since
                mark = decision_mark(self.there[version].identity, None, self.there[version].digest)
                cause, reason = ("ruled", RULED) if mark in self.ruled else why
                self.found.append(FoundDifference("extra", None, version, "", cause=cause, reason=reason))

    def _of_other_lanes(self) -> set[VersionId]:
        theirs: set[VersionId] = set()
        for other in self.others:
            if other.id == self.lane.id:
                continue
            with self.store.read() as connection:
                carried = lanes_carried.carried_by(connection, other.id, other.target)
                theirs |= set(become(connection, [was.agreed for was in carried.values()]).values())
        return theirs

    def keep(self) -> int:
        """Keep what was found; returns how much of it nobody can explain."""
        months, cut = self._months()
        behind = [
            FoundDifference("left", version, None, "", cause="plan", reason=why)
            for version, why in self.leaving.behind.items()
        ]
        found = [*self.found, *behind]
        with self.store.read() as connection:
            shown = [one.source or one.there for one in found]
            titles = lanes_verified.titles_of(connection, [version for version in shown if version is not None])
        found = [one._replace(title=titles.get(one.source or one.there or VersionId(0), "")) for one in found]
        counts = Counter("unexplained" if not one.cause else "explained" for one in found if one.verdict != "left")
        verified = {
            "entries": len(self.leaving.ids),
            "there": len(self.matched),
            "same": self.same,
            "explained": counts["explained"],
            "unexplained": counts["unexplained"],
            "left": sum(one.verdict == "left" for one in found),
            "months": months,
            "from": self.span.low,
            "to": self.span.high,
            "cut": self.cut or cut,
            "digests": [canonical_digest(some) for some in self.substances],
            "revision": self.revision,
        }
        with self.store.write() as connection:
            lanes_verified.keep_verified(connection, self.lane.id, found, verified)
        return counts["unexplained"]

    def _months(self) -> tuple[dict[str, list[int]], bool]:
        """How much happens at both ends in each month, and whether it could all be counted."""
        assert self.lane.target is not None  # noqa: S101
        months: defaultdict[str, list[int]] = defaultdict(lambda: [0, 0])
        cut = False
        for side, calendar, ids in (
            (0, self.lane.source, list(self.leaving.ids)),
            (1, self.lane.target, list(self.matched)),
        ):
            with self.store.read() as connection:
                timed = [item.timed for item in items_of(connection, ids) if item.timed is not None]
                clocks = clocks_of(connection, (calendar,))
            bounds = Bounds(left=1_000_000)
            for month, number in _by_month(timed, self.span, clocks, bounds).items():
                months[month][side] += number
            cut = cut or bool(bounds.cut)
        return dict(sorted(months.items())), cut


def _by_month(timed: Sequence[Timed], span: Span, clocks: Clocks, bounds: Bounds) -> Mapping[str, int]:
    starts = Counter(
        one.start // 86_400 for one in occurrences(timed, span.low, span.high, "UTC", clocks, bounds=bounds)
    )
    months: Counter[str] = Counter()
    for day, number in starts.items():
        months[(datetime(1970, 1, 1, tzinfo=UTC) + timedelta(days=day)).strftime("%Y-%m")] += number
    return months


def _span() -> Span:
    """The years that are compared occurrence by occurrence."""
    today = this_day()
    low = datetime(today.year - _YEARS_BEFORE, today.month, 1, tzinfo=UTC)
    high = datetime(today.year + _YEARS_AFTER, today.month, 1, tzinfo=UTC)
    return Span(int(low.timestamp()), int(high.timestamp()))


def canonical_digest(substances: Iterable[bytes]) -> str:
    """What two sets of entries share that say the same, in whatever order (see `docs/formats.md`)."""
    return blake2b(b"".join(sorted(substances)), digest_size=32).hexdigest()
