"""Copies on their way to a calendar: staged piece by piece, silent, with what the target does not keep noted of each.

What follows for each copy is decided once all are staged: by `core.changes.reconcile`, or, where a calendar is carried
again, by what was carried before (`services.crossing.carrying`).
"""

from __future__ import annotations

import uuid
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import NamedTuple

from datebridge.core.changes import Change, Identity, Item, Met, Policy, Verdict, identity_of, reconcile
from datebridge.core.checks import examine, severity_of
from datebridge.core.choices import Existing
from datebridge.core.crossing.catalogue import BY_NAME
from datebridge.core.crossing.features import Verdict as Becomes
from datebridge.core.crossing.fidelity import Fidelity
from datebridge.core.crossing.forecast import Entries, by_harm, foretold
from datebridge.core.crossing.phrasing import loss_in_words
from datebridge.core.editing.carrying import Carrying
from datebridge.core.ids import AccountId, CalendarId, VersionId
from datebridge.core.index.facts import Facts
from datebridge.core.invitations import silenced
from datebridge.core.language.kinds import KINDS
from datebridge.core.language.plural import counted
from datebridge.core.text.component import with_property
from datebridge.core.zones.meaning import NO_ZONES, Zones
from datebridge.services.editing.calendars import fresh_calendar
from datebridge.services.fidelity.forecasts import fidelity_of, newest
from datebridge.store.accounts import Limits, limits_of
from datebridge.store.calendars import CalendarFacts, facts_of
from datebridge.store.changesets.draft import CannotApply, Draft
from datebridge.store.database import Store
from datebridge.store.entries.present import present, texts_in_order, texts_of, uids_in_home
from datebridge.store.entries.versions import VersionWriter
from datebridge.store.entries.zones import zones_of
from datebridge.store.sql import chunks

#: How many texts are read, prepared and stored at once.
_AT_ONCE = 1_000
_POLICY = {"skip": Policy.KEEP, "newer": Policy.NEWER, "both": Policy.KEEP}
Report = Callable[[int, int], None]


@dataclass(frozen=True, slots=True)
class Target:
    """Where copies go: a calendar there is, or a new one called `name`, on an account or (None) here.

    Attributes:
        existing: what happens to an entry whose UID is there already: left out, replaced if the copy
            is newer, or kept beside the copy, which then gets a new UID.
        move: delete at the source once it has been read back at the target.
        tell: let the target's server invite the attendees; by default nobody is told.
    """

    calendar_id: CalendarId | None = None
    account_id: AccountId | None = None
    name: str = ""
    existing: Existing = "skip"
    move: bool = False
    tell: bool = False


class Staged(NamedTuple):
    """A copy that has been stored: its version, and the version it was made from."""

    version: VersionId
    source: VersionId


