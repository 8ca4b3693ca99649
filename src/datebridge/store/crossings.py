"""Crossings, their lanes, what each lane has carried, and what verifying it found."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, NamedTuple

from sqlalchemy import Connection, and_, case, delete, func, insert, or_, select, update
from sqlmodel import Session, col
from sqlmodel import select as records

from datebridge.clock import now
from datebridge.core.checks import ALL
from datebridge.core.errors import CannotDo
from datebridge.core.ids import AccountId, CalendarId, CrossingId, LaneId, VersionId
from datebridge.core.index.facts import Mark
from datebridge.store.sql import among
from datebridge.store.tables import (
    CROSSINGS,
    CUTOVER_ACTS,
    ENTRIES,
    FINDINGS,
    LANE_DIFFERENCES,
    LANE_RULINGS,
    LANE_SETS,
    LANES,
    Crossing,
    Lane,
)


class NoCrossing(CannotDo):
    """There is no such crossing or lane, or there cannot be one so called."""

    code, title, status = "no-crossing", "There is no such crossing", 404


class NameTaken(CannotDo):
    """Another crossing has this name."""

    code, title, status = "name-taken", "Another crossing has this name", 409


class NewLane(NamedTuple):
    """A lane to be added; see `tables.Lane`."""

    source: CalendarId
    target: CalendarId | None
    target_name: str
    why: str = ""
    filter: str = ""
    options: Mapping[str, Any] = {}
    going: bool = True


# ---- crossings ------------------------------------------------------------------------------------


def add_crossing(
    connection: Connection, name: str, account: AccountId | None, options: Mapping[str, Any]
) -> CrossingId:
    """A new crossing, still without lanes.

    Raises:
        NameTaken: if there is one of this name.
    """
    _demand_free(connection, name, None)
    row = insert(CROSSINGS).values(name=name, account_id=account, options=dict(options), created_at=now())
    return CrossingId(connection.execute(row.returning(CROSSINGS.c.id)).scalar_one())


def change_crossing(connection: Connection, crossing: CrossingId, **values: Any) -> None:
    """Name it, or set the options of all its lanes."""
    if "name" in values:
        _demand_free(connection, values["name"], crossing)
    connection.execute(update(CROSSINGS).where(CROSSINGS.c.id == crossing).values(**values))


def _demand_free(connection: Connection, name: str, own: CrossingId | None) -> None:
    other = select(CROSSINGS.c.id).where(func.lower(CROSSINGS.c.name) == name.lower(), CROSSINGS.c.id != (own or 0))
    if connection.execute(other).first():
        raise NameTaken(f"There is a crossing “{name}” already. Choose another name.")


def forget_crossing(connection: Connection, crossing: CrossingId) -> None:
    """Drop a plan. What it carried stays where it is, and in the logbook."""
    own = select(LANES.c.id).where(LANES.c.crossing_id == crossing)
    _forget_lanes(connection, list(connection.execute(own).scalars()))
    connection.execute(delete(CUTOVER_ACTS).where(CUTOVER_ACTS.c.crossing_id == crossing))
    connection.execute(delete(CROSSINGS).where(CROSSINGS.c.id == crossing))


def crossings(session: Session) -> list[Crossing]:
    """All of them, the newest first."""
    return list(session.exec(records(Crossing).order_by(col(Crossing.id).desc())))


def crossing(session: Session, number: CrossingId) -> Crossing:
    """One of them.

    Raises:
        NoCrossing: if there is none.
    """
    row = session.get(Crossing, number)
    if row is None:
        raise NoCrossing(f"There is no crossing {number} any more.")
    return row


def crossing_named(session: Session, name: str) -> Crossing:
    """The one of a name, letters large or small.

    Raises:
        NoCrossing: if there is none; with the names there are.
    """
    every = crossings(session)
    row = next((one for one in every if one.name.lower() == name.lower()), None)
    if row is None:
        names = ", ".join(f"“{one.name}”" for one in every) or "none yet"
        raise NoCrossing(f"There is no crossing “{name}”. There are: {names}.")
    return row


# ---- lanes ----------------------------------------------------------------------------------------


def add_lanes(connection: Connection, crossing: CrossingId, lanes: Iterable[NewLane]) -> list[LaneId]:
    """Lanes after those there are."""
    last = connection.execute(
        select(func.coalesce(func.max(LANES.c.position), 0)).where(LANES.c.crossing_id == crossing)
    ).scalar_one()
    numbers = []
    for at, lane in enumerate(lanes, int(last) + 1):
        row = insert(LANES).values(
            crossing_id=crossing,
            position=at,
            source_id=lane.source,
            filter=lane.filter,
            target_id=lane.target,
            target_name=lane.target_name,
            why=lane.why,
            options=dict(lane.options),
            going=lane.going,
            state="",
            message="",
            verified={},
        )
        numbers.append(LaneId(connection.execute(row.returning(LANES.c.id)).scalar_one()))
    return numbers


def change_lanes(connection: Connection, lanes: Iterable[LaneId], **values: Any) -> None:
    """Set something of some lanes; the names are those of `tables.Lane`."""
    connection.execute(update(LANES).where(LANES.c.id.in_(among(lanes))).values(**values))


def remove_lanes(connection: Connection, lanes: Sequence[LaneId]) -> None:
    """Take lanes out of a plan. What they carried stays."""
    _forget_lanes(connection, lanes)


def _forget_lanes(connection: Connection, lanes: Sequence[LaneId]) -> None:
    for table in (LANE_SETS, LANE_DIFFERENCES, LANE_RULINGS):
        connection.execute(delete(table).where(table.c.lane_id.in_(among(lanes))))
    connection.execute(delete(LANES).where(LANES.c.id.in_(among(lanes))))


def lanes_of(session: Session, crossing: CrossingId) -> list[Lane]:
    """The lanes of a crossing, in their order."""
    return list(session.exec(records(Lane).where(Lane.crossing_id == crossing).order_by(col(Lane.position))))


def lane(session: Session, number: LaneId) -> Lane:
    """One lane.

    Raises:
        NoCrossing: if there is none.
    """
    row = session.get(Lane, number)
    if row is None:
        raise NoCrossing(f"There is no lane {number} any more.")
    return row


def count_to_do(connection: Connection) -> int:
    """How many lanes wait: not carried yet, or with differences that nobody can explain."""
    unexplained = func.coalesce(func.json_extract(LANES.c.verified, "$.unexplained"), 0)
    waiting = or_(LANES.c.state.in_(("", "failed")), unexplained > 0)
    query = select(func.count()).select_from(LANES).where(LANES.c.going, waiting)
    return int(connection.execute(query).scalar_one())


def shared_entries(
    connection: Connection, sources: Sequence[CalendarId], targets: Sequence[CalendarId]
) -> dict[tuple[int, int], int]:
    """How many entries of each source stand in each target, by UID and occurrence."""
    here, there = ENTRIES.alias("here"), ENTRIES.alias("there")
    same = and_(
        there.c.uid == here.c.uid,
        there.c.recurrence_id == here.c.recurrence_id,
        there.c.component == here.c.component,
        there.c.calendar_id.in_(among(targets)),
    )
    rows = connection.execute(
        select(here.c.calendar_id.label("source"), there.c.calendar_id.label("target"), func.count().label("number"))
        .select_from(here)
        .join(there, same)
        .where(here.c.calendar_id.in_(among(sources)), here.c.listed, here.c.uid != "")
        .group_by(here.c.calendar_id, there.c.calendar_id)
    )
    return {(row.source, row.target): row.number for row in rows}


class Contents(NamedTuple):
    """What a calendar holds: how much, and from when to when, in UTC seconds.

    Attributes:
        unresolved: entries in time zones nobody knows.
    """

    entries: int
    series: int
    first: int | None
    last: int | None
    unresolved: int = 0


def contents_of(connection: Connection, calendars: Iterable[CalendarId]) -> dict[CalendarId, Contents]:
    """What each of some calendars holds; those that hold nothing are left out."""
    rows = connection.execute(
        select(
            ENTRIES.c.calendar_id,
            func.count().label("entries"),
            func.sum(case((ENTRIES.c.recurrence != "", 1), else_=0)).label("series"),
            func.min(ENTRIES.c.start).label("first"),
            func.max(func.coalesce(ENTRIES.c.until_wall, ENTRIES.c.start)).label("last"),
            func.sum(case((ENTRIES.c.marks.op("&")(Mark.UNRESOLVED_ZONE) != 0, 1), else_=0)).label("unresolved"),
        )
        .where(ENTRIES.c.calendar_id.in_(among(calendars)), ENTRIES.c.listed)
        .group_by(ENTRIES.c.calendar_id)
    )
    return {CalendarId(row.calendar_id): Contents(*(getattr(row, name) for name in Contents._fields)) for row in rows}


def begins_of(connection: Connection, versions: Iterable[VersionId]) -> dict[VersionId, int]:
    """When entries in force begin, in UTC seconds."""
    query = select(ENTRIES.c.id, ENTRIES.c.start).where(ENTRIES.c.id.in_(among(versions)), ENTRIES.c.start.is_not(None))
    return {VersionId(row.id): row.start for row in connection.execute(query)}


def breaking_in(connection: Connection, calendars: Iterable[CalendarId]) -> dict[CalendarId, int]:
    """In how many entries of some calendars a check finds something that breaks."""
    codes = [code for code, check in ALL.items() if check.severity == "breaks"]
    rows = connection.execute(
        select(ENTRIES.c.calendar_id, func.count(FINDINGS.c.version_id.distinct()).label("number"))
        .join(ENTRIES, ENTRIES.c.id == FINDINGS.c.version_id)
        .where(FINDINGS.c.code.in_(codes), ENTRIES.c.calendar_id.in_(among(calendars)))
        .group_by(ENTRIES.c.calendar_id)
    )
    return {CalendarId(row.calendar_id): row.number for row in rows}
