"""What the readers' page is put together from: days, cells and lines, and blocks side by side."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from datebridge.core.sharing.page_data import Details
from datebridge.core.views.days import Piece

#: How many minutes a block is high at least.
LEAST = 30


@dataclass(frozen=True, slots=True)
class ShownLine:
    """An occurrence as one line of a list, or as a block on a grid."""

    key: str
    title: str
    when: str
    place: str
    state: str
    colour: int
    calendar: str
    style: str = ""


@dataclass(frozen=True, slots=True)
class Head:
    """A day as the head of a column or a cell."""

    iso: str
    weekday: str
    number: str
    full: str
    address: str
    today: bool
    aside: bool


@dataclass(frozen=True, slots=True)
class GridDay:
    """A day of the grid."""

    head: Head
    whole: list[ShownLine]
    timed: list[ShownLine]
    beyond: int

    @property
    def total(self) -> int:
        return len(self.whole) + len(self.timed)


@dataclass(frozen=True, slots=True)
class MonthDay:
    """A day of a month."""

    head: Head
    lines: list[ShownLine]
    beyond: int


@dataclass(frozen=True, slots=True)
class Opened:
    """An occurrence with its details."""

    about: Details
    when: str
    calendar: str
    file: str


def side_by_side(pieces: Sequence[Piece]) -> list[tuple[Piece, int, int]]:
    """Pieces with the column each is in, and how many columns there are where it stands."""
    placed: list[tuple[Piece, int, int]] = []
    cluster: list[tuple[Piece, int]] = []
    ends: list[int] = []

    def close() -> None:
        placed.extend((piece, column, len(ends)) for piece, column in cluster)
        cluster.clear()
        ends.clear()

    for piece in sorted(pieces, key=lambda piece: (piece.start, -piece.end)):
        if ends and piece.start >= max(ends):
            close()
        column = next((number for number, end in enumerate(ends) if end <= piece.start), len(ends))
        end = max(piece.end, piece.start + LEAST)
        if column == len(ends):
            ends.append(end)
        else:
            ends[column] = end
        cluster.append((piece, column))
    close()
    return placed
