"""What a target does, in words: a sentence a rule, and the lines of an entry that a feature is about.

>>> in_words(Most("ATTACH", 2)), in_words(LeaveOut("COLOR"))
('keeps 2 of the attachments: the first', 'leaves out the colour')
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from datebridge.core.crossing.features import Feature, Verdict
from datebridge.core.crossing.refusals import (
    RefuseKind,
    RefuseLarger,
    RefuseLoneOverride,
    RefuseLonger,
    RefuseMany,
    RefuseProblems,
    RefuseRule,
    RefuseWith,
)
from datebridge.core.crossing.rules import (
    ENDLESS,
    Another,
    Cut,
    InUtc,
    LeaveOut,
    LeaveOutAlarms,
    LeaveOutInline,
    LeaveOutOfNested,
    LeaveOutParameters,
    LeaveOutRule,
    LeaveOutUnknown,
    MasterOnly,
    Most,
    MostValues,
    NewUid,
    Rule,
    Stamped,
    name_of,
)
from datebridge.core.language.plural import counted
from datebridge.core.text.nesting import nested_in

_NAMES: Mapping[str, tuple[str, str]] = {
    "ATTACH": ("attachments", "attachments"),
    "ATTENDEE": ("attendees", "attendees"),
    "CATEGORIES": ("categories", "categories"),
    "COLOR": ("the colour", "colours"),
    "COMMENT": ("comments", "comments"),
    "CONFERENCE": ("conference addresses", "conference addresses"),
    "CONTACT": ("contacts", "contacts"),
    "DESCRIPTION": ("notes", "notes"),
    "GEO": ("the position", "positions"),
    "IMAGE": ("images", "images"),
    "LOCATION": ("the place", "places"),
    "RESOURCES": ("resources", "resources"),
    "STYLED-DESCRIPTION": ("styled descriptions", "styled descriptions"),
    "SUMMARY": ("titles", "titles"),
    "URL": ("the link", "links"),
    "VALARM": ("reminders", "reminders"),
    "VTODO": ("to-dos", "to-dos"),
    "VJOURNAL": ("journals", "journals"),
    "VLOCATION": ("structured places", "structured places"),
}
_ACTIONS = {"ACTION:EMAIL": "by mail", "ACTION:AUDIO": "by sound", "ACTION:DISPLAY": "on the screen"}
#: How much of a long line is shown.
_LONGEST, _MOST_LINES = 160, 8


def _named(name: str, several: bool = False) -> str:
    return _NAMES.get(name, (name, name))[several]


def in_words(rule: Rule) -> str:  # noqa: C901 (one case a rule)
    """What a target does, to be read after its name."""
    match rule:
        case LeaveOut():
            return f"leaves out {_named(rule.name)}"
        case LeaveOutUnknown():
            return "leaves out unknown properties" + (" of reminders and other parts" if rule.nested else "")
        case LeaveOutOfNested():
            return f"leaves out {rule.name} of {_named(rule.kind, True)}"
        case LeaveOutParameters():
            what = f"the parameter {rule.param}" if rule.param else "unknown parameters"
            return f"leaves out {what}" + (f" of {_named(rule.prop, True)}" if rule.prop else "")
        case LeaveOutRule():
            return f"leaves out repeat rules {_rule_in_words(rule.part)}"
        case LeaveOutInline():
            return "leaves out attachments within entries"
        case LeaveOutAlarms():
            return f"leaves out reminders {_ACTIONS.get(rule.line, f'with {rule.line}')}"
        case Most():
            return _most(rule.most, rule.name, "last" if rule.last else "first")
        case MostValues():
            return _most(rule.most, rule.name, "first")
        case Cut():
            return f"cuts {_named(rule.name, True)} after {rule.most:,} {rule.unit}"
        case Another():
            return f"leaves out {rule.name}:{rule.value}" if not rule.by else f"turns {rule.value} into {rule.by}"
        case InUtc():
            return f"keeps times in {'zones with a definition of their own' if rule.defined else 'time zones'} as UTC"
        case NewUid():
            return "gives entries other UIDs"
        case Stamped():
            return f"sets {', '.join(rule.names)} itself" + ("" if rule.always else " where it is missing")
        case MasterOnly():
            return "leaves out changed occurrences"
        case _:
            return _refusal_in_words(rule)


def _rule_in_words(part: str) -> str:
    return "without an end" if part == ENDLESS else f"with {part.rstrip('=-')}"


def _amount(text: str) -> str:
    """How much of a limit: ``8,192 bytes``, ``the first 2``."""
    count, _, of = text.partition(" ")
    if not count.isdigit():
        return text
    return f"the {of} {int(count):,}" if of in ("first", "last") else f"{int(count):,} {of}"


def _most(most: int, name: str, which: str) -> str:
    names = _named(name, True)
    return f"keeps no {names}" if not most else f"keeps {most:,} of the {names}: the {which}"


def _refusal_in_words(rule: Rule) -> str:
    match rule:
        case RefuseKind():
            return f"refuses {_named(rule.component, True)}"
        case RefuseWith():
            return f"refuses entries with {rule.begins or _named(rule.name, True)}"
        case RefuseRule():
            return f"refuses repeat rules {_rule_in_words(rule.part)}"
        case RefuseMany():
            return f"refuses more than {rule.most:,} {_named(rule.name, True)}"
        case RefuseLonger():
            return f"refuses {_named(rule.name, True)} of more than {rule.most:,} {rule.unit}"
        case RefuseLarger():
            return f"refuses entries of more than {rule.most:,} bytes"
        case RefuseProblems():
            return "refuses damaged entries"
        case RefuseLoneOverride():
            return "refuses changed occurrences without their series"
        case _:
            return type(rule).__name__


def lines_about(feature: Feature, texts: Sequence[str]) -> list[str]:
    """The lines of entries that a feature is about, as they are written; long ones cut."""
    if feature.limit is not None:
        return [_amount(text) for text in texts]
    names = {one.partition(";")[0] for one in feature.focus}
    shown: list[str] = []
    for text in texts:
        lines = text.split("\n")
        inside = {at for kind, first, last in nested_in(lines) if kind in names for at in range(first, last + 1)}
        shown += [raw for at, raw in enumerate(lines) if at in inside or (name_of(raw) in names and at)]
    cut = [raw if len(raw) <= _LONGEST else f"{raw[:_LONGEST]}…" for raw in shown[:_MOST_LINES]]
    return cut + ([f"… {len(shown) - _MOST_LINES:,} more lines"] if len(shown) > _MOST_LINES else [])


def loss_in_words(verdict: Verdict, words: str, at: str, entries: int = 0) -> str:
    """A loss as a sentence: of so many entries, or of one.

    >>> loss_in_words(Verdict.DROPPED, "Travel time", "Lantern", 41)
    'Dropped at Lantern in 41 entries: travel time.'
    """
    many = f" in {counted(entries, 'entry', 'entries')}" if entries else ""
    return f"{verdict.value.capitalize()} at {at}{many}: {words[:1].lower()}{words[1:]}."
