"""What an entry's text says: the facts that are indexed, shown in tables and asked for in filters.

>>> text = "BEGIN:VEVENT\\nUID:1\\nDTSTAMP:20261101T000000Z\\nSUMMARY:Tide\\nDTSTART;VALUE=DATE:20261124\\nEND:VEVENT"
>>> facts = derive("VEVENT", text)
>>> facts.summary, facts.all_day
('Tide', True)

Facts depend on nothing but the text and the zones its calendar defines, so an index of them can be thrown away and
made again. The work is linear in the text, whatever it holds.
"""

from __future__ import annotations

import re
from dataclasses import replace
from functools import lru_cache
from hashlib import blake2b

from datebridge.core.index.facts import ANSWER_MARKS, ANSWERS, Facts, Mark
from datebridge.core.index.placing import Placing
from datebridge.core.language.persons import as_person
from datebridge.core.moments import NotAMoment, parse_duration, parse_moment
from datebridge.core.problems import Problem
from datebridge.core.text.lines import LINE, LINES, param_of, split_text_list, unescape_text
from datebridge.core.text.properties import KNOWN, ONCE
from datebridge.core.zones.meaning import NO_ZONES, Zones

_COLLECTED = frozenset({"ATTENDEE", "CATEGORIES", "RDATE", "EXDATE", "RRULE", "EXRULE", "COMMENT", "CONTACT"})
#: The components that are entries.
ENTRIES = frozenset({"VEVENT", "VTODO", "VJOURNAL", "VFREEBUSY"})
_NUMBERS = ("SEQUENCE", "PRIORITY", "PERCENT-COMPLETE")
_CN = re.compile(r';CN=("[^"]*"|[^;:]*)', re.IGNORECASE)
_STAMPS = re.compile(r"\nDTSTAMP[^\n]*")
#: Of problems of one kind, so many are told one by one; the last of them says how many more there are.
MOST_ALIKE = 20
_Field = tuple[str, str]


def digest_of(text: str) -> bytes:
    """What two texts share when they say the same: equal but for DTSTAMP."""
    at = text.find("\nDTSTAMP")
    if at >= 0:
        end = text.find("\n", at + 1)
        if end >= 0 and text.find("\nDTSTAMP", end) < 0:
            text = text[:at] + text[end:]
        else:
            text = _STAMPS.sub("", text)
    return blake2b(text.encode("utf-8", "replace"), digest_size=16).digest()


def derive(component: str, text: str, zones: Zones = NO_ZONES) -> Facts:
    """Read an entry's text. Never fails; what is wrong with it is the business of `core.checks.examine`.

    Args:
        zones: what the calendar it is in defines.
    """
    return read_entry(component, text, zones).facts


def read_entry(component: str, text: str, zones: Zones = NO_ZONES) -> Reading:
    """The same, with all that was seen on the way, for checks to look at."""
    entry = Reading(Facts(component, digest_of(text)), text)
    entry.scan()
    facts = entry.facts
    entry.placing = Placing(facts, entry.fields, entry.lists, entry.note, zones)
    if component in ENTRIES:
        entry.describe()
        entry.placing.place()
        # Nothing refers to itself: jobs read very many entries, and do without the search for cycles meanwhile.
        del entry.placing.complain
    elif component == "VTIMEZONE":
        facts.uid = entry.value("TZID")
    elif component == "VCALENDAR":
        facts.summary = unescape_text(entry.value("NAME") or entry.value("X-WR-CALNAME"))
    else:
        facts.uid = entry.value("UID")
        facts.summary = unescape_text(entry.value("SUMMARY"))
    return entry


