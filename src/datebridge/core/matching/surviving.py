"""Which of several entries of one meeting stays, and why.

>>> twins = [Twin(calendar=1, writable=False, modified=9), Twin(calendar=2, writable=True, modified=5)]
>>> choose(twins)
(1, 'it is writable')
>>> choose(twins, policy=("newest", "writable"))
(0, 'changed last')
>>> choose([Twin(1, answers=5, sequence=1, uid="a"), Twin(1, sequence=2, uid="a")])
(1, 'changed last')
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal, get_args

#: What an entry is kept for, in the order in which it is asked.
Criterion = Literal["writable", "answers", "newest", "richest", "order"]
CRITERIA: tuple[Criterion, ...] = get_args(Criterion)
Policy = Sequence[Criterion]


@dataclass(frozen=True, slots=True)
class Twin:
    """What decides between entries of one meeting.

    Attributes:
        writable, live: whether its calendar can be written, and whether it lives elsewhere and is kept up to date.
        answers: how many attendees have answered.
        sequence, modified: its revision (RFC 5545 §3.8.7.4), and when it was changed last, as an instant.
        says: how much it says, in characters.
        uid: its UID; "" where that is not known.
    """

    calendar: int
    writable: bool = True
    live: bool = False
    answers: int = 0
    sequence: int = 0
    modified: int = 0
    says: int = 0
    uid: str = ""


def choose(twins: Sequence[Twin], policy: Policy = CRITERIA, order: Sequence[int] = ()) -> tuple[int, str]:
    """The number of the one that stays, and what decided it.

    Of states of one entry, known by one UID, the newest counts before who has answered (RFC 5546 §2.1.4).

    Args:
        policy: what is asked, one after the other, of those that are left.
        order: calendars, those to be kept first; others follow.
    """
    place = {calendar: n for n, calendar in enumerate(order)}
    values: dict[Criterion, Callable[[Twin], object]] = {
        "writable": lambda twin: (twin.writable, twin.live),
        "answers": lambda twin: twin.answers,
        "newest": lambda twin: (twin.sequence, twin.modified),
        "richest": lambda twin: twin.says,
        "order": lambda twin: -place.get(twin.calendar, len(place)),
    }
    reasons: dict[Criterion, str] = {
        "writable": "it is writable",
        "answers": "most of its attendees have replied",
        "newest": "changed last",
        "richest": "it is the most complete",
        "order": "its calendar is listed first",
    }
    if len({twin.uid for twin in twins}) == 1 and twins[0].uid and tuple(policy) == CRITERIA:
        policy = ("writable", "newest", "answers", "richest", "order")
    left = list(range(len(twins)))
    why = ""
    for criterion in policy:
        values_of = {n: values[criterion](twins[n]) for n in left}
        best = max(values_of.values())  # type: ignore[type-var]
        kept = [n for n in left if values_of[n] == best]
        if len(kept) < len(left):
            lives = criterion == "writable" and len({twins[n].writable for n in left}) == 1
            left, why = kept, "it lives on its server, the other is a snapshot" if lives else reasons[criterion]
        if len(left) == 1:
            break
    return left[0], why or "the first of several equal ones"
