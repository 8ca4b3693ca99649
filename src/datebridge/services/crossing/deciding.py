"""What a run left to be decided: entries that differ at both ends, stand there already, or were deleted at one end."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence

from datebridge.core.changes import PERSON, By, Change, Details, Kind
from datebridge.core.ids import CrossingId, LaneId, SetId
from datebridge.core.language.plural import counted
from datebridge.services.crossing.carrying import decision_mark
from datebridge.services.crossing.lanes import working_lanes
from datebridge.store import crossings, lanes_carried, lanes_verified
from datebridge.store.changesets.apply import apply
from datebridge.store.changesets.draft import propose
from datebridge.store.database import Connection, Store
from datebridge.store.entries.following import become
from datebridge.store.entries.present import present_by_id
from datebridge.store.lanes_carried import HeldChange


def undecided(store: Store, crossing: CrossingId) -> list[HeldChange]:
    """What waits for a decision along all lanes.

    Raises:
        NoCrossing: if there is no such crossing.
    """
    with store.session() as session:
        lanes = [LaneId(row.id or 0) for row in crossings.lanes_of(session, crossing)]
    with store.read() as connection:
        held = lanes_carried.held_changes(connection, lanes)
        ruled = {lane: lanes_verified.rulings_of(connection, lane) for lane in {one.lane for one in held}}
        return [one for one in held if one.can_be_decided and _mark(connection, one) not in ruled[one.lane]]


def _mark(connection: Connection, held: HeldChange) -> bytes:
    """By which it is recognised that this very choice was decided."""
    states = lanes_verified.states_of(connection, [v for v in (held.source, held.before) if v is not None])
    source = states[held.source]
    there = states.get(held.before) if held.before is not None else None
    digest = None if held.after is None else source.digest
    return decision_mark(source.identity, digest, there.digest if there is not None else None)


def decide(
    store: Store, crossing: CrossingId, chosen: Collection[tuple[int, int]], source_counts: bool, by: By = PERSON
) -> SetId | None:
    """Let the source's state of some entries count, or leave the target's; returns the batch, if there is one.

    Args:
        chosen: the held changes, by batch and place in it.
    """
    waiting = [one for one in undecided(store, crossing) if (one.set_id, one.position) in chosen]
    if not source_counts:
        with store.write() as connection:
            for one in waiting:
                lanes_verified.rule(connection, one.lane, [_mark(connection, one)])
        return None
    made: SetId | None = None
    for lane in dict.fromkeys(one.lane for one in waiting):
        made = _take(store, crossing, lane, [one for one in waiting if one.lane == lane], by) or made
    return made


def _take(store: Store, crossing: CrossingId, lane: LaneId, held: Sequence[HeldChange], by: By) -> SetId | None:
    [working] = working_lanes(store, crossing, [lane])
    if working.target is None:
        return None
    with store.read() as connection:
        now = become(connection, [one.before for one in held if one.before is not None])
        items = {item.key: item for item in present_by_id(connection, now.values())}
    title = f"Let the source count for {counted(len(held), 'entry', 'entries')} of {working.target_name}"
    with propose(store, Kind.CROSSING, by, title, details=Details(tell=working.options.tell)) as draft:
        draft.afterwards(lambda connection, set_id: lanes_carried.add_lane_set(connection, lane, set_id))
        for one in held:
            there = items.get(now[one.before]) if one.before in now else None
            if one.after is None and there is None:
                continue
            change = Change(
                working.target,
                one.component,
                there.identity.uid if there is not None else one.uid,
                one.recurrence_id,
                there.key if there is not None else None,
                one.after,
                "Somebody decided that the source counts.",
                source=one.source,
            )
            draft.add(change)
    apply(store, draft.id)
    return draft.id


def rule_right(store: Store, lane: LaneId, differences: Iterable[lanes_verified.DifferenceRow]) -> None:
    """Remember that differences of a lane are right as they are; another state of one is asked about again."""
    rows = [row for row in differences if row.lane == lane]
    with store.read() as connection:
        items = lanes_verified.states_of(
            connection, [v for row in rows for v in (row.source, row.there) if v is not None]
        )
    marks = []
    for row in rows:
        source = items.get(row.source) if row.source is not None else None
        there = items.get(row.there) if row.there is not None else None
        known = source or there
        if known is not None:
            marks.append(
                decision_mark(known.identity, source.digest if source else None, there.digest if there else None)
            )
    with store.write() as connection:
        lanes_verified.rule(connection, lane, marks)
        lanes_verified.explain(
            connection, lane, [row.position for row in rows], "ruled", "Somebody ruled it to be right."
        )
