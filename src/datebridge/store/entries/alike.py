"""Which calendars look like two copies of one: by the UIDs and the titles they share."""

from __future__ import annotations

from collections import Counter, defaultdict
from dataclasses import dataclass
from itertools import combinations

from sqlalchemy import Connection, func, select

from datebridge.core.ids import CalendarId
from datebridge.store.tables import ENTRIES

#: What is in more calendars than this tells none from another.
_EVERYWHERE = 12


@dataclass(frozen=True, slots=True)
class Alike:
    """Two calendars, and how many UIDs and titles are in both."""

    left: CalendarId
    right: CalendarId
    uids: int
    titles: int


def alike(connection: Connection, most: int = 6) -> list[Alike]:
    """The pairs of calendars that share most, the likeliest first: what shares UIDs before what shares titles only."""
    uids = _shared(connection, "uid")
    titles = _shared(connection, "summary")
    pairs = sorted(uids.keys() | titles.keys(), key=lambda pair: (-uids[pair], -titles[pair], pair))
    return [Alike(*pair, uids[pair], titles[pair]) for pair in pairs[:most]]


def _shared(connection: Connection, column: str) -> Counter[tuple[CalendarId, CalendarId]]:
    value = ENTRIES.c[column]
    rows = connection.execute(select(ENTRIES.c.calendar_id, value).distinct().where(ENTRIES.c.listed, value != ""))
    places: defaultdict[str, list[CalendarId]] = defaultdict(list)
    for calendar, text in rows:
        places[text].append(calendar)
    counts: Counter[tuple[CalendarId, CalendarId]] = Counter()
    for calendars in places.values():
        if 1 < len(calendars) <= _EVERYWHERE:
            counts.update(combinations(sorted(calendars), 2))
    return counts


def sizes(connection: Connection) -> dict[CalendarId, int]:
    """How many UIDs there are in each calendar."""
    query = select(ENTRIES.c.calendar_id, func.count(ENTRIES.c.uid.distinct())).where(
        ENTRIES.c.listed, ENTRIES.c.uid != ""
    )
    return {
        CalendarId(calendar): count for calendar, count in connection.execute(query.group_by(ENTRIES.c.calendar_id))
    }
