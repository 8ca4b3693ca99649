"""Cutting over: the list of steps after a crossing was run, each a change set or an act that is recorded.

What can be taken back is, by undoing its batches or by putting back what it found. Only the last step deletes at a
source; it is offered after a time of rest, and for lanes that are verified.
"""

from __future__ import annotations

import secrets
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from typing import NamedTuple

from datebridge.clock import now, this_day
from datebridge.core.changes import PERSON, By, Change, Kind, State
from datebridge.core.checks import examine
from datebridge.core.crossing.cutover import (
    REST,
    Act,
    CutoverStep,
    Facts,
    StepState,
    notice,
    notice_uid,
    rest_until,
    states,
)
from datebridge.core.errors import CannotDo
from datebridge.core.ids import CalendarId, CrossingId, JobId, LaneId, SetId
from datebridge.core.job_kinds import JobKind
from datebridge.core.language.filters import Selection
from datebridge.core.language.plural import counted
from datebridge.core.text.headers import Description, described, description_of
from datebridge.services.crossing import deciding, pointing
from datebridge.services.crossing.closing import close_sources, open_again
from datebridge.services.crossing.plans import LaneView, lane_views
from datebridge.services.editing.edits import stamp
from datebridge.services.jobs import jobs
from datebridge.store import cutover as stored
from datebridge.store.accounts import feeds_beside
from datebridge.store.calendars import CalendarFacts, calendars_for_filters, header_of
from datebridge.store.changesets.apply import apply, apply_within, discard
from datebridge.store.changesets.draft import CannotApply, propose
from datebridge.store.changesets.review import set_row
from datebridge.store.changesets.undo import propose_undo
from datebridge.store.database import Connection, Store
from datebridge.store.entries.versions import VersionWriter
from datebridge.store.jobs import add_job
from datebridge.store.remotes import on_servers
from datebridge.store.tables import CutoverAct, demand_id


class NotNow(CannotDo):
    """A step waits for something, or cannot be taken back any more."""

    code, title = "not-now", "This step cannot be taken now"


@dataclass(frozen=True, slots=True)
class StepView:
    """A step as it stands.

    Attributes:
        at, by: when it was taken, and by whom; None and "" for what is seen of the lanes themselves.
        notes: what could not be done with it.
        back: until when it can be taken back, in words; "" where it cannot.
    """

    state: StepState
    at: int | None = None
    by: str = ""
    until: int | None = None
    notes: tuple[str, ...] = ()
    sets: tuple[int, ...] = ()
    jobs: tuple[int, ...] = ()
    back: str = ""


@dataclass(frozen=True, slots=True)
class CutoverView:
    """A cutover list.

    Attributes:
        since: how many entries have changed at the source since each lane was carried.
    """

    steps: list[StepView]
    lanes: list[LaneView] = field(default_factory=list)
    since: dict[int, int] = field(default_factory=dict)


#: What stands after the name of a calendar that has moved.
MOVED = " (moved)"
_BACK = {
    CutoverStep.MARK: "until the old calendars are described otherwise",
    CutoverStep.NOTICE: "until somebody edits the notices",
    CutoverStep.SHARES: "until the shares are changed otherwise",
    CutoverStep.REST: "until something is deleted at the old side",
    CutoverStep.ARCHIVE: "until the old side is retired; the files stay",
    CutoverStep.RETIRE: "as long as the batches are kept in the logbook",
}


def view(store: Store, crossing: CrossingId) -> CutoverView:
    """The list as it stands.

    Raises:
        NoCrossing: if there is no such crossing.
    """
    _, views = lane_views(store, crossing)
    going = [one for one in views if one.row.going]
    with store.session() as session:
        acts = stored.acts_of(session, crossing)
    since = _since(store, going, acts)
    facts = _facts(store, crossing, going, acts, sum(since.values()))
    with store.read() as connection:
        arriving = {step: _arriving(connection, act) for step, act in acts.items() if act.sets}
    steps = []
    for state in states(facts, now()):
        act = acts.get(state.step)
        if act is None:
            steps.append(StepView(state, at=_latest(going, state)))
            continue
        back = _BACK.get(state.step, "") if _can_go_back(state.step, acts) else ""
        own = ((*act.notes, *arriving.get(state.step, ())), tuple(act.sets.values()), tuple(act.jobs.values()))
        steps.append(StepView(state, act.at, act.by_whom, act.until, *own, back))
    return CutoverView(steps, going, since)


