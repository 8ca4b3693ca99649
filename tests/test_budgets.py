"""What each piece of work may cost, counted: calls and lines of our own Python, and statements of SQL.

Seconds say little on a machine that others use too; counts are the same on all of them. `budgets.toml` holds them: a
test fails where one is exceeded by more than three in a hundred, and raising one needs its reason beside it.
"""

from __future__ import annotations

import gzip
import io
import re
import subprocess
import sys
import tomllib
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from datetime import date
from pathlib import Path
from types import FrameType

import pytest
from bench import generate
from bench.__main__ import FILTERS
from sqlalchemy import Engine, event

import datebridge
from datebridge.core.changes import State
from datebridge.core.checks import examine
from datebridge.core.comparing.files import both, compare_files
from datebridge.core.ids import CalendarId, SetId
from datebridge.core.inspection import inspect
from datebridge.core.job_kinds import JobKind
from datebridge.core.language.filters import Selection
from datebridge.core.moments import wall_seconds_of
from datebridge.core.recurrence.starts import DAY
from datebridge.core.sharing.terms import Terms
from datebridge.core.text.lines import fence_of
from datebridge.core.text.reader import Reader
from datebridge.services.exports import export
from datebridge.services.jobs import jobs
from datebridge.services.mend.deletion import propose_deletion
from datebridge.services.running import worker
from datebridge.services.sharing.plans import Plan, content_of
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.changesets.review import breakdown, changes_page, list_sets, warnings
from datebridge.store.changesets.undo import propose_undo
from datebridge.store.entries.ledger import Ledger
from datebridge.store.entries.occurrences import OccurrenceReader
from tests.conftest import Bench, prepared
from tests.world import World, berth

OWN = str(Path(datebridge.__file__).parent)
BUDGETS = tomllib.loads((Path(__file__).parent / "budgets.toml").read_text("utf-8"))
#: By so much a budget may be exceeded, and how much less it may be before it is to be lowered.
OVER, UNDER = 1.03, 0.8
#: How many entries are worked on.
MANY = 300
WEB = Path(OWN) / "web"
STEPS = [
    {"do": "map-address", "old": "@skerrow.example", "new": "@lantern.example"},
    {"do": "categories", "mode": "add", "values": ["Moved"]},
]

pytestmark = pytest.mark.skipif(
    sys.version_info[:2] != (3, 11) or sys.gettrace() is not None,
    reason="lines are counted as Python 3.11 has them, and by nobody else meanwhile",
)


class Count:
    """How often something of our own was called, how many of its lines ran, and how many statements were made."""

    def __init__(self) -> None:
        self.calls = self.lines = self.statements = 0

    def within(self, frame: FrameType, what: str, _: object) -> object:
        self.lines += what == "line"
        return self.within

    def trace(self, frame: FrameType, _: str, __: object) -> object:
        if not frame.f_code.co_filename.startswith(OWN):
            return None
        self.calls += 1
        return self.within


@contextmanager
def counting() -> Iterator[Count]:
    count = Count()

    def statement(*_: object) -> None:
        count.statements += 1

    event.listen(Engine, "before_cursor_execute", statement)
    sys.settrace(count.trace)  # type: ignore[arg-type]
    try:
        yield count
    finally:
        sys.settrace(None)
        event.remove(Engine, "before_cursor_execute", statement)


def least(counts: Iterable[Count]) -> Count:
    """The least of them: now and then a connection is opened, or rubbish collected, while somebody counts."""
    return min(counts, key=lambda count: (count.statements, count.lines, count.calls))


def counted(work: Callable[[], object]) -> Count:
    """What some work costs once all that is remembered for ever is remembered."""
    work()

    def again() -> Count:
        with counting() as count:
            work()
        return count

    return least(again() for _ in range(3))


def holds(name: str, **got: float) -> None:
    """Compare with what is allowed.

    Raises:
        AssertionError: saying what is to be done.
    """
    budget = BUDGETS.get(name, {})
    for what, value in got.items():
        most = budget.get(what, 0)
        told = f"{name}: {what} are {value:g}, {most:g} are allowed"
        # A connection is opened, something is remembered: a little of the whole, next to nothing of each entry.
        by_chance = (3 if isinstance(value, int) else 0.25) if what in ("calls", "lines") else 0
        if what == "statements" and isinstance(value, float):  # a job that takes longer says more often how far it is
            by_chance = 0.1
        assert value <= most * OVER + by_chance, f"{told}: look why, or raise it and say why"
        assert value >= most * UNDER, f"{told}: lower it, so that this is kept"


def each(count: Count, of: int = MANY) -> dict[str, float]:
    """Calls and lines by entry."""
    return {"calls": round(count.calls / of, 2), "lines": round(count.lines / of, 2)}


def file_of(many: int = MANY, seed: int = 7) -> bytes:
    text = "\n".join(generate.entries(many, seed))
    return f"BEGIN:VCALENDAR\nVERSION:2.0\nPRODID:-//Skerrow//Bench//EN\n{text}\nEND:VCALENDAR\n".encode()


def fill(bench: Bench) -> None:
    bench.bring(file_of(), "Bench")


filled = prepared(fill)


def test_reading() -> None:
    data = file_of()
    holds("reading", **each(counted(lambda: list(Reader(io.BytesIO(data))))))


def test_indexing_and_checking() -> None:
    texts = list(generate.entries(MANY))
    holds("indexing and checking", **each(counted(lambda: [examine("VEVENT", text) for text in texts])))


