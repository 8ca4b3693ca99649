"""Single entries that hide series: what belongs together is known, for tests and `make bench`."""

from __future__ import annotations

import random
from dataclasses import dataclass, field

from dateutil.rrule import rrulestr

from datebridge.core.moments import Moment, from_wall_seconds
from datebridge.core.series.inferring import Inferred, Single

_DAY = 86_400
_RULES = (
    "FREQ=WEEKLY",
    "FREQ=WEEKLY;INTERVAL=2",
    "FREQ=WEEKLY;BYDAY=MO,TH",
    "FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR",
    "FREQ=DAILY",
    "FREQ=DAILY;INTERVAL=3",
    "FREQ=MONTHLY;BYDAY=2TU",
    "FREQ=MONTHLY;BYDAY=-1FR",
    "FREQ=MONTHLY;BYMONTHDAY=15",
    "FREQ=MONTHLY;BYMONTHDAY=-1",
    "FREQ=MONTHLY;INTERVAL=3;BYMONTHDAY=1",
    "FREQ=WEEKLY;INTERVAL=3;BYDAY=TU,WE",
)
_CLOCKS = ("Atlantic/Reykjavik", "Australia/Hobart", "America/Halifax", "")


@dataclass(slots=True)
class Scattered:
    """Singles, and of each hidden series the keys of its own."""

    singles: list[Single[int]] = field(default_factory=list)
    hidden: list[frozenset[int]] = field(default_factory=list)


def scattered(series: int, total: int, seed: int = 1) -> Scattered:
    """So many hidden series among so many singles: with gaps, moved times, and others that have their titles."""
    draw = random.Random(seed)  # noqa: S311
    made = Scattered()
    for number in range(series):
        _hide(made, number, draw)
    while len(made.singles) < total:
        _noise(made, draw)
    draw.shuffle(made.singles)
    return made


def _add(made: Scattered, title: str, clock: str, start: int, length: int) -> int:
    key = len(made.singles)
    made.singles.append(Single(key, start, length, (title, clock), False))
    return key


def _hide(made: Scattered, number: int, draw: random.Random) -> None:
    clock, title = draw.choice(_CLOCKS), f"Meeting {number}"
    begin = Moment(from_wall_seconds((20_000 + draw.randrange(600)) * _DAY + draw.randrange(28, 72) * 900)).wall
    rule = rrulestr(draw.choice(_RULES), dtstart=begin)
    length = draw.choice((1800, 3600, 5400))
    times = [Moment(time).wall_seconds for time, _ in zip(rule, range(draw.randrange(9, 50)), strict=False)]
    inner = range(1, len(times) - 1)
    gone = {n for n in inner if draw.random() < 0.06}
    moved = {n for n in inner if n not in gone and draw.random() < 0.03}
    keys = set()
    for n, time in enumerate(times):
        if n not in gone:
            keys.add(_add(made, title, clock, time + (draw.choice((3600, -1800, 5400)) if n in moved else 0), length))
    made.hidden.append(frozenset(keys))
    if draw.random() < 0.2:  # one more of that title, at an odd time
        _add(made, title, clock, times[-1] + draw.randrange(40, 90) * _DAY + 4321, length)


def _noise(made: Scattered, draw: random.Random) -> None:
    """What happens often, and by no rule: some on many days, some now and then."""
    title, clock = f"Something {draw.randrange(400)}", draw.choice(_CLOCKS)
    hour = draw.choice((9, 10, 12, 14)) * 3600 if draw.random() < 0.5 else draw.randrange(28, 72) * 900
    _add(made, title, clock, (20_000 + draw.randrange(900)) * _DAY + hour, draw.choice((1800, 3600)))


def found_of(made: Scattered, found: list[Inferred[int]]) -> tuple[float, int]:
    """Which part of the hidden series was found with exactly its own, and how many were that hide none."""
    whole = {frozenset((*one.keys, *(key for _, key in one.moved))) for one in found}
    hidden = set(made.hidden)
    known = {key for some in made.hidden for key in some}
    false = sum(1 for keys in whole if not keys <= known)
    return len(whole & hidden) / len(hidden), false
