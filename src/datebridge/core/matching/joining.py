"""What an entry that stays takes over from those that go, and what goes with them.

>>> stays = "BEGIN:VEVENT\\nUID:1\\nSUMMARY:Tide\\nCATEGORIES:LAB\\nEND:VEVENT"
>>> goes = "BEGIN:VEVENT\\nUID:2\\nSUMMARY:FW: Tide\\nCATEGORIES:SHIP\\nLOCATION:Pier\\nEND:VEVENT"
>>> joined = join(stays, [goes])
>>> joined.text.split("\\n")[4:-1], joined.taken, joined.lost
(['CATEGORIES:SHIP', 'LOCATION:Pier'], ('CATEGORIES', 'LOCATION'), ('SUMMARY:FW: Tide',))

People are united by their addresses, categories by their names, alarms by when and how they ring; of notes the longest
stay; what only those say that go is taken over. What may stand once and differs stays as it is, and is said.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from datebridge.core.merge import BOOKKEEPING, TIMES
from datebridge.core.text.component import Component, ComponentEditor
from datebridge.core.text.lines import ContentLine, escape_text, rewritten_line, split_text_list, unescape_text

#: What tells entries apart, or says how they were kept.
_OWN = BOOKKEEPING | TIMES | {"UID", "RECURRENCE-ID"}
#: What may stand several times (RFC 5545 §3.6.1), and is united line by line.
_SEVERAL = frozenset({"ATTACH", "COMMENT", "CONFERENCE", "CONTACT", "IMAGE", "RELATED-TO", "RESOURCES"})
_MOST_SHOWN = 120


@dataclass(frozen=True, slots=True)
class Joined:
    """An entry with what it took over.

    Attributes:
        taken: the names of what was taken over, in order.
        lost: what the others say and it does not, as lines, shortened.
    """

    text: str
    taken: tuple[str, ...]
    lost: tuple[str, ...]


def join(text: str, others: Sequence[str], write: bool = True) -> Joined:
    """Take over from others what one does not say; lines taken over keep their bytes.

    Args:
        write: whether it is writable; where not, all that differs is lost.
    """
    joining = _Joining(ComponentEditor(text), write)
    for other in others:
        joining.take(other)
    return Joined(joining.lines.text, tuple(joining.taken), tuple(joining.lost))


@dataclass(slots=True)
class _Joining:
    lines: ComponentEditor
    write: bool
    taken: dict[str, None] = field(default_factory=dict)
    lost: dict[str, None] = field(default_factory=dict)

    def take(self, other: str) -> None:
        raws = other.split("\n")
        own = list(Component(self.lines.text).properties())
        names = {line.name for _, line in own}
        values = {(line.name, _value(line.name, line.value)) for _, line in own}
        for index, line in Component(other).properties():
            content = line.name, _value(line.name, line.value)
            if line.name in _OWN or not content[1]:
                continue
            if content in values:
                self._parameters(line)
                continue
            if line.name == "CATEGORIES":
                self._categories(line.value)
            elif line.name == "DESCRIPTION" and self.lines.value("DESCRIPTION"):
                self._notes(raws[index], line.value)
            elif (
                line.name in names
                and line.name != "DESCRIPTION"
                and line.name not in _SEVERAL
                and line.name != "ATTENDEE"
            ):
                self._lose(raws[index])
            else:
                self._add(line.name, raws[index])
            names.add(line.name)
            values.add(content)
        self._alarms(other)

    def _parameters(self, theirs: ContentLine) -> None:
        """What a line says beside a value that both have: an answer where there is none yet, and what one lacks."""
        words = _value(theirs.name, theirs.value)
        first = next(
            ((at, line) for at, line in self.lines.own(theirs.name) if _value(line.name, line.value) == words), None
        )
        if first is None:
            return
        at, own = first
        parameters = dict(own.params)
        fresh: dict[str, str | None] = {}
        for name, values in theirs.params:
            mine = parameters.get(name)
            if mine == values or not values:
                continue
            unanswered = name == "PARTSTAT" and (mine or ("NEEDS-ACTION",))[0].upper() == "NEEDS-ACTION"
            if self.write and len(values) == 1 and (mine is None or unanswered):
                if values[0].upper() != "NEEDS-ACTION":
                    fresh[name] = values[0]
            elif not (name == "PARTSTAT" and values[0].upper() == "NEEDS-ACTION"):
                self._lose(f"{theirs.name};{name}={','.join(values)}:{theirs.value}")
        if fresh:
            self.lines.lines[at] = rewritten_line(self.lines.lines[at], own.value, fresh)
            self.taken[theirs.name] = None

    def _add(self, name: str, *raw: str) -> None:
        if not self.write:
            self._lose(raw[0])
            return
        self.lines.add(*raw)
        self.taken[name] = None

    def _lose(self, line: str) -> None:
        self.lost[shortened(line)] = None

    def _categories(self, value: str) -> None:
        own_categories = {
            value.casefold() for _, line in self.lines.own("CATEGORIES") for value in split_text_list(line.value)
        }
        fresh = [one for one in split_text_list(value) if one.casefold() not in own_categories]
        if fresh:
            self._add("CATEGORIES", f"CATEGORIES:{','.join(escape_text(one) for one in fresh)}")

    def _notes(self, raw: str, value: str) -> None:
        at, line = next(self.lines.own("DESCRIPTION"))
        own, other = unescape_text(line.value).strip(), unescape_text(value).strip()
        if self.write and len(other) > len(own):
            self.lines.lines[at] = raw
            self.taken["DESCRIPTION"] = None
            own, other = other, own
        if other not in own:
            self._lose(f"DESCRIPTION:{other}")

    def _alarms(self, other: str) -> None:
        blocks = [self.lines.lines[a : b + 1] for a, b in self.lines.blocks("VALARM")]
        alarms = {_rings(block): _says(block) for block in blocks}
        theirs = ComponentEditor(other)
        for a, b in theirs.blocks("VALARM"):
            block = theirs.lines[a : b + 1]
            own = alarms.get(_rings(block))
            if own is not None:
                for line in _says(block):
                    if line not in own:
                        self._lose(f"VALARM {line}")
                continue
            alarms[_rings(block)] = _says(block)
            if self.write:
                self.lines.add_block(block)
                self.taken["VALARM"] = None
            else:
                for line in (_rings(block)[0], *_says(block)):
                    self._lose(f"VALARM {line}")


def shortened(line: str) -> str:
    """A line as it is shown among what is lost."""
    return line if len(line) <= _MOST_SHOWN else f"{line[: _MOST_SHOWN - 1]}…"


def _value(name: str, value: str) -> str:
    """A value as it is compared: addresses and categories in any case."""
    return value.strip().lower() if name in ("ATTENDEE", "ORGANIZER") else value.strip()


def _says(block: Sequence[str]) -> list[str]:
    """What an alarm says beside when it rings, and how."""
    unsaid = ("BEGIN:", "END:", "TRIGGER", "ACTION", "UID:", "X-")
    return [line for line in block if line.strip() and not line.upper().startswith(unsaid)]


def _rings(block: Sequence[str]) -> tuple[str, str]:
    """When an alarm rings, and how."""
    trigger = next((line.upper() for line in block if line[:7].upper() == "TRIGGER"), "")
    action = next((line.upper() for line in block if line[:6].upper() == "ACTION"), "")
    return trigger, action
