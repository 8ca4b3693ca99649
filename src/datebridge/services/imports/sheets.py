"""A spreadsheet brought back: matched to its entries, shown as differences, applied as a change set."""

from __future__ import annotations

from base64 import b64decode
from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from uuid import uuid4

from datebridge.core.changes import Change, Kind
from datebridge.core.checks import examine
from datebridge.core.editing.fields import CannotEdit, start_of
from datebridge.core.editing.groups import Group, fields_at
from datebridge.core.editing.groups import SeriesMember as Entry
from datebridge.core.editing.series import edit
from datebridge.core.editing.writing import new_event, rewritten
from datebridge.core.ids import CalendarId, VersionId
from datebridge.core.index.facts import Facts, Mark
from datebridge.core.job_kinds import JobKind
from datebridge.core.language.plural import counted
from datebridge.core.moments import Clock
from datebridge.core.views.brought import BadCell, changed_since, edited, here, new_fields, wanted_of
from datebridge.core.views.sheet import Row, cells_of
from datebridge.core.views.tables import DATED, NoSheet, Order, Sheet, SheetRow, read_table
from datebridge.core.zones.meaning import Zones
from datebridge.services.editing.edits import stamp
from datebridge.services.jobs.jobs import JobContext, Refused, performs
from datebridge.services.look.details import is_zone
from datebridge.store.calendars import names
from datebridge.store.changesets.draft import Draft, propose
from datebridge.store.database import Connection
from datebridge.store.entries.present import Placed, by_uids, texts_of
from datebridge.store.entries.zones import zones_of
from datebridge.store.jobs import remember
from datebridge.store.sql import chunks

_AT_ONCE = 500
_KINDS = {"event": "VEVENT", "to-do": "VTODO", "journal": "VJOURNAL", "free-busy": "VFREEBUSY", "": "VEVENT"}
#: How many cells that could not be read are told in a set's own words.
_TOLD = 12


@dataclass(slots=True)
class _Tally:
    same: int = 0
    unread: list[str] = field(default_factory=list)
    #: By entry, the row that changes it, and into what.
    changed: dict[VersionId, tuple[str, str | None]] = field(default_factory=dict)

    def cell(self, row: SheetRow, error: BadCell) -> str:
        """Note what could not be read; returns it in words."""
        text = f"Row {row.number}, {error.column}: {error.why}"
        self.unread.append(text)
        return text


@performs(JobKind.SHEET)
def sheet_job(context: JobContext) -> dict[str, object]:
    """Propose what was edited in a sheet.

    Raises:
        NoSheet: if it is no such table.
        Refused: if nothing of it differs.
    """
    order: Order = context.params["order"]
    try:
        data = b64decode(context.params["data"])
    except ValueError as error:
        raise NoSheet("The upload was incomplete. Import the file again.") from error
    sheet = read_table(data, order)
    name, tally = context.params["name"], _Tally()
    result: dict[str, object] = {}
    if sheet.unclear:
        order = _told_by_entries(context, sheet)
        if not order:
            return {"asks": sheet.unclear}
        sheet = sheet.ordered(order)
    with propose(context.store, Kind.SHEET, context.by, "", nothing=None) as draft:
        for at, some in enumerate(chunks(sheet.rows, _AT_ONCE)):
            context.progress(at * _AT_ONCE, len(sheet.rows), "rows")
            _rows(context, draft, sheet, list(some), tally)
        if not any(not change.held for change in draft.changes):
            raise Refused(f"Nothing in {name} differs from the entries here. {' '.join(tally.unread[:_TOLD])}".strip())
        draft.title = lambda counts: f"From {name}: {counts.what} in {counts.where}"
        draft.reason = _reason(sheet, tally)

        def conclude(connection: Connection, set_id: object) -> None:
            remember(connection, context.job, data="")  # it has served, and is not kept along with the job
            result.update(context.conclude(connection, {"set_id": set_id, "unread": tally.unread[:200]}))

        draft.afterwards(conclude)
    return result


def _reason(sheet: Sheet, tally: _Tally) -> str:
    parts = [f"{counted(len(sheet.rows), 'row')}; {tally.same:,} unchanged."]
    if tally.unread:
        more = f" and {len(tally.unread) - _TOLD:,} more" if len(tally.unread) > _TOLD else ""
        parts.append(f"Not applied: {' '.join(tally.unread[:_TOLD])}{more}")
    if sheet.ignored:
        parts.append(f"Unknown columns are ignored: {', '.join(sheet.ignored[:8])}.")
    return " ".join(parts)


