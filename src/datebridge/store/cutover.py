"""The steps of cutover lists that were taken, and what has changed at a source since."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from typing import NamedTuple

from sqlalchemy import Connection, delete, func, insert, not_, select, update
from sqlmodel import Session
from sqlmodel import select as records

from datebridge.core.changes import State
from datebridge.core.crossing.cutover import CutoverStep
from datebridge.core.ids import CalendarId, CrossingId, SetId
from datebridge.store.sql import among
from datebridge.store.tables import CHANGES, CUTOVER_ACTS, PUSHES, SETS, CutoverAct


def acts_of(session: Session, crossing: CrossingId) -> dict[CutoverStep, CutoverAct]:
    """The steps of a crossing that were taken."""
    rows = session.exec(records(CutoverAct).where(CutoverAct.crossing_id == crossing))
    return {CutoverStep(row.step): row for row in rows}


def keep_act(connection: Connection, act: CutoverAct) -> None:
    """A step was taken, once more where it was before."""
    forget_act(connection, CrossingId(act.crossing_id), CutoverStep(act.step))
    connection.execute(insert(CUTOVER_ACTS).values(act.model_dump()))


def amend_act(
    connection: Connection,
    crossing: CrossingId,
    step: CutoverStep,
    before: Mapping[str, object],
    notes: Sequence[str],
) -> bool:
    """Add to what was kept of a step; false where it was taken back meanwhile."""
    own = (CUTOVER_ACTS.c.crossing_id == crossing, CUTOVER_ACTS.c.step == step.value)
    row = connection.execute(select(CUTOVER_ACTS.c.before, CUTOVER_ACTS.c.notes).where(*own)).one_or_none()
    if row is not None:
        values = {"before": {**row.before, **before}, "notes": [*row.notes, *notes]}
        connection.execute(update(CUTOVER_ACTS).where(*own).values(values))
    return row is not None


def forget_act(connection: Connection, crossing: CrossingId, step: CutoverStep) -> None:
    """A step was taken back."""
    own = (CUTOVER_ACTS.c.crossing_id == crossing, CUTOVER_ACTS.c.step == step.value)
    connection.execute(delete(CUTOVER_ACTS).where(*own))


def is_taken(connection: Connection, crossing: CrossingId, step: CutoverStep) -> bool:
    """Whether a step was taken."""
    query = select(CUTOVER_ACTS.c.step).where(CUTOVER_ACTS.c.crossing_id == crossing, CUTOVER_ACTS.c.step == step.value)
    return connection.execute(query).first() is not None


class SetWay(NamedTuple):
    """How many changes of sets are in which state on their way to a server, and why."""

    state: str
    message: str
    number: int


def ways_of(connection: Connection, sets: Collection[SetId]) -> list[SetWay]:
    """How what sets did stands on its way to the servers."""
    query = (
        select(PUSHES.c.state, PUSHES.c.message, func.count().label("number"))
        .where(PUSHES.c.set_id.in_(among(sets)))
        .group_by(PUSHES.c.state, PUSHES.c.message)
    )
    return [SetWay(*row) for row in connection.execute(query)]


def changed_since(
    connection: Connection, since: Mapping[CalendarId, int], without: Collection[SetId]
) -> dict[CalendarId, int]:
    """How many entries of calendars have changed after a moment each, in UTC seconds; `without` what some sets did."""
    rows = connection.execute(
        select(CHANGES.c.calendar_id, SETS.c.applied_at, func.count().label("number"))
        .join(SETS, SETS.c.id == CHANGES.c.set_id)
        .where(
            CHANGES.c.calendar_id.in_(among(since)),
            SETS.c.state == State.APPLIED,
            SETS.c.applied_at > min(since.values(), default=0),
            not_(CHANGES.c.held),
            CHANGES.c.component != "VCALENDAR",
            CHANGES.c.source_id.is_(None),
            not_(SETS.c.id.in_(among(without))),
            CHANGES.c.uid.not_like("%@notice.date-bridge.invalid"),
        )
        .group_by(CHANGES.c.calendar_id, SETS.c.applied_at)
    )
    counts: dict[CalendarId, int] = {}
    for row in rows:
        calendar = CalendarId(row.calendar_id)
        if row.applied_at > since[calendar]:
            counts[calendar] = counts.get(calendar, 0) + row.number
    return counts
