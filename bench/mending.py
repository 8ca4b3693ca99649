"""Zones fitted, calendars compared, series inferred: measured over what is made for it."""

from __future__ import annotations

import random
import time
from datetime import date
from pathlib import Path
from typing import NamedTuple

import icalendar
import recurring_ical_events
from tests.scattered import found_of, scattered

from bench import generate
from datebridge.core.comparing.files import both, compare_files
from datebridge.core.moments import wall_seconds_of
from datebridge.core.series.inferring import infer
from datebridge.core.text.reader import RawComponent, Reader
from datebridge.core.tzids import listed
from datebridge.core.zones.defined import define, defined
from datebridge.core.zones.fitting import fitted

YEARS = (2025, 2028)


class Fitting(NamedTuple):
    """Seconds for one definition against all zones: on average, and of the slowest but the first; how many."""

    mean: float
    slowest: float
    number: int


def fitting(number: int = 120) -> Fitting:
    """Fit definitions made of zones, one after the other."""
    draw = random.Random(5)
    took = []
    for zone in draw.sample(sorted(listed()), number):
        own = defined(define("x", zone, 2015, 2026))
        if own is None:
            continue
        start = time.perf_counter()
        fitted(own, 2015, 2026)
        took.append(time.perf_counter() - start)
    return Fitting(sum(took) / len(took), sorted(took)[-2], len(took))


class Comparing(NamedTuple):
    """Two files of `entries` over three years, in seconds: to read and compare them; of that, to compare them; and to
    expand both with another library, which has parsed them."""

    whole: float
    ours: float
    theirs: float
    entries: int
    different: int


def comparing(folder: Path, entries: int = 20_000) -> Comparing:
    """Compare a file with one in which something of every hundredth line is otherwise."""
    left, right = folder / "left.ics", folder / "right.ics"
    generate.write(left, entries)
    text = left.read_text("utf-8").split("SUMMARY:")
    right.write_text(
        "".join([text[0], *(f"SUMMARY:{'Other ' if n % 50 == 7 else ''}{one}" for n, one in enumerate(text[1:]))]),
        "utf-8",
    )
    low, high = (wall_seconds_of(_first(year)) for year in YEARS)
    begin = time.perf_counter()
    stored = both((left.name, _read(left)), (right.name, _read(right)))
    start = time.perf_counter()
    found = compare_files(stored, low, high)
    ours, whole = time.perf_counter() - start, time.perf_counter() - begin
    parsed = [icalendar.Calendar.from_ical(path.read_bytes()) for path in (left, right)]
    start = time.perf_counter()
    for one in parsed:
        for _ in recurring_ical_events.of(one).between(_first(YEARS[0]), _first(YEARS[1])):
            pass
    return Comparing(whole, ours, time.perf_counter() - start, entries, len(found.differences))


def _first(year: int) -> date:
    return date(year, 1, 1)


def _read(path: Path) -> list[RawComponent]:
    with path.open("rb") as source:
        return list(Reader(source))


class Inferring(NamedTuple):
    """Seconds over so many singles; which part of the hidden series was found exactly; how many were false."""

    seconds: float
    part: float
    false: int


def inferring(series: int = 400, total: int = 20_000) -> Inferring:
    """Find hidden series among singles."""
    made = scattered(series, total, seed=3)
    start = time.perf_counter()
    found = infer(made.singles)
    seconds = time.perf_counter() - start
    return Inferring(seconds, *found_of(made, found))
