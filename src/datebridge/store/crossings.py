"""Crossings, their lanes, what each lane has carried, and what verifying it found."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any, NamedTuple

from sqlalchemy import Connection, and_, case, delete, func, insert, or_, select, update
from sqlmodel import Session, col
from sqlmodel import select as records

from datebridge.clock import now
from datebridge.core.changes import KINDS, Identity, Item, Kind, State, identity_of
from datebridge.core.crossing.again import Carried
from datebridge.core.errors import CannotDo
from datebridge.core.ids import AccountId, CalendarId, CrossingId, LaneId, SetId, VersionId
from datebridge.store.sql import among
from datebridge.store.tables import (
    CALENDARS,
    CHANGES,
    CROSSINGS,
    ENTRIES,
    LANE_DIFFERENCES,
    LANE_RULINGS,
    LANE_SETS,
    LANES,
    PUSHES,
    REMOTES,
    SETS,
    VERSIONS,
    Crossing,
    Lane,
)

#: How often a server is followed that keeps something else than it was sent, and then something else again.
_MOST_HOPS = 4
_INSERT = (
    "INSERT INTO lane_difference (lane_id, position, verdict, source_id, there_id, title, fields, occurrences,"
    " moved_by, cause, reason) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)"
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
    """What a calendar holds: how much, and from when to when, in UTC seconds."""

    entries: int
    series: int
    first: int | None
    last: int | None


def contents_of(connection: Connection, calendars: Iterable[CalendarId]) -> dict[CalendarId, Contents]:
    """What each of some calendars holds; those that hold nothing are left out."""
    rows = connection.execute(
        select(
            ENTRIES.c.calendar_id,
            func.count().label("entries"),
            func.sum(case((ENTRIES.c.recurrence != "", 1), else_=0)).label("series"),
            func.min(ENTRIES.c.start).label("first"),
            func.max(func.coalesce(ENTRIES.c.until_wall, ENTRIES.c.start)).label("last"),
        )
        .where(ENTRIES.c.calendar_id.in_(among(calendars)), ENTRIES.c.listed)
        .group_by(ENTRIES.c.calendar_id)
    )
    return {CalendarId(row.calendar_id): Contents(row.entries, row.series, row.first, row.last) for row in rows}


# ---- what a lane has carried ----------------------------------------------------------------------


def add_lane_set(connection: Connection, lane: LaneId, set_id: SetId) -> None:
    """A set carries entries of a lane."""
    connection.execute(insert(LANE_SETS).values(lane_id=lane, set_id=set_id))


def proposals_of(connection: Connection, lanes: Iterable[LaneId]) -> dict[LaneId, SetId]:
    """The proposal that waits for each lane, of those that have one."""
    rows = connection.execute(
        select(LANE_SETS.c.lane_id, SETS.c.id)
        .join(SETS, SETS.c.id == LANE_SETS.c.set_id)
        .where(LANE_SETS.c.lane_id.in_(among(lanes)), SETS.c.state == State.PROPOSED)
        .order_by(SETS.c.id)
    )
    return {LaneId(row.lane_id): SetId(row.id) for row in rows}


def batches_of(connection: Connection, lanes: Iterable[LaneId]) -> dict[LaneId, list[SetId]]:
    """The batches that carried each lane and stand, the oldest first."""
    rows = connection.execute(
        select(LANE_SETS.c.lane_id, SETS.c.id)
        .join(SETS, SETS.c.id == LANE_SETS.c.set_id)
        .where(LANE_SETS.c.lane_id.in_(among(lanes)), SETS.c.state == State.APPLIED, SETS.c.undone_by_id.is_(None))
        .order_by(SETS.c.revision)
    )
    batches: dict[LaneId, list[SetId]] = {}
    for row in rows:
        batches.setdefault(LaneId(row.lane_id), []).append(SetId(row.id))
    return batches


def carried_by(connection: Connection, lane: LaneId) -> dict[Identity, Carried[VersionId]]:
    """What a lane carried, by what each entry is at the source; as its batches say, those that were undone left out.

    An entry that stood at the target already, the same, counts as carried: it is held in the batch, before and after
    being one.
    """
    source = VERSIONS.alias("source")
    rows = connection.execute(
        select(
            CHANGES.c.after_id,
            CHANGES.c.source_id,
            source.c.component,
            source.c.uid,
            source.c.recurrence_id,
            source.c.digest,
        )
        .select_from(LANE_SETS)
        .join(SETS, SETS.c.id == LANE_SETS.c.set_id)
        .join(CHANGES, CHANGES.c.set_id == SETS.c.id)
        .join(source, source.c.id == CHANGES.c.source_id)
        .where(
            LANE_SETS.c.lane_id == lane,
            SETS.c.state == State.APPLIED,
            SETS.c.undone_by_id.is_(None),
            or_(~CHANGES.c.held, CHANGES.c.before_id == CHANGES.c.after_id),
        )
        .order_by(SETS.c.revision, CHANGES.c.position)
    ).all()
    sent: dict[Identity, Carried[VersionId]] = {}
    for row in rows:
        identity = identity_of(row.component, row.uid, row.recurrence_id, row.digest)
        if row.after_id is None:
            sent.pop(identity, None)
        else:
            after = VersionId(row.after_id)
            sent[identity] = Carried(row.digest, VersionId(row.source_id), after, after)
    agreed = kept_as(connection, (one.sent for one in sent.values()))
    return {identity: replace(one, agreed=agreed.get(one.sent, one.sent)) for identity, one in sent.items()}


def held_by(connection: Connection, lane: LaneId) -> dict[VersionId, str]:
    """Why entries of the source were not carried, by their versions; as the batches of a lane say."""
    rows = connection.execute(
        select(CHANGES.c.source_id, CHANGES.c.reason)
        .select_from(LANE_SETS)
        .join(SETS, SETS.c.id == LANE_SETS.c.set_id)
        .join(CHANGES, CHANGES.c.set_id == SETS.c.id)
        .where(
            LANE_SETS.c.lane_id == lane,
            SETS.c.state == State.APPLIED,
            SETS.c.undone_by_id.is_(None),
            CHANGES.c.held,
            CHANGES.c.before_id.is_distinct_from(CHANGES.c.after_id),
            CHANGES.c.source_id.is_not(None),
        )
        .order_by(SETS.c.revision)
    )
    return {VersionId(row.source_id): row.reason for row in rows}


def own_changes(connection: Connection, versions: Iterable[VersionId]) -> dict[VersionId, SetId]:
    """The batches by which somebody here has changed or deleted entries, by the state that was before."""
    following = [kind for kind, powers in KINDS.items() if powers.follows]
    rows = connection.execute(
        select(CHANGES.c.before_id, SETS.c.id)
        .join(SETS, SETS.c.id == CHANGES.c.set_id)
        .where(
            CHANGES.c.before_id.in_(among(versions)),
            ~CHANGES.c.held,
            SETS.c.state == State.APPLIED,
            SETS.c.kind.not_in(following),
        )
        .order_by(SETS.c.revision)
    )
    return {VersionId(row.before_id): SetId(row.id) for row in rows}


def not_arrived(connection: Connection, calendar: CalendarId) -> dict[str, tuple[str, str]]:
    """The UIDs of a calendar that its server does not have as they are here: the state of each, and the reason."""
    rows = connection.execute(
        select(PUSHES.c.uid, PUSHES.c.state, PUSHES.c.message)
        .join(REMOTES, REMOTES.c.id == PUSHES.c.remote_id)
        .where(
            REMOTES.c.calendar_id == calendar,
            PUSHES.c.kind == "entry",
            PUSHES.c.state.in_(("waiting", "sending", "refused", "conflict")),
        )
        .order_by(PUSHES.c.id)
    )
    return {row.uid: (row.state, row.message) for row in rows}


def kept_as(connection: Connection, sent: Iterable[VersionId]) -> dict[VersionId, VersionId]:
    """What servers made of what they were sent, where that is something else (see `Change.source`)."""
    at = {version: version for version in sent}
    kept: dict[VersionId, VersionId] = {}
    for _ in range(_MOST_HOPS):
        rows = connection.execute(
            select(CHANGES.c.source_id, CHANGES.c.after_id)
            .join(SETS, SETS.c.id == CHANGES.c.set_id)
            .where(
                CHANGES.c.source_id.in_(among(set(at.values()))),
                SETS.c.kind == Kind.PULL,
                SETS.c.state == State.APPLIED,
                ~CHANGES.c.held,
                CHANGES.c.after_id.is_not(None),
            )
            .order_by(SETS.c.revision)
        )
        now_kept = {VersionId(row.source_id): VersionId(row.after_id) for row in rows}
        at = {first: now_kept[version] for first, version in at.items() if version in now_kept}
        if not at:
            break
        kept |= at
    return kept


class Way(NamedTuple):
    """How far what a lane carried has come: how many UIDs are in each state on their way to their server."""

    lane: LaneId
    state: str
    number: int


def under_way(connection: Connection, lanes: Iterable[LaneId]) -> list[Way]:
    """What of each lane is on its way, arrived or was refused, as `PushState` says it."""
    rows = connection.execute(
        select(LANE_SETS.c.lane_id, PUSHES.c.state, func.count())
        .join(PUSHES, PUSHES.c.set_id == LANE_SETS.c.set_id)
        .where(LANE_SETS.c.lane_id.in_(among(lanes)))
        .group_by(LANE_SETS.c.lane_id, PUSHES.c.state)
    )
    return [Way(LaneId(row[0]), row[1], row[2]) for row in rows]


class Refusal(NamedTuple):
    """Why a server has not taken what a lane brought, and how often it said so."""

    lane: LaneId
    reason: str
    number: int


def refusals(connection: Connection, lanes: Iterable[LaneId]) -> list[Refusal]:
    """What was refused or is in conflict, by reason, the most frequent first."""
    rows = connection.execute(
        select(LANE_SETS.c.lane_id, PUSHES.c.message, func.count().label("number"))
        .join(PUSHES, PUSHES.c.set_id == LANE_SETS.c.set_id)
        .where(LANE_SETS.c.lane_id.in_(among(lanes)), PUSHES.c.state.in_(("refused", "conflict")))
        .group_by(LANE_SETS.c.lane_id, PUSHES.c.message)
        .order_by(func.count().desc())
    )
    return [Refusal(LaneId(row[0]), row[1], row.number) for row in rows]


# ---- what verifying found -------------------------------------------------------------------------


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


def forget_rulings(connection: Connection, lane: LaneId) -> None:
    """Nothing counts as right any more only because somebody said so."""
    connection.execute(delete(LANE_RULINGS).where(LANE_RULINGS.c.lane_id == lane))


def calendar_made(connection: Connection, calendar: CalendarId) -> bool:
    """Whether a calendar is in force."""
    return bool(connection.execute(select(CALENDARS.c.live).where(CALENDARS.c.id == calendar)).scalar())
