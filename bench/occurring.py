"""Measurements of time: a month of occurrences, old series, overlaps of a year, the month as it is drawn."""

from __future__ import annotations

import os
import random
import shutil
import statistics
import time
from collections.abc import Callable
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

import icalendar
import recurring_ical_events
from playwright.sync_api import Page, sync_playwright

from bench import generate
from bench.application import FLAGS, application
from bench.importing import fresh, take_in
from datebridge.core.moments import wall_seconds_of
from datebridge.core.recurrence.rules import parse_rule
from datebridge.core.recurrence.starts import DAY, starts
from datebridge.core.views.overlaps import overlaps
from datebridge.store.entries.occurrences import OccurrenceReader

MONTH = date(2026, 11, 1)


def _took(work: Callable[[], object]) -> float:
    begin = time.perf_counter()
    work()
    return time.perf_counter() - begin


def month(folder: Path, parsed: icalendar.Component) -> tuple[float, float, int, int]:
    """Seconds for one month of the 20,000 stored, nothing remembered; the same by the oracle; how many each found."""
    store, _ = fresh(folder)
    low = wall_seconds_of(MONTH)
    found: list[int] = []

    def ours() -> None:
        found.append(len(OccurrenceReader(store).window(low, low + 30 * DAY, "UTC", [1]).occurrences))

    def theirs() -> None:
        begin = datetime(2026, 11, 1, tzinfo=UTC)
        found.append(len(recurring_ical_events.of(parsed).between(begin, begin + timedelta(days=30))))

    took = _took(ours)
    reference = _took(theirs)
    store.close()
    return took, reference, found[0], found[1]


def age() -> tuple[float, float]:
    """Seconds for a month of a thousand series that began last year, and of as many that began a century ago."""
    rules = [
        parse_rule(text)
        for text in ("FREQ=DAILY;BYDAY=MO,TU", "FREQ=MONTHLY;BYDAY=-1FR", "FREQ=YEARLY;BYMONTH=11;BYDAY=1MO")
    ]
    low = wall_seconds_of(MONTH)

    def all_of(year: int) -> float:
        begins = [wall_seconds_of(date(year, 1, 1)) + 60 * k for k in range(1000)]
        return _took(lambda: [list(starts(rules[b % 3], b, low, low + 30 * DAY)) for b in begins])

    all_of(2024)
    return all_of(2025), all_of(1925)


def sweep() -> tuple[float, int]:
    """Seconds to find the overlaps among the 100,000 occurrences of a year, and how many there are."""
    rng = random.Random(3)
    spans = [(begin := rng.randrange(0, 365 * DAY), begin + rng.choice((900, 1800, 3600))) for _ in range(100_000)]
    count = 0

    def run() -> None:
        nonlocal count
        count = sum(1 for _ in overlaps(spans, 60))

    return _took(run), count


_DRAWN = """() => new Promise((done) => {
  const begin = performance.now();
  const look = () => {
    if (document.querySelectorAll('[data-day]').length < 28) return;
    seen.disconnect();
    requestAnimationFrame(() => requestAnimationFrame(() => done(performance.now() - begin)));
  };
  const seen = new MutationObserver(look);
  seen.observe(document.body, { childList: true, subtree: true });
  const view = document.querySelector('select[aria-label=View]');
  view.value = 'month';
  view.dispatchEvent(new Event('change', { bubbles: true }));
})"""


def drawn(full: Path, folder: Path) -> tuple[float, float]:
    """Milliseconds from choosing the month to its being drawn, for the 20,000 and for a calendar of one entry.

    A week of it is looked at before, as a person would; the page fetches the month around ahead meanwhile.
    """
    store, settings = fresh(folder / "one")
    path = folder / "one.ics"
    generate.write(path, 1)
    take_in(store, settings, path)
    store.close()
    chromium = os.environ.get("CHROMIUM") or shutil.which("chromium")
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=chromium, args=FLAGS)
        results = []
        for data in (full, folder / "one"):
            with application(data) as address:
                page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
                results.append(statistics.median([_switch(page, address, n) for n in range(3, 10)][1:]))
                page.close()
        browser.close()
    return results[0], results[1]


def _switch(page: Page, address: str, number: int) -> float:
    page.goto(f"{address}/look/time?view=week&on=2026-{number:02d}-10")
    page.wait_for_selector("[data-day]")
    page.locator("main[aria-busy=false]").wait_for()
    return float(page.evaluate(_DRAWN))