def test_writing_out(fill: Bench) -> None:
    def write() -> None:
        for _ in export.write(fill.store, fill.ledger, None, 1, "ics", ""):
            pass

    count = counted(write)
    holds("writing out", **each(count), statements=count.statements)


@pytest.mark.parametrize(("text", "sort"), FILTERS)
def test_a_page(fill: Bench, text: str, sort: str) -> None:
    def page() -> None:
        Ledger(fill.store).page(text, sort)  # nothing of the entries is remembered

    count = counted(page)
    budget = f"page: {text or 'all'} by {sort}"
    holds(budget, calls=count.calls, lines=count.lines, statements=count.statements)


def test_a_month(fill: Bench) -> None:
    low = wall_seconds_of(date(2026, 11, 1))
    count = counted(lambda: OccurrenceReader(fill.store).window(low, low + 30 * DAY, "UTC", [1]))
    holds("a month", calls=count.calls, lines=count.lines, statements=count.statements)


def _preview(bench: Bench, set_id: int) -> None:
    with bench.store.read() as connection:
        breakdown(connection, set_id)
        warnings(connection, set_id)
        changes_page(connection, set_id, 0, 100)


@pytest.mark.parametrize("what", ["deleting", "changing"])
def test_a_change_set(fill: Bench, what: str) -> None:
    def propose() -> SetId:
        if what == "deleting":
            return SetId(propose_deletion(fill.store, fill.ledger, Selection("after:2020")))
        jobs.enqueue(fill.store, JobKind.BULK, "budget", {**Selection("after:2020").as_params(), "steps": STEPS})
        worker.drain(fill.store, fill.settings)
        with fill.store.read() as connection:
            return SetId(list_sets(connection, State.PROPOSED, 0, 1)[1][0].id or 0)

    counts: dict[str, list[Count]] = {"preview": [], "apply": [], "undo": []}
    for _ in range(4):
        with counting() as proposing:
            number = propose()
            _preview(fill, number)
        with counting() as applying:
            apply_set(fill.store, number)
        with counting() as undoing:
            apply_set(fill.store, propose_undo(fill.store, number))
        for step, count in zip(counts, (proposing, applying, undoing), strict=True):
            counts[step].append(count)
    entries = len(fill.entries("after:2020"))
    for step, several in counts.items():
        count = least(several[1:])  # the first one has everything remembered that is
        holds(f"{what}: {step}", **each(count, entries), statements=count.statements)


def test_comparing() -> None:
    data = file_of()
    other = data.replace(b"SUMMARY:Seminar 1", b"SUMMARY:Lecture 1")
    low, high = (wall_seconds_of(date(year, 1, 1)) for year in (2024, 2027))

    def compare() -> None:
        left, right = (list(Reader(io.BytesIO(one))) for one in (data, other))
        compare_files(both(("left.ics", left), ("right.ics", right)), low, high)

    holds("comparing", **each(counted(compare)))


def test_a_feed(fill: Bench) -> None:
    plan = Plan("", Terms(), (CalendarId(1),))

    def render() -> None:
        with fill.store.read() as connection:
            content_of(connection, fill.ledger, plan, date(2026, 11, 24))

    count = counted(render)
    holds("a share's feed", **each(count), statements=count.statements)


def test_pulling_and_pushing(world: World) -> None:
    world.put("lantern", "berths", *map(berth, range(60)))
    account = world.connect("lantern")
    world.put("lantern", "berths", *(berth(number, name="moved") for number in range(60)))
    with counting() as pulling:
        world.refresh(account)
    world.delete("what:moved")
    with counting() as pushing:
        world.work()
    holds("pulling", statements=pulling.statements / 60)
    holds("pushing", statements=pushing.statements / 60)


@pytest.mark.parametrize("command", ["--help", "inspect"])
def test_what_a_command_imports(command: str, tmp_path: Path) -> None:
    file = tmp_path / "small.ics"
    file.write_bytes(file_of(3))
    program = (
        "import sys, atexit\n"
        "atexit.register(lambda: print('MODULES', len([m for m in sys.modules if m.startswith('datebridge')]),"
        " len(sys.modules), file=sys.stderr))\n"
        "from datebridge.cli.main import main\nmain()"
    )
    arguments = [command] if command == "--help" else [command, str(file)]
    ran = subprocess.run([sys.executable, "-c", program, *arguments], capture_output=True, text=True, check=False)
    own, every = map(int, re.findall(r"MODULES (\d+) (\d+)", ran.stderr)[0])
    holds(f"command: {command}", modules=own, all_modules=every)


def test_inspecting() -> None:
    data = file_of()
    holds("inspecting", **each(counted(lambda: inspect(io.BytesIO(data)))))


@pytest.mark.skipif(not (WEB / "index.html").exists(), reason="the pages are not built")
def test_scripts() -> None:
    scripts = list((WEB / "_app").rglob("*.js"))
    packed = sum(len(gzip.compress(script.read_bytes(), 9)) for script in scripts)
    holds("scripts of all pages", kB=round(packed / 1000), files=len(scripts))


def test_a_slip_is_caught() -> None:
    """A needless look at each line of an entry costs more than a budget leaves."""
    texts = list(generate.entries(MANY))

    def slow() -> None:
        for text in texts:
            examine("VEVENT", text)
            for line in text.split("\n"):
                fence_of(line)

    with pytest.raises(AssertionError, match="are allowed"):
        holds("indexing and checking", **each(counted(slow)))
