"""Whether entries happen after a change as they did before it: equal where they must be, different only where asked.

>>> one = "BEGIN:VEVENT\\nUID:1\\nDTSTART:20261124T080000Z\\nRRULE:FREQ=DAILY;COUNT=2\\nEND:VEVENT"
>>> other = one.replace("RRULE:FREQ=DAILY;COUNT=2", "RDATE:20261125T080000Z")
>>> differences([one], [other]), [d.verdict for d in differences([one], [one.replace("COUNT=2", "COUNT=1")])]
([], ['missing'])
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from datebridge.core.comparing.fields import differing
from datebridge.core.comparing.series import Difference, Point, compare, points
from datebridge.core.errors import CannotDo
from datebridge.core.index.derive import derive
from datebridge.core.moments import Clock
from datebridge.core.occurrences.expanding import Clocks, Timed, timed
from datebridge.core.recurrence.pattern import pattern
from datebridge.core.recurrence.starts import DAY
from datebridge.core.zones.meaning import NO_ZONES, Zones

#: A series without end is compared this far beyond the last thing that is said of it.
_AHEAD = 5 * 366 * DAY


class NotTheSame(CannotDo):
    """A change would do more than it was asked to; the message says what."""

    code, title = "not-the-same", "This would change more than intended"


def differences(before: Iterable[str], after: Iterable[str], zones: Zones = NO_ZONES) -> list[Difference]:
    """What happens otherwise, whatever the UIDs; nothing where all of it is the same."""
    return compared(before, after, zones)[1]


def compared(before: Iterable[str], after: Iterable[str], zones: Zones = NO_ZONES) -> tuple[int, list[Difference]]:
    """How many times are the same, and what happens otherwise.

    The entries of the points are numbered from 1 on, those before first, in the order given.
    """
    texts: dict[int, str] = {}
    left, right = _timed(before, zones, texts), _timed(after, zones, texts)
    low, high = _span([*left, *right])

    def clocks(calendar: int, tzid: str) -> Clock | None:
        return zones.clock(tzid)

    one, other = (_all(side, low, high, clocks) for side in (left, right))
    same, different = compare(one, other, lambda a, b: differing(texts[a], texts[b]))
    return len(same), different


def _timed(texts: Iterable[str], zones: Zones, texts_by: dict[int, str]) -> list[Timed]:
    entries = []
    for text in texts:
        kind = text.partition("\n")[0].partition(":")[2].strip().upper()
        texts_by[len(texts_by) + 1] = text
        one = timed(derive(kind, text, zones), len(texts_by))
        if one is not None:
            entries.append(one)
    return entries


def _all(entries: Sequence[Timed], low: int, high: int, clocks: Clocks) -> list[Point]:
    return [point for some in points(entries, low, high, clocks).values() for point in some]


def _span(entries: Sequence[Timed]) -> tuple[int, int]:
    if not entries:
        return 0, 0
    extra = [moment for entry in entries for moment in pattern(entry.recurrence).extra]
    low = min([*(entry.start_wall for entry in entries), *extra])
    ends = [entry.end_wall if entry.until_wall is None else entry.until_wall for entry in entries]
    high = max([*ends, *extra])
    if any(entry.until_wall is None for entry in entries):
        high += _AHEAD
    return low - 2 * DAY, high + 2 * DAY


def must_be_same(before: Iterable[str], after: Iterable[str], zones: Zones = NO_ZONES) -> None:
    """Refuse a change after which something happens otherwise.

    Raises:
        NotTheSame: if something does.
    """
    different = differences(before, after, zones)
    if different:
        raise NotTheSame(f"{len(different):,} of its times would not be as they are now.")
