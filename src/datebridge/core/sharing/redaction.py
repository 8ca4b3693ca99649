r"""Letting through of an entry what may pass, by the table of `core.sharing`.

>>> text = "BEGIN:VEVENT\nUID:1\nDTSTART:20261124T090000Z\nSUMMARY:Berth 2\nDESCRIPTION:Call Ida\nEND:VEVENT"
>>> Redaction(Terms(Detail.TITLES), lambda tzid: tzid).entry(text, "u1").text.split("\n")[1:-1]
['DTSTAMP:19700101T000000Z', 'UID:u1', 'DTSTART:20261124T090000Z', 'SUMMARY:Berth 2']
>>> Redaction(Terms(Detail.BUSY, busy_title="Busy"), lambda tzid: tzid).entry(text, "u1").text.split("\n")[3:-1]
['DTSTART:20261124T090000Z', 'SUMMARY:Busy']
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field

from datebridge.core.sharing.canonical import ZoneName, is_moment, normalised
from datebridge.core.sharing.terms import CALLED, NEEDED, NESTED, OF_TICKED, PARAMETERS, PASSES, TICKED, Detail, Terms
from datebridge.core.text.jcal import MOST_DEEP
from datebridge.core.text.lines import (
    DATED,
    LINE,
    NotAContentLine,
    escape_text,
    fence_of,
    one_line,
    parse_line,
    rewritten_line,
    unescape_text,
)
from datebridge.core.text.properties import KNOWN, ONCE

__all__ = ["Detail", "Redacted", "Redaction", "Terms"]

_ONE_TIME = frozenset({"DTSTART", "DTEND", "DUE", "RECURRENCE-ID"})
#: What is noted of an entry while it passes.
_READ = frozenset({"SUMMARY", "LOCATION", "STATUS", "TRANSP"})
#: What many entries say alike: what becomes of it is remembered, up to so many lines.
_REPEATED = frozenset({"DTSTAMP", "STATUS", "TRANSP", "SEQUENCE", "RRULE", "DURATION"})
_MOST_KEPT = 20_000
#: What is nested deeper is nobody's: jCal has to be able to say all that passes, with what stands around it.
_MOST_DEEP = MOST_DEEP - 2
#: What was never written, or cannot be read, was written then; readers need something (RFC 5545 §3.8.7.2).
_NEVER = "DTSTAMP:19700101T000000Z"
_STAMP = re.compile(r"\d{8}T\d{6}Z", re.ASCII)
_DURATION = re.compile(r"[+-]?P[0-9DWTHMS]{1,40}", re.ASCII)
_NAME = re.compile(r"[A-Za-z0-9-]+", re.ASCII)
_MAY_BEGIN = frozenset("Bb \t")
#: A text without what could end a line for some readers, or shows nowhere.
_CLEAN = re.compile(r"[^\x00-\x08\x0b-\x1f\x7f\x85\u2028\u2029]*+\Z")
#: Languages and countries by their letters (RFC 5646): longer tags could say anything.
_LANGUAGE = re.compile(r"([A-Za-z]{2,3})(?:-([A-Za-z]{2}))?(?![A-Za-z])")
#: What a parameter may say where people are left out, but for names of zones and of what is attached.
_TOKEN = re.compile(r"[\w.+/-]{1,80}", re.ASCII)
_NAMED = frozenset({"TZID", "LABEL", "FILENAME"})
_RAW_PARAM = re.compile(r";((?:[^;\"]|\"[^\"]*\")*)")


@dataclass(slots=True)
class Redacted:
    """What of an entry passes.

    Attributes:
        text: the component as readers get it.
        title, place, status: what of it they can read.
        free: it takes no time (RFC 5545 §3.8.2.7).
        withheld: what of the entry is not given, as in `WITHHELD`.
    """

    text: str
    title: str = ""
    place: str = ""
    status: str = ""
    free: bool = False
    withheld: set[str] = field(default_factory=set)


class Redaction:
    """Lets through what may pass of entries of one calendar.

    Args:
        zone_name: under which name a zone is given; where nothing is rewritten, the name itself, or another one
            where two calendars mean different things by it.
    """

    def __init__(self, terms: Terms, zone_name: ZoneName) -> None:
        self.terms, self.zone_name = terms, zone_name
        detail = terms.detail
        ticks = terms if detail is not Detail.BUSY else Terms(Detail.BUSY)
        self.unknown, self.alarms = ticks.unknown, ticks.alarms
        self.canonical = detail in (Detail.TITLES, Detail.BUSY)
        self.properties = {name for name in PASSES[detail] if name not in TICKED or getattr(ticks, TICKED[name])}
        self.parameters, self.nested = PARAMETERS[detail], NESTED[detail]
        self._heads: dict[str, str] = {}
        self._redacted: dict[str, list[str]] = {}
        #: What is sure of a line by its name alone: it passes as it is (""), or what is withheld with it.
        self._sure = {
            name: "" if name in self.properties else CALLED.get(name, "other properties")
            for name in KNOWN - _READ - NEEDED
            if name not in self.properties or not (self.canonical or name in TICKED)
        }

    def entry(
        self, text: str, uid: str, left_out: tuple[str, ...] = (), trace: list[tuple[str, list[str]]] | None = None
    ) -> Redacted:
        """An entry as readers get it.

        Args:
            uid: what it goes by; "" for the UID it has, where that may pass.
            left_out: EXDATE lines for occurrences that are not given.
            trace: is told of each line what is given of it.
        """
        lines = text.split("\n")
        if _CLEAN.match(text) is None:
            lines = [one_line(line) for line in lines]
        redaction = Redacted("")
        out, missing = [lines[0].strip().upper()], {"UID": "UID:" + uid, "DTSTAMP": _NEVER}
        once: set[str] = set()
        last = len(lines) - 1
        at, nested = 1, 0
        while at < last:
            raw = lines[at]
            head, colon, value = raw.partition(":")
            if trace is None and colon and (sure := self._sure.get(head)) is not None:
                if sure:
                    redaction.withheld.add(sure)
                else:
                    out.append(raw)
                at += 1
                continue
            if raw[:1] in _MAY_BEGIN and _begins(raw):
                nested = nested or len(out)
                end = _end_of(lines, at)
                given = self._component(lines[at:end], redaction, 1)
                if trace is not None:
                    trace += [(one, [one] if one in given else []) for one in lines[at:end]]
                at = end
            else:
                name = head if head in KNOWN else head.partition(";")[0].upper()
                given = self._line(raw, name, head, value, redaction, once)
                if missing and given and name in missing:
                    given = [missing["UID"]] if name == "UID" and uid else given
                    del missing[name]
                if trace is not None:
                    trace.append((raw, given))
                at += 1
            out += given
        besides = list(left_out)
        if self.terms.detail is Detail.BUSY:
            redaction.title = self.terms.busy_title
            besides += ["SUMMARY:" + one_line(escape_text(redaction.title))] if redaction.title else []
        out[nested or len(out) : nested or len(out)] = besides
        out[1:1] = missing.values()
        redaction.text = "\n".join([*out, "END:" + out[0].partition(":")[2]])
        return redaction

    def line(self, raw: str, redacted: Redacted | None = None) -> list[str]:
        """What is given of one property; what is not is noted."""
        head, _, value = raw.partition(":")
        return self._line(raw, head.partition(";")[0].upper(), head, value, redacted or Redacted(""), set())

    # ---- lines -----------------------------------------------------------------------------------

    def _line(self, raw: str, name: str, head: str, value: str, trace: Redacted, once: set[str]) -> list[str]:
        """What is given of a property; nothing, and noted, where it may not pass."""
        if name not in self.properties:
            return self._other(raw, name, trace)
        if self.canonical:
            if name in ONCE:
                if name in once:
                    return []
                once.add(name)
            return self._canonical(raw, name, head, value, trace, once)
        if ";" not in head:
            redacted = [raw] if len(raw) > len(head) else []
        elif head in self._heads and (name not in DATED or ":" not in value):
            redacted = [self._heads[head] + value]
        else:
            redacted = self._with_parameters(raw)
            # What stands before the colon comes again and again: what becomes of it is remembered.
            if redacted and '"' not in head and (name not in DATED or ":" not in value):
                self._heads[head] = redacted[0][: len(redacted[0]) - len(value)]
        if not redacted:
            trace.withheld.add("damaged lines")
            return []
        if name in _READ:
            self._note(name, redacted[0], trace)
        return redacted

    def _other(self, raw: str, name: str, redacted: Redacted) -> list[str]:
        """A property that is not in the table."""
        if name in KNOWN:
            redacted.withheld.add(CALLED.get(name, "other properties"))
            return []
        if LINE.match(raw) is None or name in ("BEGIN", "END"):
            redacted.withheld.add("damaged lines")
            return []
        if not self.unknown:
            redacted.withheld.add("unknown properties")
            return []
        # Unknown properties may name people in unknown ways.
        people = self.terms.detail is not Detail.EVERYTHING and "MAILTO:" in raw.upper()
        return [] if people else self._with_parameters(raw)

    def _note(self, name: str, line: str, redacted: Redacted) -> None:
        value = line.partition(":")[2] if '"' not in line.partition(":")[0] else parse_line(line).value
        if name == "SUMMARY":
            redacted.title = redacted.title or unescape_text(value).strip()
        elif name == "LOCATION":
            redacted.place = redacted.place or unescape_text(value).strip()
        elif name == "STATUS":
            redacted.status = value.strip().upper()
        else:
            redacted.free = value.strip().upper() == "TRANSPARENT"

    def _with_parameters(self, raw: str, allowed: frozenset[str] | None = None) -> list[str]:
        """A line with those of its parameters that may pass, the bytes of all else kept."""
        match = LINE.match(raw)
        if match is None:
            return []
        pairs = [token.partition("=") for token in _RAW_PARAM.findall(match[2])]
        tokens = [name.strip().upper() for name, _, _ in pairs]
        unwanted = {token for token in tokens if not self._may(token, allowed)}
        changed: dict[str, str | None] = dict.fromkeys(unwanted)
        value = match[3]
        if self.terms.detail is not Detail.EVERYTHING:
            for name, (_, _, written) in zip(tokens, pairs, strict=True):
                if name == "LANGUAGE":
                    tag = _LANGUAGE.match(written.strip('"'))
                    short = "" if tag is None else tag[1].lower() + (f"-{tag[2].upper()}" if tag[2] else "")
                    if short != written:
                        changed[name] = short or None
                elif name in PARAMETERS[Detail.EVERYTHING] - _NAMED and not _TOKEN.fullmatch(written):
                    changed[name] = None
        if "TZID" in tokens and "TZID" not in unwanted:
            line = parse_line(raw)
            tzid, value = line.param("TZID") or "", line.value
            named = self.zone_name(tzid)
            if named and named != tzid:
                changed["TZID"] = named
        return [rewritten_line(raw, value, changed)] if changed else [raw]

    def _may(self, parameter: str, allowed: frozenset[str] | None) -> bool:
        if parameter in (self.parameters if allowed is None else allowed):
            return True
        return self.unknown and parameter not in PARAMETERS[Detail.EVERYTHING] and allowed is None

    # ---- lines that are rewritten ---------------------------------------------------------------

    def _canonical(self, raw: str, name: str, head: str, value: str, trace: Redacted, once: set[str]) -> list[str]:
        """A property of which nothing passes but what it must say."""
        if name in _ONE_TIME and head in self._heads and is_moment(value):
            return [self._heads[head] + value]
        if name in ("SUMMARY", "LOCATION") or name in TICKED:
            plain = ";" not in head and len(raw) > len(head)
            redacted = [raw] if plain else self._with_parameters(raw, OF_TICKED if name in TICKED else self.parameters)
            if redacted and name not in TICKED and ("\\" in redacted[0] or ";" in redacted[0]):
                match = LINE.match(redacted[0])
                redacted = [rewritten_line(redacted[0], escape_text(unescape_text(match[3])))] if match else []
        elif name == "UID":
            redacted = ["UID:" + _value_of(raw, head, value).strip()]
        elif raw in self._redacted:
            redacted = self._redacted[raw]
        else:
            redacted = self._written(raw, head, value)
            if name in _REPEATED and len(self._redacted) < _MOST_KEPT:
                self._redacted[raw] = redacted
        if name in _READ and redacted:
            self._note(name, redacted[0], trace)
            if self.terms.detail is Detail.BUSY and trace.status not in ("TENTATIVE", "CANCELLED"):
                trace.status = ""
                return []
        if not redacted:
            once.discard(name)
            trace.withheld.add("damaged lines")
        return redacted

    def _written(self, raw: str, head: str, value: str) -> list[str]:
        """A time, a state or an order, rewritten; nothing where it cannot be read."""
        try:
            line = parse_line(raw)
        except NotAContentLine:
            return []
        if line.name == "DTSTAMP":
            stamp = line.value.strip()
            return ["DTSTAMP:" + stamp] if _STAMP.fullmatch(stamp) else []
        redacted = list(normalised(line, self.zone_name))
        same = redacted and redacted[0].endswith(":" + value) and is_moment(value)
        if same and line.name in _ONE_TIME and '"' not in head:
            self._heads[head] = redacted[0][: -len(value)]
        return redacted

    # ---- nested components -----------------------------------------------------------------------

    def _component(self, lines: list[str], redacted: Redacted, depth: int) -> list[str]:
        """What is given of a nested component, with what is nested in it."""
        kind = (fence_of(lines[0]) or ("", ""))[1]
        if depth > _MOST_DEEP:
            redacted.withheld.add("damaged lines")
            return []
        if kind not in self.nested:
            is_standard = kind in NESTED[Detail.EVERYTHING]
            if is_standard or not (self.unknown and self.terms.detail is Detail.EVERYTHING and _NAME.fullmatch(kind)):
                redacted.withheld.add(CALLED.get(kind, "unknown properties" if not is_standard else "other properties"))
                return []
        if kind == "VALARM" and (not self.alarms or not self._may_ring(lines)):
            redacted.withheld.add("alarms")
            return []
        aside, given = Redacted(""), [f"BEGIN:{kind}" if lines[0][:6].upper() != "BEGIN:" else lines[0]]
        at = 1
        while at < len(lines) - 1:
            if _begins(lines[at]):
                end = _end_of(lines, at)
                if self.terms.detail is Detail.EVERYTHING:
                    given += self._component(lines[at:end], aside, depth + 1)
                at = end
                continue
            given += self._of_alarm(lines[at]) if self.canonical else self.line(lines[at], aside)
            at += 1
        if self.canonical:
            given.append("DESCRIPTION:" + escape_text(redacted.title or "Reminder"))
        redacted.withheld |= aside.withheld
        return [*given, lines[-1] if lines[-1].upper() == "END:" + kind else "END:" + kind]

    def _may_ring(self, lines: list[str]) -> bool:
        """Whether an alarm does no more than show itself: others name people, or programs."""
        if self.terms.detail is Detail.EVERYTHING:
            return True
        actions = [line.partition(":")[2].strip().upper() for line in lines if line[:6].upper() == "ACTION"]
        return bool(actions) and all(action in ("DISPLAY", "AUDIO") for action in actions)

    def _of_alarm(self, raw: str) -> Iterator[str]:
        try:
            line = parse_line(raw)
        except NotAContentLine:
            return
        value = line.value.strip().upper()
        if line.name == "ACTION":
            yield "ACTION:DISPLAY"
        elif line.name == "REPEAT" and value.isascii() and value.isdigit() and len(value) < 6:
            yield "REPEAT:" + value
        elif line.name == "DURATION":
            yield from normalised(line, self.zone_name)
        elif line.name == "TRIGGER":
            related = ";RELATED=END" if (line.param("RELATED") or "").upper() == "END" else ""
            if _STAMP.fullmatch(value):
                yield "TRIGGER;VALUE=DATE-TIME:" + value
            elif _DURATION.fullmatch(value):
                yield f"TRIGGER{related}:{value}"


def _begins(raw: str) -> bool:
    """Whether a line could begin a component."""
    fence = fence_of(raw)
    return fence is not None and fence[0] == "BEGIN"


def _value_of(raw: str, head: str, value: str) -> str:
    """The value of a line, also where a quoted parameter holds a colon."""
    if '"' not in head:
        return value
    match = LINE.match(raw)
    return match[3] if match is not None else ""


def _end_of(lines: list[str], at: int) -> int:
    """Behind the end of the component that begins at a line, or behind the last but one line."""
    depth = 0
    for index in range(at, len(lines) - 1):
        fence = fence_of(lines[index])
        if fence is not None:
            depth += 1 if fence[0] == "BEGIN" else -1
            if not depth:
                return index + 1
    return len(lines) - 1
