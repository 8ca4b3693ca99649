"""Editing entries: each edit a change set like any other, applied at once, pushed, and undoable as one."""

from __future__ import annotations

from dataclasses import dataclass
from uuid import uuid4

from datebridge.clock import this_moment
from datebridge.core.changes import PERSON, By, Change, Kind
from datebridge.core.checks import examine
from datebridge.core.editing.fields import CannotEdit, Fields, end_wall_of, set_times, start_of
from datebridge.core.editing.groups import Edit, Group, Plan, SeriesMember, fields_at
from datebridge.core.editing.series import Scope, edit, remove, twin_note
from datebridge.core.editing.writing import as_event, new_event, rewritten
from datebridge.core.ids import CalendarId, SetId, VersionId
from datebridge.core.index.facts import Mark
from datebridge.core.invitations import told
from datebridge.core.language.plural import counted
from datebridge.core.moments import Clock, Moment, basic, instant_at, wall_at
from datebridge.store.accounts import account_of
from datebridge.store.calendars import is_there
from datebridge.store.changesets.apply import apply_within
from datebridge.store.changesets.draft import CannotApply, propose
from datebridge.store.database import Connection, Store
from datebridge.store.entries.edited import Standing, master_of, standing, texts_of_uid
from datebridge.store.entries.zones import zones_of


@dataclass(frozen=True, slots=True)
class Target:
    """An occurrence: the entry shown, the series it is of (0 for none) and its slot there; None for the first."""

    entry: int
    series: int = 0
    slot: int | None = None


@dataclass(frozen=True, slots=True)
class Loaded:
    """What an edit begins from. `clock` is what the target's own times go by."""

    calendar: CalendarId
    calendar_name: str
    component: str
    group: Group
    target: int
    slot: int | None
    clock: Clock | None

    @property
    def text(self) -> str:
        return self.group.member(self.target).text

    @property
    def is_series(self) -> bool:
        return self.slot is not None

    def fields(self) -> Fields:
        return fields_at(self.text, self.slot, self.group.zones)


def stamp() -> str:
    return basic(this_moment().replace(tzinfo=None)) + "Z"


def load(connection: Connection, target: Target) -> Loaded:
    """The entry and all of its UID.

    Raises:
        CannotEdit: if it is not there any more, or goes by a change of another for all that follow.
    """
    if target.series and target.entry != target.series:
        raise CannotEdit(
            "This occurrence follows a change of “this and following” (RANGE=THISANDFUTURE). Edit the one that was"
            " changed, or the whole series in the table."
        )
    wanted = VersionId(target.series or target.entry)
    row = standing(connection, wanted)
    if row is None or row.component not in ("VEVENT", "VTODO"):
        raise CannotEdit("This entry no longer exists, or is not an event.")
    members = texts_of_uid(connection, row)
    zones = zones_of(connection, row.calendar)

    def clock_of(one: Standing) -> Clock | None:
        local = one.marks & (Mark.ALL_DAY | Mark.FLOATING)
        return None if local else one.zone or zones.clock(one.tzid)

    own = clock_of(row)
    master = master_of(connection, row) if row.uid else None
    group = Group([SeriesMember(*m) for m in members], clock_of(master) if master else own, zones)
    slot = (row.start_wall if target.slot is None else target.slot) if row.marks & Mark.SERIES else None
    return Loaded(row.calendar, row.calendar_name, row.component, group, wanted, slot, own)


def plan_edit(loaded: Loaded, scope: Scope, after: Fields, event: bool = False, listed: bool = False) -> Plan:
    """What an edit would do; a to-do is made an event where `event` says so.

    Args:
        listed: write a series as dates where no rule says what is wished.

    Raises:
        CannotEdit: where the fields make no entry.
    """
    if loaded.component == "VTODO":
        zones = loaded.group.zones
        make = as_event if event else rewritten
        text = make(loaded.text, after, stamp(), zones=zones)
        note = twin_note(loaded.text, text)
        return Plan(
            [Edit(loaded.target, text, "Converted to an event." if event else "Edited.")], [note] if note else []
        )
    return edit(loaded.group, loaded.target, loaded.slot, scope, after, stamp(), str(uuid4()), listed)


