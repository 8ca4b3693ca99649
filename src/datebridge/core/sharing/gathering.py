r"""Entries brought together under the terms of a share: what is given of each, what is left out, and why.

>>> terms = Terms(Detail.TITLES, private=Guarded.BUSY)
>>> texts = ["UID:1\nSUMMARY:Berth 2", "UID:2\nCLASS:PRIVATE\nSUMMARY:Dentist"]
>>> texts = [f"BEGIN:VEVENT\nDTSTART:20261124T090000Z\n{text}\nEND:VEVENT" for text in texts]
>>> given = gather([source_of("VEVENT", text, 1) for text in texts], {}, terms, b"secret")
>>> [one.redacted.title for one in given.entries], given.in_words
(['Berth 2', 'Busy'], '2 of 2 entries; 1 private as busy')
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import partial
from hashlib import blake2b

from datebridge.core.index.derive import derive
from datebridge.core.index.facts import Facts, Mark
from datebridge.core.language.plural import counted
from datebridge.core.moments import Clock, instant_at, parse_moment
from datebridge.core.objects import ENDLESS
from datebridge.core.occurrences.expanding import Timed, clock_of, slot_of, timed
from datebridge.core.sharing.canonical import normalised
from datebridge.core.sharing.cutting import CannotCut, cut
from datebridge.core.sharing.redaction import Redacted, Redaction
from datebridge.core.sharing.terms import KINDS, WITHHELD, Detail, Guarded, Terms
from datebridge.core.sharing.zoning import Zoning
from datebridge.core.text.lines import LINES, NotAContentLine, parse_line
from datebridge.core.text.privacy import CONFIDENTIAL, classes_in, classes_of_calendar, is_damaged, is_tangled, uids_in
from datebridge.core.zones.meaning import NO_ZONES, Zones

_NO_CLASS: frozenset[str] = frozenset()
#: The stricter, the further on.
_STRICTNESS = (Guarded.AS_OTHERS, Guarded.BUSY, Guarded.LEAVE_OUT)
_SLOT = re.compile(r"^RECURRENCE-ID[;:].*$", re.MULTILINE | re.IGNORECASE)
#: Entries of these kinds are told by their names where they are left out.
_OTHERS = {"VTODO": "to-dos", "VJOURNAL": "journals"}


@dataclass(frozen=True, slots=True)
class Source:
    """An entry as it is in a calendar.

    Attributes:
        timed: when it happens; None where it has no time.
        status, busy: as in `Facts`.
        meant: not so where it only belongs to a series of which another part was chosen.
        id: by which the store knows it; 0 elsewhere.
        whole: the text before it was cut to a span; "" where it was not.
    """

    calendar: int
    kind: str
    text: str
    uid: str
    recurrence_id: str
    timed: Timed | None
    status: str
    busy: str
    meant: bool = True
    id: int = 0
    whole: str = ""


def source_of(kind: str, text: str, calendar: int, zones: Zones = NO_ZONES) -> Source:
    """An entry that is read from its text."""
    facts: Facts = derive(kind, text, zones)
    when = timed(facts, 0, calendar)
    return Source(calendar, kind, text, facts.uid, facts.recurrence_id, when, facts.status, facts.busy)


@dataclass(slots=True)
class Entry:
    """An entry that is given.

    Attributes:
        uid: what it goes by in place of its own UID; "" where it keeps that.
        timed: when it happens for readers, its id the place among the given; None where it has no time.
    """

    source: Source
    redacted: Redacted
    uid: str
    as_busy: bool
    timed: Timed | None
    redaction: Redaction
    left_out: tuple[str, ...] = ()

    def compared(self) -> list[tuple[str, list[str]]]:
        """Each line of the entry with what is given of it; what stands only on the readers' side after ""."""
        trace: list[tuple[str, list[str]]] = []
        text = self.redaction.entry(self.source.text, self.uid, self.left_out, trace).text
        if self.source.whole:
            given_by_line = dict(trace)
            trace = [(line, given_by_line.get(line, [])) for line in self.source.whole.split("\n")[1:-1]]
        lines = {line for _, given in trace for line in given}
        return [*trace, *(("", [line]) for line in text.split("\n")[1:-1] if line not in lines)]


