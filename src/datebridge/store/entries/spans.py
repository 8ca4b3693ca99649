"""When entries begin and are over, of all of them at once: what ``before:`` and ``after:`` ask for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Connection

from datebridge.core.language.filters import Term
from datebridge.store.remembered import Remembered
from datebridge.store.sql import revision_now

if TYPE_CHECKING:
    from datebridge.store.entries.occurrences import Changed

_PIECE = 100_000


@dataclass(frozen=True, slots=True)
class SpanTerm:
    """``before:`` or ``after:`` some moments, in wall seconds; any of them will do.

    Attributes:
        lasting: for each moment, the series with changed occurrences that are not over by then, whatever their own
            index says; and those that are asked at all.
    """

    before: bool
    moments: tuple[int, ...]
    lasting: tuple[tuple[int, ...], ...]
    negated: bool


def span_term(term: Term, changed: Sequence[Changed]) -> SpanTerm:
    """A term with its days as moments."""
    moments = tuple(days.low for days in term.days)
    ends = {one.master.id: one.last_end() for one in changed if one.moves_on} if term.field == "before" else {}
    lasting = tuple(tuple(i for i, end in ends.items() if end is None or end > moment) for moment in moments)
    return SpanTerm(term.field == "before", moments, lasting, term.negated)


def matching_sql(terms: Sequence[SpanTerm]) -> tuple[str, tuple[int, ...]]:
    """The ids of what all the terms hold for among the entries in force, as SQL for an index, with its values."""
    clauses, values = list[str](), list[int]()
    for term in terms:
        parts = []
        for moment, lasting in zip(term.moments, term.lasting, strict=True):
            if term.before:
                longer = f" AND id NOT IN ({', '.join(map(str, lasting))})" if lasting else ""
                parts.append(f"(until_wall <= ? AND start_wall < ?{longer})")
                values += [moment, moment]
            else:
                parts.append("start_wall >= ?")
                values.append(moment)
        joined = " OR ".join(parts) or "0"
        clauses.append(f"NOT coalesce({joined}, 0)" if term.negated else f"({joined})")
    where = " AND ".join(("listed = 1", *clauses))
    return f"SELECT group_concat(id) FROM entry INDEXED BY ix_entry_span WHERE {where}", tuple(values)


@dataclass(frozen=True, slots=True)
class Spans:
    """By id: when an entry begins, and when it is over for good; not a number where that is not known or never."""

    start: NDArray[np.float64]
    until: NDArray[np.float64]

    def between(self, low: int, high: int) -> list[int]:
        """The ids of what begins before `high` and is not over for good before `low`."""
        numbers: list[int] = np.flatnonzero((self.start < high) & ~(self.until < low)).tolist()
        return numbers

    def matching(self, terms: Sequence[SpanTerm]) -> NDArray[np.bool_]:
        """What all the terms hold for."""
        flags = np.ones(len(self.start), np.bool_)
        for term in terms:
            held = np.zeros(len(self.start), np.bool_)
            for moment, lasting in zip(term.moments, term.lasting, strict=True):
                if term.before:
                    # An entry of no length ends when it starts; it is over before the day it starts on.
                    over = (self.until <= moment) & (self.start < moment)
                    over[list(lasting)] = False
                    held |= over
                else:
                    held |= self.start >= moment
            flags &= ~held if term.negated else held
        return flags


class KnownSpans:
    """The spans of all entries, remembered until the next batch."""

    def __init__(self) -> None:
        self._spans: Remembered[Spans] = Remembered(1)

    def of(self, connection: Connection) -> Spans:
        return self._spans.get((revision_now(connection),), lambda: _read(connection))

    def has(self, connection: Connection) -> bool:
        """Whether they are remembered."""
        return self._spans.has((revision_now(connection),))


def _read(connection: Connection) -> Spans:
    size = int(connection.exec_driver_sql("SELECT coalesce(max(id), 0) + 1 FROM entry").scalar_one())
    start, until = np.full(size, np.nan), np.full(size, np.nan)
    for low in range(0, size, _PIECE):
        rows = connection.exec_driver_sql(
            "SELECT group_concat(id), group_concat(coalesce(start_wall, 'nan')),"
            " group_concat(coalesce(until_wall, 'nan')) FROM entry WHERE +listed = 1 AND id >= ? AND id < ?",
            (low, low + _PIECE),
        )
        ids, starts, untils = rows.one()
        if ids:
            places = np.fromstring(ids, np.int64, sep=",")
            start[places] = np.fromstring(starts, np.float64, sep=",")
            until[places] = np.fromstring(untils, np.float64, sep=",")
    return Spans(start, until)