def _arriving(connection: Connection, act: CutoverAct) -> list[str]:
    """What of a step has not arrived where it was to be done, and why."""
    notes = []
    for way in stored.ways_of(connection, [SetId(number) for number in act.sets.values()]):
        if way.state in ("waiting", "sending"):
            notes.append(f"{counted(way.number, 'change is', 'changes are')} on the way.")
        elif way.state in ("refused", "conflict"):
            notes.append(f"{counted(way.number, 'change was', 'changes were')} not taken there: {way.message}")
    return notes


def _latest(lanes: Sequence[LaneView], state: StepState) -> int | None:
    """When what is seen of the lanes themselves was last so."""
    if state.state != "done":
        return None
    moments = [one.row.ran_at if state.step is CutoverStep.LAST_RUN else one.row.verified_at for one in lanes]
    return max((one for one in moments if one is not None), default=None)


def _facts(
    store: Store, crossing: CrossingId, lanes: Sequence[LaneView], acts: Mapping[CutoverStep, CutoverAct], since: int
) -> Facts:
    known = {step: Act(act.at, act.by_whom, act.until, _has_ended(store, act)) for step, act in acts.items()}
    return Facts(
        len(lanes),
        sum(_is_carried(one) for one in lanes),
        sum(_is_verified(one) for one in lanes),
        len(deciding.undecided(store, crossing)),
        known,
        since,
    )


def _is_carried(lane: LaneView) -> bool:
    open_ways = ("waiting", "sending", "refused", "conflict")
    return lane.row.state == "run" and not any(lane.ways.get(way) for way in open_ways)


def _is_verified(lane: LaneView) -> bool:
    row = lane.row
    return bool(row.verified) and not row.verified.get("unexplained") and (row.verified_at or 0) >= (row.ran_at or 0)


def _has_ended(store: Store, act: CutoverAct) -> bool:
    queued = [jobs.get(store, JobId(number)) for number in act.jobs.values()]
    return not any(job is not None and job.state in ("queued", "running") for job in queued)


def _can_go_back(step: CutoverStep, acts: Mapping[CutoverStep, CutoverAct]) -> bool:
    retired = CutoverStep.RETIRE in acts
    return step in _BACK and not (retired and step in (CutoverStep.REST, CutoverStep.ARCHIVE))


def _since(store: Store, lanes: Sequence[LaneView], acts: Mapping[CutoverStep, CutoverAct]) -> dict[int, int]:
    """How many entries have changed at the source of each lane since it was carried."""
    ours = {SetId(number) for act in acts.values() for number in act.sets.values()}
    moments = {CalendarId(one.row.source_id): one.row.ran_at for one in lanes if one.row.ran_at is not None}
    with store.read() as connection:
        changed = stored.changed_since(connection, moments, ours)
    return {
        demand_id(one.row.id): changed[CalendarId(one.row.source_id)]
        for one in lanes
        if CalendarId(one.row.source_id) in changed
    }


# ---- taken ----------------------------------------------------------------------------------------


class Taken(NamedTuple):
    """What a step has done."""

    sets: Mapping[int, SetId] = {}
    jobs: Mapping[int, JobId] = {}
    before: Mapping[str, object] = {}
    notes: Sequence[str] = ()
    until: int | None = None


def take(store: Store, crossing: CrossingId, step: CutoverStep, days: int = REST, by: By = PERSON) -> None:
    """Take a step: all of it, or where the process ends before, nothing.

    Args:
        days: of a time of rest.

    Raises:
        NotNow: if it waits for something, was taken already, or can be taken for no calendar.
        NoCrossing: if there is no such crossing.
    """
    listed = view(store, crossing)
    state = next(one.state for one in listed.steps if one.state.step is step)
    if state.state != "open":
        raise NotNow(state.why or "This step was taken already.")
    deeds: dict[CutoverStep, Callable[[Connection], Taken]] = {
        CutoverStep.MARK: lambda connection: _mark(connection, crossing, listed.lanes, by),
        CutoverStep.NOTICE: lambda connection: _leave_notices(connection, listed.lanes, by),
        CutoverStep.SHARES: lambda connection: _point_shares(connection, listed.lanes),
        CutoverStep.REST: lambda connection: Taken(until=rest_until(now(), days)),
        CutoverStep.ARCHIVE: lambda connection: _archive(connection, listed.lanes, by),
        CutoverStep.RETIRE: lambda connection: _retire(store, connection, crossing),
    }
    if step not in deeds:
        raise NotNow("This step is taken elsewhere: it is seen here once it is done.")
    with store.write() as connection:
        if stored.is_taken(connection, crossing, step):  # somebody pressed at the same moment
            raise NotNow("This step was taken already.")
        record(connection, crossing, step, deeds[step](connection), by)


