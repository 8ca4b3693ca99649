"""How likely two entries are one meeting: evidence for and against, each with a reason a person can check.

Evidence is counted in log odds, so that it adds up; `score` makes a number from 0 to 1 of the sum. The weights were set
on the labelled set of `tests/labelled.py`; `make bench` shows what precision and recall each threshold gives.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Hashable, Iterable, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

from datebridge.core.language.plural import counted
from datebridge.core.matching.item import NOTHING, Content, Item
from datebridge.core.matching.titles import Words, compare, places, words

#: Two entries are taken for one meeting from here on.
THRESHOLD = 0.5
#: Titles that are at so many different times tell little by themselves.
_RARE, _KNOWN = 3, 20
#: A typing error happens now and then; what stands more often than this is meant.
_SLIPS = 2


class Evidence(NamedTuple):
    """What speaks for (above 0) or against, and how a person would say it."""

    weight: float
    reason: str = ""


def score(evidence: Iterable[Evidence]) -> float:
    """Evidence as a number from 0 to 1.

    >>> score([Evidence(2.0), Evidence(-2.0)])
    0.5
    """
    total = sum(one.weight for one in evidence)
    return round(1 / (1 + math.exp(-max(-30.0, min(30.0, total)))), 3)


def reasons(evidence: Iterable[Evidence]) -> tuple[str, ...]:
    """What speaks for it, the strongest first; then what speaks against it."""
    evidences = [one for one in evidence if one.reason]
    return tuple(one.reason for one in sorted(evidences, key=lambda evidence: -evidence.weight))


@dataclass(slots=True)
class Around:
    """What stands around two entries and decides how much a likeness says.

    Attributes:
        times: at how many different times each title stands.
        covered: for two calendars, which part of the smaller is in the other as well.
    """

    times: Counter[Words] = field(default_factory=Counter)
    covered: Callable[[int, int], float] = lambda one, other: 0.0

    @classmethod
    def of(cls, items: Sequence[Item[Hashable]]) -> Around:
        """Count what stands where."""
        seen = {(words(item.title), item.start) for item in items}
        return cls(Counter(title for title, _ in seen))


def of_titles(one: Item[Hashable], other: Item[Hashable], around: Around) -> Evidence:
    """What the titles say."""
    first, second = words(one.title), words(other.title)
    likeness = compare(first, second)
    if likeness == "other":
        return Evidence(-6.0, f"titles differ: “{_short(one.title)}”, “{_short(other.title)}”")
    often = max(around.times[first], around.times[second])
    weight = 2.5 if often <= _RARE else 1.2 if often <= _KNOWN else 0.0
    if not first:
        return Evidence(-1.0, "neither has a title")
    if likeness == "typo":
        meant = min(around.times[first], around.times[second]) > _SLIPS
        return Evidence(-4.0 if meant else weight - 0.5, "titles differ by a typing error")
    if one.title != other.title:
        text = (
            "titles differ in case" if one.title.casefold() == other.title.casefold() else "titles written differently"
        )
        return Evidence(weight - 0.1, text)
    return Evidence(weight, "same title")


def of_places(one: Item[Hashable], other: Item[Hashable]) -> Evidence:
    """What the places say."""
    likeness = places(one.place, other.place)
    if likeness == "same":
        return Evidence(2.0, "same place") if one.place.strip() else Evidence(0.0)
    if likeness == "near":
        return Evidence(1.2, "places agree as far as both say one")
    if likeness == "unsaid":
        return Evidence(-0.2, "one has no place")
    return Evidence(-9.0, f"places differ: “{_short(one.place)}”, “{_short(other.place)}”")


def of_contents(one: Content, other: Content) -> list[Evidence]:
    """What people, notes and links say."""
    evidence = []
    if one.people and other.people:
        both, all_ = one.people & other.people, one.people | other.people
        if both and both not in (one.people, other.people):
            many = counted(len(all_), "person", "people")
            evidence.append(Evidence(-9.0, f"{len(both)} of {many} in common, and each has some the other has not"))
        elif both:
            weight = 2.0 if len(both) * 2 >= len(all_) else 1.0
            many = counted(len(all_), "person", "people")
            text = f"the same {many}" if len(both) == len(all_) else f"{len(both)} of {many} in common"
            evidence.append(Evidence(weight, text))
        else:
            evidence.append(Evidence(-9.0, "nobody in common"))
    elif one.people or other.people:
        evidence.append(Evidence(-0.2, "one has no people"))
    if one.notes and other.notes:
        evidence.append(_of_notes(words(one.notes), words(other.notes)))
    if one.link and one.link == other.link:
        evidence.append(Evidence(1.5, "same link"))
    return evidence


def _of_notes(one: Words, other: Words) -> Evidence:
    """Notes that one has cut short, or added to, are the same; "booked by Ida" and "booked by Jón" are not."""
    if one == other:
        return Evidence(1.5, "same notes")
    if set(one) <= set(other) or set(other) <= set(one):
        return Evidence(0.5, "the notes of one are part of those of the other")
    return Evidence(-7.0, "notes differ")


def is_bare(item: Item[Hashable], content: Content) -> bool:
    """Whether there is nothing but a title and a time."""
    return not (item.place.strip() or content.people or content.notes or content.link)


def of_calendars(one: Item[Hashable], other: Item[Hashable], around: Around) -> Evidence:
    """What it says that they are in one calendar, or in two that share much."""
    if one.calendar == other.calendar:
        return Evidence(2.0, "in one calendar")
    covered = around.covered(one.calendar, other.calendar)
    if covered >= 0.5:
        return Evidence(3.0 * covered, f"{covered:.0%} of the smaller calendar stands in the other")
    return Evidence(2.0 * covered)


def at_one_time(
    one: Item[Hashable], other: Item[Hashable], around: Around, contents: Content = NOTHING, too: Content = NOTHING
) -> list[Evidence]:
    """Two entries that begin and end together and repeat alike."""
    same = one.length == other.length
    when = "same start, and one is longer" if not same else "same days" if one.all_day else "same start and length"
    if one.recurrence != other.recurrence:
        when = f"{when}, with other exception dates"
    return [
        Evidence(-1.0 if same else -3.0, when),
        of_titles(one, other, around),
        of_places(one, other),
        *of_contents(contents, too),
        of_calendars(one, other, around),
    ]


def of_one_uid(
    one: Item[Hashable], other: Item[Hashable], around: Around, contents: Content = NOTHING, too: Content = NOTHING
) -> list[Evidence]:
    """Two entries under one UID: the standard has it that they are one, programs that count from 1 do not."""
    weight = 5.0 if len(one.uid) >= 8 else 1.5
    evidence = [Evidence(weight, "same UID")]
    if one.start == other.start and one.length == other.length:
        evidence.append(Evidence(1.0, "same start and length"))
    elif one.start is not None and other.start is not None and abs(one.start - other.start) <= 14 * 86400:
        evidence.append(Evidence(-0.5, "at another time"))
    else:
        evidence.append(Evidence(-3.0, "at quite another time"))
    likeness = compare(words(one.title), words(other.title))
    evidence.append(
        {
            "same": Evidence(1.0, "same title"),
            "typo": Evidence(0.5, "titles differ by a typing error"),
            "other": Evidence(-2.0, f"titles differ: “{_short(one.title)}”, “{_short(other.title)}”"),
        }[likeness]
    )
    where = places(one.place, other.place)
    if where == "other":
        evidence.append(Evidence(-0.5, f"places differ: “{_short(one.place)}”, “{_short(other.place)}”"))
    return [*evidence, *(e._replace(weight=max(-1.0, e.weight)) for e in of_contents(contents, too))]


def _short(text: str) -> str:
    text = " ".join(text.split())
    return text if len(text) <= 40 else f"{text[:39]}…"
