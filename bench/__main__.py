"""Side-by-side measurements: ``make bench``. Ratios of one run on one machine, beside what they must hold."""

from __future__ import annotations

import gzip
import io
import multiprocessing
import os
import shutil
import statistics
import sys
import tempfile
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path
from typing import Annotated

import icalendar
import typer
from rich.console import Console

from bench import (
    connecting,
    crossing,
    generate,
    importing,
    keeping,
    load,
    matching,
    mending,
    occurring,
    pages,
    sharing,
    starting,
)
from bench.importing import fresh, take_in
from bench.results import Pace, Results, alternately, timed
from datebridge.core.changes import State
from datebridge.core.ids import SetId, VersionId
from datebridge.core.job_kinds import JobKind
from datebridge.core.language.filters import Selection
from datebridge.core.merging import files as merging
from datebridge.core.merging.objects import ObjectState, merge_objects
from datebridge.core.text.component import with_property
from datebridge.services.exports import export
from datebridge.services.jobs import jobs
from datebridge.services.mend import deletion
from datebridge.settings import Settings
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.changesets.review import list_sets
from datebridge.store.changesets.undo import propose_undo
from datebridge.store.database import Store
from datebridge.store.entries.ledger import Ledger
from datebridge.store.tables import demand_id

FILTERS = (
    ("", "when"),
    ("", "what"),
    ("", "where"),
    ("", "calendar"),
    ("", "repeats"),
    ("", "zone"),
    ("", "marks"),
    ("berth", "when"),
    ("crane -winch", "what"),
    ("has:alarm repeats:yes", "where"),
    ("before:2024", "when"),
    ("on:2026-11-24", "when"),
    ("on:2026-11", "what"),
    ("zone:America/Halifax category:LAB", "when"),
    ("-has:attendees", "zone"),
)


def stored(folder: Path, name: str, entries: int, seed: int) -> tuple[Store, Settings]:
    """A store of so many events, made when it is first needed."""
    there = (folder / name).exists()
    store, settings = fresh(folder / name)
    if not there:
        path = folder / f"{name}.ics"
        generate.write(path, entries, seed=seed)
        take_in(store, settings, path)
    return store, settings


def reading_and_writing(results: Results, folder: Path) -> None:
    path = folder / "twenty-thousand.ics"
    size = generate.write(path, results.size(20_000))
    data = path.read_bytes()
    parsed: list[icalendar.Component] = []
    stores: list[Store] = []

    def take(turn: int) -> None:
        store, settings = fresh(folder / f"reading-{turn}")
        take_in(store, settings, path)
        stores.append(store)

    ours, theirs = alternately(take, lambda _: parsed.append(icalendar.Calendar.from_ical(data)))
    note = f"file of {size / 1e6:.1f} MB → stored, searchable (icalendar: parse)"
    results.ratio(note, ours, theirs, 5, 10)
    ledger = Ledger(stores[0])

    def write(_: int) -> None:
        out = io.BytesIO()
        for piece in export.write(stores[0], ledger, None, 1, "ics", ""):
            out.write(piece)

    ours, theirs = alternately(write, lambda turn: parsed[turn].to_ical())
    results.ratio("the same → written out (icalendar: serialise)", ours, theirs, 20, 40)
    for store in stores:
        store.close()
    took, reference, found, other = occurring.month(folder / "reading-0", parsed[0])
    what = f"one month of the {results.size(20_000):,}: {found:,} (recurring-ical-events: {other:,})"
    results.ratio(what, took, reference, 40, 100)


def time_itself(results: Results, folder: Path) -> None:
    recent, old = occurring.age()
    results.limit("a month of series begun a century ago, against last year", old / recent, "×", 1.5, 1.1)
    seconds, pairs = occurring.sweep()
    results.time("overlaps in a year of 100,000 occurrences", seconds, "s", 2, 0.5, f"{pairs:,} pairs")
    stored(folder, "twenty", results.size(20_000), seed=7)[0].close()
    full, empty = occurring.drawn(folder / "twenty", folder)
    results.time("month of the 20,000, from click to drawn", full, "ms", 300, 150, f"{empty:.0f} ms with one entry")


