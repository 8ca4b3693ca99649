"""What can be done to many entries at once, a step each; several make a recipe.

A step says nothing of which entries it is for: that is a selection, or a file. Its fields are plain values, so that a
recipe can be kept as JSON: `do` says which step it is.

>>> steps = Shift(days=-7), Categories("add", ["Lab"]), MapAddress("@a.example", "@b.example")
>>> [step_in_words(step) for step in steps]
['7 d earlier', 'category added: Lab', 'addresses @a.example → @b.example']
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from datebridge.core.language.plural import counted
from datebridge.core.language.spans import length

#: Which words of an entry can be searched and replaced.
Words = Literal["title", "place", "notes", "category", "link"]
#: What can be taken out of an entry as a whole.
Part = Literal["attachments", "unknown", "notes", "people", "place", "link", "conference"]


@dataclass(frozen=True, slots=True)
class Shift:
    """Everything is earlier (below 0) or later, on each entry's own clock; a series with its changed occurrences."""

    days: int = 0
    minutes: int = 0
    do: Literal["shift"] = "shift"


@dataclass(frozen=True, slots=True)
class MoveTo:
    """To another calendar, by its name, and by its account where several are called so."""

    calendar: str
    account: str = ""
    do: Literal["calendar"] = "calendar"


@dataclass(frozen=True, slots=True)
class Categories:
    """Categories set, added or taken away; letters large or small are one."""

    mode: Literal["set", "add", "remove"]
    values: list[str] = field(default_factory=list)
    do: Literal["categories"] = "categories"


@dataclass(frozen=True, slots=True)
class Replace:
    """Text found and replaced in one kind of words.

    Attributes:
        pattern: `find` is a regular expression, and ``\\\\1`` in `by` a group of it.
        cases: letters large and small are told apart.
    """

    field: Words
    find: str
    by: str = ""
    pattern: bool = False
    cases: bool = False
    do: Literal["replace"] = "replace"


@dataclass(frozen=True, slots=True)
class Busy:
    """Whether it takes up time (RFC 5545 §3.8.2.7)."""

    busy: bool
    do: Literal["busy"] = "busy"


@dataclass(frozen=True, slots=True)
class Privacy:
    """Who may see it (RFC 5545 §3.8.1.3); "" as the calendar has it."""

    privacy: Literal["", "PUBLIC", "PRIVATE", "CONFIDENTIAL"]
    do: Literal["privacy"] = "privacy"


@dataclass(frozen=True, slots=True)
class Status:
    """How certain it is (RFC 5545 §3.8.1.11); "" for no word of it."""

    status: Literal["", "TENTATIVE", "CONFIRMED", "CANCELLED", "NEEDS-ACTION", "IN-PROCESS", "COMPLETED"]
    do: Literal["status"] = "status"


@dataclass(frozen=True, slots=True)
class Alarms:
    """Alarms set (all others go), added, or all taken out. `minutes` before the start or end, below 0 for after it."""

    mode: Literal["set", "add", "strip"]
    minutes: int = 15
    related: Literal["start", "end"] = "start"
    do: Literal["alarms"] = "alarms"


@dataclass(frozen=True, slots=True)
class MapAddress:
    """Another address for the organiser and attendees: ``@old.example`` for a domain, else one address."""

    old: str
    new: str
    do: Literal["map-address"] = "map-address"


@dataclass(frozen=True, slots=True)
class DropPeople:
    """Attendees taken out by address or ``@domain``; an organiser among them stays while others are invited."""

    who: list[str]
    do: Literal["drop-people"] = "drop-people"


@dataclass(frozen=True, slots=True)
class Strip:
    """A part taken out. `names`: of unknown properties only these; all where there are none."""

    part: Part
    names: list[str] = field(default_factory=list)
    do: Literal["strip"] = "strip"


@dataclass(frozen=True, slots=True)
class AllDay:
    """Times become whole days: those on which it happens on its own clock."""

    do: Literal["all-day"] = "all-day"


@dataclass(frozen=True, slots=True)
class Timed:
    """Whole days become times: from `at` on, so many minutes on the last day, on the clock of a zone ("" for none)."""

    at: str = "09:00"
    minutes: int = 60
    zone: str = ""
    do: Literal["timed"] = "timed"