def record(connection: Connection, crossing: CrossingId, step: CutoverStep, taken: Taken, by: By = PERSON) -> None:
    """Write down that a step was taken."""
    act = CutoverAct(
        crossing_id=crossing,
        step=step.value,
        at=now(),
        by_whom=str(by),
        until=taken.until,
        sets={str(lane): int(number) for lane, number in taken.sets.items()},
        jobs={str(lane): int(number) for lane, number in taken.jobs.items()},
        before=dict(taken.before),
        notes=list(taken.notes),
    )
    stored.keep_act(connection, act)


def sources_of(lanes: Sequence[LaneView]) -> dict[CalendarId, list[LaneView]]:
    """Lanes by the calendar they come from."""
    sources: dict[CalendarId, list[LaneView]] = {}
    for one in lanes:
        if one.source is not None:
            sources.setdefault(one.source.id, []).append(one)
    return sources


def owner_of(lane: LaneView) -> str:
    """By what the owner of a lane's source is known, for as long as its account is."""
    source = lane.source
    if source is None:
        return ""
    return f"{source.account_id or 0} {source.owner if source.owned is False else ''}"


def _where(lanes: Sequence[LaneView]) -> str:
    """Where a calendar is now, in words."""
    targets = [one.target for one in lanes if one.target is not None]
    places = [f"“{one.name}” on {one.account or 'Date Bridge'}" for one in targets]
    return " and ".join(dict.fromkeys(places)) or "another calendar"


def _each(
    connection: Connection,
    lanes: Sequence[LaneView],
    kind: Kind,
    title: str,
    by: By,
    change: Callable[[VersionWriter, CalendarFacts, list[LaneView]], Change],
) -> Taken:
    """Change every source by a set of its own; those that cannot be changed are noted.

    Args:
        title: of each set, with the name of its calendar after it.
    """
    sets: dict[int, SetId] = {}
    notes: list[str] = []
    for own in sources_of(lanes).values():
        facts = own[0].source
        assert facts is not None  # noqa: S101
        if not facts.writable:
            notes.append(f"{facts.name} is read-only: ask its owner to do it.")
            continue
        with propose(connection, kind, by, f"{title} {facts.name}") as draft, draft.stage() as writer:
            draft.add(change(writer, facts, own))
        apply_within(connection, draft.id)
        sets[demand_id(own[0].row.id)] = draft.id
    if not sets:
        raise NotNow(" ".join(notes) or "There is no calendar to do it in.")
    return Taken(sets, notes=notes)


def _mark(connection: Connection, crossing: CrossingId, lanes: Sequence[LaneView], by: By) -> Taken:
    """Have every source say in its name and its description that it has moved."""

    def change(writer: VersionWriter, facts: CalendarFacts, own: list[LaneView]) -> Change:
        before, header = header_of(connection, facts.id) or (None, "")
        was = description_of(header)
        said = f"Moved to {_where(own)} on {this_day():%Y-%m-%d}."
        text = "\n".join(filter(None, (was.text, said)))
        name = (was.name or facts.name).removesuffix(MOVED) + MOVED
        wanted = Description(name, was.own_colour, was.zone, text)
        return Change(facts.id, "VCALENDAR", "", "", before, writer.add_text("VCALENDAR", described(header, wanted)))

    taken = _each(connection, lanes, Kind.CALENDAR, "Mark as moved:", by, change)
    owned = [number for number, own in sources_of(lanes).items() if own[0].source and own[0].source.owned is not False]
    if remotes := on_servers(connection, owned):
        close_sources(connection, crossing, remotes, by)
    return taken


def _leave_notices(connection: Connection, lanes: Sequence[LaneView], by: By) -> Taken:
    """Put an event into every source that says where it is now."""
    mark = secrets.token_hex(4)

    def change(writer: VersionWriter, facts: CalendarFacts, own: list[LaneView]) -> Change:
        title, words = f"This calendar has moved to {_where(own)}", "What is changed here is no longer seen there."
        text = notice(notice_uid(demand_id(own[0].row.id), mark), this_day(), stamp(), title, words)
        entry = examine("VEVENT", text)
        return Change(facts.id, "VEVENT", entry.uid, "", None, writer.add(entry, text), "It has moved.")

    return _each(connection, lanes, Kind.EDIT, "Notice of the move in", by, change)


def _point_shares(connection: Connection, lanes: Sequence[LaneView]) -> Taken:
    moves = pointing.moves_of(lanes)
    before, notes = pointing.point(connection, moves)
    notes += [
        f"“{feed}” is a feed of {server}, and ends with it: subscribe to the new calendar instead."
        for feed, server in feeds_beside(connection, moves)
    ]
    return Taken(before=before, notes=notes)


