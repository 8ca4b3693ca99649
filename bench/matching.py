"""Matching, measured over calendars of which it is known what is the same meeting (`tests.labelled`)."""

from __future__ import annotations

import time
from pathlib import Path
from typing import NamedTuple

from tests.labelled import FEED, Labelled, labelled, measured, pairs_of

from bench.importing import fresh, take_in
from datebridge.core.job_kinds import JobKind
from datebridge.core.matching import THRESHOLD, find
from datebridge.core.matching.surviving import CRITERIA
from datebridge.core.text.lines import fold
from datebridge.services.jobs import jobs
from datebridge.services.running import worker
from datebridge.store import duplicates

#: With so many of each kind there are about 100,000 entries.
EACH = 2_190
THRESHOLDS = (0.3, THRESHOLD, 0.7, 0.8, 0.9, 0.95, 0.99)


class Measured(NamedTuple):
    """Of the many: seconds, entries, precision and recall by kind; and by threshold, over all kinds."""

    seconds: float
    entries: int
    kinds: dict[str, tuple[float, float]]
    curve: dict[float, tuple[float, float]]


def took(made: Labelled, threshold: float = THRESHOLD) -> tuple[float, dict[str, tuple[float, float]]]:
    """How long it takes, and what it comes to."""
    items = made.items()
    start = time.perf_counter()
    groups = find(items, lambda keys: {key: made.texts[key] for key in keys}, feeds=[FEED], threshold=threshold)
    seconds = time.perf_counter() - start
    return seconds, measured(made.truth, pairs_of(groups))


def measure(each: int = EACH) -> Measured:
    """Match about 100,000 entries; the curve is of fewer."""
    made = labelled(each, seed=3)
    seconds, kinds = took(made)
    some = labelled(max(20, each // 10), seed=4)
    return Measured(seconds, len(made.texts), kinds, {t: took(some, t)[1]["all"] for t in THRESHOLDS})


class Kept(NamedTuple):
    """Of the same in a store: seconds to look, to show a page of groups, to propose keeping one of each; groups."""

    look: float
    page: float
    propose: float
    groups: int


def stored_measure(folder: Path, each: int = EACH // 3) -> Kept:
    """Look for duplicates among stored entries, as the desk has it done."""
    made = labelled(each, seed=6)
    calendars: dict[int, list[str]] = {}
    for entry in made.entries:
        calendars.setdefault(entry.calendar, []).append(made.texts[entry.key])
    store, settings = fresh(folder / "twice")
    for number, texts in calendars.items():
        path = folder / f"twice-{number}.ics"
        path.write_bytes(
            fold("\n".join(["BEGIN:VCALENDAR", f"X-WR-CALNAME:Calendar {number}", *texts, "END:VCALENDAR", ""]))
        )
        take_in(store, settings, path)
    start = time.perf_counter()
    groups = duplicates.look(store, lambda: None)
    looked = time.perf_counter()
    with store.read() as connection:
        duplicates.counts(connection)
        duplicates.page(connection, None, 0.5, 1_000, 100)
    paged = time.perf_counter()
    params = {"kind": "", "least": 0.5, "policy": list(CRITERIA), "order": []}
    jobs.enqueue(store, JobKind.DUPLICATES, "Removing", params)
    worker.drain(store, settings)
    done = time.perf_counter()
    store.close()
    return Kept(looked - start, paged - looked, done - paged, groups)