def ledger_and_changes(results: Results, folder: Path) -> None:
    store, settings = stored(folder, "hundred", results.size(100_000), seed=11)
    worst, times = "", []
    for text, sort in FILTERS:
        for descending, offset in ((False, 0), (True, 5_000)):
            ledger = Ledger(store)  # nothing remembered
            took = timed(partial(ledger.page, text, sort, descending, offset))
            worst = f"{text or '(all)'} by {sort}" if not times or took > max(times) else worst
            times.append(took)
    results.time("ledger filter and page, 100,000 stored, worst", max(times) * 1000, "ms", 100, 30, worst)
    results.time("the same, median", statistics.median(times) * 1000, "ms", 100, 30)
    ledger = Ledger(store)
    with store.read() as connection:
        chosen = tuple(list(ledger.ids(connection, Selection()))[: results.size(10_000)])
    sets: list[int] = []
    propose = timed(lambda: sets.append(deletion.propose_deletion(store, ledger, Selection(only=chosen))))
    review = timed(lambda: pages.review(store, sets[0]))
    results.time("preview of deleting 10,000", propose + review, "s", 2, 0.7)
    results.time("applying it", timed(lambda: apply_set(store, sets[0])), "s", 2, 0.7)

    def undo() -> None:
        apply_set(store, propose_undo(store, sets[0]))

    results.time("undoing it", timed(undo), "s", 2, 0.7)
    in_bulk(results, store, settings, chosen)
    store.close()


def in_bulk(results: Results, store: Store, settings: Settings, chosen: tuple[VersionId, ...]) -> None:
    steps = [
        {"do": "map-address", "old": "@skerrow.example", "new": "@lantern.example"},
        {"do": "categories", "mode": "add", "values": ["Moved"]},
    ]

    def propose() -> None:
        jobs.enqueue(store, JobKind.BULK, "bench", {**Selection(only=chosen).as_params(), "steps": steps})
        while jobs.run_next(store, settings, {JobKind.BULK}):
            pass

    took = timed(propose)
    with store.read() as connection:
        _, [made] = list_sets(connection, State.PROPOSED, 0, 1)
    number = SetId(demand_id(made.id))
    results.time("preview of changing 10,000", took + timed(lambda: pages.review(store, number)), "s", 2, 0.7)
    results.time("applying it", timed(lambda: apply_set(store, number)), "s", 2, 0.7)
    results.time("undoing it", timed(lambda: apply_set(store, propose_undo(store, number))), "s", 2, 0.7)