def consequences(connection: Connection, loaded: Loaded, plan: Plan) -> list[str]:
    """What an edit does besides: to changed occurrences, and to the people invited."""
    notes = list(plan.notes)
    owner = account_of(connection, loaded.calendar)
    if owner is not None and owner.schedules:
        number = told(loaded.text, owner.addresses)
        if number:
            notes.append(f"{owner.name} notifies {counted(number, 'attendee')}.")
    return notes


def save(
    store: Store,
    target: Target,
    scope: Scope,
    after: Fields,
    event: bool = False,
    listed: bool = False,
    by: By = PERSON,
) -> tuple[SetId, str]:
    """Edit an occurrence; returns the batch and what it is called.

    Raises:
        CannotEdit: where the fields make no entry.
        CannotApply: if nothing would change, or its calendar can only be read.
    """
    with store.write() as connection:
        loaded = load(connection, target)
        plan = plan_edit(loaded, scope, after, event, listed)
        what = after.title.strip() or "an entry"
        title = f"Make “{what}” an event" if event else f"Edit “{what}”{_of(loaded, scope)}"
        return _do(connection, loaded, plan, title, by), title


def delete(store: Store, target: Target, scope: Scope, by: By = PERSON) -> tuple[SetId, str]:
    """Delete an occurrence, it and all after it, or the whole entry; returns the batch and what it is called."""
    with store.write() as connection:
        loaded = load(connection, target)
        plan = remove(loaded.group, loaded.target, loaded.slot, scope, stamp())
        title = f"Delete “{loaded.fields().title or 'an entry'}”{_of(loaded, scope)}"
        return _do(connection, loaded, plan, title, by), title


def _of(loaded: Loaded, scope: Scope) -> str:
    if not loaded.is_series:
        return ""
    day = loaded.fields().start[:10]
    return {"one": f", {day} only", "following": f", {day} and all after", "all": ", the whole series"}[scope]


def moved(store: Store, target: Target, begin: int, end: int, zone: str) -> Fields:
    """The fields of an occurrence with its start and end moved by minutes on the clock of `zone`."""
    with store.read() as connection:
        loaded = load(connection, target)
    fields = loaded.fields()
    start, stop = start_of(fields, loaded.group.zones), Moment(end_wall_of(fields))
    clock = loaded.clock
    walls = []
    for moment, shift in ((start.wall_seconds, begin), (stop.wall_seconds, end)):
        if clock is not None and zone:
            shown = wall_at(instant_at(moment, clock), zone) + shift * 60
            walls.append(wall_at(instant_at(shown, zone), clock))
        else:
            walls.append(moment + shift * 60)
    set_times(fields, walls[0], walls[1])
    return fields


def create(store: Store, calendar: CalendarId, fields: Fields, by: By = PERSON) -> tuple[SetId, str]:
    """Make a new event in a calendar; returns the batch and what it is called.

    Raises:
        CannotEdit: where the fields make no event.
        CannotApply: if its calendar can only be read.
    """
    text = new_event(str(uuid4()), fields, stamp())
    title = f"New: {fields.title.strip()}"
    with store.write() as connection:
        if not is_there(connection, calendar, live=True):
            raise CannotApply("This calendar no longer exists.")
        with propose(connection, Kind.EDIT, by, title) as draft, draft.stage() as writer:
            facts = examine("VEVENT", text)
            version = writer.add(facts, text)
            draft.add(Change(calendar, "VEVENT", facts.uid, "", None, version, "Made here."))
        apply_within(connection, draft.id)
    return draft.id, title


def _do(connection: Connection, loaded: Loaded, plan: Plan, title: str, by: By) -> SetId:
    """Make a plan a batch: an edit is its own preview, and nobody asked for a proposal."""
    texts = {member.id: member.text for member in loaded.group.members}
    with propose(connection, Kind.EDIT, by, title, " ".join(plan.notes)) as draft, draft.stage() as writer:
        for one in plan.edits:
            if one.id is not None and one.text == texts.get(one.id):
                continue
            kept = one.text if one.text is not None else texts[one.id or 0]
            component = kept.partition("\n")[0].partition(":")[2].strip().upper()
            facts = examine(component, kept, loaded.group.zones)
            after = writer.add(facts, kept) if one.text is not None else None
            before = VersionId(one.id) if one.id is not None else None
            draft.add(Change(loaded.calendar, component, facts.uid, facts.recurrence_id, before, after, one.reason))
    apply_within(connection, draft.id)
    return draft.id