@dataclass(slots=True)
class SharedContent:
    """What a share gives.

    Attributes:
        considered: how many entries there are in all.
        left_out: how many are not given, by why.
        withheld: of how many given entries something is not given, by what (see `sharing.WITHHELD`).
    """

    terms: Terms
    entries: list[Entry] = field(default_factory=list)
    zones: list[str] = field(default_factory=list)
    considered: int = 0
    left_out: Counter[str] = field(default_factory=Counter)
    withheld: Counter[str] = field(default_factory=Counter)
    omitted: list[tuple[Source, str]] = field(default_factory=list)
    calendars: Mapping[int, Zones] = field(default_factory=dict)

    @property
    def as_busy(self) -> int:
        """How many are given as busy although others are not."""
        return sum(entry.as_busy for entry in self.entries)

    def clock(self, calendar: int, tzid: str) -> Clock | None:
        """What a calendar defines under a name."""
        return self.calendars[calendar].clock(tzid) if calendar in self.calendars else None

    @property
    def in_words(self) -> str:
        """All of it in a line."""
        parts = [f"{len(self.entries):,} of {counted(self.considered, 'entry', 'entries')}"]
        missing = [f"no {what}" for what in WITHHELD[:-1] if self.withheld[what]]
        parts += [", ".join(missing)] if missing else []
        parts += [f"{self.as_busy:,} private as busy"] if self.as_busy else []
        gone = sum(self.left_out.values())
        if gone:
            why = ", ".join(f"{count:,} {reason}" for reason, count in self.left_out.most_common())
            parts.append(f"{gone:,} left out ({why})")
        return "; ".join(parts)


def gather(
    sources: Iterable[Source],
    calendars: Mapping[int, Zones],
    terms: Terms,
    secret: bytes,
    low: int | None = None,
    high: int | None = None,
    headers: Mapping[int, str] | None = None,
    named_as: Mapping[int, int] | None = None,
) -> SharedContent:
    """What is given of entries.

    Args:
        sources: in the order in which they are to be given; whole calendars, so that series are complete.
        calendars: what each calendar defines.
        secret: by which what may not be told is told apart all the same; the same one gives the same names.
        low, high: wall seconds between which an entry has to happen; series are cut to it. None for no bound.
        named_as: calendars with those whose names their entries keep for readers, as they have moved.
        headers: the calendars' own lines; what they say of privacy holds for all their entries.
    """
    return _Gathering(calendars, terms, secret, low, high, headers or {}, named_as or {}).gather(sources)


