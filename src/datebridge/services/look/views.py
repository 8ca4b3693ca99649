"""Days as they are looked at, with what happens on each of them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import date

from datebridge.core.views.days import Day, bounds_of, lay_out, with_totals
from datebridge.store.entries.density import Density
from datebridge.store.entries.occurrences import OccurrenceReader


def days(
    occurrences: OccurrenceReader,
    wanted: Sequence[date],
    zone: str,
    calendars: Iterable[int],
    most: int,
    clocks: Sequence[str] = (),
) -> tuple[list[Day], tuple[str, ...]]:
    """The days asked (see `lay_out`), and the titles of series of which not every time is among them."""
    if not wanted:
        return [], ()
    window = occurrences.window(*bounds_of(wanted), zone, calendars)
    return lay_out(window, wanted, zone, most, clocks), window.cut


def counted(
    density: Density, first: date, count: int, zone: str, calendars: Iterable[int], clocks: Sequence[str]
) -> tuple[list[Day], tuple[str, ...]]:
    """So many days from the first on with their counts alone, and the titles of series that are not counted whole."""
    totals, cut_short = density.days(first, count, zone, calendars)
    return with_totals(first, totals, zone, clocks), cut_short