class Reading:
    """An entry being read: fields gathered in one pass over the lines, then one subject at a time.

    Attributes:
        fields: the first line of each property: its parameters and its value.
        lists: all lines of properties that may stand several times.
        repeated: how often properties stand that may stand once, and stand more often.
        placing: where it is in time.
    """

    placing: Placing

    def __init__(self, facts: Facts, text: str) -> None:
        self.facts = facts
        self.text = text
        self.fields: dict[str, _Field] = {}
        self.lists: dict[str, list[_Field]] = {}
        self.repeated: dict[str, int] = {}
        self.unknown: list[str] = []
        self._noted: list[Problem] = []
        self._alike: dict[str, int] = {}
        self._lines: dict[str, int] | None = None

    def value(self, name: str) -> str:
        """The value of the first property of a name; "" where there is none."""
        field = self.fields.get(name)
        return field[1] if field else ""

    # ---- what is wrong ---------------------------------------------------------------------------

    def note(self, code: str, message: str, done: str, name: str = "", line: int = -1) -> None:
        """Note what cannot be read, at the first line of a name, or at a line."""
        alike = self._alike[code] = self._alike.get(code, 0) + 1
        if alike <= MOST_ALIKE:
            self._noted.append(Problem(code, message, done, line if line >= 0 else self.line_of(name)))

    def problems(self) -> list[Problem]:
        """What was noted, the last of each kind saying how many more there are."""
        more = {code: number - MOST_ALIKE for code, number in self._alike.items() if number > MOST_ALIKE}
        for at in reversed(range(len(self._noted))) if more else ():
            if number := more.pop(self._noted[at].code, 0):
                self._noted[at] = and_more(self._noted[at], number)
        return list(self._noted)

    def line_of(self, name: str) -> int:
        """The first line of a property; 0 where it is about the whole."""
        if not name:
            return 0
        if self._lines is None:
            self._lines = {}
            for index, raw in enumerate(self.text.split("\n")):
                self._lines.setdefault(raw[: min(raw.find(c) % (len(raw) + 1) for c in ":;")].upper(), index)
        return self._lines.get(name, 0)

    # ---- one pass over the lines -----------------------------------------------------------------

    def scan(self) -> None:  # noqa: C901 (one hot loop)
        """Sort the lines by name, once for all that follows."""
        lines = LINES.findall(self.text)
        if len(lines) != self.text.count("\n") + 1:
            lines = self._scan_damaged()
        depth, marks, fields, lists, repeated = 0, 0, self.fields, self.lists, self.repeated
        for name, params, value in lines:
            if name not in KNOWN:
                name = name.upper()
                if name == "BEGIN":
                    depth += 1
                    if depth == 2 and value.strip().upper() == "VALARM":
                        marks |= Mark.ALARM
                    continue
                if name == "END":
                    depth -= 1
                    continue
                if name not in KNOWN and depth > 0:
                    self.unknown.append(name)
            if depth != 1:
                if name == "TRIGGER" and depth == 2 and not _is_trigger(params, value):
                    self.note("bad-trigger", f"TRIGGER:{value[:40]} says no time.", "Kept; it does not ring.", name)
                continue
            if name in _COLLECTED:
                lists.setdefault(name, []).append((params, value))
            elif name not in fields:
                fields[name] = (params, value)
            elif name in ONCE:
                repeated[name] = repeated.get(name, 1) + 1
        if "ATTACH" in fields:
            marks |= Mark.ATTACHMENT
        if "ATTENDEE" in lists:
            marks |= Mark.ATTENDEES
        if self.unknown:
            marks |= Mark.UNKNOWN
            self.facts.unknown = tuple(self.unknown)
        self.facts.marks = marks

    def _scan_damaged(self) -> list[tuple[str, str, str]]:
        """The lines that can be read; a problem for each that cannot, which stays in the text."""
        lines = []
        for index, raw in enumerate(self.text.split("\n")):
            match = LINE.match(raw)
            if match is not None:
                lines.append((match[1], match[2], match[3]))
            elif '"' in raw and ":" in raw:
                message = f"“{raw[:60]}” has an open quote."
                self.note("bad-parameter", message, "Kept as it is; not understood.", line=index)
            else:
                message = f"“{raw[:60]}” is not a property."
                self.note("not-a-content-line", message, "Kept as it is.", line=index)
        return lines

    # ---- what it is about ------------------------------------------------------------------------

    def describe(self) -> None:
        """What is said in words: title, place, people, categories."""
        facts, fields = self.facts, self.fields
        get, none = fields.get, ("", "")
        facts.uid = get("UID", none)[1].strip()
        facts.summary = unescape_text(get("SUMMARY", none)[1])
        facts.location = unescape_text(get("LOCATION", none)[1])
        for name in _NUMBERS:
            if name in fields:
                number = fields[name][1]
                plain = number.isascii() and number.isdigit()
                if not plain:
                    self.note("loose-value", f"{name}:{number[:40]} is not a plain number.", "Kept as it is.", name)
                elif name == "SEQUENCE" and len(number) < 10:
                    facts.sequence = int(number)
        facts.status = get("STATUS", none)[1].strip().upper()
        facts.privacy = get("CLASS", none)[1].strip().upper()
        facts.busy = get("TRANSP", none)[1].strip().upper()
        if facts.privacy in ("PRIVATE", "CONFIDENTIAL"):
            facts.marks |= Mark.PRIVATE
        self._modified()
        categories = [c for _, value in self.lists.get("CATEGORIES", ()) for c in split_text_list(value)]
        facts.categories = "\x1f".join(categories)
        attendees = self.lists.get("ATTENDEE", [])
        facts.attendees = len(attendees)
        words = [unescape_text(get("DESCRIPTION", none)[1]), *categories]
        for name in ("COMMENT", "CONTACT"):
            if name in self.lists:
                words += [unescape_text(value) for _, value in self.lists[name]]
        people = [*attendees, fields["ORGANIZER"]] if "ORGANIZER" in fields else attendees
        for params, value in people:
            text = f"{_common_name(params)} {value.removeprefix('mailto:')}"
            words += [text, as_person(text)]
        for params, _ in attendees:
            answer = ANSWERS.get((param_of(params, "PARTSTAT") or "").upper(), "none")
            facts.marks |= ANSWER_MARKS[answer]
        facts.words = "\n".join([word for word in words if word])
        if self.unknown:
            self._travel()

    def _modified(self) -> None:
        for name in ("LAST-MODIFIED", "DTSTAMP"):
            if name in self.fields:
                value = self.fields[name][1]
                try:
                    stamp = parse_moment(value.strip())
                    self.facts.modified = stamp.instant() or stamp.wall_seconds
                    break
                except NotAMoment:
                    self.note("bad-date", f"{name}:{value[:40]} is not a date.", "Kept; not used.", name)

    def _travel(self) -> None:
        """Time to get there. No standard has it; it is taken from any extension property named so."""
        for name in dict.fromkeys(self.unknown):
            if name.endswith(("TRAVEL-DURATION", "TRAVEL-TIME")) and name in self.fields:
                try:
                    days, seconds = parse_duration(self.fields[name][1])
                    self.facts.travel = max(0, days * 86400 + seconds)
                except NotAMoment:
                    continue


def and_more(problem: Problem, number: int) -> Problem:
    """A problem that says how many more there are like it."""
    return replace(problem, message=f"{problem.message} So it is with {number:,} more in this entry.")


@lru_cache(maxsize=1024)
def _is_trigger(params: str, value: str) -> bool:
    """Whether a TRIGGER says a time: a duration, or a moment where it is said to be one (RFC 5545 §3.8.6.3)."""
    try:
        if (param_of(params, "VALUE") or "").upper() == "DATE-TIME":
            return not parse_moment(value.strip()).is_date
        parse_duration(value)
        return True
    except NotAMoment:
        return False


@lru_cache(maxsize=4096)
def _common_name(params: str) -> str:
    match = _CN.search(params)
    return match[1].strip('"') if match else ""
