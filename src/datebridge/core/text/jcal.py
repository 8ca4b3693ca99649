"""jCal (RFC 7265): components as JSON and back, nothing lost on the way; what it cannot say is refused.

>>> to_jcal("BEGIN:VEVENT\\nDTSTART;VALUE=DATE:20261124\\nX-SHIFT:NIGHT\\nEND:VEVENT")
['vevent', [['dtstart', {}, 'date', '2026-11-24'], ['x-shift', {}, 'unknown', 'NIGHT']], []]
>>> from_jcal(["vevent", [["summary", {}, "text", "Tide; high"]], []])
'BEGIN:VEVENT\\nSUMMARY:Tide\\\\; high\\nEND:VEVENT'
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from datebridge.core.text.lines import (
    LINE,
    NotAContentLine,
    escape_text,
    format_param,
    one_line,
    parse_line,
    split_text_list,
    unescape_text,
)
from datebridge.core.text.properties import KNOWN

#: Components nested deeper than this are nobody's calendar.
MOST_DEEP = 50
#: What a property's value is where VALUE does not say (RFC 5545 §3.8, RFC 7986, RFC 9073, RFC 9074).
_DEFAULTS = {
    **dict.fromkeys(
        (
            "COMPLETED",
            "DTEND",
            "DUE",
            "DTSTART",
            "RECURRENCE-ID",
            "EXDATE",
            "RDATE",
            "CREATED",
            "DTSTAMP",
            "LAST-MODIFIED",
            "ACKNOWLEDGED",
            "TZUNTIL",
        ),
        "date-time",
    ),
    **dict.fromkeys(("DURATION", "TRIGGER", "ESTIMATED-DURATION"), "duration"),
    **dict.fromkeys(("ATTACH", "TZURL", "URL", "SOURCE", "CONCEPT"), "uri"),
    **dict.fromkeys(("ATTENDEE", "ORGANIZER", "CALENDAR-ADDRESS"), "cal-address"),
    **dict.fromkeys(("PERCENT-COMPLETE", "PRIORITY", "REPEAT", "SEQUENCE"), "integer"),
    **dict.fromkeys(("RRULE", "EXRULE"), "recur"),
    **dict.fromkeys(("TZOFFSETFROM", "TZOFFSETTO"), "utc-offset"),
    "GEO": "float",
    "FREEBUSY": "period",
    "IMAGE": "",
    "CONFERENCE": "",
    "LINK": "",
    "REFRESH-INTERVAL": "",
    "STRUCTURED-DATA": "",
    "STYLED-DESCRIPTION": "",
}
_TEXTS = frozenset({"X-WR-CALNAME", "X-WR-CALDESC", "X-WR-TIMEZONE"})
_MANY = frozenset({"CATEGORIES", "RESOURCES", "EXDATE", "RDATE", "FREEBUSY"})
_STRUCTURED = frozenset({"GEO", "REQUEST-STATUS"})
_DATE = re.compile(r"(\d{4})(\d\d)(\d\d)", re.ASCII)
_DATE_TIME = re.compile(r"(\d{4})(\d\d)(\d\d)T(\d\d)(\d\d)(\d\d)(Z?)", re.ASCII)
_TIME = re.compile(r"(\d\d)(\d\d)(\d\d)(Z?)", re.ASCII)
_OFFSET = re.compile(r"([+-]\d\d)(\d\d)(\d\d)?", re.ASCII)
_NUMBER = re.compile(r"-?(?:0|[1-9]\d{0,17})", re.ASCII)
_FLOAT = re.compile(r"-?\d{1,15}(?:\.\d{1,15})?", re.ASCII)
_NAME = re.compile(r"[A-Za-z0-9-]{1,200}", re.ASCII)
_TOKEN = re.compile(r";((?:[^;\"]|\"[^\"]*\")*)")


class CannotSay(ValueError):
    """jCal has no way to say a line; the message names it."""


class NotJcal(ValueError):
    """The data is not jCal; the message says where it fails."""


# ---- to jCal ---------------------------------------------------------------------------------------------


def to_jcal(text: str) -> list[Any]:
    """A component's lines as jCal.

    Raises:
        CannotSay: where a line is no property, or has a parameter without a value.
    """
    root: list[Any] = ["", [], []]
    open_components = [root]
    for raw in text.split("\n"):
        try:
            line = parse_line(raw)
        except NotAContentLine:
            raise CannotSay(f"“{raw[:60]}” is not a property") from None
        if line.name == "BEGIN":
            name = line.value.strip().lower()
            if not _NAME.fullmatch(name):
                raise CannotSay(f"“{raw[:60]}” begins no component")
            inner: list[object] = [name, [], []]
            open_components[-1][2].append(inner)
            open_components.append(inner)
            if len(open_components) > MOST_DEEP:
                raise CannotSay(f"components are nested more than {MOST_DEEP} deep")
        elif line.name == "END":
            if len(open_components) > 1:
                open_components.pop()
        else:
            open_components[-1][1].append(_property(raw, line.name, line.params, line.value))
    top: list[object] = root[2][0] if root[2] else root
    return top


def _property(raw: str, name: str, given: tuple[tuple[str, tuple[str, ...]], ...], value: str) -> list[object]:
    match = LINE.match(raw)
    if match is not None and any("=" not in token for token in _TOKEN.findall(match[2])):
        raise CannotSay(f"“{raw[:60]}” has a parameter without a value")
    params: dict[str, Any] = {}
    for key, values in given:
        if not _NAME.fullmatch(key) or key.lower() in params:
            raise CannotSay(f"“{raw[:60]}” has a parameter twice, or one whose name is none")
        params[key.lower()] = list(values or ("",))
    value_type = params.pop("value", [""])[0].lower()
    kind = value_type or _default(name)
    if "\r" in value and kind != "text":
        raise CannotSay(f"“{' '.join(raw[:60].split())}” has a line break in its value")
    params = {key: values[0] if len(values) == 1 else values for key, values in params.items()}
    told = _values(name, kind, value) if kind else None
    if told is None:
        if value_type:
            raise CannotSay(f"“{raw[:60]}” is not what its VALUE says")
        return [name.lower(), params, "unknown", value]
    return [name.lower(), params, kind, *told]


def _default(name: str) -> str:
    if name in _DEFAULTS:
        return _DEFAULTS[name]
    return "text" if name in KNOWN or name in _TEXTS else ""


def _values(name: str, kind: str, value: str) -> list[object] | None:
    """A property's values, or None where they are not of their kind."""
    if kind == "text":
        if name == "REQUEST-STATUS":
            return [[unescape_text(part) for part in re.findall(r"(?:\\.|[^;\\]|\\$)+|(?<=;)(?=;|$)", value)] or [""]]
        return [*split_text_list(value)] or [""] if name in _MANY else [unescape_text(value)]
    if name in _STRUCTURED and kind == "float":
        parts = value.split(";")
        return [[_number_or_float(p) for p in parts]] if all(_FLOAT.fullmatch(p) for p in parts) else None
    one = _TO.get(kind)
    if one is None:
        return [value]
    values = [one(item) for item in (value.split(",") if name in _MANY else [value])]
    return None if any(item is None for item in values) else values


