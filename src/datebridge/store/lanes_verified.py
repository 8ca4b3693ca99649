"""What verifying the lanes of crossings found, and what of it was ruled to be right."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any, NamedTuple

from sqlalchemy import Connection, case, delete, func, insert, select, update

from datebridge.clock import now
from datebridge.core.changes import Item, identity_of
from datebridge.core.ids import LaneId, VersionId
from datebridge.store.crossings import change_lanes
from datebridge.store.sql import among
from datebridge.store.tables import (
    LANE_DIFFERENCES,
    LANE_RULINGS,
    LANES,
    VERSIONS,
)

_INSERT = (
    "INSERT INTO lane_difference (lane_id, position, verdict, source_id, there_id, title, fields, occurrences,"
    " moved_by, cause, reason) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)"
)


class FoundDifference(NamedTuple):
    """What is otherwise at the target than it stands at the source; see `tables.LaneDifference`."""

    verdict: str
    source: VersionId | None
    there: VersionId | None
    title: str
    fields: str = ""
    occurrences: int = 0
    moved_by: int = 0
    cause: str = ""
    reason: str = ""


def keep_verified(
    connection: Connection, lane: LaneId, differences: Iterable[FoundDifference], verified: Mapping[str, Any]
) -> None:
    """Keep what a verification found, in place of the last one."""
    connection.execute(delete(LANE_DIFFERENCES).where(LANE_DIFFERENCES.c.lane_id == lane))
    rows = [(lane, at, *one) for at, one in enumerate(differences, 1)]
    if rows:
        connection.exec_driver_sql(_INSERT, rows)
    change_lanes(connection, [lane], verified=dict(verified), verified_at=now())


class DifferenceKind(NamedTuple):
    """Differences of one kind: the verdict, the fields, why, and how many."""

    verdict: str
    fields: str
    cause: str
    reason: str
    number: int


def kinds_of_difference(connection: Connection, lanes: Iterable[LaneId]) -> list[DifferenceKind]:
    """The differences of some lanes by kind, those nobody can explain first."""
    table = LANE_DIFFERENCES.c
    own = [table.verdict, table.fields, table.cause, table.reason]
    rows = connection.execute(
        select(*own, func.count().label("number"))
        .where(table.lane_id.in_(among(lanes)))
        .group_by(*own)
        .order_by(table.cause != "", func.count().desc(), *own)
    )
    return [DifferenceKind(row[0], row[1], row[2], row[3], row[4]) for row in rows]


class DifferenceRow(NamedTuple):
    """One difference, with its lane."""

    lane: LaneId
    position: int
    verdict: str
    source: VersionId | None
    there: VersionId | None
    title: str
    fields: str
    occurrences: int
    moved_by: int
    cause: str
    reason: str


def differences_of(
    connection: Connection,
    lanes: Iterable[LaneId],
    kind: DifferenceKind | None = None,
    offset: int = 0,
    limit: int | None = None,
) -> list[DifferenceRow]:
    """Differences of some lanes, or those of one kind, in their order."""
    table = LANE_DIFFERENCES.c
    query = select(LANE_DIFFERENCES).where(table.lane_id.in_(among(lanes)))
    if kind is not None:
        query = query.where(
            table.verdict == kind.verdict,
            table.fields == kind.fields,
            table.cause == kind.cause,
            table.reason == kind.reason,
        )
    rows = connection.execute(query.order_by(table.lane_id, table.position).offset(offset).limit(limit))
    return [DifferenceRow(*row) for row in rows]


def explain(connection: Connection, lane: LaneId, positions: Iterable[int], cause: str, reason: str) -> None:
    """Why differences are so, which was not known before; the lane's counts follow."""
    table = LANE_DIFFERENCES.c
    own = table.lane_id == lane
    connection.execute(
        update(LANE_DIFFERENCES).where(own, table.position.in_(among(positions))).values(cause=cause, reason=reason)
    )
    counted = select(
        func.coalesce(func.sum(case((table.cause != "", 1), else_=0)), 0),
        func.coalesce(func.sum(case((table.cause == "", 1), else_=0)), 0),
    )
    explained, unexplained = connection.execute(counted.where(own, table.verdict != "left")).one()
    verified = connection.execute(select(LANES.c.verified).where(LANES.c.id == lane)).scalar_one()
    counts = {"explained": explained, "unexplained": unexplained}
    change_lanes(connection, [lane], verified={**verified, **counts})


def states_of(connection: Connection, versions: Iterable[VersionId]) -> dict[VersionId, Item[VersionId]]:
    """Versions as far as recognising them needs it, in force or not."""
    names = ("id", "component", "uid", "recurrence_id", "digest", "sequence", "modified")
    rows = connection.execute(select(*(VERSIONS.c[name] for name in names)).where(VERSIONS.c.id.in_(among(versions))))
    items = {}
    for row in rows:
        identity = identity_of(row.component, row.uid, row.recurrence_id, row.digest)
        items[VersionId(row.id)] = Item(identity, row.digest, VersionId(row.id), row.sequence, row.modified)
    return items


def titles_of(connection: Connection, versions: Iterable[VersionId]) -> dict[VersionId, str]:
    """The titles of versions, in force or not."""
    rows = connection.execute(select(VERSIONS.c.id, VERSIONS.c.summary).where(VERSIONS.c.id.in_(among(versions))))
    return {VersionId(row.id): row.summary for row in rows}


def rule(connection: Connection, lane: LaneId, digests: Iterable[bytes]) -> None:
    """Remember that somebody ruled differences to be right."""
    rows = [{"lane_id": lane, "digest": digest} for digest in set(digests)]
    if rows:
        connection.execute(insert(LANE_RULINGS).prefix_with("OR IGNORE"), rows)


def rulings_of(connection: Connection, lane: LaneId) -> set[bytes]:
    """What was ruled to be right in a lane."""
    return set(connection.execute(select(LANE_RULINGS.c.digest).where(LANE_RULINGS.c.lane_id == lane)).scalars())
