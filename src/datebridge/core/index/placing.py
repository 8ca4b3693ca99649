"""Where an entry is in time: its start, end, rules and zones, read from its fields into its facts.

A TZID means what `zones.meaning` says of it in the years the entry is in use, so start, end, UNTIL, extra and left-out
dates are all told on one clock, also where that is one the calendar defines itself.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import lru_cache
from typing import NamedTuple, Protocol

from datebridge.core.index.facts import Facts, Mark
from datebridge.core.moments import (
    Clock,
    Moment,
    NotAMoment,
    from_wall_seconds,
    instant_at,
    parse_duration,
    parse_moment,
    wall_at,
)
from datebridge.core.recurrence.bounds import last_start, longest_gap, weekdays
from datebridge.core.recurrence.pattern import Length
from datebridge.core.recurrence.rules import NotARule, Rule, on_clock_of, read_rule
from datebridge.core.recurrence.starts import DAY, weekday_of
from datebridge.core.recurrence.words import describe
from datebridge.core.text.lines import param_of
from datebridge.core.zones.meaning import Meaning, Zones

Field = tuple[str, str]
#: More rules than this in one entry are nonsense, and are not followed.
MOST_RULES = 100
#: Years in which an entry without end is in use, as far as zones go.
_LAST_YEAR = 2100


class Complain(Protocol):
    """Notes what cannot be read."""

    def __call__(self, code: str, message: str, done: str, name: str = "") -> None:
        """Note it, at the first line of a property where one is named."""


class ReadRule(NamedTuple):
    """A rule as it is written, and which of its parts make no sense."""

    rule: Rule
    invalid: tuple[str, ...]


class Placing:
    """The work of placing one entry. `complain` notes what cannot be read, at the first line of a name.

    Attributes:
        start, end: as they are written; None where there is none that can be read.
        end_name: the property that says the end; "" where there is none.
        rules: as they are written.
        meanings: of the zone names in use.
    """

    def __init__(
        self,
        facts: Facts,
        fields: dict[str, Field],
        lists: dict[str, list[Field]],
        complain: Complain,
        zones: Zones,
    ) -> None:
        self.facts, self.fields, self.lists = facts, fields, lists
        self.complain, self.zones = complain, zones
        self.years: tuple[int, int] | None = None
        self.used: dict[str, None] = {}
        self.meanings: dict[str, Meaning] = {}
        self.start: Moment | None = None
        self.end: Moment | None = None
        self.end_name = ""
        self.rules: list[ReadRule] = []

    def place(self) -> None:
        """Fill in all that the facts say of time."""
        facts, fields = self.facts, self.fields
        start_name = "DTSTART" if "DTSTART" in fields or facts.component != "VTODO" else "DUE"
        if self.zones and start_name in fields:
            self.years = self._in_use(start_name)
        start = self.start = self.moment(start_name, fields[start_name]) if start_name in fields else None
        if "RECURRENCE-ID" in fields:
            facts.marks |= Mark.OVERRIDE
            replaced = self.moment("RECURRENCE-ID", fields["RECURRENCE-ID"])
            if (param_of(fields["RECURRENCE-ID"][0], "RANGE") or "").upper() == "THISANDFUTURE":
                facts.marks |= Mark.FUTURE
            facts.recurrence_id = replaced.key() if replaced else fields["RECURRENCE-ID"][1]
        if start is None:
            facts.marks |= Mark.UNPLACED
        else:
            begins = facts.start_wall = start.wall_seconds
            facts.start = instant_at(begins, start.zone) if start.zone else begins
            facts.tzid, facts.zone = start.tzid, start.zone if isinstance(start.zone, str) else ""
            if start.is_date:
                facts.marks |= Mark.ALL_DAY
            elif not start.tzid:
                facts.marks |= Mark.FLOATING
            end_wall, nominal, needed = self._end(start)
            facts.end_wall = facts.until_wall = end_wall
            if nominal is not None and (needed or facts.marks & Mark.FUTURE):
                facts.recurrence = f"~{nominal[0]}:{nominal[1]}"
            self._series(start, end_wall - facts.start_wall, nominal)
        self._zones()
        if start is not None and not isinstance(start.zone, str):
            facts.marks |= Mark.DEFINED_ZONE

    # ---- moments and zones -----------------------------------------------------------------------

    def moment(self, name: str, field: Field) -> Moment | None:
        """A property's value as a moment; None, and a problem, where it is none."""
        params, value = field
        tzid = ""
        if params and (tzid := _tzid(params)):
            self.used[tzid] = None
        try:
            parsed = parse_moment(value, tzid, self._clock(tzid) if self.zones else None)
        except NotAMoment:
            found_too = self._mended(name, params, value.strip())
            if found_too is None or value == value.strip():
                return found_too
            self.complain("loose-value", f"{name} has a blank beside its value.", "Read without it.", name)
            parsed = found_too
        if params or parsed.is_date:
            text = _value_type(params)
            if text == "DATE" and not parsed.is_date:
                message = f"{name} is said to be a DATE, but {value[:20]} is a time."
                self.complain("value-type", message, "Read as the time it is.", name)
            elif parsed.is_date and text != "DATE" and text != "PERIOD":
                message = f"{name}:{value[:20]} is a day, but VALUE=DATE is missing."
                self.complain("value-type", message, "Read as a whole day.", name)
        return parsed

    def _mended(self, name: str, params: str, text: str) -> Moment | None:
        """What was meant by a value that is no moment as it is."""
        tzid = _tzid(params)
        try:
            return parse_moment(text, tzid, self._clock(tzid))  # spaces around it are nothing
        except NotAMoment:
            pass
        if ":" in text and tzid:  # TZID=(UTC+01:00) Somewhere:2026…
            head, _, tail = text.rpartition(":")
            whole = f"{tzid}:{head}"
            try:
                moment = parse_moment(tail, whole, self._clock(whole))
            except NotAMoment:
                moment = None
            if moment is not None:
                self.used.pop(tzid, None)
                self.used[whole] = None
                self.complain(
                    "unquoted-zone",
                    f"{name} has a time zone name with a colon that is not in quotes: {whole[:60]}.",
                    "Read as it was meant.",
                    name,
                )
                return moment
        try:
            loose = text.replace(" ", "0").replace("+", "0")
            moment = parse_moment(loose, tzid, self._clock(tzid)) if loose != text else None
        except NotAMoment:
            moment = None
        if moment is not None:
            self.complain("loose-value", f"{name}:{text[:40]} has spaces or signs in it.", f"Read as {loose}.", name)
            return moment
        self.complain("bad-date", f"{name}:{text[:40]} is not a date or time that exists.", "Kept as it is.", name)
        return None

    def _clock(self, tzid: str) -> Clock | None:
        """What a TZID means here; None leaves it to its name."""
        if not tzid or not self.zones or not (tzid in self.zones or tzid in self.zones.rulings):
            return None
        return self._meaning(tzid).clock

    def _meaning(self, tzid: str) -> Meaning:
        meaning = self.meanings.get(tzid)
        if meaning is None:
            first, last = self.years or (1970, _LAST_YEAR)
            meaning = self.meanings[tzid] = self.zones.of(tzid, first, last)
        return meaning

    def _in_use(self, start_name: str) -> tuple[int, int] | None:
        """The years in which the entry happens, on whatever clock."""
        params, value = self.fields[start_name]
        if "RRULE" not in self.lists and "RDATE" not in self.lists:
            year = value[:4]
            return (int(year), int(year)) if year.isascii() and year.isdigit() else None
        try:
            start = parse_moment(value.strip(), _tzid(params), "")
        except NotAMoment:
            return None
        begin = start.wall_seconds
        last = begin
        for _, text in self.lists.get("RRULE", ())[:MOST_RULES]:
            try:
                end, _ = last_start(on_clock_of(read_rule(text)[0], start), begin)
            except NotARule:
                continue
            if end is None:
                return start.wall.year, _LAST_YEAR
            last = max(last, end)
        if "RDATE" in self.lists:
            return 1970, _LAST_YEAR
        return (start.wall.year, from_wall_seconds(last + DAY).year)

    def _zones(self) -> None:
        """Note the zone names in use, and whether one of them is unknown."""
        if not self.used:
            return
        self.facts.tzids = tuple(sorted(self.used)) if len(self.used) > 1 else tuple(self.used)
        if any(meaning.clock == "" for meaning in self.meanings_used()):
            self.facts.marks |= Mark.UNRESOLVED_ZONE

    def meanings_used(self) -> Iterator[Meaning]:
        """What the zone names in use mean, in their order."""
        return (self._meaning(tzid) for tzid in self.facts.tzids)

    # ---- the end ---------------------------------------------------------------------------------

    def _end(self, start: Moment) -> tuple[int, Length | None, bool]:
        """The end on the clock of the start, its length, and whether the end alone does not tell it.

        The length is given where it is nominal, or where the end lies in an hour that comes twice (RFC 5545 §3.6.1,
        §3.8.2.5).
        """
        fields = self.fields
        begins = self.facts.start_wall or 0
        end_name = "DUE" if self.facts.component == "VTODO" else "DTEND"
        default = begins + (DAY if start.is_date and self.facts.component != "VTODO" else 0)
        if end_name in fields and not (end_name == "DUE" and "DTSTART" not in fields):
            self.end_name = end_name
            end = self.end = self.moment(end_name, fields[end_name])
            return (default, None, False) if end is None else self._end_at(start, end, default)
        if "DURATION" not in fields:
            return default, None, False
        text = fields["DURATION"][1]
        try:
            days, seconds = parse_duration(text)
        except NotAMoment:
            message = f"DURATION:{text[:40]} cannot be read."
            self.complain("bad-duration", message, "Kept; not used.", "DURATION")
            return default, None, False
        if days < 0 or seconds < 0:
            message = f"DURATION:{text[:40]} lies before the start."
            self.complain("negative-duration", message, "Shown with no length; kept as it is.", "DURATION")
            return begins, None, False
        wall = begins + days * DAY
        needed = False
        if start.zone and seconds:
            over = instant_at(wall, start.zone) + seconds
            wall = wall_at(over, start.zone)
            needed = instant_at(wall, start.zone) != over
        else:
            wall += seconds
        return wall, ((days, seconds) if needed or (days and start.tzid) else None), needed

    def _end_at(self, start: Moment, end: Moment, default: int) -> tuple[int, Length | None, bool]:
        begins = self.facts.start_wall or 0
        if is_early(start, end):
            return begins, None, False
        length: Length | None = None
        if end.tzid == start.tzid:
            wall = end.wall_seconds
        else:
            wall = Moment(end.on_clock_of(start)).wall_seconds
            first, last = start.instant(), end.instant()
            told = first is None or last is None or not start.zone or instant_at(max(wall, begins), start.zone) == last
            if not told and first is not None and last is not None:
                length = 0, last - first
        return (default if wall == begins and start.is_date else max(wall, begins)), length, length is not None

    # ---- the series ------------------------------------------------------------------------------

    def _series(self, start: Moment, length: int, nominal: Length | None) -> None:
        facts = self.facts
        if "RRULE" not in self.lists and "RDATE" not in self.lists:
            if "EXDATE" in self.lists:
                self._dates("EXDATE", start)  # for what is wrong with them
            return
        rules = self._rules(start)
        extra = self._dates("RDATE", start)
        if not rules and not extra:
            return
        facts.marks |= Mark.SERIES
        begins = facts.start_wall or 0
        facts.weekdays = 1 << start.wall.weekday()
        spoken, ends = [], [begins, *(moment for moment, _, _, _ in extra)]
        for rule in rules:
            spoken.append(describe(rule, start.wall))
            facts.weekdays |= weekdays(rule, start.wall)
            last, known = last_start(rule, begins)
            if last is None:
                facts.marks |= Mark.ENDLESS
            else:
                ends.append(last)
            if not known:
                message = f"COUNT={rule.count} of such a rule is not counted to its end."
                self.complain("rule-too-long", message, "Shown as if it had no end.", "RRULE")
        if extra:
            spoken.append(f"on {len(extra)} extra date{'s' if len(extra) > 1 else ''}")
            facts.weekdays |= sum(1 << d for d in {weekday_of(moment // DAY) for moment, _, _, _ in extra})
            if min(moment for moment, _, _, _ in extra) < begins:
                facts.marks |= Mark.EARLY
        facts.repeats = "; ".join(spoken[:20])
        gone = self._dates("EXDATE", start)
        if len(rules) == 1 and not gone:
            facts.gap_days = longest_gap(rules[0], start.wall)
        facts.recurrence = "\n".join(_written(rules, extra, gone, nominal))
        longest = max([length, *(long[0] * DAY + long[1] for _, _, long, _ in extra if long is not None)])
        facts.until_wall = None if facts.marks & Mark.ENDLESS else max(ends) + longest

    def _rules(self, start: Moment) -> list[Rule]:
        texts = list(dict.fromkeys(text for _, text in self.lists.get("RRULE", ())))
        return [rule for text in texts[:MOST_RULES] if (rule := self._rule(text, start))]

    def _rule(self, text: str, start: Moment) -> Rule | None:
        try:
            rule, invalid = read_rule(text)
            shown = on_clock_of(rule, start)
        except NotARule as error:
            self.complain("bad-rule", f"RRULE: {error}.", "Kept; the entry counts as happening once.", "RRULE")
            return None
        self.rules.append(ReadRule(rule, tuple(invalid)))
        if " " in text.strip():
            self.complain("loose-value", "RRULE has spaces in it.", "Read without them.", "RRULE")
        return shown

    def _dates(self, name: str, start: Moment) -> list[tuple[int, bool, Length | None, int | None]]:
        """What an RDATE or EXDATE gives.

        Returns:
            for each: wall seconds of the series, whether it is a day alone, a PERIOD's length, and the instant where
            the wall time does not tell it.
        """
        dates = []
        for params, value in self.lists.get(name, ()):
            for item in self._items(value, params):
                first, period, end = item.partition("/")
                moment = self.moment(name, (params, first))
                if moment is None:
                    continue
                wall = Moment(moment.on_clock_of(start)).wall_seconds
                invalid: int | None = None
                if start.is_date:
                    wall = wall // DAY * DAY
                elif start.zone and not moment.is_date and moment.zone and moment.zone != start.zone:
                    instant = moment.instant()
                    invalid = instant if instant is not None and instant_at(wall, start.zone) != instant else None
                long = self._period(name, params, moment, end) if period else None
                dates.append((wall, moment.is_date and not start.is_date, long, invalid))
        return dates

    @staticmethod
    def _items(value: str, params: str) -> Sequence[str]:
        # A zone name with a colon and a comma in it: the dates come after its last colon.
        head, colon, tail = value.rpartition(":")
        if not colon or "TZID=" not in params.upper():
            return value.split(",")
        return [f"{head}:{item}" for item in tail.split(",")]

    def _period(self, name: str, params: str, start: Moment, end: str) -> Length | None:
        """The length of a PERIOD (RFC 5545 §3.3.9), whose end is a time or a duration."""
        try:
            if "P" in end.upper():
                days, seconds = parse_duration(end)
                return max(0, days), max(0, seconds)
        except NotAMoment:
            message = f"{name}: {end[:40]} is no length."
            self.complain("bad-duration", message, "Kept; it takes as long as the others.", name)
            return None
        last = self.moment(name, (params, end))
        if last is None:
            return None
        begun, ended = start.instant(), last.instant()
        if begun is not None and ended is not None:
            return 0, max(0, ended - begun)
        return 0, max(0, last.wall_seconds - start.wall_seconds)


_Date = tuple[int, bool, "Length | None", "int | None"]


def _written(rules: list[Rule], extra: list[_Date], gone: list[_Date], nominal: Length | None) -> list[str]:
    """Recurrence text; see `recurrence.pattern`."""
    lines = [rule.text for rule in rules]
    lines += [f"+{moment}" + (f"/{long[0]}:{long[1]}" if long is not None else "") for moment, _, long, _ in extra]
    # An exception date takes the whole day out of a series with hours, and a time its day out of one without.
    for moment, day, _, instant in gone:
        lines.append(f"!{moment}" if day else f"@{instant}" if instant is not None else f"-{moment}")
    if nominal is not None:
        lines.append(f"~{nominal[0]}:{nominal[1]}")
    return lines


def is_early(start: Moment, end: Moment) -> bool:
    """Whether an end lies before the start: on one clock by what it shows, on two by the instants."""
    if end.tzid == start.tzid:
        return end.wall < start.wall
    first, last = start.instant(), end.instant()
    if first is not None and last is not None:
        return last < first
    return Moment(end.on_clock_of(start)).wall_seconds < start.wall_seconds


@lru_cache(maxsize=4096)
def _tzid(params: str) -> str:
    if not params:
        return ""
    if params.startswith(";TZID=") and params.count(";") == 1:
        return params[6:].strip('"')
    return param_of(params, "TZID") or ""


@lru_cache(maxsize=4096)
def _value_type(params: str) -> str:
    return (param_of(params, "VALUE") or "").upper() if params else ""
