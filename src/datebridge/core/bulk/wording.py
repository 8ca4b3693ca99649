"""Steps about words: categories, find and replace, busy state, privacy, status, parts taken out, other properties."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import lru_cache
from typing import Any

import regex

from datebridge.core.bulk.steps import Busy, Categories, Privacy, Property, Replace, Status, Strip
from datebridge.core.bulk.subject import CannotChange, called, kind_of
from datebridge.core.editing.writing import FORMATTED
from datebridge.core.language.plural import counted
from datebridge.core.text.component import ComponentEditor, parsed, written
from datebridge.core.text.lines import escape_text, one_line, split_text_list, unescape_text
from datebridge.core.text.nesting import depths
from datebridge.core.text.properties import ALLOWED, KNOWN

_PROPERTIES = {"title": "SUMMARY", "place": "LOCATION", "notes": "DESCRIPTION"}
_PARTS: dict[str, tuple[str, ...]] = {
    "attachments": ("ATTACH",),
    "notes": ("DESCRIPTION", *FORMATTED),
    "people": ("ATTENDEE", "ORGANIZER"),
    "place": ("LOCATION", "GEO"),
    "link": ("URL",),
    "conference": ("CONFERENCE",),
}
#: What a STATUS can be (RFC 5545 §3.8.1.11).
_STATUSES = {
    "VEVENT": {"TENTATIVE", "CONFIRMED", "CANCELLED"},
    "VTODO": {"NEEDS-ACTION", "IN-PROCESS", "COMPLETED", "CANCELLED"},
    "VJOURNAL": {"CANCELLED"},
}
#: What properties of few values can say, and those that hold TEXT; others take their values as they are.
#: Bounds for patterns, before they are compiled.
_LONGEST, _MOST_REPEATS, _DEEPEST = 1_000, 10_000, 50
_REPEATS = re.compile(r"\{([0-9]*)(?:,([0-9]*))?")
_CALLS = re.compile(r"\(\?(?:R|[+-]?[0-9]+|&|P>)")
_VALUES = {"TRANSP": {"OPAQUE", "TRANSPARENT"}, "CLASS": {"PUBLIC", "PRIVATE", "CONFIDENTIAL"}}
_TEXTS = frozenset({"SUMMARY", "LOCATION", "DESCRIPTION", "COMMENT", "CONTACT", "CATEGORIES", "RESOURCES"})
#: Standard properties that an extension can become, and the reverse: none by which an entry is known or placed.
TURNABLE = _TEXTS | frozenset(_VALUES) | {"STATUS", "URL", "PRIORITY", "COLOR", "GEO", "PERCENT-COMPLETE"}
#: How many seconds a pattern may take in one text; one that is sound takes a few millionths of them.
_PATIENCE = 1.0
#: In a replacement: a group of the pattern, or a backslash.
_GROUP = re.compile(r"\\(\d{1,2}|\\)")
_NAME = re.compile(r"X-[A-Z0-9-]{1,60}\Z")


# ---- categories -------------------------------------------------------------------------------------


def categories(lines: ComponentEditor, step: Categories) -> None:
    """Set, add or take away categories; a line of which nothing changes keeps its bytes."""
    wanted = list({value.strip().casefold(): value.strip() for value in step.values if value.strip()}.values())
    if step.mode == "remove":
        gone = {one.casefold() for one in wanted}
        _each(lines, lambda one: None if one.strip().casefold() in gone else one)
        return
    own = list(lines.own("CATEGORIES"))
    had = [c for _, line in own for c in split_text_list(line.value)]
    if step.mode == "add":
        keys = {one.strip().casefold() for one in had}
        more = ",".join(escape_text(one) for one in wanted if one.casefold() not in keys)
        if more and own and own[-1][1].value.strip():
            lines.change(own[-1][0], f"{own[-1][1].value},{more}")
        elif more:
            lines.set("CATEGORIES", more)
    elif had != wanted:
        lines.drop("CATEGORIES")
        lines.set("CATEGORIES", ",".join(map(escape_text, wanted)))


def _each(lines: ComponentEditor, make: Callable[[str], str | None]) -> None:
    """Make each category another one, or none."""
    gone = set()
    for index, line in list(lines.own("CATEGORIES")):
        had = split_text_list(line.value)
        made = list(dict.fromkeys(one for one in map(make, had) if one and one.strip()))
        if not made and had:
            gone.add(index)
        elif made != had:
            lines.change(index, ",".join(map(escape_text, made)))
    lines.lines = [raw for index, raw in enumerate(lines.lines) if index not in gone]


# ---- find and replace ---------------------------------------------------------------------------------


@lru_cache(maxsize=64)
def replacing(find: str, by: str, pattern: bool, cases: bool) -> Callable[[str], str]:
    """What makes of a text the one with everything found replaced.

    A pattern that takes too long in one text is not tried in others.

    Raises:
        CannotChange: if there is nothing to find, or the pattern is none.
    """
    if not find:
        raise CannotChange("Enter the text to find.")
    if pattern:
        _demand_small(find)
    try:
        made: Any = regex.compile(find if pattern else regex.escape(find), 0 if cases else regex.IGNORECASE)
    except (regex.error, RecursionError, OverflowError, MemoryError) as error:
        raise CannotChange(f"The pattern cannot be used: {error}.") from error
    # What stands between are groups by their numbers, or a backslash; nothing else means anything in a replacement.
    pieces = _GROUP.split(by) if pattern else [by]
    if any(piece != "\\" and int(piece) > made.groups for piece in pieces[1::2]):
        raise CannotChange(f"The pattern has {counted(made.groups, 'group')}; the replacement wants more.")
    slow = False

    def written_out(match: Any) -> str:
        inserted = [
            piece if at % 2 == 0 or piece == "\\" else match[int(piece)] or "" for at, piece in enumerate(pieces)
        ]
        return "".join(inserted)

    def replaced(text: str) -> str:
        nonlocal slow
        if not slow:
            try:
                return str(made.sub(written_out, text, timeout=_PATIENCE))
            except TimeoutError:
                slow = True
        raise CannotChange("The pattern takes too long; write it without repeats inside repeats.")

    return replaced


def _demand_small(pattern: str) -> None:
    """What is compiled takes as much room as it has repeats, and what calls itself has no bound.

    Raises:
        CannotChange: if a pattern could take more than a moment, or more than a few megabytes, to be made.
    """
    if len(pattern) > _LONGEST:
        raise CannotChange(f"The pattern has more than {_LONGEST:,} characters. Make it shorter.")
    if _CALLS.search(pattern):
        raise CannotChange("The pattern calls itself, which is not allowed. Write out what is meant.")
    many = 1
    for low, high in _REPEATS.findall(pattern):
        many *= max(int((low or "0")[:9]), int((high or "0")[:9]), 1)
    if many > _MOST_REPEATS:
        raise CannotChange(f"The pattern repeats something more than {_MOST_REPEATS:,} times. Use * or + instead.")
    depth = deepest = 0
    for sign in re.sub(r"\\\\.", "", pattern):
        depth += (sign == "(") - (sign == ")")
        deepest = max(deepest, depth)
    if deepest > _DEEPEST:
        raise CannotChange(f"The pattern has groups more than {_DEEPEST} deep. Make it simpler.")


def replace(lines: ComponentEditor, step: Replace) -> None:
    """Find and replace in one kind of words."""
    make = replacing(step.find, step.by, step.pattern, step.cases)
    if step.field == "category":
        _each(lines, make)
        return
    if step.field == "link":
        line = next(lines.own("URL"), None)
        if line is not None and (made := one_line(make(line[1].value)).strip()) != line[1].value:
            lines.set("URL", made)
        return
    name = _PROPERTIES[step.field]
    line = next(lines.own(name), None)
    if line is None:
        return
    had = unescape_text(line[1].value)
    made = make(had)
    if made == had:
        return
    if step.field == "title" and not made.strip():
        raise CannotChange("The title would be empty.")
    lines.set(name, escape_text(made))
    if step.field == "notes":
        for copy in FORMATTED:  # the notes over again, out of date now
            lines.drop(copy)


# ---- single words -------------------------------------------------------------------------------------


def busy(lines: ComponentEditor, step: Busy) -> None:
    """Say whether it takes up time; what is not said means that it does."""
    text = lines.text
    if kind_of(text) != "VEVENT":
        raise CannotChange(f"{called(text)} is neither busy nor free.")
    if (lines.value("TRANSP").strip().upper() == "TRANSPARENT") == step.busy:
        lines.set("TRANSP", "OPAQUE" if step.busy else "TRANSPARENT")


def privacy(lines: ComponentEditor, step: Privacy) -> None:
    """Say who may see it."""
    if lines.value("CLASS").strip().upper() != step.privacy:
        lines.set("CLASS", step.privacy)


def status(lines: ComponentEditor, step: Status) -> None:
    """Say how certain it is."""
    text = lines.text
    if step.status and step.status not in _STATUSES.get(kind_of(text), ()):
        raise CannotChange(f"{called(text)} cannot be {step.status.lower()}.")
    if lines.value("STATUS").strip().upper() != step.status:
        lines.set("STATUS", step.status)


# ---- parts, and other properties --------------------------------------------------------------------


def strip(lines: ComponentEditor, step: Strip) -> None:
    """Take a part out."""
    if step.part != "unknown":
        for name in _PARTS[step.part]:
            lines.drop(name)
        return
    wanted = {name.upper() for name in step.names}
    allowed = ALLOWED.get(kind_of(lines.text), KNOWN)
    kept = []
    for raw, depth in zip(lines.lines, depths(lines.lines), strict=True):
        name = re.split("[;:]", raw, maxsplit=1)[0].upper()
        unknown = depth > 0 and name not in KNOWN and name not in allowed
        if not unknown or (wanted and name not in wanted) or parsed(raw) is None:
            kept.append(raw)
    lines.lines = kept


def check_property(step: Property) -> None:
    """Refuse what turns nothing into anything.

    Raises:
    CannotChange: if these two cannot stand for each other.
    """
    source, target = step.source.upper(), step.target.upper()
    for name in (source, target):
        if not _NAME.match(name) and name not in TURNABLE:
            raise CannotChange(f"{name[:60]} cannot be turned into another; {', '.join(sorted(TURNABLE))} or X-… can.")
    if source == target or not (_NAME.match(source) or _NAME.match(target)):
        raise CannotChange("One of the two has to be an X- property.")


def turn(lines: ComponentEditor, step: Property) -> None:
    """Say by one property what another says."""
    check_property(step)
    source, target = step.source.upper(), step.target.upper()
    line = next(lines.own(source), None)
    if line is None:
        return
    text = unescape_text(line[1].value) if source in _TEXTS or source.startswith("X-") else line[1].value
    map_ = {key.casefold(): value for key, value in step.values.items()}
    if map_ and text.strip().casefold() not in map_:
        raise CannotChange(f"{source} says “{text[:40]}”, which the map does not name.")
    value = map_[text.strip().casefold()] if map_ else text
    allowed = _STATUSES.get(kind_of(lines.text), set()) if target == "STATUS" else _VALUES.get(target)
    if allowed is not None and value.strip().upper() not in allowed:
        raise CannotChange(f"{target} cannot be “{value[:40]}”.")
    if target not in ALLOWED.get(kind_of(lines.text), KNOWN) and not target.startswith("X-"):
        raise CannotChange(f"{called(lines.text)} has no {target}.")
    as_text = target in _TEXTS - {"CATEGORIES", "RESOURCES"} or (target.startswith("X-") and source in _TEXTS)
    raw = escape_text(value) if as_text else one_line(value.strip().upper() if allowed is not None else value)
    there = next(lines.own(target), None)
    if there is not None and there[1].value.strip() and there[1].value != raw:
        raise CannotChange(f"There is a {target} already, which says something else.")
    if there is None:
        lines.lines[line[0] : line[0] + 1] = [*([lines.lines[line[0]]] if step.keep else []), written(target, raw)]
    elif not step.keep:
        lines.drop(source)
