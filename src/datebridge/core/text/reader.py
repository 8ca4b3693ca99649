"""The tolerant reader: components out of any file, and a problem for everything in it that is not as it should be.

>>> from io import BytesIO
>>> reader = Reader(BytesIO(b"BEGIN:VCALENDAR\\nBEGIN:VEVENT\\nUID:1\\nEND:VEVENT\\nEND:VCALENDAR\\n"))
>>> [(c.name, c.line) for c in reader]
[('VEVENT', 2), ('VCALENDAR', 1)]

What was in the file is either in a component's text or in a problem's text, never gone. The reader
works on blocks of unfolded size: a component that is whole and well nested is taken in one piece,
anything else goes line by line through a small state machine that knows how files break.

Where an entry begins inside another, what ends next tells whether it is in that one or follows it:

>>> def names(text):
...     lines = ["BEGIN:VCALENDAR", "BEGIN:VEVENT", "BEGIN:VALARM", *text.split()]
...     return [c.name for c in Reader(BytesIO("\\n".join(lines).encode()))]
>>> names("BEGIN:VEVENT END:VEVENT END:VALARM CLASS:PRIVATE END:VEVENT END:VCALENDAR")
['VEVENT', 'VCALENDAR']
>>> names("BEGIN:VEVENT END:VEVENT END:VCALENDAR")
['VEVENT', 'VEVENT', 'VCALENDAR']
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field
from itertools import pairwise
from typing import BinaryIO

from datebridge.core.problems import Problem
from datebridge.core.text.source import REPLACED, Block, Decoder, blocks, utf8_stream

#: Components that stand directly in a VCALENDAR and never in one another.
ENTRY_KINDS = frozenset({"VEVENT", "VTODO", "VJOURNAL", "VFREEBUSY", "VTIMEZONE"})
#: Deeper nesting than this is kept but remarked on; no real component goes beyond three.
MAX_DEPTH = 20

#: Where the next component of a calendar begins.
_NEXT = re.compile(
    rb"\nBEGIN[ \t]*(?:;[^\n:]*)?:[ \t]*V(?:EVENT|TODO|JOURNAL|FREEBUSY|TIMEZONE|CALENDAR)\b", re.IGNORECASE
)
_NESTING = re.compile(rb"\n(BEGIN|END)([ \t]*(?:;[^\n:]*)?):([^\n]*)", re.IGNORECASE)
_FENCE = re.compile(r"(BEGIN|END)[ \t]*(?:;[^:]*)?:([^\n]*)\Z", re.IGNORECASE)
_FENCE_LETTERS = frozenset("BbEe")
_CONTROL = re.compile(rb"[\x00-\x08\x0b-\x1f\x7f]")


@dataclass(slots=True)
class RawComponent:
    """One component as it stood in the file: unfolded lines joined by LF, BEGIN and END included.

    A calendar's own lines come last, as a component named VCALENDAR without its children.

    Attributes:
        name: upper case, as in BEGIN.
        text: the lines; every line that was in the file, in its order.
        line: the line in the file at which it begins.
        calendar: which VCALENDAR of the file it stood in, from 0.
        problems: what the reader had to do to get it; lines are lines of the file.
    """

    name: str
    text: str
    line: int
    calendar: int
    problems: list[Problem] = field(default_factory=list)
    _place: tuple[Block, int] | list[int] | None = None

    def line_of(self, index: int) -> int:
        """The line in the file of a line of `text`, counted from 0."""
        if isinstance(self._place, tuple):
            block, at = self._place
            for _ in range(index):
                at = block.data.index(b"\n", at) + 1
            return block.line_at(at)
        if self._place:
            return self._place[min(index, len(self._place) - 1)]
        return self.line + index


@dataclass(slots=True)
class _Entry:
    """An entry that is being read line by line.

    Attributes:
        stack: what is open in it, itself first.
        opened: how often each name is in the stack.
    """

    lines: list[str] = field(default_factory=list)
    numbers: list[int] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)
    stack: list[str] = field(default_factory=list)
    opened: Counter[str] = field(default_factory=Counter)

    @property
    def name(self) -> str:
        """As in BEGIN, upper case."""
        return (_fence(self.lines[0]) or ("", ""))[1]

    def add(self, text: str, line: int) -> None:
        self.lines.append(text)
        self.numbers.append(line)

    def begin(self, name: str, text: str, line: int) -> None:
        self.add(text, line)
        self.stack.append(name)
        self.opened[name] += 1
        if len(self.stack) == MAX_DEPTH + 1:
            self.problems.append(
                Problem("deep-nesting", f"Components are nested more than {MAX_DEPTH} deep.", "Kept.", line)
            )

    def end(self, name: str, text: str, line: int) -> None:
        """End what is open under a name, and before it what is open within."""
        if self.stack[-1] != name:
            inner = self.stack[-1]
            self.problems.append(
                Problem("crossed-end", f"{name} ends while {inner} is still open.", f"{inner} was ended first.", line)
            )
        while self.stack[-1] != name:
            self._pop(f"END:{self.stack[-1]}", line)
        self._pop(text, line)

    def close(self, code: str, why: str, line: int) -> None:
        """End all that is open."""
        self.problems.append(Problem(code, f"{self.stack[-1]} has no END: {why}.", "The END was added.", line))
        while self.stack:
            self._pop(f"END:{self.stack[-1]}", self.numbers[-1])

    def hold(self, inner: _Entry, between: _Entry) -> None:
        """Take in an entry that stands within this one, and what follows it."""
        if between.stack:
            between.close("missing-end", f"the {self.stack[-1]} around it ends", between.numbers[-1])
        self.problems += inner.problems
        words = f"This {inner.name} is inside a {self.stack[-1]}."
        self.problems.append(Problem("nested-entry", words, "Kept inside it, not as an entry.", inner.numbers[0]))
        self.problems += between.problems
        self.lines += inner.lines + between.lines
        self.numbers += inner.numbers + between.numbers

    def _pop(self, text: str, line: int) -> None:
        self.add(text, line)
        self.opened[self.stack.pop()] -= 1


class Reader:
    """Iterates over the components of a file; `problems` fills with what belongs to none of them."""

    def __init__(self, source: BinaryIO) -> None:
        self.problems: list[Problem] = []
        self.size = 0
        chunks, self.encoding, declared = utf8_stream(source)
        self._chunks = chunks
        if self.encoding != "utf-8" and not declared:
            self._note("encoding", "The file is UTF-16 without a byte order mark.", "Read as UTF-16.", 1)
        self._may_be_broken = self.encoding != "utf-8"
        self._decoder = Decoder()
        self._calendar: list[str] | None = None
        self._calendar_problems: list[Problem] = []
        self._implicit = False
        self._calendar_lines: list[int] = []
        self._entry: _Entry | None = None
        #: What has not ended where the next entry began, the outermost first.
        self._outer: list[_Entry] = []
        #: An entry that ended while those had not, and the lines after it.
        self._ended: _Entry | None = None
        self._after = _Entry()
        self._ordinal = -1
        self._headers: list[list[str]] = []
        self._junk: list[str] = []
        self._junk_line = 0
        self._last_line = 1

    def __iter__(self) -> Iterator[RawComponent]:
        for block in blocks(self._counted()):
            if self._may_be_broken and (at := block.data.find(REPLACED)) >= 0:
                self._may_be_broken = False
                message = "The file is not whole UTF-16: some of it is not a character."
                self._note("encoding", message, "Marked by � where it was.", block.line_at(at))
            yield from self._read_block(block)
        yield from self._finish()

    def header(self, calendar: int) -> str:
        """The own lines of the file's nth VCALENDAR, as far as they have been read."""
        return "\n".join(self._headers[calendar])

    def _counted(self) -> Iterator[bytes]:
        for chunk in self._chunks:
            self.size += len(chunk)
            yield chunk

    def _note(self, code: str, message: str, done: str, line: int, text: str = "") -> None:
        self.problems.append(Problem(code, message, done, line, text))

    # ---- whole components ------------------------------------------------------------------------

    def _read_block(self, block: Block) -> Iterator[RawComponent]:
        data, at, size = block.data, 0, len(block.data)
        while at < size:
            if self._ended is not None and _NEXT.match(data, at - 1):
                yield from self._part()
            alone = self._entry is None and self._ended is None and self._calendar is not None
            if alone and data.startswith(b"BEGIN:V", at):
                eol = data.find(b"\n", at)
                # No further than where the next one begins, so that what never ends costs no more than its own size.
                following = _NEXT.search(data, eol)
                marker = b"\nEND:" + data[at + 6 : eol] + b"\n"
                end = data.find(marker, eol, following.start() + 1 if following else size)
                if end >= 0 and _well_nested(body := data[at : end + len(marker) - 1]):
                    yield self._whole(body, block, at)
                    at = end + len(marker)
                    continue
            eol = data.find(b"\n", at)
            yield from self._read_line(data[at:eol], block, at)
            at = eol + 1

    def _whole(self, body: bytes, block: Block, at: int) -> RawComponent:
        text, clean = self._decoder.decode(body)
        line = block.line_at(at)
        component = RawComponent(text[6 : text.index("\n")], text, line, self._ordinal, [], (block, at))
        if not clean:
            component.problems.append(self._encoding_problem(line))
        if _CONTROL.search(body):
            component.problems.append(_control_problem(line))
        return component

    def _encoding_problem(self, line: int) -> Problem:
        name = (self._decoder.legacy or "latin-1").replace("cp125", "Windows-125").replace("_", "-")
        return Problem("encoding", "This text is not UTF-8.", f"Read as {name}; check its accented letters.", line)

    # ---- line by line ----------------------------------------------------------------------------

    def _read_line(self, data: bytes, block: Block, at: int) -> Iterator[RawComponent]:
        if not data.strip(b" \t"):
            return
        text, clean = self._decoder.decode(data)
        line = self._last_line = block.line_at(at)
        if fence := _fence(text):
            plain = ":".join(fence)
            if text.upper() != plain:
                self._note("irregular-fence", f"A component is not marked as {plain}.", f"Read as {plain}.", line, text)
                text = plain
            yield from (self._begin if fence[0] == "BEGIN" else self._end)(fence[1], text, line)
            return
        problems = self._keep(text, line)
        if not clean:
            problems.append(self._encoding_problem(line))
        if _CONTROL.search(data):
            problems.append(_control_problem(line))

    def _keep(self, text: str, line: int) -> list[Problem]:
        """Put a line where it belongs; returns the list its problems go to."""
        entry = self._entry if self._ended is None else self._after
        if entry is not None:
            entry.add(text, line)
            return entry.problems
        if self._calendar is not None and not self._implicit:
            self._calendar.append(text)
            self._calendar_lines.append(line)
            return self._calendar_problems
        if not self._junk:
            self._junk_line = line
        self._junk.append(text)
        return self.problems

    def _begin(self, name: str, text: str, line: int) -> Iterator[RawComponent]:
        self._flush_junk()
        if name == "VCALENDAR":
            yield from self._close_calendar(line, "a new calendar begins")
            self._open_calendar(text, line)
            return
        if self._ended is not None and name not in ENTRY_KINDS:
            self._after.begin(name, text, line)
            return
        yield from self._part()
        if self._entry is not None and name in ENTRY_KINDS and self._entry.stack[0] in ENTRY_KINDS:
            if len(self._outer) == MAX_DEPTH:
                yield from self._close_entries("missing-end", f"another {name} begins", line)
            else:
                self._outer.append(self._entry)
                self._entry = None
        if self._entry is None:
            if self._calendar is None:
                self._note("no-calendar", f"This {name} is outside any calendar.", "Taken as if in one.", line)
                self._open_calendar("BEGIN:VCALENDAR", line)
                self._implicit = True
            self._entry = _Entry()
        self._entry.begin(name, text, line)

    def _end(self, name: str, text: str, line: int) -> Iterator[RawComponent]:
        if name == "VCALENDAR" and self._calendar is not None and not self._implicit:
            yield from self._close_entries("missing-end", "the calendar ends", line)
            self._calendar.append(text)
            yield self._header()
            return
        if self._after.opened[name]:
            self._after.end(name, text, line)
            return
        inside = self._ended is None and self._entry is not None and self._entry.opened[name]
        if not inside and any(one.opened[name] for one in self._outer):
            self._stand_inside(name, line)
        if self._entry is not None and self._entry.opened[name]:
            self._entry.end(name, text, line)
            if not self._entry.stack:
                entry, self._entry = self._entry, None
                if self._outer:
                    self._ended = entry
                else:
                    yield self._taken(entry)
        else:
            self._note("stray-end", f"END:{name} without a BEGIN:{name}.", "Left out.", line, text)

    def _stand_inside(self, name: str, line: int) -> None:
        """What ends is open around the last entry: that one is in it, and must have ended."""
        inner = self._ended or self._entry
        assert inner is not None  # noqa: S101  (there is nothing around no entry)
        while True:
            if inner.stack:
                inner.close("missing-end", f"the {name} around it ends", line)
            entry = self._outer.pop()
            entry.hold(inner, self._after)
            self._after = _Entry()
            if entry.opened[name]:
                break
            inner = entry
        self._entry, self._ended = entry, None

    # ---- closing ---------------------------------------------------------------------------------

    def _open_calendar(self, text: str, line: int) -> None:
        self._ordinal += 1
        self._calendar, self._calendar_lines, self._calendar_problems = [text], [line], []
        self._headers.append(self._calendar)
        self._implicit = False

    def _taken(self, entry: _Entry) -> RawComponent:
        return RawComponent(
            entry.name, "\n".join(entry.lines), entry.numbers[0], self._ordinal, entry.problems, entry.numbers
        )

    def _part(self) -> Iterator[RawComponent]:
        """Where an entry has ended within others and another component begins, they only lacked their END lines."""
        if self._ended is None:
            return
        after, self._after = self._after, _Entry()
        self._entry, self._ended = self._ended, None
        yield from self._close_outer()
        yield self._taken(self._entry)
        self._entry = None
        for text, line in zip(after.lines, after.numbers, strict=True):
            if fence := _fence(text):
                yield from (self._begin if fence[0] == "BEGIN" else self._end)(fence[1], text, line)
            else:
                problems = self._keep(text, line)
                problems += [problem for problem in after.problems if problem.line == line]

    def _close_outer(self) -> Iterator[RawComponent]:
        outer, self._outer = self._outer, []
        assert self._entry is not None  # noqa: S101  (what is open within the others is the entry itself)
        for entry, inner in pairwise([*outer, self._entry]):
            entry.close("missing-end", f"another {inner.name} begins", inner.numbers[0])
            yield self._taken(entry)

    def _close_entries(self, code: str, why: str, line: int) -> Iterator[RawComponent]:
        """Close whatever entry is open, with those around it."""
        yield from self._part()
        if self._entry is not None:
            yield from self._close_outer()
            self._entry.close(code, why, line)
            entry, self._entry = self._entry, None
            yield self._taken(entry)

    def _header(self) -> RawComponent:
        lines = self._calendar_lines
        component = RawComponent(
            "VCALENDAR", self.header(self._ordinal), lines[0], self._ordinal, self._calendar_problems, lines
        )
        self._calendar, self._calendar_problems, self._implicit = None, [], False
        return component

    def _close_calendar(self, line: int, why: str, code: str = "missing-end") -> Iterator[RawComponent]:
        if self._calendar is None:
            return
        yield from self._close_entries(code, why, line)
        if not self._implicit:
            self._calendar_problems.append(Problem(code, f"VCALENDAR has no END: {why}.", "The END was added.", line))
        self._calendar.append("END:VCALENDAR")
        yield self._header()

    def _flush_junk(self) -> None:
        if self._junk:
            count = len(self._junk)
            lines = "1 line is" if count == 1 else f"{count} lines are"
            self._note(
                "junk-outside",
                f"{lines} outside any calendar.",
                "Not imported; kept here.",
                self._junk_line,
                "\n".join(self._junk),
            )
            self._junk = []

    def _finish(self) -> Iterator[RawComponent]:
        self._flush_junk()
        implicit = self._implicit
        yield from self._close_calendar(
            self._last_line,
            "the file stops here",
            "missing-end" if implicit and self._entry is None else "truncated",
        )
        self._flush_junk()
        if self._ordinal < 0:
            self._note(
                "not-a-calendar",
                "There is no calendar data in this file.",
                "This is not an iCalendar file: it does not start with BEGIN:VCALENDAR.",
                1,
            )


def _well_nested(body: bytes) -> bool:
    """Whether a component that begins and ends alike is sound inside, so that it may be taken whole."""
    if b"\n\n" in body:
        return False
    stack = [body[6 : body.index(b"\n")]]
    if not stack[0].isalnum() or stack[0] == b"VCALENDAR":
        return False
    for fence, unusual, name in _NESTING.findall(body):
        if unusual:
            return False
        if fence == b"BEGIN":
            if name.decode("latin-1") in ENTRY_KINDS or len(stack) > MAX_DEPTH:
                return False
            stack.append(name)
        elif fence != b"END" or not stack or stack.pop() != name:
            return False
    return not stack


def _fence(text: str) -> tuple[str, str] | None:
    """BEGIN or END and a component's name, upper case, where a line is that."""
    match = _FENCE.match(text) if text[:1] in _FENCE_LETTERS else None
    name = match[2].strip(" \t").upper() if match is not None else ""
    return (match[1].upper(), name) if match is not None and name else None


def _control_problem(line: int) -> Problem:
    return Problem("control-character", "There are control characters in this text.", "Kept as they are.", line)
