"""What a target does to entries, as rules: each is plain data, and can be applied to entries that were never there.

>>> text = "BEGIN:VEVENT\\nUID:1\\nSUMMARY:Tide\\nCOLOR:red\\nATTACH:a\\nATTACH:b\\nEND:VEVENT"
>>> [kept] = Most("ATTACH", 1).kept(LeaveOut("COLOR").kept([text]))
>>> kept.split("\\n")[3:-1]
['ATTACH:a']

A rule works on all entries of one UID, since a server keeps those as one object (RFC 4791 §4.1). An entry that a rule
is not about comes back as it is. Rules by which nothing of an object is kept are in `refusals`.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Literal, Protocol

from datebridge.core.attachments import is_inline
from datebridge.core.moments import NotAMoment, basic, from_wall_seconds, parse_moment
from datebridge.core.text.component import Component, parsed
from datebridge.core.text.lines import DATED, LINE, escape_text, rewritten_line, split_text_list, unescape_text
from datebridge.core.text.nesting import depths, nested_in
from datebridge.core.text.properties import KNOWN
from datebridge.core.tzids import resolve
from datebridge.core.zones.meaning import NO_ZONES, Zones

Unit = Literal["bytes", "characters"]
#: Stands for a value that the target makes up, so that nobody can know it beforehand.
UNKNOWN = "…"
#: How each line begins: what should be a name.
_HEADS = re.compile(r"^[^:;\n]*", re.MULTILINE)
_KNOWN_OR_FENCE = KNOWN | {"BEGIN", "END"}
_UID = re.compile(r"^UID(?:;[^:\n]*)?:.*$", re.IGNORECASE | re.MULTILINE)
_PARAMETER = re.compile(r";([A-Za-z0-9-]+)=((?:\"[^\"]*\"|[^;\"])*)")


class Rule(Protocol):
    """One thing that a target does to what it is given."""

    def kept(self, texts: Sequence[str], zones: Zones = NO_ZONES) -> list[str]:
        """What is kept of the entries of one object; `zones`: what the object defines.

        Raises:
            RefusedThere: if none of it is.
        """
        ...


class _EachEntry:
    """A rule that looks at one entry after the other."""

    def kept(self, texts: Sequence[str], zones: Zones = NO_ZONES) -> list[str]:
        """See `Rule`."""
        return [self._of_entry(text, zones) for text in texts]

    def _of_entry(self, text: str, zones: Zones) -> str:
        raise NotImplementedError


@dataclass(frozen=True)
class LeaveOut(_EachEntry):
    """Properties, or nested components, of a name are left out."""

    name: str

    def _of_entry(self, text: str, zones: Zones) -> str:
        if not holds(text, self.name):
            return text
        lines = text.split("\n")
        return _without_lines(lines, {at for span in _spans(lines, self.name) for at in span}, text)


@dataclass(frozen=True)
class LeaveOutUnknown(_EachEntry):
    """Properties that no standard defines are left out: of the entry itself, or of what is nested in it."""

    nested: bool = False

    def _of_entry(self, text: str, zones: Zones) -> str:
        unknown = {name for name in _HEADS.findall(text) if name.upper() not in _KNOWN_OR_FENCE}
        if not unknown:
            return text
        lines = text.split("\n")
        gone = {
            at
            for at, depth in enumerate(depths(lines))
            if depth and (depth > 1) is self.nested and name_of(lines[at]) not in KNOWN
        }
        return _without_lines(lines, gone, text)


@dataclass(frozen=True)
class LeaveOutOfNested(_EachEntry):
    """A property of what is nested in an entry is left out."""

    kind: str
    name: str

    def _of_entry(self, text: str, zones: Zones) -> str:
        if not (holds(text, self.kind) and holds(text, self.name)):
            return text
        lines = text.split("\n")
        inside = {at for kind, first, last in nested_in(lines) if kind == self.kind for at in range(first, last + 1)}
        return _without_lines(lines, {at for at in inside if name_of(lines[at]) == self.name}, text)


@dataclass(frozen=True)
class LeaveOutParameters(_EachEntry):
    """Parameters are left out, of one property or wherever they stand: one by its name, or all that begin with X-."""

    param: str = ""
    prop: str = ""

    def _of_entry(self, text: str, zones: Zones) -> str:
        if not holds(text, f";{self.param or 'X-'}"):
            return text
        lines = text.split("\n")
        for at, raw in enumerate(lines):
            match = LINE.match(raw)
            if match is not None and match[2] and self.prop in ("", match[1].upper()):
                left = _PARAMETER.sub(lambda found: "" if self._meant(found[1].upper()) else found[0], match[2])
                if left != match[2]:
                    lines[at] = f"{match[1]}{left}:{match[3]}"
        return "\n".join(lines)

    def _meant(self, name: str) -> bool:
        return name == self.param if self.param else name.startswith("X-")


@dataclass(frozen=True)
class LeaveOutInline(_EachEntry):
    """Attachments within an entry are left out; links are kept."""

    def _of_entry(self, text: str, zones: Zones) -> str:
        if not holds(text, "BINARY") and not holds(text, "BASE64"):
            return text
        lines = text.split("\n")
        gone = {at for at, line in Component(text).properties() if line.name == "ATTACH" and is_inline(line)}
        return _without_lines(lines, gone, text)


@dataclass(frozen=True)
class LeaveOutAlarms(_EachEntry):
    """Reminders of one kind are left out, by a line that begins so, without parameters: ``ACTION:EMAIL``."""

    line: str

    def _of_entry(self, text: str, zones: Zones) -> str:
        if not holds(text, "VALARM"):
            return text
        lines = text.split("\n")
        gone: set[int] = set()
        for kind, first, last in nested_in(lines):
            if kind == "VALARM" and any(raw.upper().startswith(self.line) for raw in lines[first : last + 1]):
                gone.update(range(first, last + 1))
        return _without_lines(lines, gone, text)


@dataclass(frozen=True)
class Most(_EachEntry):
    """Of properties, or nested components, of a name only so many are kept: the first, or the last."""

    name: str
    most: int
    last: bool = False

    def _of_entry(self, text: str, zones: Zones) -> str:
        if not holds(text, self.name):
            return text
        lines = text.split("\n")
        spans = _spans(lines, self.name)
        beyond = spans[: max(0, len(spans) - self.most)] if self.last else spans[self.most :]
        return _without_lines(lines, {at for span in beyond for at in span}, text)


@dataclass(frozen=True)
class MostValues(_EachEntry):
    """Of the values of a list, over all its lines, only the first so many are kept."""

    name: str
    most: int

    def _of_entry(self, text: str, zones: Zones) -> str:
        if not holds(text, self.name):
            return text
        lines, seen = text.split("\n"), 0
        gone: set[int] = set()
        for at, line in Component(text).properties():
            if line.name != self.name:
                continue
            values = split_text_list(line.value)
            few = values[: max(0, self.most - seen)]
            seen += len(values)
            if not few:
                gone.add(at)
            elif few != values:
                lines[at] = rewritten_line(lines[at], ",".join(map(escape_text, few)))
        return "\n".join(raw for at, raw in enumerate(lines) if at not in gone)


@dataclass(frozen=True)
class Cut(_EachEntry):
    """A text is cut after so many bytes, never within a character, or after so many characters."""

    name: str
    most: int
    unit: Unit

    def _of_entry(self, text: str, zones: Zones) -> str:
        if not holds(text, self.name) or len(text) * 4 <= self.most:
            return text
        lines = text.split("\n")
        for at, line in Component(text).properties():
            if line.name == self.name:
                value = unescape_text(line.value)
                few = cut_to(value, self.most, self.unit)
                if few != value:
                    lines[at] = rewritten_line(lines[at], escape_text(few))
        return "\n".join(lines)


@dataclass(frozen=True)
class Another(_EachEntry):
    """One value of a property becomes another; "" where the property goes with this value."""

    name: str
    value: str
    by: str = ""

    def _of_entry(self, text: str, zones: Zones) -> str:
        if not holds(text, self.value):
            return text
        lines, gone = text.split("\n"), set[int]()
        for at, line in Component(text).properties():
            if line.name == self.name and line.value.upper() == self.value.upper():
                if self.by:
                    lines[at] = rewritten_line(lines[at], self.by)
                else:
                    gone.add(at)
        return "\n".join(raw for at, raw in enumerate(lines) if at not in gone)


@dataclass(frozen=True)
class LeaveOutRule(_EachEntry):
    """Repeat rules with a part are left out (see `has_part`)."""

    part: str

    def _of_entry(self, text: str, zones: Zones) -> str:
        if not holds(text, "RRULE"):
            return text
        lines = text.split("\n")
        rules = [(at, line.value) for at, line in Component(text).properties() if line.name == "RRULE"]
        gone = {at for at, rule in rules if has_part(rule, self.part)}
        return _without_lines(lines, gone, text)


@dataclass(frozen=True)
class InUtc(_EachEntry):
    """Times on the clock of a zone become the same moments in UTC; repeat rules stay as they are.

    `defined`: those in zones that go by their definition, else those in zones named as in the zone database.
    """

    defined: bool = False

    def _of_entry(self, text: str, zones: Zones) -> str:
        if not holds(text, "TZID"):
            return text
        lines = text.split("\n")
        for at, raw in enumerate(lines):
            line = parsed(raw)
            tzid = line.param("TZID") if line is not None and line.name in DATED else None
            if line is not None and tzid and resolve(tzid).exact is not self.defined:
                moments = ",".join(_in_utc(value, tzid, zones) for value in line.value.split(","))
                if moments != line.value:
                    lines[at] = rewritten_line(raw, moments, {"TZID": None})
        return "\n".join(lines)


@dataclass(frozen=True)
class NewUid(_EachEntry):
    """Entries get another UID; `UNKNOWN` stands for it."""

    def _of_entry(self, text: str, zones: Zones) -> str:
        return _UID.sub(f"UID:{UNKNOWN}", text, count=1)


@dataclass(frozen=True)
class Stamped(_EachEntry):
    """Properties that the target sets itself, where they are missing or always; `UNKNOWN` stands for their values."""

    names: tuple[str, ...]
    always: bool = False

    def _of_entry(self, text: str, zones: Zones) -> str:
        lines = text.split("\n")
        for name in self.names:
            spans = _spans(lines, name) if holds(text, name) else []
            if not spans:
                lines.insert(1, f"{name}:{UNKNOWN}")
            elif self.always:
                lines[spans[0].start] = f"{name}:{UNKNOWN}"
        return "\n".join(lines)


@dataclass(frozen=True)
class MasterOnly:
    """Changed occurrences are left out where their series is there."""

    def kept(self, texts: Sequence[str], zones: Zones = NO_ZONES) -> list[str]:
        """See `Rule`."""
        masters = [text for text in texts if Component(text).first("RECURRENCE-ID") is None] if len(texts) > 1 else []
        return masters or list(texts)


#: Stands for a rule that has neither COUNT nor UNTIL.
ENDLESS = "ENDLESS"


def has_part(rule: str, part: str) -> bool:
    """Whether a repeat rule has a part, which begins so: ``BYSETPOS``, ``FREQ=HOURLY``; or is `ENDLESS`.

    >>> has_part("FREQ=DAILY;BYHOUR=9", "BYHOUR"), has_part("FREQ=DAILY;COUNT=2", ENDLESS)
    (True, False)
    """
    parts = rule.upper().split(";")
    if part == ENDLESS:
        return not any(one.startswith(("COUNT=", "UNTIL=")) for one in parts)
    return any(one.startswith(part) for one in parts)


def holds(text: str, name: str) -> bool:
    """Whether a name may stand in a text: cheap, and never wrongly no."""
    return name in text or name.upper() in text.upper()


def name_of(raw: str) -> str:
    """The name of the property that a line holds."""
    return raw.partition(":")[0].partition(";")[0].upper()


def size_of(value: str, unit: Unit) -> int:
    """How long a text is."""
    return len(value.encode("utf-8", "replace")) if unit == "bytes" else len(value)


def cut_to(value: str, most: int, unit: Unit) -> str:
    """The beginning of a text, at most so long; no character is cut in two."""
    if unit == "characters":
        return value[:most]
    return value.encode("utf-8", "replace")[:most].decode("utf-8", "ignore")


def _spans(lines: Sequence[str], name: str) -> list[range]:
    """Where an entry's own properties of a name are, readable or not, and what is nested in it of that kind."""
    spans = [range(first, last + 1) for kind, first, last in nested_in(lines) if kind == name]
    spans += [range(at, at + 1) for at, depth in enumerate(depths(lines)) if depth == 1 and name_of(lines[at]) == name]
    return sorted(spans, key=lambda span: span.start)


def _without_lines(lines: Sequence[str], gone: Collection[int], text: str) -> str:
    return "\n".join(raw for at, raw in enumerate(lines) if at not in gone) if gone else text


def _in_utc(value: str, tzid: str, zones: Zones) -> str:
    """A time, or a period by its parts, in UTC; as it is where nobody knows when it is."""
    parts = [_moment_in_utc(part, tzid, zones) for part in value.split("/")]
    return "/".join(parts)


def _moment_in_utc(value: str, tzid: str, zones: Zones) -> str:
    try:
        year = int(value[:4])
        instant = parse_moment(value, tzid, zones.of(tzid, year, year).clock).instant()
    except (NotAMoment, ValueError):  # a duration, or no time at all
        return value
    return value if instant is None or len(value) != 15 else basic(from_wall_seconds(instant)) + "Z"
