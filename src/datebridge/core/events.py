"""What an entry's text says: the facts that are indexed, shown in tables and asked for in filters.

>>> facts = derive("VEVENT", "BEGIN:VEVENT\\nUID:1\\nSUMMARY:Tide\\nDTSTART;VALUE=DATE:20261124\\nEND:VEVENT")
>>> facts.summary, facts.all_day, facts.problems
('Tide', True, ())

Facts depend on nothing but the text, so an index of them can be thrown away and made again.
"""

from __future__ import annotations

import re
from functools import lru_cache
from hashlib import blake2b

from datebridge.core.facts import Facts, Mark
from datebridge.core.ics.lines import LINE, LINES, param_of, split_text_list, unescape_text
from datebridge.core.moments import Moment, NotAMoment, instant_at, parse_duration, parse_moment, wall_at
from datebridge.core.problems import Problem
from datebridge.core.properties import KNOWN, MISPLACED, ONCE
from datebridge.core.recurrence.bounds import last_start, longest_gap, weekdays
from datebridge.core.recurrence.rules import NotARule, Rule, on_clock_of, parse_rule
from datebridge.core.recurrence.starts import weekday_of
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
            if (param_of(fields["RECURRENCE-ID"][0], "RANGE") or "").upper() == "THISANDFUTURE":
                facts.marks |= Mark.FUTURE
            facts.recurrence_id = replaced.key() if replaced else fields["RECURRENCE-ID"][1]
        if self.unknown:
            self._travel()
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
        end_wall, nominal = self._end(start)
        facts.end_wall = facts.until_wall = end_wall
        self._series(start, end_wall - facts.start_wall, nominal)

    def _travel(self) -> None:
        """Time to get there. No standard has it; it is taken from any extension property named so."""
        for name in self.unknown:
            if name.endswith(("TRAVEL-DURATION", "TRAVEL-TIME")) and name in self.fields:
                try:
                    days, seconds = parse_duration(self.fields[name][1])
                    self.facts.travel = max(0, days * 86400 + seconds)
                except NotAMoment:
                    continue

    def _end(self, start: Moment) -> tuple[int, tuple[int, int] | None]:
        """The end on the clock of the start, and the length if it is nominal (RFC 5545 §3.6.1, §3.8.2.5)."""
        fields = self.fields
        begins = start.wall_seconds
        end_name = "DUE" if self.facts.component == "VTODO" else "DTEND"
        default = begins + (86400 if start.is_date and self.facts.component != "VTODO" else 0)
        if end_name in fields and not (end_name == "DUE" and "DTSTART" not in fields):
            if "DURATION" in fields:
                self.problem(
                    "duration-and-end", f"Both {end_name} and DURATION are given.", f"{end_name} counts.", "DURATION"
                )
            end = self._moment(end_name, fields[end_name])
            if end is None:
                return default, None
            if end.tzid == start.tzid:
                wall, early = end.wall_seconds, end.wall < start.wall
            else:
                wall = Moment(end.on_clock_of(start)).wall_seconds
                first, last = start.instant(), end.instant()
                early = last < first if first is not None and last is not None else wall < begins
            if early:
                self.problem(
                    "end-before-start",
                    "The end lies before the start.",
                    "Shown with no length; kept as it is.",
                    end_name,
                )
                return begins, None
            return (default if wall == begins and start.is_date else max(wall, begins)), None
        if "DURATION" in fields:
            try:
                days, seconds = parse_duration(fields["DURATION"][1])
            except NotAMoment:
                self.problem(
                    "bad-duration",
                    f"DURATION:{fields['DURATION'][1][:40]} cannot be read.",
                    "Kept; not used.",
                    "DURATION",
                )
                return default, None
            wall = begins + max(days, 0) * 86400
            if start.zone and seconds > 0:
                wall = wall_at(instant_at(wall, start.zone) + seconds, start.zone)
            else:
                wall += max(seconds, 0)
            return wall, ((days, seconds) if days > 0 and start.tzid else None)
        return default, None

    def _series(self, start: Moment, length: int, nominal: tuple[int, int] | None) -> None:
        facts = self.facts
        rules = [rule for _, text in self.lists.get("RRULE", ()) if (rule := self._rule(text, start))]
        extra = self._dates("RDATE", start)
        if not rules and not extra:
            return
        facts.marks |= Mark.SERIES
        begins = start.wall_seconds
        facts.weekdays = 1 << start.wall.weekday()
        spoken, ends = [], [begins, *(moment for moment, _, _ in extra)]
        for rule in rules:
            spoken.append(describe(rule, start.wall))
            facts.weekdays |= weekdays(rule, start.wall)
            last = last_start(rule, begins)
            if last is None:
                facts.marks |= Mark.ENDLESS
            else:
                ends.append(last)
        if extra:
            spoken.append(f"on {len(extra)} extra date{'s' if len(extra) > 1 else ''}")
            facts.weekdays |= sum(1 << d for d in {weekday_of(moment // 86400) for moment, _, _ in extra})
        facts.repeats = "; ".join(spoken)
        gone = self._dates("EXDATE", start)
        if len(rules) == 1 and not gone:
            facts.gap_days = longest_gap(rules[0], start.wall)
        lines = [rule.text for rule in rules]
        lines += [f"+{moment}" + (f"/{long}" if long is not None else "") for moment, _, long in extra]
        # A left-out date takes the whole day out of a series with hours, and a time its day out of one without.
        lines += [f"{'!' if day else '-'}{moment}" for moment, day, _ in gone]
        if nominal is not None:
            lines.append(f"~{nominal[0]}:{nominal[1]}")
        facts.recurrence = "\n".join(lines)
        longest = max([length, *(long for _, _, long in extra if long is not None)])
        facts.until_wall = None if facts.marks & Mark.ENDLESS else max(ends) + longest

    def _rule(self, text: str, start: Moment) -> Rule | None:
        try:
            return on_clock_of(parse_rule(text), start)
        except NotARule as error:
            self.problem("bad-rule", f"RRULE: {error}.", "Kept; the entry counts as happening once.", "RRULE")
            return None

    def _dates(self, name: str, start: Moment) -> list[tuple[int, bool, int | None]]:
        """What an RDATE or EXDATE gives: wall seconds of the series, whether it is a day alone, a PERIOD's length."""
        dates = []
        for params, value in self.lists.get(name, ()):
            for item in value.split(","):
                first, period, end = item.partition("/")
                moment = self._moment(name, (params, first))
                if moment is None:
                    continue
                wall = moment.on_clock_of(start)
                if start.is_date:
                    wall = wall.replace(hour=0, minute=0, second=0)
                long = self._period(name, params, moment, end) if period else None
                dates.append((Moment(wall).wall_seconds, moment.is_date and not start.is_date, long))
        return dates

    def _period(self, name: str, params: str, start: Moment, end: str) -> int | None:
        """The seconds of a PERIOD (RFC 5545 §3.3.9), whose end is a time or a duration."""
        try:
            if "P" in end.upper():
                days, seconds = parse_duration(end)
                return max(0, days * 86400 + seconds)
        except NotAMoment:
            return None
        last = self._moment(name, (params, end))
        if last is None:
            return None
        begun, ended = start.instant(), last.instant()
        if begun is not None and ended is not None:
            return max(0, ended - begun)
        return max(0, last.wall_seconds - start.wall_seconds)

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
