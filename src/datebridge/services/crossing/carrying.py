"""Carrying a lane: what is new, changed or gone at its source since it was carried last, as one change set.

The first time everything is new. Later only what differs is looked at; what somebody changed at the target meanwhile
is put together with it, or held until it is decided.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, field, replace
from hashlib import blake2b

from datebridge.core.changes import By, Change, Details, Identity, Item, Kind, Met, Policy, Verdict, reconcile
from datebridge.core.checks import examine
from datebridge.core.crossing.again import PUT_TOGETHER, Carried, Follows, follows, put_together
from datebridge.core.ids import CalendarId, SetId, VersionId
from datebridge.core.index.facts import Facts
from datebridge.core.language.plural import counted
from datebridge.core.text.component import Component, with_property
from datebridge.core.text.headers import Description, description_of
from datebridge.core.zones.meaning import Zones
from datebridge.services.crossing.lanes import Going, WorkingLane, going, units
from datebridge.services.editing.calendars import fresh_calendar
from datebridge.services.transfer.copying import Copying, Report, Staged, Target
from datebridge.store import lanes_carried, lanes_verified
from datebridge.store.calendars import CalendarFacts, header_of
from datebridge.store.changesets.draft import CannotApply, propose
from datebridge.store.database import Connection, Store
from datebridge.store.entries.following import become
from datebridge.store.entries.present import present_by_id, texts_of
from datebridge.store.entries.versions import VersionWriter
from datebridge.store.entries.zones import zones_of

#: So many deletions, and such a part of what was carried, are held until somebody has looked at them.
_FEW, _PART = 10, 0.2
_STANDING = {"keep": Policy.KEEP, "ask": Policy.KEEP, "newer": Policy.NEWER, "replace": Policy.REPLACE}
_NOTHING = "Nothing has changed since."
#: Why a difference is right that nobody could explain.
RULED = "Somebody ruled it to be right."


@dataclass(frozen=True, slots=True)
class Drafted:
    """A lane's change set, and the calendar it goes to.

    Attributes:
        set_id: None where nothing has to be carried.
        target: the calendar; a new one comes to life with the set.
    """

    set_id: SetId | None
    target: CalendarId | None


def draft_lane(
    store: Store,
    lane: WorkingLane,
    by: By,
    report: Report,
    conclude: Callable[[Connection, SetId], None] = lambda connection, set_id: None,
    delete_many: bool = False,
    again: Collection[VersionId] = (),
) -> Drafted:
    """Propose what has to be carried along a lane.

    Args:
        conclude: done in the transaction in which the set is made.
        delete_many: very many deletions were looked at, and are meant.
        again: entries of the source that count, whatever the target has made of them.

    Raises:
        CannotApply: if its target cannot be written.
        NoPlan: if its source is not there any more.
    """
    leaving = going(store, lane)
    with store.read() as connection:
        carried = lanes_carried.carried_by(connection, lane.id, lane.target)
        ruled = lanes_verified.rulings_of(connection, lane.id)
    by_id = {item.key: item for item in leaving.items}
    wanted = _to_be_looked_at(leaving, by_id, carried, again)
    changed = _planned(store, lane, wanted, report)
    gone = _gone(leaving, carried)
    if lane.target is not None and not wanted and not gone:
        return Drafted(None, lane.target)
    try:
        with propose(store, Kind.CROSSING, by, "", details=Details(tell=lane.options.tell), nothing=_NOTHING) as draft:
            draft.afterwards(lambda connection, set_id: lanes_carried.add_lane_set(connection, lane.id, set_id))
            draft.afterwards(conclude)
            copying = LaneCopying(
                store,
                draft,
                Target(lane.target, lane.account, lane.target_name, tell=lane.options.tell),
                report,
                changed,
                lane.way.fidelity,
                lane=lane,
                sources=by_id,
                carried=carried,
                ruled=ruled,
                gone=gone,
                delete_many=delete_many,
                counting=again,
            )
            copying.prepare()
            copying.run(wanted)
    except CannotApply as error:
        if str(error) == _NOTHING:
            return Drafted(None, lane.target)
        raise
    return Drafted(draft.id, copying.calendar)


def _to_be_looked_at(
    leaving: Going,
    by_id: Mapping[VersionId, Item[VersionId]],
    carried: Mapping[Identity, Carried[VersionId]],
    again: Collection[VersionId],
) -> list[VersionId]:
    """What goes and is not as it was carried, with all else of its UID, since a series is one object."""
    uids = set()
    for version in leaving.ids:
        item = by_id[version]
        was = carried.get(item.identity)
        if was is None or was.digest != item.digest or version in again:
            uids.add((item.identity.component, item.identity.uid, item.identity.uid or version))
    return [
        version
        for version in leaving.ids
        if (one := by_id[version].identity) and (one.component, one.uid, one.uid or version) in uids
    ]


def _gone(leaving: Going, carried: Mapping[Identity, Carried[VersionId]]) -> dict[Identity, Carried[VersionId]]:
    """What was carried and is not at the source any more; what only the plan leaves behind now stays there."""
    here = {item.identity for item in leaving.items}
    return {identity: was for identity, was in carried.items() if identity not in here}


def _planned(store: Store, lane: WorkingLane, ids: list[VersionId], report: Report) -> dict[VersionId, str | None]:
    """What the plan makes of entries, where it changes them."""
    changed: dict[VersionId, str | None] = {}
    if not lane.way.steps and not lane.way.remedies:
        return changed
    done = 0
    for some in units(store, lane, ids):
        for unit in some:
            before = dict(unit.members)
            for one in lane.way.planned(unit.members, unit.zones, unit.sound):
                version = VersionId(one.key)
                if one.text != before[version]:
                    changed[version] = one.text
            done += len(unit.members)
        report(done, len(ids))
    return changed


def decision_mark(identity: Identity, source: bytes | None, there: bytes | None) -> bytes:
    """By which it is recognised that something was decided of two states of an entry."""
    words = "\n".join((*identity, (source or b"").hex(), (there or b"").hex()))
    return blake2b(words.encode("utf-8", "replace"), digest_size=16).digest()


@dataclass(slots=True)
class LaneCopying(Copying):
    """Copies of a lane's entries; what follows for each depends on what was carried before.

    Attributes:
        sources: the entries of the source, by version.
        carried: what was carried before; `gone`: what of it is not at the source any more.
        ruled: what was decided before (`decision_mark`).
        counting: entries of the source that count, whatever the target has made of them.
        now: what became of everything that was carried, by the state that the target had agreed to.
    """

    lane: WorkingLane = field(kw_only=True)
    sources: Mapping[VersionId, Item[VersionId]] = field(kw_only=True)
    carried: Mapping[Identity, Carried[VersionId]] = field(kw_only=True)
    ruled: set[bytes] = field(kw_only=True)
    gone: Mapping[Identity, Carried[VersionId]] = field(kw_only=True)
    delete_many: bool = field(kw_only=True)
    counting: Collection[VersionId] = field(kw_only=True)
    calendar: CalendarId | None = None
    now: dict[VersionId, Item[VersionId]] = field(default_factory=dict)
    uid_there: dict[str, str] = field(default_factory=dict)

    def prepare(self) -> None:
        """Look at what became of everything that was carried."""
        with self.store.read() as connection:
            now = become(connection, [was.agreed for was in self.carried.values()])
            items = {item.key: item for item in present_by_id(connection, now.values())}
        self.now = {agreed: items[version] for agreed, version in now.items() if version in items}
        for identity, was in self.carried.items():
            there = self.now.get(was.agreed)
            if there is not None and there.identity.uid != identity.uid:
                self.uid_there[identity.uid] = there.identity.uid

    def _calendar(self) -> CalendarId:
        """The target; a new one takes over what the source says of itself."""
        if self.target.calendar_id is None:
            with self.store.read() as connection:
                header = header_of(connection, self.lane.source)
            own = description_of(header[1]) if header is not None else Description("")
            wanted = Description(self.target.name, own.own_colour, own.zone, own.text)
            with self.draft.stage() as writer:
                self.calendar, change = fresh_calendar(writer, self.target.name, self.target.account_id, wanted)
            self.draft.add(change)
            return self.calendar
        self.calendar = self.target.calendar_id
        return self.calendar

    def _prepared(self, owner: CalendarId, text: str, facts: Facts, zones: Zones) -> tuple[str, Facts]:
        """The text as it goes there, under the UID that its target knows it by."""
        text, facts = Copying._prepared(self, owner, text, facts, zones)
        other = self.uid_there.get(facts.uid)
        if other is None:
            return text, facts
        text = with_property(text, "UID", other)
        return text, examine(facts.component, text, zones)

    def _conclude(self, calendar: CalendarId, here: list[Item[VersionId]], facts: CalendarFacts) -> None:
        claimed = {item.key for item in self.now.values()}
        fresh: list[Item[Staged]] = []
        again: list[tuple[Item[Staged], Carried[VersionId]]] = []
        for item in self.items:
            was = self.carried.get(self.sources[item.key.source].identity)
            if was is None:
                fresh.append(item)
            else:
                again.append((item, was))
        policy = _STANDING[self.lane.options.standing]
        for met in reconcile(fresh, [item for item in here if item.key not in claimed], policy):
            self._decide(calendar, met, facts)
        with self.draft.stage() as writer:
            self._again(writer, calendar, again, facts)
        self._delete(calendar)

    def _again(
        self,
        writer: VersionWriter,
        calendar: CalendarId,
        again: list[tuple[Item[Staged], Carried[VersionId]]],
        facts: CalendarFacts,
    ) -> None:
        """What was carried before, and is another one at the source now."""
        own = zones_of(writer.connection, calendar)
        merging = []
        for item, was in again:
            there = self.now.get(was.agreed)
            follow = follows(self.sources[item.key.source].digest, was, there.key if there is not None else None)
            if item.key.source in self.counting:
                self._add(calendar, item, there, "Carried again: the source counts.", facts)
            elif follow is Follows.DELETED_THERE:
                self._hold(calendar, item, None, "Changed at the source, deleted at the target since.")
            elif follow is Follows.CHANGE and there is not None:
                self._add(calendar, item, there, "Changed at the source since.", facts)
            elif follow is Follows.MERGE and there is not None:
                merging.append((item, was, there))
        wanted = {
            version for item, was, there in merging for version in (item.key.version, was.sent, was.agreed, there.key)
        }
        writer.flush()
        texts = texts_of(writer.connection, wanted)
        for item, was, there in merging:
            both = put_together(texts[was.sent], texts[item.key.version], texts[was.agreed], texts[there.key])
            if both.conflicts:
                names = ", ".join(one.name or "the whole entry" for one in both.conflicts)
                self._hold(calendar, item, there, f"Changed at both ends since: {names}.")
                continue
            version = writer.add(examine(Component(both.text).kind, both.text, own), both.text)
            merged = item._replace(key=Staged(version, item.key.source))
            self._add(calendar, merged, there, PUT_TOGETHER, facts)

    def _add(
        self, calendar: CalendarId, item: Item[Staged], there: Item[VersionId] | None, reason: str, facts: CalendarFacts
    ) -> None:
        if refusal := self._refused(item.identity, facts):
            self._hold(calendar, item, there, refusal)
            return
        losses = self.lost.get(item.key.version, ())
        component, _, occurrence = item.identity
        place = component, there.identity.uid if there is not None else item.identity.uid, occurrence
        before = there.key if there is not None else None
        why = " ".join((reason, *losses))
        self.draft.add(Change(calendar, *place, before, item.key.version, why, False, item.key.source))

    def _hold(self, calendar: CalendarId, item: Item[Staged], there: Item[VersionId] | None, reason: str) -> None:
        """List what has to be decided, unless somebody has decided of these very states."""
        source = self.sources[item.key.source]
        digest = there.digest if there is not None else None
        if decision_mark(source.identity, source.digest, digest) in self.ruled:
            return
        before = there.key if there is not None else None
        self.draft.add(Change(calendar, *item.identity, before, item.key.version, reason, True, item.key.source))

    def _delete(self, calendar: CalendarId) -> None:
        """What is gone at the source goes at the target, unless somebody has changed it there."""
        leaving = []
        for identity, was in self.gone.items():
            there = self.now.get(was.agreed)
            if there is None:
                continue
            place = there.identity.component, there.identity.uid, there.identity.recurrence_id
            if follows(None, was, there.key) is Follows.REMOVE:
                leaving.append(
                    Change(calendar, *place, there.key, None, "Deleted at the source since.", source=was.source)
                )
            elif decision_mark(identity, None, there.digest) not in self.ruled:
                why = "Deleted at the source, changed at the target since."
                self.draft.add(Change(calendar, *place, there.key, None, why, True, was.source))
        many = len(leaving) > _FEW and len(leaving) > len(self.carried) * _PART
        if many and not self.delete_many:
            why = f"{len(leaving):,} of {len(self.carried):,} are gone at the source: look at it before they go here."
            leaving = [change._replace(held=True, reason=why) for change in leaving]
        self.draft.add(*leaving)

    def _decide(self, calendar: CalendarId, met: Met[Staged, VersionId], facts: CalendarFacts) -> None:
        if met.item is None:
            return
        item, there = met.item, met.present
        if met.verdict is Verdict.SAME and there is not None:
            # It counts as carried: what becomes of it at the source later is carried as well.
            place = there.identity.component, there.identity.uid, there.identity.recurrence_id
            why = "An equal entry exists already."
            self.draft.add(Change(calendar, *place, there.key, there.key, why, True, item.key.source))
            self.skipped += 1
        elif met.verdict is Verdict.KEEP and there is not None and item.key.source in self.counting:
            self._add(calendar, item, there, "Carried again: the source counts.", facts)
        elif met.verdict is Verdict.KEEP and there is not None:
            asks = self.lane.options.standing == "ask"
            why = "It stands there already, and differs. Decide which counts." if asks else "It exists already."
            self._hold(calendar, item, there, why)
            self.skipped += 1
        elif met.verdict is Verdict.CHANGE and there is not None:
            newer = self.lane.options.standing == "newer"
            why = "Newer than what stands there." if newer else "Replaces what stands there."
            self._add(calendar, item, there, why, facts)
        else:
            Copying._decide(self, calendar, met, facts)

    def _name(self, facts: CalendarFacts) -> None:
        """Say what the set comes to."""
        going = [change for change in self.draft.changes if not change.held and change.source is not None]
        deleted = sum(1 for change in going if change.after is None)
        deciding = sum(1 for change in self.draft.changes if change.held and change.before != change.after)
        where = f"{facts.name} ({facts.account})" if facts.account else facts.name
        self.draft.title = f"Carry {counted(len(going), 'entry', 'entries')} to {where}"
        notes = [
            f"{deleted:,} of them deleted there, as at the source." if deleted else "",
            f"{self.skipped:,} stand there already." if self.skipped else "",
            f"{deciding:,} wait for a decision or cannot be carried." if deciding else "",
            f"The attendees of {counted(self.silent, 'entry', 'entries')} are not notified." if self.silent else "",
        ]
        self.draft.reason = " ".join(filter(None, notes))
        self.draft.details = replace(self.draft.details, silent=self.silent)
