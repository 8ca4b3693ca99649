"""Steps that save what the next system does not keep, by saying it in another form.

>>> from datebridge.core.bulk.steps import SayInNotes
>>> lines = ComponentEditor("BEGIN:VEVENT\\nUID:1\\nX-TRAVEL-MINUTES:30\\nEND:VEVENT")
>>> say_in_notes(lines, SayInNotes(["X-TRAVEL-MINUTES"]))
>>> lines.lines[3]
'DESCRIPTION:Travel minutes: 30'
"""

from __future__ import annotations

import re

from datebridge.core.bulk.steps import CategoryInTitle, OneAlarm, PlainNotes, SayInNotes
from datebridge.core.bulk.subject import CannotChange
from datebridge.core.editing.writing import FORMATTED
from datebridge.core.moments import NotAMoment, parse_duration
from datebridge.core.text.component import Component, ComponentEditor, parsed
from datebridge.core.text.lines import ContentLine, escape_text, split_text_list, unescape_text
from datebridge.core.text.markup import plain
from datebridge.core.text.nesting import depths
from datebridge.core.text.properties import KNOWN

#: What is never said in notes: it is what the entry is, or when.
_PLACED = frozenset(
    {"UID", "DTSTAMP", "DTSTART", "DTEND", "DUE", "DURATION", "RRULE", "RDATE", "EXDATE", "EXRULE", "RECURRENCE-ID"}
)
_SAID = {"URL": "Link", "CONTACT": "Contact", "GEO": "Position", "ATTACH": "Attachment", "CATEGORIES": "Categories"}


def say_in_notes(lines: ComponentEditor, step: SayInNotes) -> None:
    """Say in the notes what some properties say, or all that no standard knows; but nothing twice."""
    wanted = {name.strip().upper() for name in step.names if name.strip()}
    said: list[str] = []
    for raw, depth in zip(lines.lines, depths(lines.lines), strict=True):
        line = parsed(raw) if depth == 1 else None
        if line is None or line.name in _PLACED or line.name in (*FORMATTED, "DESCRIPTION"):
            continue
        if line.name in wanted if wanted else line.name not in KNOWN:
            said.append(f"{_called(line.name)}: {_value(line)}")
    had = unescape_text(lines.value("DESCRIPTION"))
    there = had.split("\n")
    more = [one for one in said if one not in there]
    if more:
        lines.set("DESCRIPTION", escape_text("\n".join([*([had.rstrip()] if had.strip() else []), *more])))


def _called(name: str) -> str:
    """A property as it is called in notes: ``X-TRAVEL-MINUTES`` is “Travel minutes”."""
    words = _SAID.get(name) or re.sub(r"^X-", "", name).replace("-", " ").lower()
    return words[:1].upper() + words[1:]


def _value(line: ContentLine) -> str:
    if (line.param("ENCODING") or "").upper() == "BASE64":
        return line.param("FILENAME") or line.param("FMTTYPE") or "within the old entry"
    return " ".join(unescape_text(line.value).split())


def one_alarm(lines: ComponentEditor, step: OneAlarm) -> None:
    """Keep one alarm: the last that rings before the start, or the first."""
    blocks = lines.blocks("VALARM")
    if len(blocks) < 2:
        return
    leads = [_lead(lines.lines[first : last + 1]) for first, last in blocks]
    before = [at for at, lead in enumerate(leads) if lead is not None and lead >= 0]
    rings = before or [at for at, lead in enumerate(leads) if lead is not None] or list(range(len(blocks)))
    order = sorted(rings, key=lambda at: leads[at] or 0)
    kept = order[0] if step.keep == "last" else order[-1]
    for at in reversed(range(len(blocks))):
        if at != kept:
            first, last = blocks[at]
            del lines.lines[first : last + 1]


def _lead(block: list[str]) -> int | None:
    """How many seconds before the start an alarm rings; None for one that says it otherwise."""
    line = Component("\n".join(block)).first("TRIGGER")
    if line is None or (line.param("RELATED") or "START").upper() != "START":
        return None
    try:
        days, seconds = parse_duration(line.value)
    except NotAMoment:
        return None
    return -(days * 86400 + seconds)


def category_in_title(lines: ComponentEditor, _: CategoryInTitle) -> None:
    """Put the categories before the title, in brackets; those that stand in it are not put there again."""
    title = unescape_text(lines.value("SUMMARY"))
    categories = [one.strip() for _, line in lines.own("CATEGORIES") for one in split_text_list(line.value)]
    more = [one for one in dict.fromkeys(categories) if one and f"[{one}]" not in title]
    if more:
        lines.set("SUMMARY", escape_text(" ".join([*(f"[{one}]" for one in more), title]).rstrip()))


def plain_notes(lines: ComponentEditor, _: PlainNotes) -> None:
    """Say formatted notes as plain ones.

    Raises:
        CannotChange: if there are plain ones that say something else.
    """
    for name in FORMATTED:
        line = next(lines.own(name), None)
        if line is None or "html" not in (line[1].param("FMTTYPE") or "text/html").lower():
            continue
        text = plain(unescape_text(line[1].value)).strip()
        had = unescape_text(lines.value("DESCRIPTION")).strip()
        if had and " ".join(had.split()) != " ".join(text.split()):
            raise CannotChange("There are plain notes already, which say something else.")
        if text:
            lines.set("DESCRIPTION", escape_text(text))
        lines.drop(name)
