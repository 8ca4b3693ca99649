"""Entries on their way out: in which order, with which definitions, and what is doubtful about them."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import NamedTuple

from sqlalchemy import Connection, case, func, select

from datebridge.core.ids import CalendarId, VersionId
from datebridge.core.index.facts import Mark
from datebridge.core.objects import ENDLESS
from datebridge.store.entries.present import Written
from datebridge.store.sql import among, chunks
from datebridge.store.tables import ENTRIES, FINDINGS, TEXTS

#: How many texts are fetched at once.
_TEXTS = 2_000


class ZonesUsed(NamedTuple):
    """The zone names that entries use, and from when to when, in wall seconds."""

    tzids: set[str]
    first: int
    last: int


def listed_of(connection: Connection, calendar: CalendarId) -> list[VersionId]:
    """The entries of a calendar, in the order in which they came."""
    own = (ENTRIES.c.calendar_id == calendar) & ENTRIES.c.listed
    return list(connection.execute(select(ENTRIES.c.id).where(own).order_by(ENTRIES.c.id)).scalars())


def by_calendar(connection: Connection, ids: Iterable[VersionId]) -> dict[CalendarId, list[VersionId]]:
    """Entries by their calendar, in the order in which they came."""
    wanted = select(ENTRIES.c.id, ENTRIES.c.calendar_id).where(ENTRIES.c.id.in_(among(ids)))
    versions: dict[CalendarId, list[VersionId]] = {}
    for row in connection.execute(wanted.order_by(ENTRIES.c.id)):
        versions.setdefault(CalendarId(row.calendar_id), []).append(VersionId(row.id))
    return versions


def texts(connection: Connection, ids: Iterable[VersionId]) -> Iterator[str]:
    """Entry texts in the order of ascending ids, without holding them all."""
    for chunk in chunks(ids, _TEXTS):
        wanted = select(TEXTS.c.text).where(TEXTS.c.id.in_(among(chunk))).order_by(TEXTS.c.id)
        yield from connection.execute(wanted).scalars().all()


def in_order_of_start(connection: Connection, ids: Iterable[VersionId]) -> Iterator[Written]:
    """Entries with their texts, in order of start, without holding them all."""
    start = func.coalesce(ENTRIES.c.start, 0)
    ordered = select(ENTRIES.c.id).where(ENTRIES.c.id.in_(among(ids))).order_by(start, ENTRIES.c.id)
    for chunk in chunks(connection.execute(ordered).scalars().all(), _TEXTS):
        rows = connection.execute(
            select(ENTRIES.c.id, ENTRIES.c.calendar_id, ENTRIES.c.component, TEXTS.c.text)
            .join(TEXTS, TEXTS.c.id == ENTRIES.c.id)
            .where(ENTRIES.c.id.in_(among(chunk)))
        )
        versions = {row.id: Written(*row) for row in rows}
        yield from (versions[i] for i in chunk)


def zones_used(connection: Connection, ids: Iterable[VersionId]) -> ZonesUsed:
    """The zone names in some entries."""
    ends = func.max(func.max(ENTRIES.c.start_wall, func.coalesce(ENTRIES.c.until_wall, ENDLESS)))
    rows = connection.execute(
        select(ENTRIES.c.tzids, func.min(ENTRIES.c.start_wall).label("first"), ends.label("last"))
        .where(ENTRIES.c.tzids != "", ENTRIES.c.id.in_(among(ids)))
        .group_by(ENTRIES.c.tzids)
    ).all()
    placed = [row for row in rows if row.first is not None]
    return ZonesUsed(
        {tzid for row in rows for tzid in row.tzids.split("\x1f")},
        min((row.first for row in placed), default=0),
        max((row.last for row in placed), default=0),
    )


def privacy_counts(connection: Connection, ids: Iterable[VersionId]) -> dict[str, int]:
    """How many of some entries other programs may not understand, by why."""
    wanted = list(ids)

    def marked(mark: int) -> object:
        return ENTRIES.c.marks.op("&")(mark) != 0

    unplaced = case((marked(Mark.UNPLACED) & (ENTRIES.c.component == "VEVENT"), 1), else_=0)  # type: ignore[operator]
    unresolved = case((marked(Mark.UNRESOLVED_ZONE), 1), else_=0)  # type: ignore[arg-type]
    row = connection.execute(
        select(
            func.coalesce(func.sum(unplaced), 0).label("unplaced"),
            func.coalesce(func.sum(unresolved), 0).label("unresolved"),
        ).where(ENTRIES.c.id.in_(among(wanted)))
    ).one()
    rows = connection.execute(
        select(FINDINGS.c.code, func.count(FINDINGS.c.version_id.distinct()))
        .where(FINDINGS.c.code.in_(("not-a-content-line", "no-uid")), FINDINGS.c.version_id.in_(among(wanted)))
        .group_by(FINDINGS.c.code)
    )
    return {"unplaced": row.unplaced, "unresolved": row.unresolved, **dict(rows.all())}