def _told_by_entries(context: JobContext, sheet: Sheet) -> Order:
    """Which comes first in the dates of a sheet, told by the entries here that its rows are of; "" if they do not."""
    some = replace(sheet, rows=[row for row in sheet.rows if not row.is_new()][:_AT_ONCE])
    with context.store.read() as connection:
        placed = by_uids(connection, {row.cells["uid"].strip() for row in some.rows})
        texts = texts_of(connection, (entry.id for own in placed.values() for entry in own))
        zones = {entry.calendar: zones_of(connection, entry.calendar) for own in placed.values() for entry in own}
    now = {
        entry.id: cells_of(Row("", entry.component, texts[entry.id], zones[entry.calendar]))
        for own in placed.values()
        for entry in own
    }

    def fits(order: Order) -> int:
        pairs = ((row, entry) for row in some.ordered(order).rows for entry in placed.get(row.cells["uid"].strip(), ()))
        return sum(row.cells.get(name, "")[:10] == now[entry.id][name][:10] for row, entry in pairs for name in DATED)

    day, month = fits("day"), fits("month")
    return "day" if day > 2 * month else "month" if month > 2 * day else ""


def _rows(context: JobContext, draft: Draft, sheet: Sheet, rows: list[SheetRow], tally: _Tally) -> None:
    with context.store.read() as connection:
        called = names(connection, live=True)
        placed = by_uids(connection, {row.cells.get("uid", "").strip() for row in rows if not row.is_new()})
        texts = texts_of(connection, (entry.id for own in placed.values() for entry in own))
        zones = {number: zones_of(connection, number) for number in called}
    numbers: defaultdict[str, list[CalendarId]] = defaultdict(list)
    for number, title in called.items():
        numbers[title].append(number)
    with draft.stage() as writer:
        for row in rows:
            try:
                if row.is_new():
                    calendar = _calendar(row, numbers)
                    text = new_event(str(uuid4()), new_fields(row), stamp())
                    facts = examine("VEVENT", text)
                    version = writer.add(facts, text)
                    draft.add(Change(calendar, "VEVENT", facts.uid, "", None, version, f"Row {row.number}."))
                    continue
                own = _match(row, placed, called)
                made = _edited(row, sheet, own, placed[own.uid], texts, zones[own.calendar], tally)
            except BadCell as error:
                words = tally.cell(row, error)
                hit = next(iter(_fitting(row, placed, called)), None)
                if hit is not None:
                    place = (hit.calendar, hit.component, hit.uid, hit.recurrence_id)
                    draft.add(Change(*place, hit.id, hit.id, words, held=True))
                continue
            except CannotEdit as refused:
                tally.cell(row, BadCell("start", str(refused)))
                continue
            others = [tally.changed[entry.id] for entry, _ in made if entry.id in tally.changed]
            if others:
                if [tally.changed.get(entry.id, ("", ""))[1] for entry, _ in made] != [wanted for _, wanted in made]:
                    words = f"row {others[0][0]} changes the same event; import one of the two, and then the other"
                    tally.cell(row, BadCell("uid", words))
                continue
            tally.changed |= {entry.id: (str(row.number), wanted) for entry, wanted in made}
            for entry, wanted in made:
                place = (entry.calendar, entry.component, entry.uid, entry.recurrence_id)
                if wanted is None:
                    draft.add(Change(*place, entry.id, None, f"Row {row.number}."))
                    continue
                facts = examine(entry.component, wanted, zones[entry.calendar])
                version = writer.add(facts, wanted)
                draft.add(
                    Change(
                        entry.calendar,
                        entry.component,
                        facts.uid,
                        facts.recurrence_id,
                        entry.id,
                        version,
                        f"Row {row.number}.",
                    )
                )


def _calendar(row: SheetRow, numbers: dict[str, list[CalendarId]]) -> CalendarId:
    text = row.cells.get("calendar", "").strip()
    fitting = numbers.get(text, [])
    if len(fitting) != 1:
        why = "enter the calendar of the new event" if not text else f"there is no one calendar “{text[:60]}”"
        raise BadCell("calendar", f"{why[:1].upper()}{why[1:]}.")
    return fitting[0]


