"""Long work: queued in the store, done by the workers, stoppable, taken up again after a kill or a full disk."""

from __future__ import annotations

import gc
import threading
import time
from collections.abc import Callable, Iterable
from functools import partial
from typing import Any

import structlog

from datebridge.core.changes import PERSON, By
from datebridge.core.errors import CannotDo
from datebridge.core.ids import JobId, SetId
from datebridge.core.job_kinds import JobKind
from datebridge.settings import Settings
from datebridge.store.database import Connection, Store, is_damage, is_full
from datebridge.store.jobs import (
    Claimed,
    ClaimLost,
    add_job,
    claim_job,
    demand_claim,
    end_job,
    newest_jobs,
    next_job,
    put_job_off,
    remember,
    report_job,
    request_stop,
    stop_wanted,
    take_back,
)
from datebridge.store.soundness import DAMAGED
from datebridge.store.tables import Job

log = structlog.get_logger()
_REPORT_EVERY = 0.25
#: How long a job waits for room on the disk before it is tried again, in seconds.
_WAIT_FOR_ROOM = 15
FULL = "The disk is full. The job continues when there is space."


class Stopped(Exception):
    """Somebody asked the job to stop."""


class NotYet(Exception):
    """The job waits for others: it is queued again, for a while later; the message says for what it waits."""

    def __init__(self, message: str, seconds: int = 1) -> None:
        super().__init__(message)
        self.seconds = seconds


class Refused(CannotDo):
    """The job cannot be done; the message says why and what to do."""

    code, title = "refused", "This cannot be done"


class JobContext:
    """What a job's function is given: the store, the settings, its parameters, and a way to report.

    Whatever is written through `store` is written only while the job is this worker's.
    """

    def __init__(self, store: Store, settings: Settings, job: Claimed) -> None:
        self.store = store.demanding(partial(demand_claim, job=job), job.claim)
        self.settings, self.job = settings, job
        self.params, self.by = job.params, job.by
        self._reported = self._asked = 0.0

    def check(self) -> None:
        """Go on? Cheap to ask often.

        Raises:
            Stopped: if somebody asked the job to stop.
            ClaimLost: if it was given to another worker.
        """
        if time.monotonic() - self._asked < _REPORT_EVERY:
            return
        self._asked = time.monotonic()
        with self.store.read() as connection:
            if stop_wanted(connection, self.job):
                raise Stopped

    def progress(self, done: int, total: int, unit: str, message: str = "") -> None:
        """Report how far the job is; cheap to call often, but not from within a transaction.

        Raises:
            Stopped: if somebody asked the job to stop.
        """
        if time.monotonic() - self._reported < _REPORT_EVERY and done < total:
            return
        self._reported = time.monotonic()
        with self.store.write() as connection:
            report_job(connection, self.job, done, total, unit, message)
            stop = stop_wanted(connection, self.job)
        if stop:
            raise Stopped

    def remember(self, **params: object) -> None:
        """Keep something for the case that the job has to be begun again."""
        with self.store.write() as connection:
            remember(connection, self.job, **params)

    def conclude(self, connection: Connection, result: dict[str, object]) -> dict[str, object]:
        """End the job in the very transaction in which its last writing is done, so that it can't be done twice."""
        end_job(connection, self.job, "done", "", result)
        return result

    def conclude_with_set(self, connection: Connection, set_id: SetId) -> None:
        """The same for a job that makes a change set (`Draft.afterwards`)."""
        self.conclude(connection, {"set_id": set_id})


JobFunction = Callable[[JobContext], dict[str, object]]
#: What does the jobs of each kind. A use case enters itself by `performs`, once its module is imported.
FUNCTIONS: dict[JobKind, JobFunction] = {}


def performs(kind: JobKind) -> Callable[[JobFunction], JobFunction]:
    """Mark the function that does the jobs of a kind."""

    def enter(function: JobFunction) -> JobFunction:
        FUNCTIONS[kind] = function
        return function

    return enter


def enqueue(
    store: Store, kind: JobKind, title: str, params: dict[str, Any], about: int | None = None, by: By = PERSON
) -> JobId:
    """Queue a job; returns its id. `about`: the account, host or calendar by which it takes turns."""
    with store.write() as connection:
        return add_job(connection, kind, title, params, about, by)


def get(store: Store, job_id: JobId) -> Job | None:
    with store.session() as session:
        return session.get(Job, job_id)


def recent(store: Store, limit: int = 20) -> list[Job]:
    """The newest jobs."""
    with store.session() as session:
        return newest_jobs(session, limit)


def stop(store: Store, job_id: JobId) -> None:
    """Ask a job to stop; one that is still queued never begins."""
    with store.write() as connection:
        request_stop(connection, job_id)


def resume_interrupted(store: Store, kinds: Iterable[JobKind] | None = None) -> list[str]:
    """Queue what a killed process was doing, of these kinds or of all; says so in words."""
    with store.write() as connection:
        return take_back(connection, kinds)


def claim_next(store: Store, kinds: Iterable[JobKind]) -> Claimed | None:
    """The oldest job of these kinds that may be begun now, begun; None if there is none."""
    kinds = tuple(kinds)
    with store.read() as connection:
        if next_job(connection, kinds) is None:
            return None
    with store.write() as connection:
        job = next_job(connection, kinds)
        return claim_job(connection, job) if job is not None else None


def run_next(store: Store, settings: Settings, kinds: Iterable[JobKind]) -> bool:
    """Do the oldest queued job of the kinds given; False if there is none."""
    job = claim_next(store, kinds)
    if job is not None:
        run(store, settings, job)
    return job is not None


def run(store: Store, settings: Settings, job: Claimed) -> None:
    """Do a job that has been claimed."""
    context = JobContext(store, settings, job)
    state, message, result = "done", "", {}
    later = _WAIT_FOR_ROOM
    collecting = gc.isenabled()
    gc.disable()  # jobs make very many small objects and hardly any cycles
    try:
        result = FUNCTIONS[job.kind](context)
    except Stopped as stopped:
        state, message = "stopped", str(stopped) or "Stopped; nothing was changed."
    except NotYet as waits:
        state, message, later = "queued", str(waits), waits.seconds
    except CannotDo as refusal:
        state, message = "failed", str(refusal)
    except ClaimLost:
        log.warning("job given to another worker", job=job.id, kind=job.kind)
        return
    except Exception as error:
        if is_full(error):
            state, message = "queued", FULL
        elif is_damage(error):
            state, message = "failed", DAMAGED
        else:
            log.exception("job failed", job=job.id, kind=job.kind)
            state, message = (
                "failed",
                "An unexpected error; the log of the application has the details. Nothing was changed.",
            )
    finally:
        if collecting:
            gc.enable()
    _end(store, job, state, message, result, later)


def _end(store: Store, job: Claimed, state: str, message: str, result: dict[str, object], later: int) -> None:
    """Write how a job ended; on a full disk again and again, until there is room for it."""
    while True:
        try:
            with store.write() as connection:
                if state == "queued":
                    put_job_off(connection, job, later, message)
                else:
                    end_job(connection, job, state, message, result)
            return
        except Exception as error:
            if not is_full(error):
                raise
            threading.Event().wait(2)
