r"""The computation: no web, no database, no network, no clock of its own.

This is its public face: what others may build upon. Everything works on text as it is written in files, and gives
text back in which only that has changed that was asked for.

A file is read, whatever it contains; nothing of it is lost, and what is wrong with it is said:

>>> from io import BytesIO
>>> from datebridge.core import examine, inspect
>>> lines = "UID:t", "SUMMARY:Spring tide", "DTSTART:20261124T090000Z", "DTEND:20261124T080000Z"
>>> entry = "\n".join(["BEGIN:VEVENT", *lines, "END:VEVENT"])
>>> found = inspect(BytesIO(f"BEGIN:VCALENDAR\n{entry}\nEND:VCALENDAR\n".encode()))
>>> found.summary.events, [problem.code for problem in found.problems if problem.uid]
(1, ['no-dtstamp', 'end-before-start'])

One entry says what it is about, when it happens, and what is wrong with it:

>>> facts = examine("VEVENT", entry)
>>> facts.summary, facts.uid, [problem.message for problem in facts.problems]
('Spring tide', 't', ['The end is before the start.'])
>>> from datebridge.core import Series, timed
>>> weekly = "BEGIN:VEVENT\nUID:w\nDTSTART:20261123T090000Z\nRRULE:FREQ=WEEKLY;COUNT=3\nEND:VEVENT"
>>> Series([timed(examine("VEVENT", weekly))]).count()
3

It is written back, edited, and taken to JSON, every other line as it was:

>>> from datebridge.core import new_header, to_jcal, with_property, write_calendar
>>> with_property(entry, "SUMMARY", "Neap tide").count("\n") == entry.count("\n")
True
>>> b"".join(write_calendar(new_header("Tides"), [], [entry])).count(b"\r\n") > entry.count("\n")
True
>>> to_jcal("BEGIN:VEVENT\nSUMMARY:Tide\nEND:VEVENT")
['vevent', [['summary', {}, 'text', 'Tide']], []]

Two sides are compared, and brought together:

>>> from datebridge.core import Identity, Item, Policy, merge_sides, reconcile
>>> here, there = (Item(Identity("VEVENT", "t"), text, side) for text, side in ((b"old", "here"), (b"new", "there")))
>>> [met.verdict.value for met in reconcile([there], [here], Policy.REPLACE)]
['change']
>>> ours = with_property(entry, "SUMMARY", "Neap")
>>> theirs = with_property(entry, "LOCATION", "Pier")
>>> merged = merge_sides(entry, ours, theirs)
>>> merged.conflicts, "SUMMARY:Neap" in merged.text, "LOCATION:Pier" in merged.text
((), True, True)

Zone names are understood, and series that are scattered or ill:

>>> from datebridge.core import Single, infer, understand
>>> understand("(UTC+10:00) Hobart", None, 2026, 2026).zone
'Australia/Hobart'
>>> [found] = infer(Single(k, 1795392000 + k * 604800, 3600, ("Watch",)) for k in range(6))
>>> found.phrase.rule
'FREQ=WEEKLY;BYDAY=MO;COUNT=6'

What people type is understood, or said not to be:

>>> from datetime import date
>>> from datebridge.core import parse_filter, read_date
>>> read_date("last friday", date(2026, 11, 25)).isoformat()
'2026-11-20'
>>> [term.field for term in parse_filter('berth before:2020')]
['text', 'before']
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from datebridge.core.changes import Change, ChangeSet, Identity, Item, Kind, Policy, Verdict, inverse, reconcile
    from datebridge.core.checks import CHECKS, examine
    from datebridge.core.editing.fields import Fields, read_fields
    from datebridge.core.editing.typed import read_line
    from datebridge.core.editing.writing import new_event, rewritten
    from datebridge.core.errors import CannotDo
    from datebridge.core.inspection import inspect
    from datebridge.core.language.filters import parse_filter, resolve_filter
    from datebridge.core.language.phrases import read_date, read_days
    from datebridge.core.matching.files import duplicates_in
    from datebridge.core.merge import combined, differing, merge_sides
    from datebridge.core.moments import Moment, parse_duration, parse_moment
    from datebridge.core.occurrences.expanding import occurrences, timed
    from datebridge.core.occurrences.series import Series
    from datebridge.core.recurrence.rules import Rule, parse_rule
    from datebridge.core.series.health import heal, series_findings
    from datebridge.core.series.inferring import Single, infer
    from datebridge.core.text.component import Component, with_property
    from datebridge.core.text.jcal import from_jcal, to_jcal
    from datebridge.core.text.reader import Reader
    from datebridge.core.text.writer import new_header, write_calendar
    from datebridge.core.zones.evidence import understand
    from datebridge.core.zones.meaning import Zones

#: Where each name is at home. A part is loaded when it is asked for, so that a command that needs one starts quickly.
_HOMES = {
    "changes": ("Change", "ChangeSet", "Identity", "Item", "Kind", "Policy", "Verdict", "inverse", "reconcile"),
    "checks": ("CHECKS", "examine"),
    "editing.fields": ("Fields", "read_fields"),
    "editing.writing": ("new_event", "rewritten"),
    "errors": ("CannotDo",),
    "occurrences.expanding": ("occurrences", "timed"),
    "occurrences.series": ("Series",),
    "inspection": ("inspect",),
    "matching.files": ("duplicates_in",),
    "merge": ("combined", "differing", "merge_sides"),
    "moments": ("Moment", "parse_duration", "parse_moment"),
    "recurrence.rules": ("Rule", "parse_rule"),
    "series.health": ("series_findings", "heal"),
    "series.inferring": ("Single", "infer"),
    "text.component": ("Component", "with_property"),
    "text.jcal": ("from_jcal", "to_jcal"),
    "text.reader": ("Reader",),
    "text.writer": ("new_header", "write_calendar"),
    "language.filters": ("parse_filter", "resolve_filter"),
    "editing.typed": ("read_line",),
    "language.phrases": ("read_date", "read_days"),
    "zones.evidence": ("understand",),
    "zones.meaning": ("Zones",),
}
_HOME_OF = {name: home for home, names in _HOMES.items() for name in names}

__all__ = [
    "CHECKS",
    "CannotDo",
    "Change",
    "ChangeSet",
    "Component",
    "Fields",
    "Identity",
    "Item",
    "Kind",
    "Moment",
    "Policy",
    "Reader",
    "Rule",
    "Series",
    "Single",
    "Verdict",
    "Zones",
    "combined",
    "differing",
    "duplicates_in",
    "examine",
    "from_jcal",
    "heal",
    "infer",
    "inspect",
    "inverse",
    "merge_sides",
    "new_event",
    "new_header",
    "occurrences",
    "parse_duration",
    "parse_filter",
    "parse_moment",
    "parse_rule",
    "read_date",
    "read_days",
    "read_fields",
    "read_line",
    "reconcile",
    "resolve_filter",
    "rewritten",
    "series_findings",
    "timed",
    "to_jcal",
    "understand",
    "with_property",
    "write_calendar",
]


def __getattr__(name: str) -> Any:
    home = _HOME_OF.get(name)
    if home is None:
        raise AttributeError(name)
    return getattr(import_module(f"{__name__}.{home}"), name)
