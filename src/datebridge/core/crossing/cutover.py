"""The cutover list: the steps after a crossing was run, what each waits for, and what owners are told.

>>> facts = Facts(lanes=2, carried=2, verified=1)
>>> [(row.step.value, row.state) for row in states(facts, 0)][:3]
[('last-run', 'done'), ('verify', 'open'), ('access', 'waits')]
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from datetime import date
from enum import StrEnum
from typing import Literal, NamedTuple

from datebridge.core.language.plural import counted
from datebridge.core.moments import from_wall_seconds
from datebridge.core.recurrence.starts import DAY
from datebridge.core.text.lines import escape_text

State = Literal["waits", "open", "under way", "done"]
#: How long a time of rest lasts unless somebody says otherwise, in days; and the longest.
REST, MOST_REST = 14, 400
#: Notices that a calendar has moved are known by this: they are of the cutover, and go along no lane.
_NOTICE = "@notice.date-bridge.invalid"


class CutoverStep(StrEnum):
    """A step of the list, in the order in which they are usually taken."""

    LAST_RUN = "last-run"
    VERIFY = "verify"
    ACCESS = "access"
    MARK = "mark"
    NOTICE = "notice"
    SHARES = "shares"
    MESSAGES = "messages"
    REST = "rest"
    ARCHIVE = "archive"
    RETIRE = "retire"


@dataclass(frozen=True, slots=True)
class Act:
    """A step that was taken.

    Attributes:
        by: who took it.
        until: when it ends by itself, in UTC seconds; None for what does not.
        ended: its work has ended; while it has not, it is under way.
    """

    at: int
    by: str
    until: int | None = None
    ended: bool = True


@dataclass(frozen=True, slots=True)
class Facts:
    """What is known of a crossing.

    Attributes:
        lanes: how many are going; carried: of these without anything on its way or refused; verified: of these,
            without a difference that nobody can explain.
        undecided: how many entries wait for a decision.
        since: how many have changed at the old side since they were carried.
    """

    lanes: int
    carried: int = 0
    verified: int = 0
    undecided: int = 0
    acts: Mapping[CutoverStep, Act] = field(default_factory=dict)
    since: int = 0


class StepState(NamedTuple):
    """Where a step stands, and what it waits for; "" for nothing."""

    step: CutoverStep
    state: State
    why: str = ""


def states(facts: Facts, now: int) -> list[StepState]:
    """Where each step stands at a moment, in UTC seconds."""
    return [StepState(step, *_state(step, facts, now)) for step in CutoverStep]


def _state(step: CutoverStep, facts: Facts, now: int) -> tuple[State, str]:
    act = facts.acts.get(step)
    whole = facts.lanes > 0 and facts.verified == facts.lanes
    match step:
        case CutoverStep.LAST_RUN:
            if facts.undecided:
                return "open", f"{counted(facts.undecided, 'entry waits', 'entries wait')} for a decision."
            return ("done", "") if facts.lanes and facts.carried == facts.lanes else ("open", "")
        case CutoverStep.VERIFY:
            left = facts.lanes - facts.verified
            return ("done", "") if whole else ("open", f"{counted(left, 'lane is', 'lanes are')} not verified.")
        case CutoverStep.REST if act is not None and act.until is not None and act.until > now:
            return "under way", f"It lasts until {from_wall_seconds(act.until):%Y-%m-%d}."
        case CutoverStep.RETIRE if act is None and CutoverStep.ARCHIVE not in facts.acts:
            return "waits", "Archive the old side first."
    if act is not None:
        return ("done", "") if act.ended else ("under way", "")
    if not whole:
        return "waits", "Every lane has to be verified first."
    why = _why_nothing_is_deleted(step, facts, now) if step in (CutoverStep.ARCHIVE, CutoverStep.RETIRE) else ""
    return ("waits", why) if why else ("open", "")


def _why_nothing_is_deleted(step: CutoverStep, facts: Facts, now: int) -> str:
    """What a step waits for after which something goes at the old side; "" for nothing."""
    rest = facts.acts.get(CutoverStep.REST)
    if rest is None:
        return "Nothing is deleted at the old side before a time of rest."
    if rest.until is not None and rest.until > now:
        return f"The time of rest lasts until {from_wall_seconds(rest.until):%Y-%m-%d}."
    if facts.since:
        many = counted(facts.since, "change", "changes")
        return f"{many} at the old side would be lost there: carry and verify first."
    if step is CutoverStep.RETIRE and not facts.acts[CutoverStep.ARCHIVE].ended:
        return "The archive is being written."
    return ""


def rest_until(now: int, days: int) -> int:
    """When a time of rest ends that begins now, in UTC seconds."""
    return now + max(1, min(MOST_REST, days)) * DAY


# ---- notices --------------------------------------------------------------------------------------


def notice_uid(lane: int, mark: str) -> str:
    """The UID of the notice that a lane's calendar has moved."""
    return f"moved-{lane}-{mark}{_NOTICE}"


def is_notice(uid: str) -> bool:
    """Whether an entry is such a notice."""
    return uid.endswith(_NOTICE)


def notice(uid: str, day: date, stamp: str, title: str, text: str) -> str:
    """An all-day event that says where a calendar is now; it takes no time and rings nowhere."""
    lines = (
        "BEGIN:VEVENT",
        f"UID:{uid}",
        f"DTSTAMP:{stamp}",
        f"DTSTART;VALUE=DATE:{day:%Y%m%d}",
        f"SUMMARY:{escape_text(title)}",
        f"DESCRIPTION:{escape_text(text)}",
        "TRANSP:TRANSPARENT",
        "END:VEVENT",
    )
    return "\n".join(lines)


# ---- what owners are told -------------------------------------------------------------------------


class MovedCalendar(NamedTuple):
    """A calendar that moved, as its owner is told.

    Attributes:
        left: how many entries were left behind.
    """

    source: str
    target: str
    entries: int
    left: int


SUBJECT = "Your calendars have moved to {target}"
TEXT = """Hello {name},

your calendars have moved from {old} to {target}:

{calendars}

Connect your calendar program to this address, with your user name and password there:

{address}

What you change in the old calendars from now on is no longer seen by others.
"""
#: What stands for what in a text that somebody has edited.
PLACES = ("{name}", "{old}", "{target}", "{calendars}", "{address}")


def worded(template: str, values: Mapping[str, str]) -> str:
    """A template with its places filled; braces that stand for nothing stay as they are.

    >>> worded("Hello {name}, {odd}", {"name": "Ida {old}", "old": "x"})
    'Hello Ida {old}, {odd}'
    """
    return "".join(values.get(part[1:-1], part) if part in PLACES else part for part in _parts(template))


def _parts(template: str) -> Iterator[str]:
    rest = template
    while rest:
        at, place = min(((found, one) for one in PLACES if (found := rest.find(one)) >= 0), default=(len(rest), ""))
        yield rest[:at]
        yield place
        rest = rest[at + len(place) :]


def calendars_in_words(moved: list[MovedCalendar]) -> str:
    """Calendars that moved, a line each."""
    return "\n".join(
        f"- {one.source}: {counted(one.entries, 'entry', 'entries')}, now “{one.target}”"
        + (f"; {counted(one.left, 'entry was', 'entries were')} left behind" if one.left else "")
        for one in moved
    )
