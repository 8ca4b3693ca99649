"""Stored rows as people read them."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, datetime

from datebridge.api.connect.shapes import CalendarOut
from datebridge.api.shapes import ChangeOut, ChangeSetOut, DifferingOut, EntryOut, ProblemCount, ProblemOut
from datebridge.core.changes import KINDS, Details, Kind
from datebridge.core.checks import described, severity_of, title_of
from datebridge.core.ids import CalendarId, VersionId
from datebridge.core.index.facts import Mark
from datebridge.core.language.clocks import At, standing
from datebridge.core.language.plural import counted
from datebridge.core.moments import from_wall_seconds
from datebridge.services.accounts.statements import Statement
from datebridge.services.look.details import differing
from datebridge.store.calendars import OwnLines
from datebridge.store.changesets.review import ShownChange
from datebridge.store.entries.ledger import CalendarRow, EntryRow
from datebridge.store.findings import Finding
from datebridge.store.imports import FileProblem
from datebridge.store.tables import ChangeSetRow, demand_id

_MARKS = (
    (Mark.PROBLEM, "problem"),
    (Mark.UNPLACED, "no time"),
    (Mark.FLOATING, "floating"),
    (Mark.PRIVATE, "private"),
    (Mark.ALARM, "alarm"),
    (Mark.ATTENDEES, "people"),
    (Mark.DECLINED, "declined"),
    (Mark.UNANSWERED, "unanswered"),
    (Mark.ATTACHMENT, "attached"),
    (Mark.UNRESOLVED_ZONE, "zone?"),
)
_KINDS = {"VEVENT": "event", "VTODO": "to-do", "VJOURNAL": "journal", "VFREEBUSY": "free-busy"}
_COMPARED = ("what", "where", "when", "repeats", "zone", "status", "marks")


def entry(row: EntryRow, clock: str = "") -> EntryOut:
    """An index row as the table shows it, on one clock for all or on the entry's own."""
    marks = row.marks
    when, own = standing(
        At(
            row.start,
            row.start_wall,
            row.end_wall,
            row.zone,
            row.tzid,
            bool(marks & Mark.ALL_DAY),
            bool(marks & Mark.FLOATING),
        ),
        clock,
    )
    return EntryOut(
        id=row.id,
        calendar_id=row.calendar_id,
        kind=_KINDS.get(row.component, row.component.lower()),
        what=row.summary or "(no title)",
        where=row.location,
        when=when,
        own=own,
        until=until(row),
        repeats=row.repeats,
        zone="" if marks & (Mark.ALL_DAY | Mark.FLOATING) else row.zone or row.tzid,
        marks=[name for bit, name in _MARKS if marks & bit],
        status=row.status.lower(),
        override=bool(marks & Mark.OVERRIDE),
    )


def until(row: EntryRow) -> str:
    """When a series has ended: a day, or "no end"."""
    if not row.marks & Mark.SERIES:
        return ""
    if row.until_wall is None:
        return "no end"
    return f"{from_wall_seconds(row.until_wall):%Y-%m-%d}"


def stamp(seconds: int | None) -> str:
    """A moment of the logbook in UTC, ISO 8601; the browser shows it on its own clock."""
    return datetime.fromtimestamp(seconds, UTC).isoformat() if seconds else ""


def day_of(seconds: int | None) -> str | None:
    return None if seconds is None else f"{from_wall_seconds(seconds):%Y-%m-%d}"


def change_set(row: ChangeSetRow) -> ChangeSetOut:
    details = Details.read(row.details)
    return ChangeSetOut(
        id=demand_id(row.id),
        title=row.title,
        kind=row.kind,
        reason=row.reason,
        state=row.state,
        creates=row.creates,
        updates=row.updates,
        deletes=row.deletes,
        held=row.held,
        undoes_id=row.undoes_id,
        undone_by_id=row.undone_by_id,
        note=row.note,
        by=row.by_whom,
        at=stamp(row.applied_at or row.created_at),
        undoable=KINDS[Kind(row.kind)].undo != "never" and not details.read_only,
        details=row.details,
    )


def change(shown: ShownChange, calendars: dict[CalendarId, str], texts: Mapping[VersionId, str]) -> ChangeOut:
    before = entry(shown.before) if shown.before else None
    after = entry(shown.after) if shown.after else None
    differs = [c for c in _COMPARED if before and after and getattr(before, c) != getattr(after, c)]
    sides = [texts.get(number, "") for number in (shown.change.before, shown.change.after) if number is not None]
    told = differing(shown.change.component, *sides) if len(sides) == 2 and sides[0] != sides[1] else []
    return ChangeOut(
        position=shown.position,
        verb="added" if before is None else "removed" if after is None else "changed",
        calendar=calendars.get(shown.change.calendar, ""),
        reason=shown.change.reason,
        held=shown.change.held,
        push=shown.push,
        before=before,
        after=after,
        differs=differs,
        fields=[DifferingOut(label=one.label, left=one.left, right=one.right) for one in told],
    )


def problem(row: Finding | FileProblem) -> ProblemOut:
    severity, title = described(row.code)
    return ProblemOut(
        severity=severity,
        code=row.code,
        title=title,
        message=row.message,
        done=row.done,
        line=row.line,
        uid=row.uid,
        text=row.text,
        entry_id=row.version_id,
    )


def problem_counts(counts: dict[str, int]) -> list[ProblemCount]:
    """What is wrong by kind, the worst first."""
    order = ("breaks", "alters", "untidy")
    by_kind = [
        ProblemCount(severity=severity_of(code), code=code, title=title_of(code), count=number)
        for code, number in counts.items()
    ]
    return sorted(by_kind, key=lambda count: (order.index(count.severity), -count.count))


def button(row: ChangeSetRow, calendars: list[tuple[str, int]]) -> str:
    """What applying does, said in full."""
    where = f"“{calendars[0][0]}”" if len(calendars) == 1 else f"{len(calendars)} calendars"
    parts = [
        f"{verb} {counted(number, 'entry', 'entries')} {preposition} {where}"
        for number, verb, preposition in (
            (row.creates, "Add", "to"),
            (row.updates, "Change", "in"),
            (row.deletes, "Delete", "from"),
        )
        if number
    ]
    return "; ".join(parts) or "Apply"


def calendar(row: CalendarRow, own: OwnLines, statement: Statement) -> CalendarOut:
    """A calendar's row of the ledger, its own lines, what is said of it."""
    there = statement.remote
    made = CalendarOut(
        id=row.id,
        name=row.name,
        label=statement.label,
        term=statement.term,
        colour=row.colour,
        own_colour=own.own_colour,
        zone=own.zone,
        description=own.description,
        state=statement.state,
        live=there is not None,
        writable=own.writable,
        flow=statement.flow,
        source=row.source,
        taken_at=stamp(row.taken_at),
        entries=row.entries,
        problems=row.problems,
        first=day_of(row.first),
        last="no end" if row.endless else day_of(row.last),
        to_push=statement.to_push,
        to_decide=statement.to_decide,
        echo=statement.echo,
    )
    if there is not None:
        remote = there.remote
        made.account_id, made.remote_id, made.account = remote.account_id, remote.id, there.account_name
        made.owner = "you" if remote.owned else remote.owner or there.account_name
        made.refreshed_at, made.next_at = stamp(remote.refreshed_at), stamp(remote.next_at)
        made.every, made.interval, made.outcome = remote.every, statement.interval, remote.outcome
        made.trouble, made.failed_since = remote.trouble, stamp(remote.failed_since)
        made.held_set_id = there.held_open
    return made
