"""What an entry's text says: the facts that are indexed, shown in tables and asked for in filters.

>>> facts = derive("VEVENT", "BEGIN:VEVENT\\nUID:1\\nSUMMARY:Tide\\nDTSTART;VALUE=DATE:20261124\\nEND:VEVENT")
>>> facts.summary, facts.all_day, facts.problems
('Tide', True, ())

Facts depend on nothing but the text, so an index of them can be thrown away and made again.
"""

from __future__ import annotations

import re
from datetime import datetime
from functools import lru_cache
from hashlib import blake2b

from datebridge.core.facts import Facts, Mark
from datebridge.core.ics.lines import LINE, LINES, param_of, split_text_list, unescape_text
from datebridge.core.moments import Moment, NotAMoment, parse_duration, parse_moment
from datebridge.core.problems import Problem
from datebridge.core.properties import KNOWN, MISPLACED, ONCE
from datebridge.core.recurrence.bounds import last_start, longest_gap, weekdays
from datebridge.core.recurrence.rules import NotARule, Rule, parse_rule
from datebridge.core.recurrence.words import describe
from datebridge.core.zones.names import resolve

_COLLECTED = frozenset({"ATTENDEE", "CATEGORIES", "RDATE", "EXDATE", "RRULE", "COMMENT", "CONTACT"})
_ENTRIES = frozenset({"VEVENT", "VTODO", "VJOURNAL", "VFREEBUSY"})
_CN = re.compile(r';CN=("[^"]*"|[^;:]*)', re.IGNORECASE)
_Field = tuple[str, str]


def digest_of(text: str) -> bytes:
    """What two texts share when they say the same: equal but for DTSTAMP."""
    at = text.find("\nDTSTAMP")
    while at >= 0:
        end = text.find("\n", at + 1)
        text = text[:at] + (text[end:] if end >= 0 else "")
        at = text.find("\nDTSTAMP", at)
    return blake2b(text.encode("utf-8", "replace"), digest_size=16).digest()


def derive(component: str, text: str) -> Facts:
    """Read an entry's text. Never fails: what cannot be read is a problem, with its line from 0."""
    facts = Facts(component, digest_of(text))
    reading = _Reading(facts, text)
    reading.scan()
    if component in _ENTRIES:
        reading.describe()
        reading.place()
        reading.check()
    elif component == "VTIMEZONE":
        facts.uid = reading.value("TZID")
    elif component == "VCALENDAR":
        facts.summary = unescape_text(reading.value("NAME") or reading.value("X-WR-CALNAME"))
    else:
        facts.uid = reading.value("UID")
        facts.summary = unescape_text(reading.value("SUMMARY"))
    facts.problems = tuple(reading.problems)
    if facts.problems:
        facts.marks |= Mark.PROBLEM
    return facts


