r"""A series cut to a span: what it did before, and what it does after, is given to nobody.

>>> text = "BEGIN:VEVENT\nUID:1\nDTSTART:20200106T090000Z\nRRULE:FREQ=WEEKLY\nEND:VEVENT"
>>> low, high = wall_seconds_of(date(2026, 11, 23)), wall_seconds_of(date(2026, 12, 7))
>>> cut(text, low, high).split("\n")[2:4]
['DTSTART:20261123T090000Z', 'RRULE:FREQ=WEEKLY;UNTIL=20261130T090000Z']
"""

from __future__ import annotations

from datetime import date

from datebridge.core.editing.dates import ended, going_on
from datebridge.core.editing.fields import CannotEdit, read_fields, start_of
from datebridge.core.errors import CannotDo
from datebridge.core.index.derive import derive
from datebridge.core.index.facts import Mark
from datebridge.core.moments import wall_seconds_of
from datebridge.core.recurrence.pattern import pattern
from datebridge.core.text.component import ComponentEditor
from datebridge.core.zones.meaning import NO_ZONES, Zones

__all__ = ["CannotCut", "cut", "date", "wall_seconds_of"]

#: Beyond any moment there is.
_FAR = 1 << 40


class CannotCut(CannotDo):
    """A series cannot be cut to a span: no rule says what is left of it."""

    code, title = "cannot-cut", "This series cannot be cut"


def cut(text: str, low: int | None, high: int | None, zones: Zones = NO_ZONES) -> str:
    """What a series does between two moments, as a series; what has begun before and still goes on is in it.

    Returns:
        its text; "" where it does nothing then.

    Args:
        low, high: wall seconds on its own clock; None for no bound.

    Raises:
        CannotCut: where no rule, and no list of dates, says it.
    """
    kind = text.partition("\n")[0].partition(":")[2].strip().upper()
    facts = derive(kind, text, zones)
    if not facts.marks & Mark.SERIES or facts.start_wall is None or facts.end_wall is None:
        return text
    shape, begin = pattern(facts.recurrence), facts.start_wall
    first = -_FAR if low is None else low - max(facts.end_wall - begin, 1) + 1
    if next(shape.each(begin, first, _FAR if high is None else high), None) is None:
        return ""
    try:
        text = _begun(text, first, zones, begin, facts.recurrence)
        if high is not None and (slot := next(shape.each(begin, high, _FAR), None)) is not None:
            lines = ComponentEditor(text)
            ended(lines, start_of(read_fields(text, zones), zones), zones, slot)
            text = lines.text
    except CannotEdit as error:
        raise CannotCut(str(error)) from error
    return text


def _begun(text: str, low: int, zones: Zones, begin: int, recurrence: str) -> str:
    shape = pattern(recurrence)
    if next(shape.each(begin, -_FAR, low), None) is None:
        return text
    slot = next(shape.each(begin, low, _FAR), None)
    if slot is None:
        return text
    lines = ComponentEditor(text)
    going_on(lines, start_of(read_fields(text, zones), zones), zones, shape, begin, slot)
    return lines.text
