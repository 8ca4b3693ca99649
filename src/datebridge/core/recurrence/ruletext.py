"""The text of an RRULE, edited part by part (RFC 5545 §3.3.10). Parts that nobody touches stay as they were written.

>>> rule = RuleText.of("freq=WEEKLY;X-BERTH=1;COUNT=4")
>>> str(rule.without("COUNT").with_values(BYDAY="MO"))
'freq=WEEKLY;X-BERTH=1;BYDAY=MO'
>>> from datebridge.core.moments import parse_moment
>>> start = parse_moment("20261123T090000", "America/Halifax")
>>> str(RuleText.of("FREQ=DAILY;UNTIL=20261201").with_until(parse_moment("20261201"), start))
'FREQ=DAILY;UNTIL=20261202T035959Z'
"""

from __future__ import annotations

from dataclasses import dataclass

from datebridge.core.moments import Moment, basic, basic_date, from_wall_seconds


@dataclass(frozen=True, slots=True)
class RuleText:
    """The parts of a rule in their order, each as its name in capitals and as it was written."""

    parts: tuple[tuple[str, str], ...]

    @classmethod
    def of(cls, text: str) -> RuleText:
        """Take the value of an RRULE apart. Never fails; anything between two semicolons is a part, unless blank."""
        return cls(tuple((_name(part), part) for part in text.split(";") if part.strip()))

    def __str__(self) -> str:
        return ";".join(part for _, part in self.parts)

    def __contains__(self, name: str) -> bool:
        return any(own == name for own, _ in self.parts)

    def value(self, name: str) -> str:
        """The value of the first part of this name, in capitals, without spaces around it; "" where there is none."""
        return next((part.partition("=")[2].strip().upper() for own, part in self.parts if own == name), "")

    def names(self) -> frozenset[str]:
        """The names of all parts."""
        return frozenset(own for own, _ in self.parts)

    def only(self, *names: str) -> RuleText:
        """These parts alone."""
        return RuleText(tuple(part for part in self.parts if part[0] in names))

    def without(self, *names: str) -> RuleText:
        """The rule without some parts."""
        return RuleText(tuple(part for part in self.parts if part[0] not in names))

    def with_values(self, **values: str) -> RuleText:
        """The rule with other values, each in its place, or at the end if there was none; "" takes a part out."""
        left = dict(values)
        made = []
        for name, part in self.parts:
            if name not in values:
                made.append((name, part))
            elif value := left.pop(name, ""):
                made.append((name, f"{name}={value}"))
        return RuleText((*made, *((name, f"{name}={value}") for name, value in left.items() if value)))

    def with_until(self, until: Moment, start: Moment) -> RuleText:
        """The rule with another UNTIL, in the form its start asks for (see `until_value`)."""
        return self.with_values(UNTIL=until_value(until, start))


def until_value(until: Moment, start: Moment) -> str:
    """UNTIL as RFC 5545 §3.3.10 wants it beside a start: a date beside a date, in UTC beside a zone, else floating.

    A day stands for its last second where the start has a time. A moment that is in UTC already stays the same second.
    """
    if start.is_date:
        return basic_date(until.on_clock_of(start))
    if until.is_date:
        until = start._replace(wall=until.wall.replace(hour=23, minute=59, second=59))
    if not (start.tzid or start.zone):
        return basic(until.wall)
    instant = until._replace(zone=until.zone or start.zone).instant()
    return basic(until.wall) if instant is None else basic(from_wall_seconds(instant)) + "Z"


def _name(part: str) -> str:
    return part.partition("=")[0].strip().upper()