def _number_or_float(text: str) -> float | int:
    return int(text) if _NUMBER.fullmatch(text) else float(text)


def _date(text: str) -> str | None:
    match = _DATE.fullmatch(text)
    return "-".join(match.groups()) if match else None


def _date_time(text: str) -> str | None:
    match = _DATE_TIME.fullmatch(text)
    return "{}-{}-{}T{}:{}:{}{}".format(*match.groups()) if match else None


def _time(text: str) -> str | None:
    match = _TIME.fullmatch(text)
    return "{}:{}:{}{}".format(*match.groups()) if match else None


def _offset(text: str) -> str | None:
    match = _OFFSET.fullmatch(text)
    return ":".join(part for part in match.groups() if part) if match else None


def _period(text: str) -> list[str] | None:
    begin, slash, end = text.partition("/")
    first, last = _date_time(begin), end if end[:1] in "P+-" else _date_time(end)
    return [first, last] if slash and first and last else None


def _recur(text: str) -> dict[str, object] | None:
    parts: dict[str, object] = {}
    for part in text.split(";"):
        name, equals, value = part.partition("=")
        key = name.lower()
        if not equals or key in parts or not _NAME.fullmatch(name) or name.upper() != name:
            return None
        if key == "until":
            until = _date(value) or _date_time(value)
            if until is None:
                return None
            parts[key] = until
            continue
        items: list[object] = [int(v) if _NUMBER.fullmatch(v) and v != "-0" else v for v in value.split(",")]
        parts[key] = items[0] if len(items) == 1 else items
    return parts if _recur_text(parts) == text else None


