"""What is measured, beside what it must hold, and how fast the machine is meanwhile."""

from __future__ import annotations

import gc
import statistics
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

import icalendar
from rich.console import Console
from rich.table import Table

from bench import generate


def timed(work: Callable[[], object]) -> float:
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def alternately(ours: Callable[[int], object], theirs: Callable[[int], object]) -> tuple[float, float]:
    """The median times of two kinds of work, each done three times in turn; both are told which time it is.

    What one leaves behind is not gone through again and again while the other works.
    """

    def apart(work: Callable[[int], object], turn: int) -> float:
        gc.collect()
        gc.freeze()
        return timed(partial(work, turn))

    pairs = [(apart(ours, turn), apart(theirs, turn)) for turn in range(3)]
    first, second = zip(*pairs, strict=True)
    return statistics.median(first), statistics.median(second)


class Pace:
    """How fast the machine is just now, by work of the same kind: icalendar reading a few hundred events.

    1 is the machine the numbers were set on. A limit in milliseconds holds at that pace, so that what else the
    machine does decides nothing.
    """

    #: Seconds that reading 600 events took there: 20,000 took 17.7 s.
    _REFERENCE = 17.7 * 600 / 20_000

    def __init__(self, folder: Path) -> None:
        path = folder / "pace.ics"
        generate.write(path, 600, seed=5)
        self._data = path.read_bytes()
        self._last = self._measure()

    def _measure(self) -> float:
        return min(timed(lambda: icalendar.Calendar.from_ical(self._data)) for _ in range(2)) / self._REFERENCE

    def around(self) -> float:
        """The pace between the last time this was asked and now."""
        before, self._last = self._last, self._measure()
        return (before + self._last) / 2


class Results:
    """What was measured, told row by row as it comes.

    Attributes:
        quick: a fifth of the size is measured: limits of times do not say much then.
        held: whether every row so far holds.
    """

    def __init__(self, pace: Pace, console: Console, quick: bool = False) -> None:
        self.pace, self.console, self.quick = pace, console, quick
        self.table = Table("what", "measured", "baseline", "so", "hold", "aim", "", title="Date Bridge, measured")
        self.held = True

    def size(self, whole: int) -> int:
        """How many there are to be in this run, of those in a whole one."""
        return whole // 5 if self.quick else whole

    def ratio(self, what: str, ours: float, theirs: float, hold: float, aim: float) -> None:
        factor = theirs / ours
        self._row(
            what,
            f"{ours:.2f} s",
            f"{theirs:.2f} s",
            f"{factor:.1f}×",
            f"{hold:g}×",
            f"{aim:g}×",
            factor >= hold,
            factor >= aim,
        )

    def rate(self, what: str, ours: float, theirs: float, hold: float, aim: float) -> None:
        factor = ours / theirs
        self._row(
            what,
            f"{ours:,.0f} entries/s",
            f"{theirs:,.0f}/s, bare PUTs",
            f"{factor:.2f}×",
            f"{hold:g}×",
            f"{aim:g}×",
            factor >= hold,
            factor >= aim,
        )

    def limit(self, what: str, value: float, unit: str, hold: float, aim: float, note: str = "") -> None:
        """A number that is a ratio or a size by itself."""
        shown = f"{value:.3g} {unit}"
        self._row(what, shown, note, "", f"{hold:g} {unit}", f"{aim:g} {unit}", value <= hold, value <= aim)

    def time(self, what: str, value: float, unit: str, hold: float, aim: float, note: str = "") -> None:
        """A time, held at the machine's pace around it."""
        pace = self.pace.around()
        paced = value / pace
        self._row(
            what,
            f"{value:.3g} {unit}",
            note or f"at pace {pace:.2f}",
            f"{paced:.3g} {unit}",
            f"{hold:g} {unit}",
            f"{aim:g} {unit}",
            paced <= hold,
            paced <= aim,
        )

    def least(self, what: str, value: float, hold: float, note: str = "") -> None:
        """A share that must not be less."""
        self._row(what, f"{value:.4f}", note, "", f"{hold:g}", "1", value >= hold, value >= 0.9999)

    def share(self, what: str, ours: float, theirs: float, hold: float, aim: float) -> None:
        """Processor time as a multiple of somebody else's."""
        factor = ours / theirs
        self._row(
            what,
            f"{ours:.2f} s",
            f"{theirs:.2f} s, import icalendar",
            f"{factor:.2f}×",
            f"{hold:g}×",
            f"{aim:g}×",
            factor <= hold,
            factor <= aim,
        )

    def _row(self, *cells: object) -> None:
        *texts, held, aimed = cells
        self.held &= bool(held)
        verdict = "[green]aim met[/]" if aimed else "holds" if held else "[red]does not hold[/]"
        self.table.add_row(*map(str, texts), verdict)
        what, measured, baseline, so, hold, aim = map(str, texts)
        self.console.print(
            f"  {what}: {' · '.join(filter(None, (measured, baseline, so)))} (hold {hold}, aim {aim}) {verdict}"
        )
