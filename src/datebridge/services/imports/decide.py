"""From a file to a change set: what is here already, where it goes, what is left out."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from typing import Literal, NamedTuple

from datebridge.core.changes import (
    PERSON,
    By,
    Change,
    Details,
    Identity,
    Item,
    Kind,
    Met,
    Policy,
    Verdict,
    reconcile,
)
from datebridge.core.ids import CalendarId, FileId, GroupId, SetId, VersionId
from datebridge.core.problems import Problem
from datebridge.core.text.component import with_property
from datebridge.core.text.headers import described, description_of
from datebridge.store import calendars, imports
from datebridge.store.changesets.apply import discard_within
from datebridge.store.changesets.draft import CannotApply, Draft, Tally, propose
from datebridge.store.database import Connection, Store
from datebridge.store.entries.present import digests_elsewhere, from_files, present, staged, texts_of
from datebridge.store.sql import chunks

Existing = Literal["newer", "keep", "replace"]
#: How many titles of what a file does not have any more are named.
_SHOWN = 5
_NOT_WAITING = "This file has already been imported or discarded."


@dataclass(frozen=True, slots=True)
class Decision:
    """Where the entries of one part of a file go.

    Attributes:
        calendar_id: an existing calendar; None for a fresh one called `name`.
        existing: what happens to an entry that is there already and differs: taken if it is newer
            (by SEQUENCE, then LAST-MODIFIED), kept as it is there, or replaced.
        skip_elsewhere: leave out entries that stand, identical, in any calendar.
        drop_missing: take out what came from files before and is not in this one any more.
        joined: into one fresh calendar with all others that are joined.
    """

    group_id: GroupId
    calendar_id: CalendarId | None = None
    name: str = ""
    existing: Existing = "newer"
    skip_elsewhere: bool = False
    drop_missing: bool = False
    joined: bool = False


class Outcome(NamedTuple):
    """What an import would do, in entries.

    Attributes:
        missing: how much came from files before and is not in this one any more; `missed`: titles of some of it.
    """

    creates: int
    updates: int
    deletes: int
    skipped: int
    missing: int
    missed: list[str]


class _Taken(NamedTuple):
    """What becomes of one entry of the file; without a verdict it stands elsewhere.

    On its way to a server an entry without a UID has one in `met` (RFC 4791 §4.1: a server keeps nothing without).
    """

    item: Item[VersionId]
    listed: bool
    met: Met[VersionId, VersionId] | None

    @property
    def left_out(self) -> bool:
        return self.listed and (self.met is None or self.met.verdict in (Verdict.SAME, Verdict.KEEP))


def rehearse_import(store: Store, files: list[FileId], decisions: list[Decision]) -> Outcome:
    """What importing files would do: how many entries would be added, changed and left out. Nothing is written.

    Raises:
        CannotApply: see `propose_import`.
    """
    with store.read() as connection:
        _demand_waiting(connection, files)
        creates = updates = deletes = skipped = 0
        missed: list[str] = []
        for same in _by_target(decisions):
            decision = same[0]
            compared, _ = _compared(connection, same, _demand_target(connection, decision))
            for taken in compared:
                skipped += taken.left_out
                if taken.listed and taken.met is not None:
                    creates += taken.met.verdict is Verdict.ADD
                    updates += taken.met.verdict is Verdict.CHANGE
            gone = _missing(connection, decision, compared)
            deletes += len(gone) if decision.drop_missing else 0
            missed += gone.values()
    return Outcome(creates, updates, deletes, skipped, len(missed), missed[:_SHOWN])


def _missing(connection: Connection, decision: Decision, compared: list[_Taken]) -> dict[VersionId, str]:
    """What came into the target from files before and is not in this one any more, with titles."""
    if decision.calendar_id is None:
        return {}
    met = {taken.met.present.key for taken in compared if taken.met is not None and taken.met.present is not None}
    return {key: title for key, title in from_files(connection, decision.calendar_id).items() if key not in met}


def propose_import(store: Store, files: list[FileId], decisions: list[Decision], by: By = PERSON) -> SetId:
    """Make the change set that imports files; returns its id.

    Raises:
        CannotApply: if a file is not waiting, a target can only be read, or nothing would be taken.
    """
    with _drafted(store, files, decisions, by) as draft:
        for same in _by_target(decisions):
            _take(draft, store, same)
    return draft.id


def _by_target(decisions: list[Decision]) -> list[list[Decision]]:
    """Decisions with those together that go into one calendar and say the same of what is there."""
    by_target: dict[Decision, list[Decision]] = {}
    for decision in decisions:
        alone = decision.calendar_id is None and not decision.joined
        key = decision if alone else replace(decision, group_id=GroupId(0), name="")
        by_target.setdefault(key, []).append(decision)
    return list(by_target.values())


@contextmanager
def _drafted(store: Store, files: list[FileId], decisions: list[Decision], by: By) -> Iterator[Draft]:
    with store.read() as connection:
        names = _demand_waiting(connection, files)
    what = names[0] if len(names) == 1 else f"{len(names)} files"
    reason = "One-time import; later changes to the file are not picked up."

    def title(tally: Tally) -> str:
        return f"Import {what} into {tally.where}"

    nothing = "All entries of the file exist already; there is nothing to import."
    details = Details(files=tuple(names))
    with propose(store, Kind.IMPORT, by, title, reason, details=details, nothing=nothing) as draft:

        def decide(connection: Connection, set_id: SetId) -> None:
            # Somebody may have decided meanwhile; and only the newest decision about a file waits.
            _demand_waiting(connection, files)
            discard_within(connection, imports.decide(connection, files, set_id))

        draft.afterwards(decide)
        yield draft


def _demand_waiting(connection: Connection, files: list[FileId]) -> list[str]:
    waiting = [imports.one(connection, number) for number in files]
    if any(row is None or row.state != "waiting" or imports.is_taken(connection, row.id) for row in waiting):
        raise CannotApply(_NOT_WAITING)
    return [row.name for row in waiting if row is not None]


def _demand_target(connection: Connection, decision: Decision) -> bool:
    """Whether the entries go to a server.

    Raises:
        CannotApply: if the calendar is gone, or can only be read.
    """
    if decision.calendar_id is None:
        return False
    target = calendars.facts_of(connection, decision.calendar_id)
    if target is None:
        raise CannotApply("This calendar no longer exists.")
    if not target.writable:
        raise CannotApply(f"{target.name} is read-only. Choose a writable calendar.")
    return target.account_id is not None


def _compared(connection: Connection, same: list[Decision], on_server: bool) -> tuple[list[_Taken], list[str]]:
    """What becomes of each entry of the parts of files that go into one calendar, in their order; and the names of
    zones that several of them define in different ways."""
    decision = same[0]
    if any(imports.group(connection, one.group_id) is None for one in same):
        raise CannotApply(_NOT_WAITING)
    elsewhere: set[bytes] = set()
    for one in same:
        elsewhere |= digests_elsewhere(connection, one.group_id) if one.skip_elsewhere else set()
    here = present(connection, decision.calendar_id) if decision.calendar_id is not None else []
    coming, apart = _once([staged(connection, one.group_id) for one in same])
    wanted = [
        _with_uid(item) if on_server and listed else item
        for item, listed in coming
        if not (listed and item.digest in elsewhere)
    ]
    outcomes = {met.item.key: met for met in reconcile(wanted, here, Policy(decision.existing)) if met.item}
    return [_Taken(item, listed, outcomes.get(item.key)) for item, listed in coming], apart


def _once(
    parts: list[list[tuple[Item[VersionId], bool]]],
) -> tuple[list[tuple[Item[VersionId], bool]], list[str]]:
    """What several parts hold, each entry once: of what is in several, the newest, of the same age the first.

    What one part holds twice stays twice. Of a zone the first definition counts; the names of those that differ follow.
    """
    once = list(parts[0])
    apart: list[str] = []
    for part in parts[1:]:
        places = {item.identity: place for place, (item, _) in enumerate(once)}
        for item, listed in part:
            place = places.get(item.identity)
            if place is None:
                once.append((item, listed))
            elif listed and item.age > once[place][0].age:
                once[place] = (item, listed)
            elif not listed and item.identity.component == "VTIMEZONE" and item.digest != once[place][0].digest:
                apart.append(item.identity.uid)
    return once, apart


def _with_uid(item: Item[VersionId]) -> Item[VersionId]:
    """The same entry under the UID it gets where it has none: always the same one."""
    if item.identity.uid:
        return item
    uid = f"{item.digest.hex()}@date-bridge.example"
    return item._replace(identity=Identity(item.identity.component, uid))


def _take(draft: Draft, store: Store, same: list[Decision]) -> None:
    """Add the changes of a part of a file, or of all parts that go into one calendar."""
    decision = same[0]
    with store.read() as connection:
        on_server = _demand_target(connection, decision)
        group = imports.group(connection, decision.group_id)
        if group is None:
            raise CannotApply(_NOT_WAITING)
        whole = decision.calendar_id is None and not decision.skip_elsewhere and len(same) == 1
        compared, conflicting = ([], []) if whole else _compared(connection, same, on_server)
        gone = _missing(connection, decision, compared) if decision.drop_missing else {}
    calendar = decision.calendar_id
    if calendar is None:
        name = decision.name.strip() or group.name
        with draft.stage() as writer:
            calendar = calendars.add_calendar(writer.connection, name, group.file_name)
            header = described(group.header, replace(description_of(group.header), name=name))
            version = writer.add_text("VCALENDAR", header)
        draft.add(Change(calendar, "VCALENDAR", "", "", None, version, "A new calendar for this file."))
    if whole:
        draft.create(calendar, decision.group_id)
        return
    skipped = sum(taken.left_out for taken in compared)
    draft.details = replace(draft.details, skipped=draft.details.skipped + skipped)
    for taken in compared:
        if taken.met is None:
            continue
        if not taken.listed and taken.met.verdict in (Verdict.KEEP, Verdict.CHANGE):
            conflicting.append(taken.item.identity.uid)
        elif taken.met.verdict in (Verdict.ADD, Verdict.CHANGE):
            draft.add(_change(calendar, taken.met))
    _give_uids(draft, compared)
    draft.delete(gone, "No longer in the file.")
    if conflicting:
        with draft.stage() as writer:
            writer.file_id = group.file_id
            for uid in conflicting:
                text = f"“{uid}” is defined in another way in the calendar it goes to."
                writer.problem(Problem("zone-conflict", text, "The existing definition is used.", uid=uid))


def _change(calendar: CalendarId, met: Met[VersionId, VersionId]) -> Change:
    item = met.item
    assert item is not None  # noqa: S101  (a verdict about something that comes)
    component, uid, recurrence_id = item.identity
    before = met.present.key if met.present is not None else None
    reason = "Newer in the file." if met.newer else ""
    return Change(calendar, component, uid, recurrence_id if uid else "", before, item.key, reason)


def _give_uids(draft: Draft, compared: list[_Taken]) -> None:
    """Store what gets a UID on its way with it, and have the changes be about that."""
    identities = {
        taken.item.key: taken.met.item.identity
        for taken in compared
        if taken.met and taken.met.item and taken.met.item.identity != taken.item.identity
    }
    made: dict[VersionId, VersionId] = {}
    wanted = [change.after for change in draft.changes if change.after in identities]
    for some in chunks(wanted):
        with draft.stage() as writer:
            for version, text in texts_of(writer.connection, some).items():
                identity = identities[version]
                text = with_property(text, "UID", identity.uid)
                made[version] = writer.add_text(identity.component, text)
    draft.changes = [
        change._replace(after=made.get(change.after, change.after)) if change.after else change
        for change in draft.changes
    ]
