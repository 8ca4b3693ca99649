"""What of an object is handed out (RFC 4791 §9.6): parts of it, its occurrences one by one; and busy time (§7.10)."""

from __future__ import annotations

from collections.abc import Iterable

from lxml import etree

from datebridge.clock import this_moment
from datebridge.core.moments import basic, basic_date, from_wall_seconds, instant_at
from datebridge.core.occurrences.expanding import Occurrence
from datebridge.core.text.writer import PRODID
from datebridge.standins.multistatus import CAL
from datebridge.standins.nodes import Node, moment_of, tree
from datebridge.standins.queries import Asked, BadFilter, span_of

_RULES = ("RRULE", "RDATE", "EXDATE", "EXRULE")
_TIMES = ("DTSTART", "DTEND", "DUE", "DURATION", "RECURRENCE-ID")
#: How many occurrences of one object are handed out.
_MOST = 10_000


def handed_out(data: bytes, asked: etree._Element, zone: str) -> bytes:
    """An object as a calendar-data element asks for it; untouched where it asks for nothing in particular.

    Raises:
        BadFilter: if it asks for something that cannot be had.
    """
    kind, version = asked.get("content-type", "text/calendar"), asked.get("version", "2.0")
    if kind != "text/calendar" or version != "2.0":
        raise BadFilter("supported-calendar-data", f"There is no {kind} {version} here, only text/calendar 2.0.")
    expand, limit = asked.find(_cal("expand")), asked.find(_cal("limit-recurrence-set"))
    wanted = asked.find(_cal("comp"))
    if expand is None and limit is None and wanted is None:
        return data
    root = tree(data)
    if expand is not None:
        root = _expanded(root, zone, *span_of(expand))
    elif limit is not None:
        root = _limited(root, zone, *span_of(limit))
    return (_part(root, wanted) if wanted is not None else root).data()


def _cal(name: str) -> str:
    return f"{{{CAL}}}{name}"


def _part(node: Node, asked: etree._Element) -> Node:
    """The properties and components that are asked for (§9.6.1 to §9.6.4)."""
    props = {prop.get("name", "").upper(): prop.get("novalue") == "yes" for prop in asked.findall(_cal("prop"))}
    comps = {comp.get("name", "").upper(): comp for comp in asked.findall(_cal("comp"))}
    every_prop = asked.find(_cal("allprop")) is not None
    every_comp = asked.find(_cal("allcomp")) is not None
    lines = []
    for raw in node.lines:
        name = raw.replace(";", ":", 1).partition(":")[0].upper()
        if every_prop or name in props:
            lines.append(f"{name}:" if props.get(name) else raw)
    children = [
        child if every_comp else _part(child, comps[child.name])
        for child in node.children
        if every_comp or child.name in comps
    ]
    return Node(node.name, lines, children)


def _expanded(root: Node, zone: str, low: int, high: int) -> Node:
    """Each occurrence within a span as a component of its own, in UTC, without zones and rules (§9.6.5)."""
    about = Asked(root, zone)
    happening = sorted(about.happening(low, high), key=lambda one: one[1].start)[:_MOST]
    once = [_once(node, occurrence, about, root) for node, occurrence in happening]
    undated = [node for node in about.entries if node.name == "VTODO" and node.first("DTSTART") is None]
    return Node(root.name, root.lines, [*once, *(node for node in undated if about.is_within(node, low, high))])


def _once(node: Node, occurrence: Occurrence, about: Asked, root: Node) -> Node:
    start = node.first("DTSTART")
    own = moment_of(start, about.zones) if start is not None else None
    by_day, floating = own is not None and own.is_date, own is not None and not own.is_date and not own.tzid
    repeats = occurrence.series or node.first("RECURRENCE-ID") is not None or any(node.values(name) for name in _RULES)
    lines = [_line("DTSTART", occurrence.start, by_day, floating)]
    if node.first("DURATION") is None:
        end = "DUE" if node.name == "VTODO" else "DTEND"
        lines += [_line(end, occurrence.end, by_day, floating)] if node.first(end) is not None else []
    else:
        lines += [raw for raw in node.lines if raw.upper().startswith("DURATION")]
    if repeats:
        override = node.first("RECURRENCE-ID")
        at = about.instant(override) if override is not None else None
        moment = moment_of(override, about.zones) if override is not None else None
        if moment is not None and (moment.is_date or not moment.tzid):
            at = moment.wall_seconds
        lines.append(_line("RECURRENCE-ID", occurrence.start if at is None else at, by_day, floating))
    return Node(node.name, [*node.without(*_RULES, *_TIMES).lines, *lines], node.children)


def _line(name: str, seconds: int, by_day: bool, floating: bool) -> str:
    wall = from_wall_seconds(seconds)
    if by_day:
        return f"{name};VALUE=DATE:{basic_date(wall)}"
    return f"{name}:{basic(wall)}" + ("" if floating else "Z")


def _limited(root: Node, zone: str, low: int, high: int) -> Node:
    """Without the overrides that neither happen in a span nor would have (§9.6.6)."""
    about = Asked(root, zone)
    inside = {id(node) for node, _ in about.happening(low, high)}

    def is_wanted(node: Node) -> bool:
        line = node.first("RECURRENCE-ID")
        at = about.instant(line) if line is not None else None
        future = line is not None and (line.param("RANGE") or "").upper() == "THISANDFUTURE"
        return at is None or future or id(node) in inside or low <= at < high

    return Node(root.name, root.lines, [child for child in root.children if is_wanted(child)])


def busy_time(objects: Iterable[bytes], low: int, high: int, zone: str) -> bytes:
    """When a calendar is busy within a span, as VFREEBUSY; what is free, cancelled or a to-do does not count."""
    taken: dict[str, list[tuple[int, int]]] = {"BUSY": [], "BUSY-TENTATIVE": []}
    for data in objects:
        about = Asked(tree(data), zone)
        for node, occurrence in about.happening(low, high):
            values = {value.upper() for name in ("TRANSP", "STATUS") for value in node.values(name)}
            if node.name != "VEVENT" or values & {"TRANSPARENT", "CANCELLED"}:
                continue
            kind = "BUSY-TENTATIVE" if "TENTATIVE" in values else "BUSY"
            start, end = (instant_at(at, zone or "UTC") for at in (occurrence.shown_start, occurrence.shown_end))
            taken[kind].append((max(start, low), min(end, high)))
    lines = [
        f"DTSTAMP:{basic(this_moment())}Z",
        _line("DTSTART", low, False, False),
        _line("DTEND", high, False, False),
    ]
    for kind, spans in taken.items():
        for start, end in _joined(spans):
            first, last = (f"{basic(from_wall_seconds(at))}Z" for at in (start, end))
            lines.append(f"FREEBUSY;FBTYPE={kind}:{first}/{last}")
    inner = Node("VFREEBUSY", lines)
    return Node("VCALENDAR", ["VERSION:2.0", f"PRODID:{PRODID}"], [inner]).data()


def _joined(spans: list[tuple[int, int]]) -> list[tuple[int, int]]:
    """Spans in order, those that touch combined."""
    joined: list[tuple[int, int]] = []
    for start, end in sorted(span for span in spans if span[0] < span[1]):
        if joined and start <= joined[-1][1]:
            joined[-1] = (joined[-1][0], max(joined[-1][1], end))
        else:
            joined.append((start, end))
    return joined