def _boolean(text: str) -> bool | None:
    return {"TRUE": True, "FALSE": False}.get(text.upper())


_TO: dict[str, Callable[[str], Any]] = {
    "date": _date,
    "date-time": _date_time,
    "time": _time,
    "utc-offset": _offset,
    "period": _period,
    "recur": _recur,
    "integer": lambda text: int(text) if _NUMBER.fullmatch(text) else None,
    "boolean": _boolean,
    "float": lambda text: _number_or_float(text) if _FLOAT.fullmatch(text) else None,
}


# ---- from jCal -------------------------------------------------------------------------------------------


def from_jcal(data: object) -> str:
    """jCal as a component's lines. Whatever is in a value stays in it: nothing makes a line of its own.

    Raises:
        NotJcal: where it is none.
    """
    return "\n".join(_lines(data, 0))


def _lines(data: object, depth: int) -> list[str]:
    if depth > MOST_DEEP:
        raise NotJcal(f"components are nested more than {MOST_DEEP} deep")
    if not (
        isinstance(data, list)
        and len(data) == 3
        and isinstance(data[0], str)
        and isinstance(data[1], list)
        and isinstance(data[2], list)
    ):
        raise NotJcal(f"a component is a list of a name, properties and components, not {_shown(data)}")
    name = data[0].upper()
    if not _NAME.fullmatch(name):
        raise NotJcal(f"{_shown(data[0])} is no name of a component")
    lines = [f"BEGIN:{name}"]
    lines += [_line(one) for one in data[1]]
    for one in data[2]:
        lines += _lines(one, depth + 1)
    return [*lines, f"END:{name}"]


def _line(data: object) -> str:
    if not (
        isinstance(data, list)
        and len(data) >= 4
        and isinstance(data[0], str)
        and isinstance(data[1], dict)
        and isinstance(data[2], str)
    ):
        raise NotJcal(f"a property is a list of a name, parameters, a type and values, not {_shown(data)}")
    name, kind = data[0].upper(), data[2].lower()
    if not _NAME.fullmatch(name) or not _NAME.fullmatch(kind) or name in ("BEGIN", "END"):
        raise NotJcal(f"{_shown(data[:3])} is no property")
    written = name
    for key, value in data[1].items():
        values = value if isinstance(value, list) else [value]
        if not _NAME.fullmatch(key) or not all(isinstance(v, str) for v in values):
            raise NotJcal(f"{_shown({key: value})} is no parameter")
        written += f";{key.upper()}={','.join(format_param(v) for v in values)}"
    if kind not in (_default(name), "unknown"):
        written += f";VALUE={kind.upper()}"
    return f"{written}:{','.join(_value(kind, one, data) for one in data[3:])}"


def _value(kind: str, value: object, whole: object) -> str:
    if isinstance(value, list) and kind == "period":
        if len(value) != 2 or not all(isinstance(part, str) for part in value):
            raise NotJcal(f"{_shown(whole)} has a period that is none")
        return one_line("/".join(part if part[:1] in "P+-" else _plain(part) for part in value))
    if isinstance(value, list):
        return ";".join(_value(kind, part, whole) for part in value if not isinstance(part, list))
    if isinstance(value, dict) and kind == "recur":
        return one_line(_recur_text(value))
    if isinstance(value, bool):
        return "TRUE" if value else "FALSE"
    if isinstance(value, int | float):
        return str(value)
    if not isinstance(value, str):
        raise NotJcal(f"{_shown(whole)} has a value that is none")
    if kind == "text":
        return escape_text(value)
    if "\n" in value or "\r" in value:
        raise NotJcal(f"{_shown(whole)} has a line break in its value")
    if kind in ("date", "date-time", "time", "period"):
        return _plain(value)
    return value.replace(":", "") if kind == "utc-offset" else value


def _plain(text: str) -> str:
    """Dates and times without their hyphens and colons, the sign of a duration left alone."""
    return re.sub(r"(?<=\d)[-:](?=\d)", "", text)


def _recur_text(rule: dict[str, object]) -> str:
    parts = []
    for key, value in rule.items():
        values = value if isinstance(value, list) else [value]
        text = ",".join(_plain(str(v)) if key.lower() == "until" else str(v) for v in values)
        parts.append(f"{key.upper()}={text}")
    return ";".join(parts)


def _shown(data: object) -> str:
    text = repr(data)
    return text if len(text) <= 80 else text[:77] + "…"
