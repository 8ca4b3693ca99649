"""Wrong for part of the year: the two zones that explain it, one read on the clock of the other.

>>> winter, summer = 1767603600, 1783242000  # 5 January 2026, 5 July 2026
>>> explain([Move(winter, -3600), Move(summer, 0)], "Europe/Lisbon", "")
ZoneMisreading(right='Europe/Lisbon', wrong='Africa/Lagos', moved=1, still=1)
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import NamedTuple

from datebridge.core.moments import instant_at, wall_at
from datebridge.core.tzids import listed
from datebridge.core.zones.fitting import ranked


class Move(NamedTuple):
    """When something happens on the left side, as an instant, and by how many seconds it is later on the right."""

    at: int
    by: int


class ZoneMisreading(NamedTuple):
    """What is on the clock of one zone was read on that of another.

    Attributes:
        right: the zone of the left side. wrong: the one that the right side took it for.
        moved, still: how many times are off by it, and how many are not.
    """

    right: str
    wrong: str
    moved: int
    still: int


def explain(moves: Sequence[Move], left: str, right: str, hints: Sequence[str] = ()) -> ZoneMisreading | None:
    """The zones that explain all moves, those that are none, too; None where no two do.

    Args:
        left, right: the zones of the two sides, "" where they are not known.
        hints: other zones in use, tried before all that there are.
    """
    moved = [move for move in moves if move.by]
    if not moved:
        return None
    tried = sorted(set(moves), key=lambda move: (move.by == 0, move.at))
    for own in dict.fromkeys(filter(None, (left, *hints, right))):
        wrong = _wrong(tried, own, dict.fromkeys(filter(None, (right, *hints, "UTC"))))
        if wrong is None and own == left:
            wrong = next(iter(ranked(zone for zone in listed() if _explains(tried, own, zone))), None)
        if wrong is not None:
            return ZoneMisreading(own, wrong, len(moved), len(moves) - len(moved))
    return None


def _wrong(moves: Sequence[Move], own: str, zones: Iterable[str]) -> str | None:
    return next((zone for zone in zones if zone != own and _explains(moves, own, zone)), None)


def _explains(moves: Iterable[Move], own: str, wrong: str) -> bool:
    return all(instant_at(wall_at(move.at, own), wrong) - move.at == move.by for move in moves)
