"""Stored rows as people read them."""

from __future__ import annotations

import json
from datetime import UTC, datetime, timedelta
from typing import Any

from datebridge.api.account_shapes import CalendarOut
from datebridge.api.shapes import ChangeOut, ChangeSetOut, EntryOut, ProblemOut
from datebridge.core.index.facts import Mark
from datebridge.core.moments import from_wall_seconds
from datebridge.core.problems import CODES
from datebridge.services.accounts.statements import Statement

_MARKS = (
    (Mark.PROBLEM, "problem"),
    (Mark.UNPLACED, "no time"),
    (Mark.FLOATING, "floating"),
    (Mark.PRIVATE, "private"),
    (Mark.ALARM, "alarm"),
    (Mark.ATTENDEES, "people"),
    (Mark.ATTACHMENT, "attached"),
    (Mark.UNRESOLVED_ZONE, "zone?"),
)
_KINDS = {"VEVENT": "event", "VTODO": "to-do", "VJOURNAL": "journal", "VFREEBUSY": "free-busy"}
_COMPARED = ("what", "where", "when", "repeats", "zone", "status", "marks")


def entry(row: dict[str, Any]) -> EntryOut:
    """An index row as the table shows it, in the entry's own zone."""
    marks = row["marks"]
    return EntryOut(
        id=row["id"],
        calendar_id=row.get("calendar_id"),
        kind=_KINDS.get(row["component"], row["component"].lower()),
        what=row["summary"] or "(no title)",
        where=row["location"],
        when=when(row),
        until=until(row),
        repeats=row["repeats"],
        zone="" if marks & (Mark.ALL_DAY | Mark.FLOATING) else row["zone"] or row["tzid"],
        marks=[name for bit, name in _MARKS if marks & bit],
        status=row["status"].lower(),
        override=bool(marks & Mark.OVERRIDE),
    )


def when(row: dict[str, Any]) -> str:
    """``2026-11-24 Tue 09:00–10:30``, ``2026-11-24 Tue 20:00–08:00 +1 d``, ``2026-11-24 Tue``, or two dates."""
    if row["start_wall"] is None or row["end_wall"] is None:
        return "at no time"
    start, end = from_wall_seconds(row["start_wall"]), from_wall_seconds(row["end_wall"])
    if row["marks"] & Mark.ALL_DAY:
        last = end - timedelta(days=1) if end > start else start
        return _day(start) if last <= start else f"{start:%Y-%m-%d} – {last:%Y-%m-%d}"
    if end == start:
        return f"{_day(start)} {start:%H:%M}"
    days = (end.date() - start.date()).days
    if days and not (end.hour or end.minute):  # midnight still belongs to the day before
        return f"{_day(start)} {start:%H:%M}–24:00{_later(days - 1)}"
    return f"{_day(start)} {start:%H:%M}–{end:%H:%M}{_later(days)}"


def _later(days: int) -> str:
    return f" +{days} d" if days else ""


def _day(moment: datetime) -> str:
    return f"{moment:%Y-%m-%d %a}"


def until(row: dict[str, Any]) -> str:
    """When a series has ended: a day, or "no end"."""
    if not row["marks"] & Mark.SERIES:
        return ""
    if row["until_wall"] is None:
        return "no end"
    return f"{from_wall_seconds(row['until_wall']):%Y-%m-%d}"


def stamp(seconds: int | None) -> str:
    """A moment of the logbook in UTC, ISO 8601; the browser shows it on its own clock."""
    return datetime.fromtimestamp(seconds, UTC).isoformat() if seconds else ""


def day_of(seconds: int | None) -> str | None:
    return None if seconds is None else f"{from_wall_seconds(seconds):%Y-%m-%d}"


def change_set(row: dict[str, Any]) -> ChangeSetOut:
    details = json.loads(row["details"]) if isinstance(row["details"], str) else row["details"]
    return ChangeSetOut(
        **{k: row[k] for k in ("id", "title", "kind", "reason", "state", "creates", "updates", "deletes", "held")},
        undoes_id=row["undoes_id"],
        undone_by_id=row["undone_by_id"],
        note=row["note"],
        at=stamp(row["applied_at"] or row["created_at"]),
        undoable=row["kind"] != "subscribe" and not details.get("read_only"),
        details=details,
    )


def change(row: dict[str, Any], calendars: dict[int, str]) -> ChangeOut:
    before = entry(row["before"]) if row["before"] else None
    after = entry(row["after"]) if row["after"] else None
    differs = [c for c in _COMPARED if before and after and getattr(before, c) != getattr(after, c)]
    return ChangeOut(
        position=row["position"],
        verb="added" if before is None else "removed" if after is None else "changed",
        calendar=calendars.get(row["calendar_id"], ""),
        reason=row["reason"],
        held=bool(row["held"]),
        carriage=row["carriage"] or "",
        before=before,
        after=after,
        differs=differs,
    )


def problem(row: dict[str, Any]) -> ProblemOut:
    return ProblemOut(
        severity=row["severity"],
        code=row["code"],
        title=CODES[row["code"]][1],
        message=row["message"],
        done=row["done"],
        line=row["line"],
        uid=row["uid"],
        text=row["text"],
        entry_id=row["version_id"],
    )


def button(row: dict[str, Any], calendars: list[tuple[str, int]]) -> str:
    """What applying does, said in full."""
    where = f"“{calendars[0][0]}”" if len(calendars) == 1 else f"{len(calendars)} calendars"
    parts = []
    for key, verb, preposition in (
        ("creates", "Add", "to"),
        ("updates", "Change", "in"),
        ("deletes", "Delete", "from"),
    ):
        if row[key]:
            noun = "entry" if row[key] == 1 else "entries"
            parts.append(f"{verb} {row[key]:,} {noun} {preposition} {where}")
    return "; ".join(parts) or "Apply"


def calendar(row: tuple[Any, ...], own: Any, said: Statement) -> CalendarOut:
    """A calendar's row of the ledger, its own lines (tint, zone, description, writable), what is said of it."""
    remote = said.remote
    made = CalendarOut(
        id=row[0], name=row[1], label=said.label, term=said.term, colour=row[2], tint=own[0], zone=own[1],
        description=own[2], state=said.state, live=remote is not None, writable=bool(own[3]), flow=said.flow,
        source=row[3], taken_at=stamp(row[4]), entries=row[5], problems=row[6], first=day_of(row[7]),
        last="no end" if row[9] else day_of(row[8]), to_carry=said.to_carry, to_decide=said.to_decide,
    )  # fmt: skip
    if remote is not None:
        made.account_id, made.remote_id, made.account = remote["account_id"], remote["id"], remote["account_name"]
        made.owner = "you" if remote["owned"] else remote["owner"] or remote["account_name"]
        made.refreshed_at, made.next_at = stamp(remote["refreshed_at"]), stamp(remote["next_at"])
        made.every, made.interval, made.outcome = remote["every"], said.interval, remote["outcome"]
        made.trouble, made.failed_since = remote["trouble"], stamp(remote["failed_since"])
        made.held_set_id = remote["held_open"]
    return made