class _Gathering:
    def __init__(
        self,
        calendars: Mapping[int, Zones],
        terms: Terms,
        secret: bytes,
        low: int | None,
        high: int | None,
        headers: Mapping[int, str],
        named_as: Mapping[int, int],
    ) -> None:
        self._named_as = named_as
        self.terms, self.secret, self.low, self.high = terms, secret, low, high
        self.given = SharedContent(terms, calendars=calendars)
        self.zoning = Zoning(calendars, terms.unknown)
        self._redactions: dict[tuple[int, bool], Redaction] = {}
        self._claimed: dict[str, int] = {}
        self._of_calendar = {calendar: classes_of_calendar(text) for calendar, text in headers.items()}
        #: In which ways series are private, by calendar and UID.
        self._of_series: dict[tuple[int, str], frozenset[str]] = {}

    def gather(self, sources: Iterable[Source]) -> SharedContent:
        groups: dict[tuple[int, str, str], list[tuple[Source, frozenset[str]]]] = {}
        before: list[tuple[Source, frozenset[str]]] = []
        for number, one in enumerate(sources):
            classes = classes_in(one.text)
            if classes and before and before[-1][0].calendar == one.calendar and is_tangled(one.text):
                # It may have been the entry before that was private: one begun within another, and not ended there.
                before[-1] = before[-1][0], before[-1][1] | classes
            before = groups.setdefault((one.calendar, one.kind, one.uid or f"\n{number}"), [])
            before.append((one, classes))
            self.given.considered += one.meant
            if classes and not one.recurrence_id:
                for uid in {one.uid.casefold(), *uids_in(one.text)}:
                    key = (one.calendar, uid)
                    self._of_series[key] = self._of_series.get(key, _NO_CLASS) | classes
        for group in groups.values():
            self._group(group)
        walls = [entry.timed for entry in self.given.entries if entry.timed is not None]
        last = [ENDLESS if wall.until_wall is None else wall.until_wall for wall in walls]
        self.given.zones = self.zoning.definitions(
            min((wall.start_wall for wall in walls), default=0), max(last, default=0)
        )
        return self.given

    def _group(self, parts: Sequence[tuple[Source, frozenset[str]]]) -> None:
        """All entries of one UID: a series is given or left out with regard to each of its parts."""
        orphans = all(one.recurrence_id for one, _ in parts)
        fates = [self._fate(one, classes | self._inherited(one, orphans)) for one, classes in parts]
        group, fates = self._in_span([one for one, _ in parts], fates)
        master = next((one for one in group if not one.recurrence_id), None)
        gone = (
            ()
            if len(group) == 1
            else [one for one, fate in zip(group, fates, strict=True) if fate not in ("", "busy") and one.recurrence_id]
        )
        if any(one.timed is not None and one.timed.marks & Mark.FUTURE for one in gone):
            # No standard says that nothing of what follows is told, so nothing of the series is.
            fates = [fate if fate not in ("", "busy") else "of a series that is left out in part" for fate in fates]
        uid = self._uid(group[0], "" in fates)
        for one, fate in zip(group, fates, strict=True):
            if fate not in ("", "busy"):
                if one.meant:
                    self.given.left_out[fate] += 1
                    self.given.omitted.append((one, fate))
            else:
                self._give(one, fate == "busy", uid, gone if one is master else ())

    def _inherited(self, source: Source, orphan: bool) -> frozenset[str]:
        """The ways in which an entry is private because its series or its calendar is.

        Of a changed occurrence that is damaged and has no series, nobody can say whose it is.
        """
        classes = self._of_calendar.get(source.calendar, _NO_CLASS)
        if not self._of_series:
            return classes
        if orphan and is_damaged(source.text):
            return classes.union(
                *(names for (calendar, _), names in self._of_series.items() if calendar == source.calendar)
            )
        uids = {source.uid.casefold()}
        if source.text.upper().count("\nUID") > 1:
            uids |= uids_in(source.text)
        return classes.union(*(self._of_series.get((source.calendar, uid), _NO_CLASS) for uid in uids if uid))

    def _in_span(self, group: Sequence[Source], fates: list[str]) -> tuple[list[Source], list[str]]:
        """What of a group lies in the span: series are cut to it, all else is in it or not."""
        sources = list(group)
        if self.low is None and self.high is None:
            return sources, fates
        for at, one in enumerate(group):
            if fates[at] not in ("", "busy"):
                continue
            if not self._within(one):
                fates[at] = "outside the span"
            elif one.timed is not None and one.timed.marks & Mark.SERIES and self._sticks_out(one.timed):
                fates[at] = self._cut(sources, at) or fates[at]
        return sources, fates

    def _within(self, source: Source) -> bool:
        when = source.timed
        if when is None or (self.high is not None and when.start_wall >= self.high):
            return False
        return self.low is None or when.until_wall is None or max(when.until_wall, when.start_wall + 1) > self.low

    def _sticks_out(self, when: Timed) -> bool:
        before = self.low is not None and when.start_wall < self.low
        return before or (self.high is not None and (when.until_wall is None or when.until_wall > self.high))

    def _cut(self, group: list[Source], at: int) -> str:
        """Cut a series to the span; why it is left out, where it cannot be, or does nothing then."""
        one = group[at]
        if any(other.timed is not None and other.timed.marks & Mark.FUTURE for other in group):
            return "of a series that cannot be cut to the span"  # what holds for all that follow begins somewhere
        zones = self.given.calendars.get(one.calendar, NO_ZONES)
        try:
            text = cut(one.text, self.low, self.high, zones)
        except CannotCut:
            return "of a series that cannot be cut to the span"
        if not text:
            return "outside the span"
        again = source_of(one.kind, text, one.calendar, zones)
        group[at] = replace(one, text=text, timed=again.timed, whole=one.text)
        return ""

    def _fate(self, source: Source, classes: frozenset[str]) -> str:
        """Why an entry is left out; "busy" where it is given as busy, "" where it is given as others are."""
        if not source.meant:
            return "not chosen"
        if source.kind == "VTODO" and not self.terms.todos:
            return "to-dos"
        if source.kind not in KINDS[self.terms.detail]:
            return _OTHERS.get(source.kind, "of other kinds")
        guarded, name = Guarded.AS_OTHERS, ""
        for class_name in sorted(classes):  # of two that mean the same, it is called confidential
            term = self.terms.confidential if class_name == CONFIDENTIAL else self.terms.private
            if not name or _STRICTNESS.index(term) > _STRICTNESS.index(guarded):
                guarded, name = term, class_name.lower()
        if guarded is Guarded.LEAVE_OUT:
            return name
        busy = guarded is Guarded.BUSY
        if busy or self.terms.detail is Detail.BUSY:
            if source.kind != "VEVENT" or source.timed is None:
                return "at no time"
            if source.busy == "TRANSPARENT" or source.status == "CANCELLED":
                return "that take no time"
        return "busy" if busy and self.terms.detail is not Detail.BUSY else ""

    def _uid(self, source: Source, plain: bool) -> str:
        """The UID readers get: "" for its own, where that may pass and no other calendar has given it already."""
        lenient = self.terms.detail in (Detail.EVERYTHING, Detail.WITHOUT_PEOPLE)
        if (
            plain
            and lenient
            and source.uid
            and self._claimed.setdefault(source.uid, source.calendar) == source.calendar
        ):
            return ""
        return self._named(self._named_as.get(source.calendar, source.calendar), source.kind, source.uid or source.text)

    def _named(self, *parts: object) -> str:
        return named(self.secret, *parts)

    def _give(self, one: Source, busy: bool, uid: str, gone: Sequence[Source]) -> None:
        canonical = busy or self.terms.detail in (Detail.TITLES, Detail.BUSY)
        redaction = self._redactions.get((one.calendar, busy))
        if redaction is None:
            name = partial(self.zoning.name, one.calendar, canonical=canonical)
            redaction = self._redactions[one.calendar, busy] = Redaction(
                self.terms.as_busy if busy else self.terms, name
            )
        when = one.timed
        gone = [other for other in gone if one.whole == "" or _still_there(other, when, self.given)]
        left_out = tuple(line for other in gone for line in self._exdates(other, one, redaction))
        redacted = redaction.entry(one.text, uid, left_out)
        if when is not None:
            slots = [_left_out(other, when, self.given) for other in gone]
            recurrence = "\n".join(part for part in (when.recurrence, *slots) if part)
            when = when._replace(id=len(self.given.entries) + 1, recurrence=recurrence)
        if not busy:
            self.given.withheld.update(redacted.withheld)
        self.given.entries.append(Entry(one, redacted, uid, busy, when, redaction, left_out))

    def _exdates(self, override: Source, master: Source, redaction: Redaction) -> Iterator[str]:
        """The line that leaves out what an override that is not given stands for: nothing else of it is told."""
        match = _SLOT.search(override.text)
        try:
            line = parse_line(match[0]) if match is not None else None
        except NotAContentLine:
            return
        if line is None:
            return
        tzid = line.param("TZID") or ""
        if tzid and any(parse_line(one[0]).param("TZID") == tzid for one in LINES.finditer(master.text)):
            name = redaction.zone_name  # as the series is given
        else:
            name = partial(self.zoning.name, override.calendar, canonical=True)
        yield from normalised(replace(line, name="EXDATE"), name)


def named(secret: bytes, *parts: object) -> str:
    """A name that says nothing of what it stands for, always the same for the same."""
    text = "\n".join(map(str, parts)).encode("utf-8", "replace")
    return blake2b(text, digest_size=16, key=secret[:64]).hexdigest()


def _still_there(override: Source, master: Timed | None, given: SharedContent) -> bool:
    """Whether what an override stands for lies within what a series was cut to."""
    slot = slot_of(override.recurrence_id, clock_of(master, given.clock)) if master is not None else None
    if master is None or slot is None or slot < master.start_wall // 86_400 * 86_400:
        return False
    return master.until_wall is None or slot <= master.until_wall


def _left_out(override: Source, master: Timed, given: SharedContent) -> str:
    """The same as the engine reads it (see `recurrence.pattern`)."""
    clock = clock_of(master, given.clock)
    slot = slot_of(override.recurrence_id, clock)
    if slot is None:
        return ""
    if len(override.recurrence_id) == 8 and clock is not None:
        return f"!{slot}"
    if override.recurrence_id.endswith("Z") and clock is not None:
        instant = parse_moment(override.recurrence_id).wall_seconds
        return f"-{slot}" if instant_at(slot, clock) == instant else f"@{instant}"
    return f"-{slot}"
