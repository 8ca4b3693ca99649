"""Jobs as rows: claimed by one worker, reported on, ended, and given back after a death.

A job that runs belongs to one *claim*. Whatever it writes is written only while the claim stands, so that a worker
that was given up for dead, and lives on, can do no harm.
"""

from __future__ import annotations

import os
import uuid
from collections.abc import Iterable
from typing import Any, NamedTuple

from sqlalchemy import Connection, and_, bindparam, func, insert, or_, select, update
from sqlmodel import Session, col
from sqlmodel import select as records

from datebridge.clock import now
from datebridge.core.changes import CLOCK, PERSON, By
from datebridge.core.ids import CalendarId, JobId
from datebridge.core.job_kinds import JobKind
from datebridge.store.tables import FILES, JOBS, Job

#: A job is restarted this often after its process died; then it counts as failed.
MAX_ATTEMPTS = 3
#: No job is put off by more than this; a later time comes of a clock that was set back. In seconds.
_LONGEST_PUT_OFF = 3600

# What every worker asks again and again: statements made once.
_ADD = insert(JOBS).returning(JOBS.c.id)
_MINE = and_(JOBS.c.id == bindparam("job"), JOBS.c.claim == bindparam("held"), JOBS.c.state == "running")
_HELD = select(JOBS.c.id).where(_MINE)
_STOPPED = select(JOBS.c.stop_requested).where(JOBS.c.id == bindparam("job"))
_PUT_OFF = and_(JOBS.c.not_before > bindparam("now"), JOBS.c.not_before <= bindparam("latest"))
_FREE = or_(JOBS.c.lane == "", JOBS.c.lane.not_in(select(JOBS.c.lane).where(JOBS.c.state == "running")))
_NEXT = (
    select(JOBS.c.id)
    .where(JOBS.c.state == "queued", JOBS.c.kind.in_(bindparam("kinds", expanding=True)), ~_PUT_OFF, _FREE)
    .order_by(JOBS.c.id)
    .limit(1)
)


class ClaimLost(Exception):
    """The job was given to another worker meanwhile: what this one still wants to write is not written."""


class Claimed(NamedTuple):
    """A job that is being done, and the claim under which it is."""

    id: JobId
    kind: JobKind
    params: dict[str, Any]
    claim: str
    by: By


def add_job(
    connection: Connection,
    kind: JobKind,
    title: str,
    params: dict[str, Any],
    about: int | None = None,
    by: By = PERSON,
) -> JobId:
    """Queue a job; returns its id. `about`: the account, host or calendar by which it takes turns (`JobKind.lane`)."""
    row = {
        "kind": kind,
        "title": title,
        "params": params,
        "state": "queued",
        "done": 0,
        "total": 0,
        "unit": "",
        "message": "",
        "result": {},
        "attempts": 0,
        "stop_requested": False,
        "lane": kind.lane(about),
        "claim": "",
        "not_before": 0,
        "by_whom": str(by),
        "created_at": now(),
    }
    return JobId(connection.execute(_ADD, row).scalar_one())


def queue_once(connection: Connection, kind: JobKind, title: str, calendar: CalendarId | None = None) -> None:
    """Queue a maintenance job, of all or of a calendar, unless one like it is queued already."""
    if kind.lane(calendar) not in lanes_with(connection, kind, ("queued",)):
        add_job(connection, kind, title, {} if calendar is None else {"calendar": calendar}, calendar, CLOCK)


def queue_collecting(connection: Connection) -> None:
    """Queue clearing away what nothing holds any more."""
    queue_once(connection, JobKind.COLLECT, "Cleaning up")


def next_job(connection: Connection, kinds: Iterable[JobKind]) -> JobId | None:
    """The oldest job that may be begun: of these kinds, due, and in no lane in which one is under way."""
    asked = {"kinds": tuple(kinds), "now": (moment := now()), "latest": moment + _LONGEST_PUT_OFF}
    number = connection.execute(_NEXT, asked).scalar()
    return JobId(number) if number is not None else None


def claim_job(connection: Connection, job: JobId) -> Claimed:
    """Begin a queued job."""
    claim = f"{os.getpid()}-{uuid.uuid4().hex[:12]}"
    begun = update(JOBS).where(JOBS.c.id == job)
    values = {"state": "running", "attempts": JOBS.c.attempts + 1, "claim": claim, "message": ""}
    row = connection.execute(begun.values(values).returning(JOBS.c.kind, JOBS.c.params, JOBS.c.by_whom)).one()
    return Claimed(job, JobKind(row.kind), row.params, claim, By.read(row.by_whom))