def _archive(connection: Connection, lanes: Sequence[LaneView], by: By) -> Taken:
    """Queue writing every source to a file; each proposes its deletion once the file was read back."""
    terms = {number: one.term("calendar") for number, one in calendars_for_filters(connection).items()}
    queued, notes = {}, []
    for source, own in sources_of(lanes).items():
        facts = own[0].source
        assert facts is not None  # noqa: S101
        if not facts.writable:
            notes.append(f"{facts.name} is read-only, so nothing can be deleted there.")
        elif facts.entries:
            params = {**Selection(terms[source]).as_params(), "name": f"{facts.account} {facts.name}".strip()}
            params["reason"] = f"Moved to {_where(own)}; archived, read back and found complete."
            job = add_job(connection, JobKind.ARCHIVE, f"Archiving {facts.name}", params, None, by)
            queued[demand_id(own[0].row.id)] = job
    return Taken(jobs=queued, notes=notes)


def _retire(store: Store, connection: Connection, crossing: CrossingId) -> Taken:
    """Delete at the old side what was archived."""
    with store.session() as session:
        archived = stored.acts_of(session, crossing)[CutoverStep.ARCHIVE]
    sets: dict[int, SetId] = {}
    notes: list[str] = []
    for lane, number in archived.jobs.items():
        job = jobs.get(store, JobId(number))
        if job is None or job.state != "done":
            notes.append(job.message if job is not None else "An archive is not there any more.")
            continue
        set_id = SetId(int(str((job.result or {})["set_id"])))
        try:
            apply_within(connection, set_id)
        except CannotApply as error:
            notes.append(str(error))
            continue
        sets[int(lane)] = set_id
    if not sets:
        raise NotNow(" ".join(dict.fromkeys(notes)) or "Nothing was archived, so there is nothing to delete.")
    return Taken(sets, notes=notes)


# ---- taken back -----------------------------------------------------------------------------------


def take_back(store: Store, crossing: CrossingId, step: CutoverStep, by: By = PERSON) -> None:
    """Take a step back.

    Raises:
        NotNow: if it was not taken, or cannot be taken back.
    """
    with store.session() as session:
        acts = stored.acts_of(session, crossing)
    act = acts.get(step)
    if act is None:
        raise NotNow("This step was not taken, so there is nothing to take back.")
    if not _can_go_back(step, acts):
        raise NotNow(f"This step cannot be taken back{_WHY_NOT.get(step, '.')}")
    for number in sorted(act.sets.values(), reverse=True):
        _undo(store, SetId(number), by)
    for number in act.jobs.values():  # deletions that were proposed, and not applied
        job = jobs.get(store, JobId(number))
        if job is not None and (set_id := (job.result or {}).get("set_id")):
            with suppress(CannotApply):
                discard(store, SetId(int(str(set_id))))
    with store.write() as connection:
        pointing.put_back(connection, act.before)
        open_again(connection, crossing, act.before, by)
        stored.forget_act(connection, crossing, step)


_WHY_NOT = {
    CutoverStep.MESSAGES: ": the messages were sent.",
    CutoverStep.ACCESS: ": say at the target who may not any more.",
    CutoverStep.REST: ": something was deleted at the old side. Take that back first.",
    CutoverStep.ARCHIVE: ": the old side was retired. Take that back first.",
}


def _undo(store: Store, number: SetId, by: By) -> None:
    """Undo a batch, as far as nobody has changed since what it did."""
    with store.read() as connection:
        row = set_row(connection, number)
    if row is None or row.state != State.APPLIED or row.undone_by_id is not None:
        return
    try:
        apply(store, propose_undo(store, number, by=by))
    except CannotApply:  # all of it was changed since
        return


def take_back_all(store: Store, crossing: CrossingId, lanes: Sequence[LaneId], by: By = PERSON) -> list[str]:
    """Take back what the cutover has done for lanes that are sent back; returns what could not be.

    Where only some lanes are, their own batches are undone; shares and the rest stay as they are.
    """
    with store.session() as session:
        acts = stored.acts_of(session, crossing)
    _, views = lane_views(store, crossing)
    whole = {demand_id(one.row.id) for one in views if one.row.going} <= set(lanes)
    for step in reversed(CutoverStep):
        act = acts.get(step)
        if act is None:
            continue
        for lane, number in act.sets.items():
            if int(lane) in lanes:
                _undo(store, SetId(number), by)
        if whole:
            with store.write() as connection:
                pointing.put_back(connection, act.before)
                open_again(connection, crossing, act.before, by)
                stored.forget_act(connection, crossing, step)
    told = CutoverStep.MESSAGES in acts
    return [f"The owners were told that {counted(len(lanes), 'calendar')} moved: tell them otherwise."] if told else []
