"""Properties rewritten, so that nothing is in them but what they must say.

>>> from datebridge.core.text.lines import parse_line
>>> list(normalised(parse_line("DTSTART;TZID=Ida's clock;X-WHO=Ida:20261124T090000"), lambda _: "America/Halifax"))
['DTSTART;TZID=America/Halifax:20261124T090000']
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator

from datebridge.core.moments import NotAMoment, basic, basic_date, parse_duration, parse_moment
from datebridge.core.recurrence.rules import NotARule, read_rule
from datebridge.core.recurrence.ruletext import RuleText
from datebridge.core.text.lines import ContentLine, format_param

_STATES = frozenset({"TENTATIVE", "CONFIRMED", "CANCELLED", "NEEDS-ACTION", "COMPLETED", "IN-PROCESS"})
#: Most times by far: no day beyond the 28th, and so one that exists in every month.
_PLAIN = re.compile(r"(?:19|20)\d\d(?:0[1-9]|1[0-2])(?:0[1-9]|1\d|2[0-8])T(?:[01]\d|2[0-3])[0-5]\d[0-5]\d", re.ASCII)
#: Gives the name under which readers get a zone; "" for an unknown one.
ZoneName = Callable[[str], str]


def normalised(line: ContentLine, zone_name: ZoneName) -> Iterator[str]:
    """A property of time, state or order as the standard writes it; nothing where it cannot be read."""
    name, value = line.name, line.value.strip()
    if name in ("RRULE", "EXRULE"):
        try:
            rule = read_rule(value)[0]
        except NotARule:
            return
        yield f"{name}:{RuleText.of(rule.text).without(*(part.partition('=')[0] for part in rule.other))}"
    elif name == "DURATION":
        if _reads(value) and min(parse_duration(value)) >= 0:
            yield "DURATION:" + value.upper()
    elif name == "STATUS":
        if value.upper() in _STATES:
            yield "STATUS:" + value.upper()
    elif name == "TRANSP":
        if value.upper() in ("TRANSPARENT", "OPAQUE"):
            yield "TRANSP:" + value.upper()
    elif name == "SEQUENCE":
        if value.isascii() and value.isdigit() and len(value) < 10:
            yield "SEQUENCE:" + value
    else:
        yield from _canonical_times(line, zone_name)


def is_moment(value: str) -> bool:
    """Whether a value is a time on a clock exactly as the standard writes it, not in UTC."""
    if _PLAIN.fullmatch(value):
        return True
    if len(value) != 15 or value[8] != "T" or value[13:] == "60":
        return False
    try:
        return not parse_moment(value).is_date
    except NotAMoment:
        return False


def _reads(duration: str) -> bool:
    try:
        parse_duration(duration)
    except NotAMoment:
        return False
    return True


def _canonical_times(line: ContentLine, zone_name: ZoneName) -> Iterator[str]:
    tzid = line.param("TZID") or ""
    named = zone_name(tzid) if tzid else ""
    future = ";RANGE=THISANDFUTURE" if (line.param("RANGE") or "").upper() == "THISANDFUTURE" else ""
    kinds: dict[str, list[str]] = {}
    many = line.name in ("RDATE", "EXDATE")
    for value in line.value.split(",") if many else [line.value]:
        begin, slash, end = value.partition("/")
        read = _canonical_moment(begin, named)
        if read is None or (slash and line.name != "RDATE"):
            continue
        params, text = read
        if slash:
            until = _canonical_moment(end, named)
            if until is None and not (_reads(end) and min(parse_duration(end)) >= 0):
                continue
            params, text = ";VALUE=PERIOD" + params, f"{text}/{until[1] if until else end.strip().upper()}"
        kinds.setdefault(params, []).append(text)
    for params, values in kinds.items():
        yield f"{line.name}{future if line.name == 'RECURRENCE-ID' else ''}{params}:{','.join(values)}"


def _canonical_moment(value: str, zone: str) -> tuple[str, str] | None:
    """The parameters and the value of a moment on the clock of a zone; None if it is none."""
    for text in (value, value.strip(), value.strip().replace(" ", "0").replace("+", "0")):
        try:
            moment = parse_moment(text)
        except NotAMoment:
            continue
        if moment.is_date:
            return ";VALUE=DATE", basic_date(moment.wall)
        if moment.tzid == "UTC" or zone == "UTC":
            return "", basic(moment.wall) + "Z"
        return f";TZID={format_param(zone)}" if zone else "", basic(moment.wall)
    return None