@dataclass(slots=True)
class Copying:
    """Copies being made; `run` fills the draft.

    Attributes:
        fidelity: what the target keeps, where the caller knows it; else the store is asked.
    """

    store: Store
    draft: Draft
    target: Target
    report: Report
    changed: Mapping[VersionId, str | None] = field(default_factory=dict)
    fidelity: Fidelity | None = None
    renamed: dict[tuple[CalendarId, str], str] = field(default_factory=dict)
    items: list[Item[Staged]] = field(default_factory=list)
    zones: dict[CalendarId, Zones] = field(default_factory=dict)
    carrying: dict[CalendarId, Carrying] = field(default_factory=dict)
    wanted: dict[str, str] = field(default_factory=dict)
    home: dict[str, str] = field(default_factory=dict)
    limits: Limits = field(default_factory=Limits)
    sizes: Counter[str] = field(default_factory=Counter)
    broken: set[VersionId] = field(default_factory=set)
    lost: dict[VersionId, list[str]] = field(default_factory=dict)
    uids: set[str] = field(default_factory=set)
    silent: int = 0
    skipped: int = 0
    elsewhere: int = 0
    refused: int = 0

    def run(self, ids: list[VersionId]) -> None:
        calendar = self._calendar()
        with self.store.read() as connection:
            facts = facts_of(connection, calendar)
            if facts is None:
                raise CannotApply("This calendar no longer exists.")
            if not facts.writable:
                raise CannotApply(f"{facts.name} is read-only. Choose a writable calendar.")
            here = [item for item in present(connection, calendar) if item.identity.component != "VTIMEZONE"]
            self.uids = {item.identity.uid for item in here}
            self.limits = limits_of(connection, calendar)
            if facts.account_id is not None and self.limits.once_a_home:
                self.home = uids_in_home(connection, facts.account_id, calendar)
            own = zones_of(connection, calendar)
        for done, some in enumerate(chunks(ids, _AT_ONCE)):
            self.report(done * _AT_ONCE, len(ids))
            with self.draft.stage() as writer:
                self._stage(writer, calendar, some, own)
        self._foretell(facts)
        self._conclude(calendar, here, facts)
        with self.draft.stage() as writer:
            for tzid, definition in self.wanted.items():
                version = writer.add_text("VTIMEZONE", definition)
                self.draft.add(Change(calendar, "VTIMEZONE", tzid, "", None, version))
        self._name(facts)

    def _conclude(self, calendar: CalendarId, here: list[Item[VersionId]], facts: CalendarFacts) -> None:
        """Decide what follows for each copy."""
        for met in reconcile(self.items, here, _POLICY[self.target.existing]):
            self._decide(calendar, met, facts)

    def _calendar(self) -> CalendarId:
        if self.target.calendar_id is not None:
            return self.target.calendar_id
        with self.draft.stage() as writer:
            calendar, header = fresh_calendar(writer, self.target.name, self.target.account_id)
        self.draft.add(header)
        return calendar

    def _stage(self, writer: VersionWriter, calendar: CalendarId, ids: Sequence[VersionId], own: Zones) -> None:
        for one in texts_in_order(writer.connection, ids):
            if one.calendar == calendar:
                raise CannotApply("Some of these entries are in the calendar they are to be copied to.")
            if one.calendar not in self.zones:
                self.zones[one.calendar] = zones_of(writer.connection, one.calendar)
            zones = self.zones[one.calendar]
            carrying = self.carrying.setdefault(one.calendar, Carrying(own, zones, self.wanted))
            text = self.changed.get(one.id, one.text)
            if text is None:
                continue
            carried = carrying.carried(text)
            zones_there = zones if carried == text else carrying.there
            quiet = carried if self.target.tell else silenced(carried)  # before it is examined, or that is done twice
            facts = examine(one.component, quiet, zones_there)
            self.silent += bool(facts.attendees) and not self.target.tell
            text, facts = self._prepared(one.calendar, quiet, facts, zones_there)
            identity = identity_of(facts.component, facts.uid, facts.recurrence_id, facts.digest)
            staged = Staged(writer.add(facts, text), one.id)
            self.sizes[facts.uid] += len(text.encode())
            if any(severity_of(problem.code) == "breaks" for problem in facts.problems):
                self.broken.add(staged.version)
            self.items.append(Item(identity, facts.digest, staged, facts.sequence, facts.modified))

    def _prepared(self, owner: CalendarId, text: str, facts: Facts, zones: Zones) -> tuple[str, Facts]:
        """The text as it goes there, under a UID of its own where it needs one."""
        before = text
        if not facts.uid:
            text = with_property(text, "UID", f"{facts.digest.hex()}@date-bridge.example")
        elif self.target.existing == "both" and (facts.uid in self.home or facts.uid in self.uids):
            uid = self.renamed.setdefault((owner, facts.uid), str(uuid.uuid4()))
            text = with_property(text, "UID", uid)
        return (text, examine(facts.component, text, zones)) if text != before else (text, facts)

    def _foretell(self, facts: CalendarFacts) -> None:
        """What the target does not keep of the copies, where that was measured: noted of each, and counted."""
        there = self.fidelity
        if there is None and facts.account_id is not None:
            row = newest(self.store, facts.account_id)
            there = fidelity_of(row) if row is not None else None
        if there is None:
            return
        by_uid: dict[Identity, list[VersionId]] = {}
        for item in self.items:
            by_uid.setdefault(item.identity._replace(recurrence_id=""), []).append(item.key.version)
        zones = next((one.there for one in self.carrying.values()), NO_ZONES)
        counts: Counter[tuple[str, Becomes]] = Counter()
        for some in chunks(by_uid.values(), _AT_ONCE):
            with self.store.read() as connection:
                texts = texts_of(connection, [version for one in some for version in one])
            objects = (
                Entries([(version, texts[version]) for version in one], zones, not self.broken.intersection(one))
                for one in some
            )
            for loss in foretold(there, objects):
                counts[loss.feature, loss.verdict] += 1
                words = BY_NAME[loss.feature].words + (f" ({loss.reason})" if loss.reason else "")
                self.lost.setdefault(loss.key, []).append(loss_in_words(loss.verdict, words, facts.account))
        losses = tuple(
            loss_in_words(verdict, BY_NAME[feature].words, facts.account, count)
            for (feature, verdict), count in sorted(counts.items(), key=lambda one: by_harm(*one[0]))
        )
        self.draft.details = replace(self.draft.details, losses=losses)

    def _refused(self, identity: Identity, facts: CalendarFacts) -> str:
        """Why the target's server would not take an entry, as far as it says that beforehand (RFC 4791 §5.2)."""
        if self.limits.kinds and identity.component not in self.limits.kinds:
            return f"{facts.account} takes no {KINDS.get(identity.component, identity.component)} in this calendar."
        size = self.sizes[identity.uid]
        if self.limits.max_size and size > self.limits.max_size:
            return f"Too large for {facts.account}: {size:,} bytes of at most {self.limits.max_size:,}."
        return ""

    def _decide(self, calendar: CalendarId, met: Met[Staged, VersionId], facts: CalendarFacts) -> None:
        if met.item is None:
            return
        identity, present_id = met.item.identity, met.present.key if met.present is not None else None
        reason, held = "", False
        if met.verdict is Verdict.SAME:
            reason, held = "An equal entry exists already.", True
        elif met.verdict is Verdict.KEEP:
            reason, held = "It exists already.", True
        elif met.verdict is Verdict.CHANGE:
            reason = "Newer than the existing entry."
        elif identity.uid in self.home:
            where = self.home[identity.uid]
            reason, held = f"It stands in “{where}” of the same account already, which takes a UID once.", True
            self.elsewhere += 1
        if not held and (refusal := self._refused(identity, facts)):
            reason, held = refusal, True
            self.refused += 1
        if not held:
            reason = " ".join(filter(None, (reason, *self.lost.get(met.item.key.version, ()))))
        self.skipped += met.verdict in (Verdict.SAME, Verdict.KEEP)
        self.draft.add(_change(calendar, identity, present_id, met.item.key, reason, held))

    def _name(self, facts: CalendarFacts) -> None:
        count = sum(1 for change in self.draft.changes if not change.held and change.source)
        named = not facts.account or facts.name.endswith(f"({facts.account})")
        where = facts.name if named else f"{facts.name} ({facts.account})"
        notes = []
        if self.target.move:
            notes.append("Each entry is deleted at its source after it was read back at the target.")
        if self.silent:
            notes.append(f"The attendees of {counted(self.silent, 'entry', 'entries')} are not notified.")
        if self.skipped:
            notes.append(f"{self.skipped:,} exist there already.")
        if self.refused:
            notes.append(f"{self.refused:,} left out: {facts.account} says that it does not take them.")
        if self.elsewhere:
            notes.append(f"{self.elsewhere:,} in another calendar of that account already.")
        verb = "Move" if self.target.move else "Copy"
        self.draft.title = f"{verb} {counted(count, 'entry', 'entries')} to {where}"
        self.draft.reason = " ".join(notes)
        self.draft.details = replace(self.draft.details, silent=self.silent)


def _change(
    calendar: CalendarId, identity: Identity, before: VersionId | None, staged: Staged, reason: str, held: bool
) -> Change:
    component, uid, recurrence_id = identity
    return Change(calendar, component, uid, recurrence_id, before, staged.version, reason, held, staged.source)
