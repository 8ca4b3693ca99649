"""Crossings rehearsed and run: lane by lane, so that one that cannot be carried does not hold up the others.

A run begins with both ends fetched fresh, by the accounts' own jobs; what it carries is applied as batches, and
pushed to the servers like everything else. Killed at any moment it is begun again, and finds what is carried already.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence

from datebridge.clock import now
from datebridge.core.changes import PERSON, By
from datebridge.core.crossing.cutover import CutoverStep
from datebridge.core.crossing.lanes import plain
from datebridge.core.errors import CannotDo
from datebridge.core.ids import CrossingId, JobId, LaneId, RemoteId, VersionId
from datebridge.core.job_kinds import JobKind
from datebridge.services.accounts.refreshing import queue_pulls
from datebridge.services.crossing.carrying import Drafted, draft_lane
from datebridge.services.crossing.cutover import take_back_all
from datebridge.services.crossing.lanes import WorkingLane, working_lanes
from datebridge.services.crossing.past import archive_past
from datebridge.services.jobs import jobs
from datebridge.services.jobs.jobs import JobContext, NotYet, Refused, performs
from datebridge.store import crossings, lanes_carried
from datebridge.store.changesets.apply import apply, discard
from datebridge.store.changesets.draft import CannotApply
from datebridge.store.changesets.undo import propose_undo
from datebridge.store.cutover import acts_of
from datebridge.store.database import Connection, Store
from datebridge.store.remotes import refreshed_from


def rehearse(store: Store, crossing: CrossingId, by: By = PERSON) -> JobId:
    """Queue proposing everything a crossing would carry.

    Raises:
        NoCrossing: if there is none.
    """
    return _queue(store, crossing, JobKind.REHEARSE_CROSSING, "Rehearsing", [], {}, by)


def run(
    store: Store,
    crossing: CrossingId,
    lanes: Sequence[LaneId] = (),
    delete_many: bool = False,
    again: Sequence[VersionId] = (),
    by: By = PERSON,
) -> JobId:
    """Queue carrying what is new, changed or gone; of some lanes, or of all.

    Args:
        delete_many: very many deletions were looked at, and are meant.
        again: entries of the source that count, whatever the target has made of them.

    Raises:
        NoCrossing: if there is none.
    """
    more = {"delete_many": delete_many, "again": list(again)}
    return _queue(store, crossing, JobKind.CROSS, "Carrying", lanes, more, by)


def _queue(
    store: Store,
    crossing: CrossingId,
    kind: JobKind,
    verb: str,
    lanes: Sequence[LaneId],
    more: dict[str, object],
    by: By,
) -> JobId:
    with store.session() as session:
        name = crossings.crossing(session, crossing).name
        if CutoverStep.RETIRE in acts_of(session, crossing):  # or all that went there would go at the target too
            raise Refused("The old side of this crossing was retired. Take that back before it is carried again.")
    pulls = [] if kind is JobKind.REHEARSE_CROSSING else fetch(store, working_lanes(store, crossing, lanes or None), by)
    params = {"crossing": crossing, "lanes": list(lanes), "pulls": pulls, **more}
    return jobs.enqueue(store, kind, f"{verb} {name}", params, crossing, by)


@performs(JobKind.REHEARSE_CROSSING)
def rehearse_job(context: JobContext) -> dict[str, object]:
    """Propose what every lane would carry, in place of what was proposed before."""
    lanes = _lanes(context)
    drop_proposals(context.store, [lane.id for lane in lanes])
    trouble = 0
    for done, lane in enumerate(lanes):
        context.progress(done, len(lanes), "lanes", lane.target_name)
        trouble += _attempt(context, lane) is None
    return _ended(context, len(lanes), trouble)


@performs(JobKind.CROSS)
def cross_job(context: JobContext) -> dict[str, object]:
    """Carry what is new, changed or gone along every lane."""
    lanes = _lanes(context)
    demand_fetched(context)
    drop_proposals(context.store, [lane.id for lane in lanes])
    trouble = 0
    made: dict[tuple[object, str], int] = {}
    for done, lane in enumerate(lanes):
        context.progress(done, len(lanes), "lanes", lane.target_name)
        try:
            archive_past(context, lane)
        except CannotDo as error:  # what cannot be put away is no reason to carry the rest without it
            _note(context, lane, "failed", str(error))
            trouble += 1
            continue
        new = lane.account, plain(lane.target_name)
        if lane.target is None and new in made:  # another lane of this crossing has made it by now
            lane = working_lanes(context.store, lane.crossing, [lane.id])[0]
        drafted = _attempt(context, lane, bool(context.params["delete_many"]), set(context.params["again"]))
        if drafted is None:
            trouble += 1
            continue
        if drafted.set_id is not None:
            try:
                apply(context.store, drafted.set_id)
            except CannotDo as error:  # somebody changed an entry just now: the next run carries it
                _note(context, lane, "failed", str(error))
                trouble += 1
                continue
        _note(context, lane, "run", "")
        if lane.target is None and drafted.target is not None:
            made[new] = drafted.target
            _lead_to(context, lanes, lane, drafted)
    return _ended(context, len(lanes), trouble)


def _lanes(context: JobContext) -> list[WorkingLane]:
    chosen = [LaneId(number) for number in context.params["lanes"]]
    lanes = working_lanes(context.store, CrossingId(context.params["crossing"]), chosen or None)
    if not lanes:
        raise Refused("This crossing has no lanes that are going. Add some first.")
    return lanes


def _lead_to(context: JobContext, lanes: Sequence[WorkingLane], lane: WorkingLane, drafted: Drafted) -> None:
    """The new calendar is where this lane goes from now on, and each other that was to make one of that name."""
    same = [
        one.id
        for one in lanes
        if one.target is None and one.account == lane.account and plain(one.target_name) == plain(lane.target_name)
    ]
    with context.store.write() as connection:
        crossings.change_lanes(connection, same, target_id=drafted.target)


def _attempt(
    context: JobContext, lane: WorkingLane, delete_many: bool = False, again: Collection[VersionId] = ()
) -> Drafted | None:
    """Draft a lane; where it cannot be carried, say why at the lane, and go on with the others."""

    def report(done: int, total: int) -> None:
        context.check()

    try:
        return draft_lane(context.store, lane, context.by, report, delete_many=delete_many, again=again)
    except CannotDo as error:
        _note(context, lane, "failed", str(error))
        return None


def _note(context: JobContext, lane: WorkingLane, state: str, message: str) -> None:
    ran = {"ran_at": now()} if state == "run" else {}
    with context.store.write() as connection:
        crossings.change_lanes(connection, [lane.id], state=state, message=message, **ran)


def _ended(context: JobContext, lanes: int, trouble: int) -> dict[str, object]:
    if trouble == lanes:
        raise Refused("None of the lanes could be carried; each says why.")
    with context.store.write() as connection:
        return context.conclude(connection, {"lanes": lanes, "trouble": trouble})


def drop_proposals(store: Store, lanes: Iterable[LaneId]) -> None:
    """What was proposed for lanes and not applied goes."""
    with store.read() as connection:
        waiting = lanes_carried.proposals_of(connection, lanes)
    for set_id in waiting.values():
        discard(store, set_id)


def fetch(store: Store, lanes: Sequence[WorkingLane], by: By) -> list[JobId]:
    """Queue having both ends of lanes fetched; a job that needs that waits for these (`demand_fetched`)."""
    with store.read() as connection:
        remotes = _remotes(connection, lanes)
    return queue_pulls(store, "Fetching", remotes, by) if remotes else []


def demand_fetched(context: JobContext) -> None:
    """Wait until both ends have been fetched.

    Raises:
        NotYet: while it is under way.
        Refused: if not everything could be fetched.
    """
    for number in context.params["pulls"]:
        job = jobs.get(context.store, JobId(number))
        if job is not None and job.state in ("queued", "running"):
            raise NotYet("Both ends are being fetched.")
        if job is not None and job.state != "done":
            raise Refused(f"Not everything could be fetched, so nothing was done. {job.message}")
        if job is not None and any(one.get("failed") for one in (job.result or {}).get("results", ())):
            why = next(one["outcome"] for one in (job.result or {})["results"] if one.get("failed"))
            raise Refused(f"Not everything could be fetched, so nothing was done. {why}")


def _remotes(connection: Connection, lanes: Sequence[WorkingLane]) -> list[RemoteId]:
    calendars = {lane.source for lane in lanes} | {lane.target for lane in lanes if lane.target is not None}
    return refreshed_from(connection, calendars)


def send_back(store: Store, crossing: CrossingId, lanes: Sequence[LaneId] = (), by: By = PERSON) -> JobId:
    """Queue taking back everything that some lanes have carried, or all.

    Raises:
        NoCrossing: if there is no such crossing.
        Refused: if nothing was carried.
    """
    with store.session() as session:
        name = crossings.crossing(session, crossing).name
    chosen = [lane.id for lane in working_lanes(store, crossing, lanes or None)]
    with store.read() as connection:
        if not lanes_carried.batches_of(connection, chosen):
            raise Refused("Nothing of this was carried, so there is nothing to send back.")
    params = {"crossing": crossing, "lanes": chosen}
    return jobs.enqueue(store, JobKind.SEND_BACK, f"Sending back {name}", params, crossing, by)


@performs(JobKind.SEND_BACK)
def send_back_job(context: JobContext) -> dict[str, object]:
    """Undo the batches of lanes, the newest first; what was changed at the target since is left alone."""
    lanes = [LaneId(number) for number in context.params["lanes"]]
    drop_proposals(context.store, lanes)
    notes = take_back_all(context.store, CrossingId(context.params["crossing"]), lanes, context.by)
    with context.store.read() as connection:
        batches = lanes_carried.batches_of(connection, lanes)
    numbers = sorted({number for some in batches.values() for number in some}, reverse=True)
    made = []
    for done, number in enumerate(numbers):
        context.progress(done, len(numbers), "batches")
        try:
            undo = propose_undo(context.store, number, by=context.by)
        except CannotApply:  # all of it is gone already
            continue
        apply(context.store, undo)
        made.append(int(undo))
    with context.store.write() as connection:
        crossings.change_lanes(connection, lanes, state="back", message="", verified={}, verified_at=None)
        return context.conclude(connection, {"sets": made, "notes": notes})
