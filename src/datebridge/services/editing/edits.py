"""Editing entries: each edit a change set like any other, applied at once, carried, and undoable as one."""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any
from uuid import uuid4

from sqlalchemy import Connection

from datebridge.core.editing.fields import CannotEdit, Fields, end_wall_of, set_times, start_of
from datebridge.core.editing.series import Edit, Group, Member, Plan, Scope, edit, fields_at, remove, twin_note
from datebridge.core.editing.writing import as_event, new_event, rewritten
from datebridge.core.index.derive import derive
from datebridge.core.index.facts import Mark
from datebridge.core.invitations import told
from datebridge.core.moments import Clock, Moment, basic, instant_at, wall_at
from datebridge.services.applying import apply
from datebridge.store.changesets.logbook import (
    CannotApply,
    Proposal,
    StoredChange,
    add_changes,
    close_set,
    discard_set,
    open_set,
)
from datebridge.store.database import Store, now
from datebridge.store.entries.versions import add_text, text_of
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

    calendar: int
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
    return basic(datetime.fromtimestamp(now(), UTC).replace(tzinfo=None)) + "Z"


def load(connection: Connection, target: Target) -> Loaded:
    """The entry and all of its UID.

    Raises:
        CannotEdit: if it is not there any more, or goes by a change of another for all that follow.
    """
    if target.series and target.entry != target.series:
        raise CannotEdit(
            "This occurrence follows a change of “this and all after” (RANGE=THISANDFUTURE). Edit the one that was"
            " changed, or the whole series in the table."
        )
    wanted = target.series or target.entry
    run = connection.exec_driver_sql
    row = run(
        "SELECT e.calendar_id, k.name, e.component, e.uid, e.tzid, e.zone, e.marks, e.start_wall FROM entry e"
        " JOIN calendar k ON k.id = e.calendar_id WHERE e.id = ?",
        (wanted,),
    ).one_or_none()
    if row is None or row[2] not in ("VEVENT", "VTODO"):
        raise CannotEdit("This entry is not there any more, or is no event.")
    calendar, name, component, uid, tzid, zone, marks, start = row
    if uid:
        members: list[Any] = run(
            "SELECT e.id, t.text FROM entry e JOIN version_text t ON t.id = e.id WHERE e.calendar_id = ? AND e.uid = ?"
            " AND e.component = ? ORDER BY e.recurrence_id",
            (calendar, uid, component),
        ).fetchall()  # type: ignore[assignment]
    else:
        members = [(wanted, text_of(connection, wanted))]
    master = run(
        "SELECT tzid, zone, marks FROM entry WHERE calendar_id = ? AND uid = ? AND component = ?"
        " AND recurrence_id = ''",
        (calendar, uid, component),
    ).first()
    zones = zones_of(connection, calendar)

    def clock_of(tzid: str, zone: str, marks: int) -> Clock | None:
        return None if marks & (Mark.ALL_DAY | Mark.FLOATING) else zone or zones.clock(tzid)

    own = clock_of(tzid, zone, marks)
    group = Group([Member(*m) for m in members], clock_of(*master) if master and uid else own, zones)
    slot = (start if target.slot is None else target.slot) if marks & Mark.SERIES else None
    return Loaded(calendar, name, component, group, wanted, slot, own)


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
        return Plan([Edit(loaded.target, text, "Made an event." if event else "Edited.")], [note] if note else [])
    return edit(loaded.group, loaded.target, loaded.slot, scope, after, stamp(), str(uuid4()), listed)


def consequences(connection: Connection, loaded: Loaded, plan: Plan) -> list[str]:
    """What an edit does besides: to changed occurrences, and to the people invited."""
    said = list(plan.said)
    row = connection.exec_driver_sql(
        "SELECT a.addresses, a.schedules, a.name FROM remote r JOIN account a ON a.id = r.account_id"
        " WHERE r.calendar_id = ?",
        (loaded.calendar,),
    ).one_or_none()
    if row and row[1]:
        number = told(loaded.text, json.loads(row[0]))
        if number:
            said.append(f"{row[2]} will tell {number} attendee{'s' if number > 1 else ''}.")
    return said


def save(
    store: Store, target: Target, scope: Scope, after: Fields, event: bool = False, listed: bool = False
) -> tuple[int, str]:
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
        set_id = _propose(connection, loaded, plan, title, "edit")
    return _apply(store, set_id, title)


def delete(store: Store, target: Target, scope: Scope) -> tuple[int, str]:
    """Delete an occurrence, it and all after it, or the whole entry; returns the batch and what it is called."""
    with store.write() as connection:
        loaded = load(connection, target)
        plan = remove(loaded.group, loaded.target, loaded.slot, scope, stamp())
        title = f"Delete “{loaded.fields().title or 'an entry'}”{_of(loaded, scope)}"
        set_id = _propose(connection, loaded, plan, title, "edit")
    return _apply(store, set_id, title)


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


def create(store: Store, calendar: int, fields: Fields) -> tuple[int, str]:
    """Make a new event in a calendar; returns the batch and what it is called.

    Raises:
        CannotEdit: where the fields make no event.
        CannotApply: if its calendar can only be read.
    """
    text = new_event(str(uuid4()), fields, stamp())
    title = f"New: {fields.title.strip()}"
    with store.write() as connection:
        if not connection.exec_driver_sql("SELECT 1 FROM calendar WHERE id = ? AND live", (calendar,)).first():
            raise CannotApply("There is no such calendar any more.")
        set_id = open_set(connection, Proposal(title, "edit"))
        version = add_text(connection, "VEVENT", text)
        facts = derive("VEVENT", text)
        add_changes(connection, set_id, [StoredChange(calendar, facts.uid, "", None, version, "Made here.")])
        close_set(connection, set_id)
    return _apply(store, set_id, title)


def _propose(connection: Connection, loaded: Loaded, plan: Plan, title: str, kind: str) -> int:
    texts = {member.id: member.text for member in loaded.group.members}
    changes = []
    for one in plan.edits:
        if one.id is not None and one.text == texts.get(one.id):
            continue
        kept = one.text if one.text is not None else texts[one.id or 0]
        component = kept.partition("\n")[0].partition(":")[2].strip().upper()
        facts = derive(component, kept, loaded.group.zones)
        version = add_text(connection, component, one.text, loaded.group.zones) if one.text is not None else None
        changes.append(StoredChange(loaded.calendar, facts.uid, facts.recurrence_id, one.id, version, one.reason))
    if not changes:
        raise CannotApply("Nothing would change.")
    set_id = open_set(connection, Proposal(title, kind, " ".join(plan.said)))
    add_changes(connection, set_id, changes)
    close_set(connection, set_id)
    return set_id


def _apply(store: Store, set_id: int, title: str) -> tuple[int, str]:
    try:
        apply(store, set_id)
    except CannotApply:
        discard_set(store, set_id)  # nobody asked for a proposal
        raise
    return set_id, title