class _Reading:
    """The work of `derive`: fields gathered in one pass over the lines, then read one subject at a time."""

    def __init__(self, facts: Facts, text: str) -> None:
        self.facts = facts
        self.text = text
        self.fields: dict[str, _Field] = {}
        self.lists: dict[str, list[_Field]] = {}
        self.problems: list[Problem] = []
        self.unknown: list[str] = []

    def value(self, name: str) -> str:
        field = self.fields.get(name)
        return field[1] if field else ""

    def problem(self, code: str, message: str, done: str, name: str = "") -> None:
        self.problems.append(Problem(code, message, done, self._line_of(name) if name else 0))

    def _line_of(self, name: str) -> int:
        prefix = re.compile(rf"{re.escape(name)}[;:]", re.IGNORECASE)
        return next((i for i, raw in enumerate(self.text.split("\n")) if prefix.match(raw)), 0)

    # ---- one pass over the lines -----------------------------------------------------------------

    def scan(self) -> None:
        lines = LINES.findall(self.text)
        if len(lines) != self.text.count("\n") + 1:
            lines = self._scan_damaged()
        depth, marks, fields, lists = 0, 0, self.fields, self.lists
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
                continue
            if name in _COLLECTED:
                lists.setdefault(name, []).append((params, value))
            elif name not in fields:
                fields[name] = (params, value)
            elif name in ONCE:
                self.problem("repeated-property", f"{name} stands more than once.", "The first one counts.", name)
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
                self.problems.append(
                    Problem(
                        "bad-parameter", f"“{raw[:60]}” has an open quote.", "Kept as it is; not understood.", index
                    )
                )
            else:
                self.problems.append(
                    Problem("not-a-content-line", f"“{raw[:60]}” is not a property.", "Kept as it is.", index)
                )
        return lines

    # ---- what it is about ------------------------------------------------------------------------

    def describe(self) -> None:
        facts, fields = self.facts, self.fields
        get, none = fields.get, ("", "")
        facts.uid = get("UID", none)[1].strip()
        facts.summary = unescape_text(get("SUMMARY", none)[1])
        facts.location = unescape_text(get("LOCATION", none)[1])
        sequence = get("SEQUENCE", none)[1].strip()
        facts.sequence = int(sequence) if sequence.isascii() and sequence.isdigit() and len(sequence) < 10 else 0
        facts.status = get("STATUS", none)[1].strip().upper()
        facts.privacy = get("CLASS", none)[1].strip().upper()
        facts.busy = get("TRANSP", none)[1].strip().upper()
        if facts.privacy in ("PRIVATE", "CONFIDENTIAL"):
            facts.marks |= Mark.PRIVATE
        for name in ("LAST-MODIFIED", "DTSTAMP"):
            if name in fields:
                try:
                    stamp = parse_moment(fields[name][1].strip())
                    facts.modified = stamp.instant() or stamp.wall_seconds
                    break
                except NotAMoment:
                    self.problem("bad-date", f"{name}:{fields[name][1]} is not a date.", "Kept; not used.", name)
        categories = [c for _, value in self.lists.get("CATEGORIES", ()) for c in split_text_list(value)]
        facts.categories = "\x1f".join(categories)
        attendees = self.lists.get("ATTENDEE", [])
        facts.attendees = len(attendees)
        words = [unescape_text(get("DESCRIPTION", none)[1]), *categories]
        for name in ("COMMENT", "CONTACT"):
            if name in self.lists:
                words += [unescape_text(value) for _, value in self.lists[name]]
        words += [f"{_common_name(params)} {value}" for params, value in attendees]
        if "ORGANIZER" in fields:
            params, value = fields["ORGANIZER"]
            words.append(f"{_common_name(params)} {value}")
        facts.words = "\n".join([word for word in words if word])

    # ---- where it stands in time -----------------------------------------------------------------

    def _moment(self, name: str, field: _Field) -> Moment | None:
        params, value = field
        try:
            return parse_moment(value.strip(), _tzid(params))
        except NotAMoment:
            self.problem("bad-date", f"{name}:{value[:40]} is not a date or time that exists.", "Kept as it is.", name)
            return None

    def place(self) -> None:
        facts, fields = self.facts, self.fields
        start_name = "DTSTART" if "DTSTART" in fields or facts.component != "VTODO" else "DUE"
        start = self._moment(start_name, fields[start_name]) if start_name in fields else None
        if "RECURRENCE-ID" in fields:
            facts.marks |= Mark.OVERRIDE
            replaced = self._moment("RECURRENCE-ID", fields["RECURRENCE-ID"])
            facts.recurrence_id = replaced.key() if replaced else fields["RECURRENCE-ID"][1]
        self._zones()
        if start is None:
            if facts.component in ("VEVENT", "VFREEBUSY") and start_name not in fields:
                self.problem("no-start", "There is no DTSTART.", "Kept; it stands at no time.")
            facts.marks |= Mark.UNPLACED
            return
        facts.start_wall = start.wall_seconds
        instant = start.instant()
        facts.start = facts.start_wall if instant is None else instant
        facts.tzid, facts.zone = start.tzid, start.zone
        if start.is_date:
            facts.marks |= Mark.ALL_DAY
        elif not start.tzid:
            facts.marks |= Mark.FLOATING
        length = self._length(start)
        facts.end_wall = facts.start_wall + length
        facts.until_wall = facts.end_wall
        self._series(start, length)

    def _length(self, start: Moment) -> int:
        """Seconds from start to end on the entry's own clock; 0 or a day where nothing is said (RFC 5545 §3.6.1)."""
        fields = self.fields
        end_name = "DUE" if self.facts.component == "VTODO" else "DTEND"
        default = 86400 if start.is_date and self.facts.component != "VTODO" else 0
        if end_name in fields and not (end_name == "DUE" and "DTSTART" not in fields):
            if "DURATION" in fields:
                self.problem(
                    "duration-and-end", f"Both {end_name} and DURATION are given.", f"{end_name} counts.", "DURATION"
                )
            end = self._moment(end_name, fields[end_name])
            if end is None:
                return default
            seconds = end.wall_seconds - start.wall_seconds
            if start.tzid != end.tzid:
                first, last = start.instant(), end.instant()
                seconds = last - first if first is not None and last is not None else seconds
            if seconds < 0:
                self.problem(
                    "end-before-start",
                    "The end lies before the start.",
                    "Shown with no length; kept as it is.",
                    end_name,
                )
                return 0
            return seconds or (default if start.is_date else 0)
        if "DURATION" in fields:
            try:
                return max(0, int(parse_duration(fields["DURATION"][1]).total_seconds()))
            except NotAMoment:
                self.problem(
                    "bad-duration",
                    f"DURATION:{fields['DURATION'][1][:40]} cannot be read.",
                    "Kept; not used.",
                    "DURATION",
                )
        return default

    def _series(self, start: Moment, length: int) -> None:
        facts = self.facts
        rules = [rule for _, text in self.lists.get("RRULE", ()) if (rule := self._rule(text, start))]
        extra = self._dates("RDATE", start)
        if not rules and not extra:
            return
        facts.marks |= Mark.SERIES
        facts.weekdays = 1 << start.wall.weekday()
        spoken, ends = [], [start.wall, *extra]
        for rule in rules:
            spoken.append(describe(rule, start.wall))
            facts.weekdays |= weekdays(rule, start.wall)
            last = last_start(rule, start.wall)
            if last is None:
                facts.marks |= Mark.ENDLESS
            else:
                ends.append(last)
        if extra:
            spoken.append(f"on {len(extra)} extra date{'s' if len(extra) > 1 else ''}")
            facts.weekdays |= sum(1 << d for d in {moment.weekday() for moment in extra})
        facts.repeats = "; ".join(spoken)
        gone = self._dates("EXDATE", start)
        if len(rules) == 1 and not gone:
            facts.gap_days = longest_gap(rules[0], start.wall)
        facts.recurrence = "\n".join(
            [rule.text for rule in rules]
            + [f"{sign}{Moment(wall).wall_seconds}" for sign, walls in (("+", extra), ("-", gone)) for wall in walls]
        )
        facts.until_wall = None if facts.marks & Mark.ENDLESS else Moment(max(ends)).wall_seconds + length

    def _rule(self, text: str, start: Moment) -> Rule | None:
        try:
            return parse_rule(text)
        except NotARule as error:
            self.problem("bad-rule", f"RRULE: {error}.", "Kept; the entry counts as happening once.", "RRULE")
            return None

    def _dates(self, name: str, start: Moment) -> list[datetime]:
        """The starts an RDATE or EXDATE gives, on the clock of the series."""
        dates = []
        for params, value in self.lists.get(name, ()):
            for item in value.split(","):
                moment = self._moment(name, (params, item.partition("/")[0]))
                if moment is not None:
                    dates.append(moment.on_clock_of(start))
        return dates

    def _zones(self) -> None:
        """The zone names in use, and a problem for each that nobody knows."""
        used = [self.fields[name] for name in ("DTSTART", "DTEND", "DUE", "RECURRENCE-ID") if name in self.fields]
        used += [field for name in ("RDATE", "EXDATE") for field in self.lists.get(name, ())]
        written = {params for params, _ in used if params}
        names = {_tzid(params) for params in written} - {""}
        if not names:
            return
        self.facts.tzids = tuple(sorted(names)) if len(names) > 1 else tuple(names)
        for tzid in self.facts.tzids:
            if not resolve(tzid).zone:
                self.facts.marks |= Mark.UNRESOLVED_ZONE
                self.problem(
                    "unresolved-zone", f"“{tzid}” is not a zone name anyone knows.",
                    "Kept; its times are shown as they are written.", "DTSTART",
                )  # fmt: skip

    # ---- what may not be -------------------------------------------------------------------------

    def check(self) -> None:
        facts = self.facts
        if not facts.uid and facts.component != "VFREEBUSY":
            self.problem("no-uid", "There is no UID.", "Kept; it can only be recognised by its text.")
        misplaced = MISPLACED[facts.component]
        for name in misplaced.intersection(self.fields):
            self.problem("misplaced-property", f"{name} may not stand in a {facts.component}.", "Kept.", name)


@lru_cache(maxsize=4096)
def _common_name(params: str) -> str:
    match = _CN.search(params)
    return match[1].strip('"') if match else ""


@lru_cache(maxsize=4096)
def _tzid(params: str) -> str:
    if not params:
        return ""
    if params.startswith(";TZID=") and params.count(";") == 1:
        return params[6:].strip('"')
    return param_of(params, "TZID") or ""
