"""What was ruled of zone names: of one in a calendar, or of it everywhere; the one of the calendar comes first.

They are made and revoked like all rulings (`store.rulings`), and read wherever an index is made.
"""

from __future__ import annotations

from typing import NamedTuple

from sqlalchemy import Connection, select

from datebridge.core.ids import CalendarId
from datebridge.store.tables import RULINGS

#: What a TZID means: see `subject`.
ZONE = "zone"


class ZoneRuling(NamedTuple):
    """A decision on a TZID; `calendar` None for all. `verdict`: see `core.zones.meaning.Zones.rulings`."""

    id: int
    tzid: str
    calendar: CalendarId | None
    verdict: str
    made_at: int


def subject(tzid: str, calendar: CalendarId | None) -> str:
    """What a ruling is about: a name in a calendar, or everywhere."""
    return f"{tzid}\n{calendar if calendar is not None else ''}"


def zone_rulings(connection: Connection) -> list[ZoneRuling]:
    """The decisions that count, the newest first."""
    rows = connection.execute(
        select(RULINGS).where(RULINGS.c.kind == ZONE, RULINGS.c.revoked_at.is_(None)).order_by(RULINGS.c.id.desc())
    )
    rulings = []
    for row in rows:
        tzid, _, calendar = row.subject.partition("\n")
        where = CalendarId(int(calendar)) if calendar else None
        rulings.append(ZoneRuling(row.id, tzid, where, row.verdict, row.made_at))
    return rulings


def counting(rulings: list[ZoneRuling], calendar: CalendarId | None) -> dict[str, str]:
    """What counts in a calendar; in what is in none yet, where None."""
    everywhere = {ruling.tzid: ruling.verdict for ruling in rulings if ruling.calendar is None}
    return everywhere | {
        ruling.tzid: ruling.verdict for ruling in rulings if calendar is not None and ruling.calendar == calendar
    }