@dataclass(frozen=True, slots=True)
class OnClock:
    """Times go by the clock of another zone.

    Attributes:
        zone: an IANA zone, or a TZID the calendar defines; "" for none (floating times).
        keep: ``clock``: the hour stays, the instant changes (it was labelled wrongly); ``instant``: the instant stays,
            and is told on the other clock (people moved).
        of: only times in this TZID as written, "" for floating ones; None for all that are no whole days.
        otherwise: of a series of which no rule keeps every instant: ``leave`` it; ``dates``: write it date by date;
            ``clock``: keep its hour on the new clock, so that some of its times move.
    """

    zone: str
    keep: Literal["clock", "instant"] = "clock"
    of: str | None = None
    otherwise: Literal["leave", "dates", "clock"] = "leave"
    do: Literal["clock"] = "clock"


@dataclass(frozen=True, slots=True)
class Misread:
    """What was on the clock of `zone` was read on that of `was`: shifted by their difference at each date.

    Attributes:
        of: as in `OnClock`. otherwise: as in `OnClock`, but for ``clock``.
    """

    zone: str
    was: str
    of: str | None = None
    otherwise: Literal["leave", "dates"] = "leave"
    do: Literal["misread"] = "misread"


@dataclass(frozen=True, slots=True)
class DaysAgain:
    """Times from midnight to midnight on the clock of `zone` are the whole days they were."""

    zone: str
    of: str | None = None
    do: Literal["days-again"] = "days-again"


@dataclass(frozen=True, slots=True)
class EndSeries:
    """A series happens for the last time on this day (``2026-12-31``), or before it."""

    last: str
    do: Literal["end-series"] = "end-series"


@dataclass(frozen=True, slots=True)
class BeginSeries:
    """A series begins on this day or later: what it did before is cut off."""

    first: str
    do: Literal["begin-series"] = "begin-series"


@dataclass(frozen=True, slots=True)
class Property:
    """What one property says is said by another, as a map of values has it; an empty map says the same again.

    Attributes:
        source, target: one of them is an X- property; `keep`: the first one stays beside the new one.
    """

    source: str
    target: str
    values: dict[str, str] = field(default_factory=dict)
    keep: bool = False
    do: Literal["property"] = "property"


@dataclass(frozen=True, slots=True)
class Fix:
    """What a check finds is fixed as the check can."""

    check: str
    do: Literal["fix"] = "fix"


@dataclass(frozen=True, slots=True)
class Delete:
    """Entries go: those in which a check finds something; or those over before a day, series only as a whole."""

    check: str = ""
    before: str = ""
    do: Literal["delete"] = "delete"


@dataclass(frozen=True, slots=True)
class SayInNotes:
    """What some properties say is said in the notes too; without names, what all unknown properties say."""

    names: list[str] = field(default_factory=list)
    do: Literal["say-in-notes"] = "say-in-notes"


@dataclass(frozen=True, slots=True)
class OneAlarm:
    """Of several alarms one is kept: the last that rings before the start, or the first."""

    keep: Literal["last", "first"] = "last"
    do: Literal["one-alarm"] = "one-alarm"


@dataclass(frozen=True, slots=True)
class CategoryInTitle:
    """Categories stand before the title, in brackets."""

    do: Literal["category-in-title"] = "category-in-title"


@dataclass(frozen=True, slots=True)
class PlainNotes:
    """Formatted notes are said as plain ones."""

    do: Literal["plain-notes"] = "plain-notes"


@dataclass(frozen=True, slots=True)
class SecondSeries:
    """A change for all that follow (RANGE=THISANDFUTURE, RFC 5545 §3.2.13) becomes a series of its own."""

    do: Literal["second-series"] = "second-series"


@dataclass(frozen=True, slots=True)
class LinkAttachments:
    """Attachments within an entry become links to files at a web address, where somebody puts them.

    Attributes:
        most: up to so many kB they stay within the entry.
    """

    under: str
    most: int = 100
    do: Literal["link-attachments"] = "link-attachments"


@dataclass(frozen=True, slots=True)
class FetchLinks:
    """What links into the old system lead to is carried within the entry; `most` kB each."""

    most: int = 1000
    do: Literal["fetch-links"] = "fetch-links"


@dataclass(frozen=True, slots=True)
class ZoneNames:
    """Zones are called as in the zone database, wherever nothing happens at another time by that."""

    do: Literal["zone-names"] = "zone-names"


@dataclass(frozen=True, slots=True)
class KeepByServer:
    """Attachments within an entry are kept by its server, where that manages attachments (RFC 8607)."""

    do: Literal["keep-by-server"] = "keep-by-server"


