"""Rules by which a target takes nothing of an object.

>>> RefuseLonger("SUMMARY", 3, "characters").kept(["BEGIN:VEVENT\\nUID:1\\nSUMMARY:Tide\\nEND:VEVENT"])
Traceback (most recent call last):
datebridge.core.crossing.refusals.RefusedThere: SUMMARY longer than 3 characters
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from datebridge.core.crossing.rules import Unit, has_part, holds, size_of
from datebridge.core.objects import assemble, take_apart
from datebridge.core.text.component import Component
from datebridge.core.text.lines import unescape_text
from datebridge.core.text.nesting import nested_in
from datebridge.core.zones.meaning import NO_ZONES, Zones

#: How much an object may hold beside its entries, in bytes: header and zone definitions, or folds a line.
_BESIDE = 65_536


class RefusedThere(Exception):
    """The target does not take the object; the message says why, without its name.

    Attributes:
        check: which check found what is the matter; "" for another reason.
    """

    def __init__(self, reason: str, check: str = "") -> None:
        super().__init__(reason)
        self.check = check


class _AnyEntry:
    """A rule that refuses an object for one of its entries."""

    def kept(self, texts: Sequence[str], zones: Zones = NO_ZONES) -> list[str]:
        """See `Rule`."""
        for text in texts:
            if reason := self._refuses(text):
                raise RefusedThere(reason)
        return list(texts)

    def _refuses(self, text: str) -> str:
        raise NotImplementedError


@dataclass(frozen=True)
class RefuseKind(_AnyEntry):
    """Components of a kind are not taken."""

    component: str

    def _refuses(self, text: str) -> str:
        return f"no {self.component}" if Component(text).kind == self.component else ""


@dataclass(frozen=True)
class RefuseWith(_AnyEntry):
    """What holds a property, or a nested component, of a name is not taken; or a line that begins so."""

    name: str
    begins: str = ""

    def _refuses(self, text: str) -> str:
        if not holds(text, self.name):
            return ""
        for at, line in Component(text).properties():
            if line.name == self.name and text.split("\n")[at].upper().startswith(self.begins):
                return f"{self.begins or self.name} is not accepted"
        nested = any(kind == self.name for kind, _, _ in nested_in(text.split("\n")))
        return f"{self.name} is not accepted" if nested and not self.begins else ""


@dataclass(frozen=True)
class RefuseRule(_AnyEntry):
    """What repeats by a rule with a part is not taken (see `has_part`)."""

    part: str

    def _refuses(self, text: str) -> str:
        if not holds(text, "RRULE"):
            return ""
        refused = any(has_part(line.value, self.part) for line in Component(text).all("RRULE"))
        return f"{self.part} in a repeat rule" if refused else ""


@dataclass(frozen=True)
class RefuseMany(_AnyEntry):
    """More than so many properties, or nested components, of a name are not taken."""

    name: str
    most: int

    def _refuses(self, text: str) -> str:
        if not holds(text, self.name):
            return ""
        there = len(Component(text).all(self.name))
        there += sum(kind == self.name for kind, _, _ in nested_in(text.split("\n")))
        return f"more than {self.most:,} {self.name}" if there > self.most else ""


@dataclass(frozen=True)
class RefuseLonger(_AnyEntry):
    """A text that is longer is not taken."""

    name: str
    most: int
    unit: Unit

    def _refuses(self, text: str) -> str:
        if len(text) * 4 <= self.most or not holds(text, self.name):
            return ""
        longest = max(
            (size_of(unescape_text(line.value), self.unit) for line in Component(text).all(self.name)), default=0
        )
        return f"{self.name} longer than {self.most:,} {self.unit}" if longest > self.most else ""


@dataclass(frozen=True)
class RefuseLarger:
    """An object of more bytes is not taken (RFC 4791 §5.2.5)."""

    most: int

    def kept(self, texts: Sequence[str], zones: Zones = NO_ZONES) -> list[str]:
        """See `Rule`."""
        rough = sum(map(len, texts))
        if rough * 5 + _BESIDE > self.most:
            size = len(assemble(texts, zones.items(), zones.rulings))
            if size > self.most:
                raise RefusedThere(f"{size:,} bytes, of at most {self.most:,}")
        return list(texts)


@dataclass(frozen=True)
class RefuseProblems:
    """What has a problem that one of some checks finds is not taken."""

    checks: frozenset[str]

    def kept(self, texts: Sequence[str], zones: Zones = NO_ZONES) -> list[str]:
        """See `Rule`."""
        whole = take_apart(assemble(texts, zones.items(), zones.rulings))
        problems = [*whole.problems, *(problem for some in whole.invalid for problem in some)]
        problems += [problem for facts, _ in whole.entries for problem in facts.problems]
        problem = next((problem for problem in problems if problem.code in self.checks), None)
        if problem is not None:
            raise RefusedThere(problem.message, problem.code)
        return list(texts)


@dataclass(frozen=True)
class RefuseLoneOverride:
    """A changed occurrence without its series is not taken."""

    def kept(self, texts: Sequence[str], zones: Zones = NO_ZONES) -> list[str]:
        """See `Rule`."""
        if all(Component(text).first("RECURRENCE-ID") is not None for text in texts):
            raise RefusedThere("a changed occurrence without its series")
        return list(texts)


#: The rules that look at an object as it was sent, before anything is left out of it.
REFUSALS = (
    RefuseKind,
    RefuseWith,
    RefuseRule,
    RefuseMany,
    RefuseLonger,
    RefuseLarger,
    RefuseProblems,
    RefuseLoneOverride,
)