def demand_claim(connection: Connection, job: Claimed) -> None:
    """Raises:
    ClaimLost: if the job is somebody else's by now.
    """
    if connection.execute(_HELD, {"job": job.id, "held": job.claim}).first() is None:
        raise ClaimLost(f"Job {job.id} was given to another worker.")


def lanes_with(connection: Connection, kind: JobKind, states: Iterable[str]) -> set[str]:
    """The lanes in which there is a job of a kind in one of these states."""
    query = select(JOBS.c.lane).distinct().where(JOBS.c.kind == kind, JOBS.c.state.in_(tuple(states)))
    return set(connection.execute(query).scalars())


def newest_jobs(session: Session, most: int) -> list[Job]:
    """The newest jobs, running ones among them."""
    return list(session.exec(records(Job).order_by(col(Job.id).desc()).limit(most)))


def open_jobs(connection: Connection, kind: str) -> list[JobId]:
    """Jobs of a kind that have not ended."""
    wanted = select(JOBS.c.id).where(JOBS.c.kind == kind, JOBS.c.state.in_(("queued", "running")))
    return list(connection.execute(wanted.order_by(JOBS.c.id)).scalars())


def stop_wanted(connection: Connection, job: Claimed) -> bool:
    """Whether somebody asked the job to stop.

    Raises:
        ClaimLost: if the job is somebody else's by now.
    """
    demand_claim(connection, job)
    return bool(connection.execute(_STOPPED, {"job": job.id}).scalar())


def request_stop(connection: Connection, job: JobId) -> None:
    """Ask a job to stop; one that is still queued never begins."""
    own = JOBS.c.id == job
    connection.execute(update(JOBS).where(own, JOBS.c.state == "running").values(stop_requested=True))
    never = update(JOBS).where(own, JOBS.c.state == "queued")
    connection.execute(never.values(stop_requested=True, state="stopped", finished_at=now()))


def report_job(connection: Connection, job: Claimed, done: int, total: int, unit: str, message: str) -> None:
    """Say how far a job is."""
    statement = update(JOBS).where(JOBS.c.id == job.id)
    connection.execute(statement.values(done=done, total=total, unit=unit, message=message))


def remember(connection: Connection, job: Claimed, **params: object) -> None:
    """Keep something for the case that the job has to be begun again."""
    job.params.update(params)
    connection.execute(update(JOBS).where(JOBS.c.id == job.id).values(params=dict(job.params)))


def end_job(connection: Connection, job: Claimed, state: str, message: str, result: dict[str, object]) -> None:
    """The end of a job, if it is still this claim's and has not ended."""
    ended = update(JOBS).where(_MINE).values(state=state, message=message, result=result, finished_at=now(), claim="")
    connection.execute(ended, {"job": job.id, "held": job.claim})
    if state != "done":
        let_files_go(connection)


def put_job_off(connection: Connection, job: Claimed, seconds: int, message: str) -> None:
    """Queue a job again, for later; the try does not count."""
    later = update(JOBS).where(JOBS.c.id == job.id, JOBS.c.claim == job.claim)
    values = {"state": "queued", "claim": "", "attempts": JOBS.c.attempts - 1, "not_before": now() + seconds}
    connection.execute(later.values(message=message, **values))


def take_back(connection: Connection, kinds: Iterable[JobKind] | None = None) -> list[str]:
    """Queue what a dead process was doing, of these kinds or of all; says so in words."""
    wanted = select(JOBS.c.id, JOBS.c.title, JOBS.c.attempts).where(JOBS.c.state == "running")
    if kinds is not None:
        wanted = wanted.where(JOBS.c.kind.in_(tuple(kinds)))
    messages = []
    for row in connection.execute(wanted).all():
        own = update(JOBS).where(JOBS.c.id == row.id)
        if row.attempts >= MAX_ATTEMPTS:
            message = "It ended the process each time it was tried."
            connection.execute(own.values(state="failed", claim="", finished_at=now(), message=message))
            messages.append(f"“{row.title}” was interrupted {row.attempts} times and was given up.")
        else:
            connection.execute(own.values(state="queued", claim=""))
            messages.append(f"“{row.title}” was interrupted and continues.")
    let_files_go(connection)
    return messages


def let_files_go(connection: Connection) -> None:
    """Files that no job will read any more are not being read: they can be read again, or turned away."""
    listed = func.json_each(JOBS.c.params, "$.files").table_valued("value")
    read = (
        select(listed.c.value)
        .select_from(JOBS)
        .join(listed, JOBS.c.id.is_not(None))
        .where(JOBS.c.kind == JobKind.READ, JOBS.c.state.in_(("queued", "running")))
    )
    message = "Reading was interrupted. Read the file again, or discard it."
    left = update(FILES).where(FILES.c.state.in_(("queued", "reading")), FILES.c.id.not_in(read))
    connection.execute(left.values(state="refused", message=message))