@dataclass(frozen=True, slots=True)
class LeaveBehind:
    """Entries do not come along, series as a whole; they are listed."""

    do: Literal["leave-behind"] = "leave-behind"


Step = (
    Shift
    | MoveTo
    | Categories
    | Replace
    | Busy
    | Privacy
    | Status
    | Alarms
    | MapAddress
    | DropPeople
    | Strip
    | AllDay
    | Timed
    | OnClock
    | Misread
    | DaysAgain
    | EndSeries
    | BeginSeries
    | Property
    | SayInNotes
    | OneAlarm
    | CategoryInTitle
    | PlainNotes
    | SecondSeries
    | LinkAttachments
    | FetchLinks
    | ZoneNames
    | KeepByServer
    | LeaveBehind
    | Fix
    | Delete
)

#: Steps that concern a series with all its changed occurrences.
TIMING = (Shift, AllDay, Timed, OnClock, Misread, DaysAgain, EndSeries, BeginSeries, SecondSeries)


@dataclass(frozen=True, slots=True)
class Recipe:
    """Steps under a name, done one after the other."""

    name: str
    steps: list[Step]


def step_in_words(step: Step) -> str:  # noqa: C901 (one line a step)
    """A step in a few words."""
    match step:
        case Shift():
            total = step.days * 1440 + step.minutes
            return f"{length(abs(total) * 60)} {'later' if total > 0 else 'earlier'}"
        case MoveTo():
            return f"to the calendar {step.calendar}"
        case Categories():
            what = ", ".join(step.values) or "none"
            verb = {"set": "categories", "add": "category added", "remove": "category removed"}[step.mode]
            return f"{verb}: {what}"
        case Replace():
            return f"{step.field}: “{step.find}” → “{step.by}”"
        case Busy():
            return "shown as busy" if step.busy else "shown as free"
        case Privacy():
            return f"privacy {step.privacy.lower() or 'not said'}"
        case Status():
            return f"status {step.status.lower() or 'not said'}"
        case Alarms():
            return "alarms removed" if step.mode == "strip" else f"alarm {_alarm(step)}"
        case MapAddress():
            return f"addresses {step.old} → {step.new}"
        case DropPeople():
            return f"without {', '.join(step.who)}"
        case Strip():
            return f"without {', '.join(step.names) if step.names else _PARTS[step.part]}"
        case AllDay():
            return "as all-day events"
        case Timed():
            return f"at {step.at}, {counted(step.minutes, 'minute')}"
        case OnClock():
            where = f"in the zone {step.zone}" if step.zone else "in no zone"
            return f"{where}, same {'hour' if step.keep == 'clock' else 'instant'}"
        case Misread():
            return f"read on {step.was}, meant on {step.zone}"
        case DaysAgain():
            return f"whole days of {step.zone} again"
        case EndSeries():
            return f"series end on {step.last}"
        case BeginSeries():
            return f"series begin on {step.first}"
        case Property():
            return f"{step.source} → {step.target}"
        case SayInNotes():
            return f"in the notes: {', '.join(step.names) or 'unknown properties'}"
        case OneAlarm():
            return f"the {step.keep} alarm only"
        case CategoryInTitle():
            return "categories before the title"
        case PlainNotes():
            return "plain notes"
        case SecondSeries():
            return "a second series where all that follow change"
        case LinkAttachments():
            return f"attachments over {step.most:,} kB as links under {step.under}"
        case FetchLinks():
            return f"links into the old system fetched, up to {step.most:,} kB each"
        case ZoneNames():
            return "zones by their names in the zone database"
        case KeepByServer():
            return "attachments kept by the server"
        case LeaveBehind():
            return "left behind"
        case Fix():
            return f"fixed: {step.check}"
        case Delete():
            return f"deleted: {step.check}" if step.check else f"deleted: ended before {step.before}"


_PARTS: dict[Part, str] = {
    "attachments": "attachments",
    "unknown": "unknown properties",
    "notes": "notes",
    "people": "people",
    "place": "place",
    "link": "link",
    "conference": "conference address",
}


def _alarm(step: Alarms) -> str:
    when = f"{length(abs(step.minutes) * 60)} {'before' if step.minutes >= 0 else 'after'}" if step.minutes else "at"
    return f"{when} the {step.related}{' added' if step.mode == 'add' else ' only'}"
