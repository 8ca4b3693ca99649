"""Two files compared, occurrence by occurrence: ``date-bridge compare``."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from datebridge.core.comparing import Difference, Held, PairedEntries, Point, Verdict, reconcile, summary
from datebridge.core.index.facts import Mark
from datebridge.core.matching.files import FileEntry, Stored
from datebridge.core.moments import Clock
from datebridge.core.occurrences.expanding import Bounds, clock_of
from datebridge.core.recurrence.starts import DAY
from datebridge.core.text.reader import RawComponent
from datebridge.core.views.expansion import spelled

#: What never ends is compared this far beyond everything else.
_AHEAD = 2 * 366 * DAY


class Told(NamedTuple):
    """A difference as it is told, in the spellings of DESIGN §6."""

    verdict: Verdict
    uid: str
    recurrence_id: str | None
    left: dict[str, str] | None
    right: dict[str, str] | None
    fields: tuple[str, ...]
    moved_by: int

    def as_dict(self) -> dict[str, object]:
        """Plain values for JSON."""
        return {**self._asdict(), "fields": list(self.fields)}


class Comparison(NamedTuple):
    """What two files have in common and what not; titles of series of which not all times were compared."""

    summary: dict[Verdict, int]
    differences: list[Told]
    cut: list[str]


def both(left: tuple[str, Iterable[RawComponent]], right: tuple[str, Iterable[RawComponent]]) -> Stored:
    """Two files by their components, read so that they can be compared."""
    return Stored.read({f"1 {left[0]}": left[1], f"2 {right[0]}": right[1]})


def compare_files(stored: Stored, low: int | None = None, high: int | None = None) -> Comparison:
    """Compare two files.

    Args:
        stored: what `both` reads.
        low, high: over which span, in UTC seconds; over all they hold where none is given.
    """
    first, last = _span(stored)
    sides = [
        [item for item in stored.items if item.key.file.startswith(f"{n} ") and item.component == "VEVENT"]
        for n in (1, 2)
    ]
    bounds = Bounds(left=1_000_000)
    pairs = reconcile(
        sides[0],
        sides[1],
        lambda keys: stored.texts,
        first if low is None else low,
        last if high is None else high,
        clocks=stored.clock,
        bounds=bounds,
    )
    told = [_told(stored, pair, difference) for pair in pairs for difference in pair.differences]
    told.sort(key=lambda message: ((message.left or message.right or {}).get("start", ""), message.uid))
    cut = [pair.left.first.title for pair in pairs if pair.cut and pair.left is not None]
    return Comparison(summary(pairs), told, cut)


def _span(stored: Stored) -> tuple[int, int]:
    """All that is held, and what never ends for some time more."""
    placed = [facts for facts in stored.facts.values() if facts.start_wall is not None]
    low = min((facts.start_wall or 0 for facts in placed), default=0)
    ends = [facts.until_wall if facts.until_wall is not None else facts.end_wall or 0 for facts in placed]
    high = max(ends, default=0)
    if any(facts.marks & Mark.ENDLESS for facts in placed):
        high += _AHEAD
    return low - 2 * DAY, high + 2 * DAY


def _told(stored: Stored, pair: PairedEntries[FileEntry], difference: Difference) -> Told:
    point = difference.left or difference.right
    held = pair.left if difference.left is not None else pair.right
    first = held.first if held is not None else None
    clock = clock_of(first.timed, stored.clock) if first is not None and first.timed is not None else None
    slot = None
    if point is not None and point.slot is not None:
        slot = spelled(point.slot, clock, point.all_day)
    uid = first.uid if first is not None else ""
    left, right = _side(stored, pair.left, difference.left), _side(stored, pair.right, difference.right)
    return Told(difference.verdict, uid, slot, left, right, difference.fields, difference.moved_by)


def _side(stored: Stored, held: Held[FileEntry] | None, point: Point | None) -> dict[str, str] | None:
    if point is None or held is None:
        return None
    item = next((item for item in held.items if item.timed is not None and item.timed.id == point.entry), held.first)
    clock: Clock | None = clock_of(item.timed, stored.clock) if item.timed is not None else None
    start, end = (spelled(moment, clock, point.all_day) for moment in (point.start, point.end))
    return {"summary": item.title, "start": start, "end": end}
