"""Long work: queued in the store, done one at a time by the worker, stoppable, taken up again after a kill."""

from __future__ import annotations

import gc
import time
from collections.abc import Callable, Iterable
from typing import Any

import structlog
from sqlmodel import col, select

from datebridge.settings import Settings
from datebridge.store.database import Store, now
from datebridge.store.logbook import CannotApply
from datebridge.store.tables import Job

log = structlog.get_logger()
#: A job is begun anew this often after its process died; then it counts as failed.
MAX_ATTEMPTS = 3
_REPORT_EVERY = 0.25


class Stopped(Exception):
    """Somebody asked the job to stop."""


class Refused(Exception):
    """The job cannot be done; the message says why and what to do."""


class JobContext:
    """What a job's function is given: the store, the settings, its parameters, and a way to report."""

    def __init__(self, store: Store, settings: Settings, job_id: int, params: dict[str, Any]) -> None:
        self.store, self.settings, self.job_id, self.params = store, settings, job_id, params
        self._reported = 0.0

    def progress(self, done: int, total: int, unit: str, message: str = "") -> None:
        """Report how far the job is; cheap to call often.

        Raises:
            Stopped: if somebody asked the job to stop.
        """
        if time.monotonic() - self._reported < _REPORT_EVERY and done < total:
            return
        self._reported = time.monotonic()
        with self.store.write() as connection:
            stop = connection.exec_driver_sql(
                "UPDATE job SET done = ?, total = ?, unit = ?, message = ? WHERE id = ? RETURNING stop_requested",
                (done, total, unit, message, self.job_id),
            ).scalar()
        if stop:
            raise Stopped


JobFunction = Callable[[JobContext], dict[str, Any]]


def enqueue(store: Store, kind: str, title: str, params: dict[str, Any]) -> int:
    with store.session() as session:
        job = Job(kind=kind, title=title, params=params, created_at=now())
        session.add(job)
        session.flush()
        assert job.id is not None  # noqa: S101  (given by flush)
        return job.id


def get(store: Store, job_id: int) -> Job | None:
    with store.session() as session:
        return session.get(Job, job_id)


def recent(store: Store, limit: int = 20) -> list[Job]:
    with store.session() as session:
        return list(session.exec(select(Job).order_by(col(Job.id).desc()).limit(limit)))


def request_stop(store: Store, job_id: int) -> None:
    """Ask a job to stop; one that is still queued never begins."""
    with store.session() as session:
        job = session.get(Job, job_id)
        if job is not None and job.state in ("queued", "running"):
            job.stop_requested = True
            if job.state == "queued":
                job.state, job.finished_at = "stopped", now()


def resume_interrupted(store: Store, kinds: Iterable[str] | None = None) -> list[str]:
    """Queue what a killed process was doing, of these kinds or of all; says so in words."""
    said = []
    with store.session() as session:
        running = select(Job).where(Job.state == "running")
        for job in session.exec(running if kinds is None else running.where(col(Job.kind).in_(list(kinds)))):
            if job.attempts >= MAX_ATTEMPTS:
                job.state, job.message, job.finished_at = (
                    "failed",
                    "It ended the process each time it was tried.",
                    now(),
                )
                said.append(f"“{job.title}” was interrupted {job.attempts} times and was given up.")
            else:
                job.state = "queued"
                said.append(f"“{job.title}” was interrupted and goes on.")
    return said


def run_next(store: Store, settings: Settings, functions: dict[str, JobFunction]) -> bool:
    """Do the oldest queued job of the kinds given; False if there is none."""
    with store.session() as session:
        query = select(Job).where(Job.state == "queued", col(Job.kind).in_(functions))
        job = session.exec(query.order_by(col(Job.id)).limit(1)).first()
        if job is None or job.id is None:
            return False
        job.state = "running"
        job.attempts += 1
        job_id, kind, params = job.id, job.kind, dict(job.params)
    context = JobContext(store, settings, job_id, params)
    state, message, result = "done", "", {}
    gc.disable()  # jobs make very many small objects and hardly any cycles
    try:
        result = functions[kind](context)
    except Stopped as stopped:
        state, message = "stopped", str(stopped) or "Stopped; nothing was changed."
    except (Refused, CannotApply) as refusal:
        state, message = "failed", str(refusal)
    except Exception:
        log.exception("job failed", job=job_id, kind=kind)
        state, message = (
            "failed",
            "An unexpected error; the log of the application has the details. Nothing was changed.",
        )
    finally:
        gc.enable()
    with store.session() as session:
        finished = session.get(Job, job_id)
        if finished is not None:
            finished.state, finished.message, finished.finished_at = state, message, now()
            finished.result = result
    return True