def _fitting(row: SheetRow, placed: dict[str, list[Placed]], called: dict[CalendarId, str]) -> list[Placed]:
    """The entries a row can be about: by UID, occurrence and kind, and by calendar where several have it."""
    component = _KINDS.get(row.cells.get("kind", "").strip().lower(), row.cells.get("kind", "").strip().upper())
    occurrence = row.cells.get("recurrence_id", "").strip()
    own = [
        entry
        for entry in placed.get(row.cells.get("uid", "").strip(), [])
        if entry.recurrence_id == occurrence and entry.component == component
    ]
    text = row.cells.get("calendar", "").strip()
    return [entry for entry in own if called.get(entry.calendar) == text] or own


def _match(row: SheetRow, placed: dict[str, list[Placed]], called: dict[CalendarId, str]) -> Placed:
    fitting = _fitting(row, placed, called)
    if not fitting:
        raise BadCell("uid", "This entry no longer exists.")
    if len(fitting) > 1:
        raise BadCell("uid", "Several entries have this UID; remove the duplicates first.")
    if row.cells.get("calendar", "").strip() not in ("", called.get(fitting[0].calendar)):
        raise BadCell("calendar", "Entries are not moved by a table; move them in Look.")
    return fitting[0]


def _edited(
    row: SheetRow,
    sheet: Sheet,
    own: Placed,
    group: list[Placed],
    texts: dict[VersionId, str],
    zones: Zones,
    tally: _Tally,
) -> list[tuple[Placed, str | None]]:
    """What a row makes of its entry, and of the changed occurrences of a series."""
    text = texts[own.id]
    written = Row("", own.component, text, zones)
    now = cells_of(written)
    columns = edited(row, now)
    shown = _shown(row, sheet, now, written)
    if shown is not now:
        columns -= {name for name in ("start", "end", "zone") if not edited(row, shown) & {name}}
        if not edited(row, shown) & {"start", "end", "all_day"}:
            columns -= {"zone"}
    if not columns:
        tally.same += 1
        return []
    if changed_since(row, now):
        raise BadCell("modified", "It was changed here since the table was written.")
    facts = examine(own.component, text, zones)
    cells_now = here(text, now, shown, _clock(facts, zones), zones)
    wanted = wanted_of(row, cells_now)
    fields = wanted.fields
    if facts.marks & Mark.SERIES and facts.start_wall is not None and not own.recurrence_id:
        begin = start_of(cells_now.fields, zones).wall_seconds
        if (fields.start, fields.end) == (cells_now.fields.start, cells_now.fields.end):
            at = fields_at(text, begin, zones)
            fields.start, fields.end = at.start, at.end
        members = [Entry(entry.id, texts[entry.id]) for entry in group if entry.calendar == own.calendar]
        plan = edit(Group(members, _clock(facts, zones), zones), own.id, begin, "all", fields, stamp(), str(uuid4()))
        placed = {int(entry.id): entry for entry in group}
        return [
            (placed[made.id], made.text)
            for made in plan.edits
            if made.id is not None and made.text != texts[VersionId(made.id)]
        ]
    made = rewritten(text, fields, stamp(), zones=zones, exact=wanted.exact)
    if made == text:
        tally.same += 1
        return []
    return [(own, made)]


def _shown(row: SheetRow, sheet: Sheet, now: Mapping[str, str], written: Row) -> Mapping[str, str]:
    """An entry's cells as the table showed them: in the zone its row names, or, where that was edited, as now.

    Raises:
        BadCell: if a zone was edited in a table that shows times in one that is not the entry's.
    """
    zone = row.cells.get("zone", "").strip()
    if zone == now["zone"] or not is_zone(zone):
        return now
    shown = cells_of(written, zone)

    def stands(cells: Mapping[str, str]) -> bool:
        return not edited(row, cells) & {"start", "end"}

    if stands(now) and not (stands(shown) and sheet.alike):
        return now
    if zone != sheet.zone and not stands(shown) and stands(cells_of(written, sheet.zone)):
        text = f"This table shows times in {sheet.zone}; a zone is changed in one that shows each in its own."
        raise BadCell("zone", text)
    return shown


def _clock(facts: Facts, zones: Zones) -> Clock | None:
    return None if facts.marks & (Mark.ALL_DAY | Mark.FLOATING) else facts.zone or zones.clock(facts.tzid)