def duplicates(results: Results, folder: Path) -> None:
    got = matching.measure(results.size(matching.EACH))
    results.time(f"duplicates among {got.entries:,}", got.seconds, "s", 30, 8)
    half = matching.took(matching.labelled(results.size(matching.EACH) // 2, seed=3))[0]
    results.limit("the same against half as many", got.seconds / half, "×", 2.5, 2.1)
    kept = matching.stored_measure(folder, results.size(matching.EACH) // 3)
    note = f"{kept.groups:,} groups"
    results.time("  looked for in the store, a third as many", kept.look, "s", 10, 3, note)
    results.time("  a page of groups, and their counts", kept.page * 1000, "ms", 300, 100, note)
    results.time("  proposing to keep one of each", kept.propose, "s", 10, 4, note)
    for kind, (precision, recall) in got.kinds.items():
        results.least(f"  {kind}: precision", precision, 0.99 if kind == "all" else 0.95)
        results.least(f"  {kind}: recall", recall, 0.97 if kind == "all" else 0.95)
    curve = ", ".join(f"{at:g}: {p:.3f}/{r:.3f}" for at, (p, r) in got.curve.items())
    results.least("  by threshold, precision/recall", min(got.curve[matching.THRESHOLD]), 0.97, curve)


def time_set_right(results: Results, folder: Path) -> None:
    fit = mending.fitting()
    results.time(
        "a definition against all zones", fit.mean * 1000, "ms", 50, 10, f"slowest {fit.slowest * 1000:.0f} ms"
    )
    both = mending.comparing(folder, results.size(20_000))
    what = f"two calendars of {both.entries:,} compared, three years"
    results.time(f"{what}, files read", both.whole, "s", 10, 5)
    results.ratio(what, both.ours, both.theirs, 20, 40)
    hidden = mending.inferring(results.size(400), results.size(20_000))
    results.time("400 series found among 20,000 singles", hidden.seconds, "s", 10, 2)
    results.least("  found with exactly their own", hidden.part, 0.95, f"{hidden.false} false")
    results.limit("  false ones", hidden.false, "", 0, 0)


def large_import(results: Results, folder: Path) -> None:
    path = folder / "hundred-megabytes.ics"
    size = generate.write(path, results.size(174_000), seed=13)
    with ProcessPoolExecutor(1, multiprocessing.get_context("spawn")) as alone:
        used = alone.submit(importing.memory_of_import, path, folder / "memory").result(timeout=300)
    note = f"{used / 1e6:.0f} MB more than at the start"
    results.limit(f"memory while importing {size / 1e6:.0f} MB, in files", used / size, "×", 12, 5, note)
    stored(folder, "hundred", results.size(100_000), seed=11)[0].close()
    median, pages_asked = pages.while_importing(folder / "hundred", path)
    results.time("ledger page while 100 MB are imported, median", median * 1000, "ms", 300, 100, f"{pages_asked} pages")


def talking_to_servers(results: Results, folder: Path) -> None:
    many = results.size(connecting.MANY)
    got = connecting.measure(folder, many)
    bare = many / got.bare
    for what, seconds, asked in (
        (f"first pull of {many:,} entries", got.pull, got.pull_requests),
        (f"copying {many:,} to the other server, read back", got.copy, got.copy_requests),
    ):
        rate = many / seconds
        results.rate(f"{what}: {asked:,} requests", rate, bare, 0.9, 1)
    results.limit("refresh without changes, requests a calendar", got.unchanged_requests, "", 2, 1)
    for what, care in zip(("first fetch", "refresh by listing", "refresh by token"), got.care, strict=True):
        results.limit(f"{what} of 10,000, requests beyond what must be, a thousand entries", care, "", 1, 0.2)
    note = f"{got.ten_of_few * 1000:.0f} ms where they are all there is"
    results.limit("refresh with ten changes among 10,000", got.ten_of_many / got.ten_of_few, "×", 2, 1.3, note)


def what_is_kept(results: Results, folder: Path) -> None:
    """A target measured, and the result laid upon many entries."""
    many = results.size(20_000)
    got = keeping.measure(folder / "kept", many)
    results.limit("probe of a server that answers in 20 ms", got.probe, "s", 60, 20, f"{got.requests} requests")
    results.limit("the same, requests", got.requests, "", 400, 250)
    results.limit(f"losses of {many:,} entries foretold", got.forecast, "s", 10, 4)


def a_move(results: Results, folder: Path) -> None:
    """A crossing of thirty lanes, to a target that was measured."""
    many = results.size(20_000)
    got = crossing.measure(folder / "move", many)
    what = f"{many:,} entries in {crossing.LANES} lanes"
    results.limit(f"{what}: rehearsed, with their losses", got.rehearsal, "s", 10, 5)
    # Signing by Digest begins with a request that is refused once (RFC 7616 §3.3).
    results.limit(f"{what}: run again for ten changes, writings", got.requests, "", 11, 11, f"{got.again:.1f} s")
    results.rate(f"{what}: run, against bare writings", many / got.run, many / got.bare, 0.9, 1)
    note = f"{got.unexplained} unexplained"
    results.limit(f"{what}: verified over three years, without fetching", got.verified, "s", 15, 8, note)


def two_sides(results: Results, folder: Path) -> None:
    """Entries that were changed on both sides, each another field, put together."""
    many = results.size(10_000)
    path = folder / "both.ics"
    generate.write(path, many, seed=29)
    base = merging.read_calendar(path.read_bytes())
    objects = [(base.state(key), key) for key in base.objects]

    def changed(state: ObjectState, name: str) -> ObjectState:
        return ObjectState(tuple(with_property(text, name, "Changed meanwhile") for text in state.texts), state.zones)

    pairs = [(state, changed(state, "SUMMARY"), changed(state, "LOCATION")) for state, _ in objects]
    took = timed(lambda: [merge_objects(*pair) for pair in pairs])
    results.limit(f"{len(pairs):,} objects changed on both sides, merged", took, "s", 3, 1)


def under_load(results: Results, folder: Path) -> None:
    """Three calendars of 100,000 entries over thirty years each, and eight that ask at once."""
    store, settings = fresh(folder / "load")
    for k in range(3):
        path = folder / f"load-{k}.ics"
        generate.write(path, results.size(100_000), seed=11 + k, years=30)
        take_in(store, settings, path)
        path.unlink()
    store.close()
    alone, _ = load.loaded(folder / "load", 1, 30)
    found, memory = load.loaded(folder / "load", 8, 60)
    for kind, seconds in found.items():
        hold = 600 if kind == "year" else 250
        note = f"alone {alone.get(kind, 0) * 1000:.0f} ms"
        results.time(f"300,000 stored, eight clients, 95 of 100: {kind}", seconds * 1000, "ms", hold, hold / 2, note)
    results.limit("memory of the main process meanwhile", max(memory), "MB", 300, 200)
    early, late = (statistics.median(part) for part in (memory[4:10], memory[-6:]))
    results.limit("its growth in the second half", late / early, "×", 1.15, 1.05)


def given_to_readers(results: Results, folder: Path) -> None:
    found = sharing.measure(folder, results.size(sharing.ENTRIES))
    for detail, seconds in found.made.items():
        results.time(f"a feed of {results.size(sharing.ENTRIES):,} first made: {detail}", seconds, "s", 1, 0.6)
    results.least(
        "given out again, beside a static file of that size",
        min(1, 2 * found.given / found.static),
        1,
        f"{found.given:,.0f}/s against {found.static:,.0f}/s, twice as many are asked",
    )
    results.least(
        "still the same (304), beside giving it out", min(1, found.same / found.given), 1, f"{found.same:,.0f}/s"
    )
    results.time("the readers' page, a month of it, first drawn", found.drawn_first, "s", 1, 0.6)
    results.time("the same once more", found.drawn, "s", 1, 0.3)
    results.limit("a change is in the feed", found.seen, "s", 2, 1)


def first_screen(results: Results, folder: Path) -> None:
    web = Path(__file__).parents[1] / "src/datebridge/web"
    stored(folder, "hundred", results.size(100_000), seed=11)[0].close()
    seconds, scripts = pages.first_screen(folder / "hundred")
    packed = sum(len(gzip.compress((web / s.lstrip("/")).read_bytes(), 9)) for s in scripts)
    results.time("first screen, 100,000 stored", seconds, "s", 1, 0.5)
    results.limit("its script, compressed", packed / 1000, "kB", 150, 100, f"{len(scripts)} files")


def command_line(results: Results, folder: Path) -> None:
    for what, (ours, theirs) in starting.command_line(folder).items():
        results.share(f"date-bridge {what}, processor time", ours, theirs, 1.5, 1)


PARTS = (
    command_line,
    reading_and_writing,
    time_itself,
    ledger_and_changes,
    duplicates,
    time_set_right,
    large_import,
    talking_to_servers,
    what_is_kept,
    a_move,
    two_sides,
    given_to_readers,
    first_screen,
    under_load,
)


def main(
    only: Annotated[list[str] | None, typer.Option(help="A part to measure; all where none is given.")] = None,
    quick: Annotated[bool, typer.Option("--quick", help="Measure a fifth of the size, to see that it works.")] = False,
) -> None:
    """Measure, and end with 1 where something does not hold."""
    names = [part.__name__ for part in PARTS]
    if unknown := sorted(set(only or ()) - set(names)):
        raise typer.BadParameter(f"{', '.join(unknown)}: there are {', '.join(names)}.")
    console = Console(width=int(os.environ.get("COLUMNS", "150")))
    folder = Path(tempfile.mkdtemp(prefix="date-bridge-bench-"))
    results = Results(Pace(folder), console, quick)
    try:
        for part in PARTS:
            if only and part.__name__ not in only:
                continue
            console.print(f"{part.__name__}")
            took = timed(partial(part, results, folder))
            console.print(f"  ({took:.0f} s)")
    finally:
        shutil.rmtree(folder, ignore_errors=True)
    console.print(results.table)
    sys.exit(0 if results.held else 1)


if __name__ == "__main__":
    typer.run(main)
