"""The filters of calendar-query (RFC 4791 §9.7, §9.9): components, properties, parameters, text, spans of time."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import UTC, datetime
from typing import NamedTuple

from lxml import etree

from datebridge.core.index.derive import derive
from datebridge.core.moments import NotAMoment, parse_duration, wall_at
from datebridge.core.occurrences.expanding import Occurrence, occurrences, timed
from datebridge.core.text.lines import ContentLine, unescape_text
from datebridge.standins.multistatus import CAL
from datebridge.standins.nodes import Node, instants, tree, zones_of

#: The collations a filter may ask for (RFC 4791 §7.5.1); each makes two texts comparable.
COLLATIONS = {
    "i;ascii-casemap": lambda text: "".join(chr(ord(c) - 32) if "a" <= c <= "z" else c for c in text),
    "i;octet": lambda text: text,
    "i;unicode-casemap": str.casefold,
}
_AGES = 1 << 40
_DAY = 86400


class BadFilter(Exception):
    """A question that cannot be asked like that: the precondition it offends (RFC 4791 §7.8), why, and the status."""

    def __init__(self, condition: str, why: str, status: int = 403) -> None:
        super().__init__(why)
        self.condition, self.why, self.status = condition, why, status


def span_of(element: etree._Element) -> tuple[int, int]:
    """A time-range as instants [start, end); an open end reaches far.

    Raises:
        BadFilter: if it states no such times, or ends before it starts.
    """
    ends = []
    for name, far in (("start", -_AGES), ("end", _AGES)):
        value = element.get(name)
        try:
            at = datetime.strptime(value, "%Y%m%dT%H%M%SZ").replace(tzinfo=UTC).timestamp() if value else far
        except ValueError as error:
            raise BadFilter("valid-filter", f"“{value}” is no time in UTC.", 400) from error
        ends.append(int(at))
    if ends[0] >= ends[1] or (element.get("start") is None and element.get("end") is None):
        raise BadFilter("valid-filter", "This span of time is empty.", 400)
    return ends[0], ends[1]


def check(filters: etree._Element) -> None:
    """Look over a filter before anything is asked with it.

    Raises:
        BadFilter: if it is none.
    """
    tops = list(filters.iterchildren("*"))
    if len(tops) != 1 or tops[0].tag != _cal("comp-filter") or tops[0].get("name", "").upper() != "VCALENDAR":
        raise BadFilter("valid-filter", "A filter begins with that of VCALENDAR.")
    for element in filters.iter("*"):
        if element.tag == _cal("time-range"):
            span_of(element)
        if element.tag == _cal("text-match") and element.get("collation", "i;ascii-casemap") not in COLLATIONS:
            raise BadFilter("supported-collation", f"The collation {element.get('collation')} is not known here.")
        if str(element.tag).endswith("-filter") and not element.get("name"):
            raise BadFilter("valid-filter", "A filter names what it is about.")


def matches(data: bytes, filters: etree._Element, zone: str = "") -> bool:
    """Whether an object passes a filter that has been looked over.

    Args:
        zone: by which times go that go by no clock.
    """
    root = tree(data)
    return _component([root], next(filters.iterchildren("*")), Asked(root, zone))


class Asked:
    """One object that is asked about: when its components happen, worked out once."""

    def __init__(self, root: Node, zone: str) -> None:
        self.root, self.zone = root, zone
        self.zones = zones_of(root)
        self.instant = instants(self.zones, zone)
        self.entries = [child for child in root.children if child.name not in ("VTIMEZONE", "VCALENDAR")]
        self._facts = [derive(child.name, child.text(), self.zones) for child in self.entries]

    def happening(self, low: int, high: int) -> list[tuple[Node, Occurrence]]:
        """What overlaps [low, high), instants; with the component whose times and texts it has."""
        clock = self.zone or "UTC"
        placed = [one for k, facts in enumerate(self._facts) if (one := timed(facts, k + 1)) is not None]
        far = abs(low) < _AGES and abs(high) < _AGES
        ends = (wall_at(low, clock), wall_at(high, clock)) if far else _within_reason(low, high)
        happening = occurrences(placed, *ends, clock, lambda _, tzid: self.zones.of(tzid, 1970, 2100).clock)
        return [(self.entries[occurrence.entry - 1], occurrence) for occurrence in happening]

    def is_within(self, node: Node, low: int, high: int) -> bool:
        """Whether a component happens within a span (RFC 4791 §9.9)."""
        if node.name == "VTODO" and not self._repeats(node):
            return _todo(self._dates(node), low, high)
        if node.name == "VALARM":
            return self._alarm(node, low, high)
        if node.name == "VFREEBUSY":
            start, end = self.instant(node.first("DTSTART")), self.instant(node.first("DTEND"))
            return start is not None and end is not None and low <= end and high > start
        return any(of is node for of, _ in self.happening(low, high))

    def _dates(self, node: Node) -> _Dates:
        line = node.first("DURATION")
        try:
            days, seconds = parse_duration(line.value) if line else (0, 0)
            lasts = int(days * _DAY + seconds) if line else None
        except NotAMoment:
            lasts = None
        start, due, completed, created = (
            self.instant(node.first(name)) for name in ("DTSTART", "DUE", "COMPLETED", "CREATED")
        )
        return _Dates(start, due, completed, created, lasts)

    def _repeats(self, node: Node) -> bool:
        return any(node.values(name) for name in ("RRULE", "RDATE"))

    def _alarm(self, node: Node, low: int, high: int) -> bool:
        trigger = node.first("TRIGGER")
        owner = next((entry for entry in self.entries if any(child is node for child in entry.children)), None)
        if trigger is None or owner is None:
            return False
        if (trigger.param("VALUE") or "").upper() == "DATE-TIME":
            at = self.instant(trigger)
            return at is not None and low <= at < high
        try:
            days, seconds = parse_duration(trigger.value)
        except NotAMoment:
            return False
        apart = int(days * _DAY + seconds)
        of_end = (trigger.param("RELATED") or "").upper() == "END"
        near = self.happening(low - abs(apart) - _DAY, high + abs(apart) + _DAY)
        return any(
            low <= (occurrence.end if of_end else occurrence.start) + apart < high
            for of, occurrence in near
            if of is owner
        )


def _within_reason(low: int, high: int) -> tuple[int, int]:
    """Open ends, as far as anything is looked for: four hundred years around now."""
    return max(low, -6_000_000_000), min(high, 8_000_000_000)


class _Dates(NamedTuple):
    """What a to-do says of times, as instants; `lasts` in seconds."""

    start: int | None
    due: int | None
    completed: int | None
    created: int | None
    lasts: int | None


def _todo(at: _Dates, low: int, high: int) -> bool:
    """The table of RFC 4791 §9.9 for to-dos; one without any date is in every span."""
    if at.start is not None and at.lasts is not None:
        end = at.start + at.lasts
        return low <= end and (high > at.start or high >= end)
    if at.start is not None and at.due is not None:
        return (low < at.due or low <= at.start) and (high > at.start or high >= at.due)
    if at.start is not None:
        return low <= at.start < high
    if at.due is not None:
        return low < at.due <= high
    if at.completed is not None and at.created is not None:
        return (low <= at.created or low <= at.completed) and (high >= at.created or high >= at.completed)
    if at.completed is not None:
        return low <= at.completed <= high
    return at.created is None or high > at.created


def _cal(name: str) -> str:
    return f"{{{CAL}}}{name}"


def _component(candidates: list[Node], asked: etree._Element, about: Asked) -> bool:
    """Whether one of some components is what a comp-filter asks for; or none, where that is asked."""
    own = [node for node in candidates if node.name == asked.get("name", "").upper()]
    if asked.find(_cal("is-not-defined")) is not None:
        return not own
    return any(_has_all(node, asked, about) for node in own)


def _has_all(node: Node, asked: etree._Element, about: Asked) -> bool:
    for inner in asked.iterchildren("*"):
        if inner.tag == _cal("time-range") and not about.is_within(node, *span_of(inner)):
            return False
        if inner.tag == _cal("comp-filter") and not _component(node.children, inner, about):
            return False
        if inner.tag == _cal("prop-filter") and not _property(node.all(inner.get("name", "").upper()), inner, about):
            return False
    return True


def _property(lines: list[ContentLine], asked: etree._Element, about: Asked) -> bool:
    if asked.find(_cal("is-not-defined")) is not None:
        return not lines
    return any(_says(line, asked, about) for line in lines)


def _says(line: ContentLine, asked: etree._Element, about: Asked) -> bool:
    for inner in asked.iterchildren("*"):
        if inner.tag == _cal("time-range"):
            at, (low, high) = about.instant(line), span_of(inner)
            if at is None or not low <= at < high:
                return False
        if inner.tag == _cal("text-match") and not _text([unescape_text(line.value)], inner):
            return False
        if inner.tag == _cal("param-filter"):
            given = [values for name, values in line.params if name == inner.get("name", "").upper()]
            absent = inner.find(_cal("is-not-defined")) is not None
            match = inner.find(_cal("text-match"))
            if bool(given) == absent or (match is not None and not _text([v for vs in given for v in vs], match)):
                return False
    return True


def _text(values: Iterable[str], asked: etree._Element) -> bool:
    """Whether one of some texts holds what a text-match asks for; or none, where it is negated."""
    fold = COLLATIONS[asked.get("collation", "i;ascii-casemap")]
    wanted = fold(asked.text or "")
    return any(wanted in fold(value) for value in values) != (asked.get("negate-condition") == "yes")
