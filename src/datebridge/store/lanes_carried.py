"""What lanes of crossings have carried, what of it is on its way, and what was left to be decided."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import Any, NamedTuple, cast

from sqlalchemy import ColumnElement, Connection, and_, func, insert, or_, select, update

from datebridge.core.changes import KINDS, Identity, State, identity_of
from datebridge.core.crossing.again import PUT_TOGETHER, Carried
from datebridge.core.ids import CalendarId, CrossingId, LaneId, SetId, VersionId
from datebridge.store.entries.following import kept_as
from datebridge.store.sql import among
from datebridge.store.tables import (
    CALENDARS,
    CHANGES,
    ENTRIES,
    LANE_SETS,
    LANES,
    PUSHES,
    REMOTES,
    SETS,
    VERSIONS,
)


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


def settle_targets(connection: Connection, crossing: CrossingId) -> None:
    """Have the lanes of a crossing lead to the calendars that their batches have made, and to none that is gone again.

    A rehearsal may have been applied by hand, and a batch undone in the logbook.
    """
    made = (
        select(LANES.c.id, func.max(CHANGES.c.calendar_id).label("calendar"))
        .select_from(LANES)
        .join(LANE_SETS, LANE_SETS.c.lane_id == LANES.c.id)
        .join(SETS, SETS.c.id == LANE_SETS.c.set_id)
        .join(CHANGES, CHANGES.c.set_id == SETS.c.id)
        .join(CALENDARS, CALENDARS.c.id == CHANGES.c.calendar_id)
        .where(
            LANES.c.crossing_id == crossing,
            LANES.c.target_id.is_(None),
            SETS.c.state == State.APPLIED,
            CHANGES.c.component == "VCALENDAR",
            CHANGES.c.before_id.is_(None),
            CALENDARS.c.live,
        )
        .group_by(LANES.c.id)
    )
    for row in connection.execute(made).all():
        connection.execute(update(LANES).where(LANES.c.id == row.id).values(target_id=row.calendar))
    connection.execute(update(LANES).where(LANES.c.crossing_id == crossing, _gone()).values(target_id=None))


def is_unsettled(connection: Connection, crossing: CrossingId) -> bool:
    """Whether `settle_targets` may have something to do."""
    applied = (
        select(LANE_SETS.c.set_id)
        .join(SETS, SETS.c.id == LANE_SETS.c.set_id)
        .where(LANE_SETS.c.lane_id == LANES.c.id, SETS.c.state == State.APPLIED, SETS.c.undone_by_id.is_(None))
    )
    unsettled = or_(_gone(), LANES.c.target_id.is_(None) & applied.exists())
    wanted = select(LANES.c.id).where(LANES.c.crossing_id == crossing, unsettled)
    return connection.execute(wanted.limit(1)).first() is not None


def _gone() -> ColumnElement[bool]:
    """Lanes whose calendar was made for them, and is not there any more."""
    live = select(CALENDARS.c.id).where(CALENDARS.c.live)
    return and_(LANES.c.target_id.is_not(None), LANES.c.target_id.not_in(live), LANES.c.why == "new")


def carried_by(connection: Connection, lane: LaneId, target: CalendarId | None) -> dict[Identity, Carried[VersionId]]:
    """What a lane carried to a calendar, by what each entry is at the source; as its batches say, undone ones left out.

    An entry that stood at the target already, the same, counts as carried: it is held in the batch, before and after
    being one.
    """
    source = VERSIONS.alias("source")
    rows = connection.execute(
        select(
            CHANGES.c.after_id,
            CHANGES.c.source_id,
            CHANGES.c.reason,
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
            CHANGES.c.calendar_id == (target or 0),
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
            merged = row.reason.startswith(PUT_TOGETHER)
            sent[identity] = Carried(row.digest, VersionId(row.source_id), after, after, merged)
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


class HeldChange(NamedTuple):
    """A change that a batch of a lane lists and did not make; see `core.changes.Change`.

    Attributes:
        can_be_decided: it waits for people, and its source is as it was.
    """

    lane: LaneId
    set_id: SetId
    position: int
    component: str
    uid: str
    recurrence_id: str
    before: VersionId | None
    after: VersionId | None
    source: VersionId
    title: str
    reason: str
    can_be_decided: bool


def held_changes(connection: Connection, lanes: Iterable[LaneId]) -> list[HeldChange]:
    """What the batches of some lanes left, the newest of each entry."""
    source, there = ENTRIES.alias("source"), ENTRIES.alias("there")
    rows = connection.execute(
        select(
            LANE_SETS.c.lane_id,
            CHANGES.c.set_id,
            CHANGES.c.position,
            CHANGES.c.component,
            CHANGES.c.uid,
            CHANGES.c.recurrence_id,
            CHANGES.c.before_id,
            CHANGES.c.after_id,
            CHANGES.c.source_id,
            VERSIONS.c.summary,
            CHANGES.c.reason,
            and_(
                or_(CHANGES.c.after_id.is_(None), source.c.id.is_not(None)),
                or_(CHANGES.c.before_id.is_(None), there.c.id.is_not(None)),
            ).label("standing"),
        )
        .select_from(LANE_SETS)
        .join(SETS, SETS.c.id == LANE_SETS.c.set_id)
        .join(CHANGES, CHANGES.c.set_id == SETS.c.id)
        .join(VERSIONS, VERSIONS.c.id == CHANGES.c.source_id)
        .outerjoin(source, source.c.id == CHANGES.c.source_id)
        .outerjoin(there, there.c.id == CHANGES.c.before_id)
        .where(
            LANE_SETS.c.lane_id.in_(among(lanes)),
            SETS.c.state == State.APPLIED,
            SETS.c.undone_by_id.is_(None),
            CHANGES.c.held,
            CHANGES.c.before_id.is_distinct_from(CHANGES.c.after_id),
        )
        .order_by(SETS.c.revision, CHANGES.c.position)
    )
    newest: dict[object, HeldChange] = {}
    for row in rows:
        held = HeldChange(*cast(Any, row))
        newest[held.lane, held.source] = held._replace(can_be_decided=bool(row.standing))
    return list(newest.values())


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
