"""What belongs to one series and stands scattered: found by looking at all entries, kept as an index."""

from __future__ import annotations

import json
from collections.abc import Iterable, Sequence
from typing import Any, Literal, NamedTuple

from sqlalchemy import Connection, delete, func, select, update

from datebridge.core.ids import CalendarId, JobId, VersionId
from datebridge.core.job_kinds import JobKind
from datebridge.store.jobs import queue_once
from datebridge.store.sql import among
from datebridge.store.tables import ENTRIES, JOBS, META, SCATTERED

Of = Literal["inferred", "pieces", "detached", "endless"]


class Scattered(NamedTuple):
    """Entries that belong to one series; or a series without end (`endless`) that nobody has touched for years.

    Attributes:
        words: the rule in words, or what is the matter.
        data: what it takes to put them together; see `services.mend.series`.
    """

    id: int
    kind: Of
    calendar: CalendarId
    title: str
    words: str
    confidence: float
    entries: list[VersionId]
    data: dict[str, Any]


_ALL = [SCATTERED.c[name] for name in ("id", "kind", "calendar_id", "title", "words", "confidence", "entries", "data")]


def keep(connection: Connection, scattered: Iterable[Scattered], revision: int) -> None:
    """Keep what was found, in place of what there was, as of a revision of the entries."""
    connection.execute(delete(SCATTERED))
    rows = [
        (
            series.kind,
            series.calendar,
            series.title,
            series.words,
            series.confidence,
            json.dumps(series.entries),
            json.dumps(series.data),
        )
        for series in scattered
    ]
    if rows:
        connection.exec_driver_sql(
            "INSERT INTO scattered (kind, calendar_id, title, words, confidence, entries, data)"
            " VALUES (?, ?, ?, ?, ?, ?, ?)",
            rows,
        )
    connection.execute(update(META).values(scattered=revision))


def page(
    connection: Connection, kind: Of | None, offset: int, limit: int | None, calendar: CalendarId | None = None
) -> tuple[int, list[Scattered]]:
    """What was found and is still all there, the surest first; how many there are in all.

    Args:
        kind, calendar: only of this kind, in this calendar.
    """
    wanted = select(*_ALL)
    if kind is not None:
        wanted = wanted.where(SCATTERED.c.kind == kind)
    if calendar is not None:
        wanted = wanted.where(SCATTERED.c.calendar_id == calendar)
    series_there = [
        Scattered(*row) for row in connection.execute(wanted.order_by(SCATTERED.c.confidence.desc(), SCATTERED.c.id))
    ]
    there = _there(connection, series_there)
    series_there = [series for series in series_there if there.issuperset(series.entries)]
    return len(series_there), series_there[offset : None if limit is None else offset + limit]


def some(connection: Connection, numbers: Sequence[int]) -> list[Scattered]:
    """Some of them, of those that are still all there."""
    rows = connection.execute(select(*_ALL).where(SCATTERED.c.id.in_(among(numbers))).order_by(SCATTERED.c.id))
    scattered = [Scattered(*row) for row in rows]
    there = _there(connection, scattered)
    return [series for series in scattered if there.issuperset(series.entries)]


def _there(connection: Connection, scattered: Sequence[Scattered]) -> set[VersionId]:
    ids = {entry for series in scattered for entry in series.entries}
    return set(connection.execute(select(ENTRIES.c.id).where(ENTRIES.c.id.in_(among(ids)))).scalars())


def counts(connection: Connection) -> dict[str, int]:
    """How many there are, by kind."""
    rows = connection.execute(select(SCATTERED.c.kind, func.count()).group_by(SCATTERED.c.kind))
    return dict(rows.all())


def looking(connection: Connection) -> tuple[bool, JobId | None]:
    """Whether entries have changed since, and the job that looks now."""
    outdated = bool(connection.execute(select(META.c.scattered != META.c.revision)).scalar_one())
    wanted = select(JOBS.c.id).where(JOBS.c.kind == "scattered", JOBS.c.state.in_(("queued", "running")))
    number = connection.execute(wanted.order_by(JOBS.c.id.desc()).limit(1)).scalar()
    return outdated, JobId(number) if number is not None else None


def queue_looking(connection: Connection) -> None:
    """Queue looking for what is scattered, unless that is queued already."""
    queue_once(connection, JobKind.SCATTERED, "Looking for scattered series")
