"""Jobs as rows: claimed by one worker, reported on, ended, and given back after a death.

A job that runs belongs to one *claim*. Whatever it writes is written only while the claim stands, so that a worker
that was given up for dead, and lives on, can do no harm.
"""

from __future__ import annotations

import json
import os
import uuid
from collections.abc import Iterable
from typing import Any, NamedTuple

from sqlalchemy import Connection

from datebridge.store.database import now
from datebridge.store.entries.versions import bound

#: A job is begun anew this often after its process died; then it counts as failed.
MAX_ATTEMPTS = 3
#: No job is put off by more than this; a later time comes of a clock that was set back. In seconds.
_LONGEST_PUT_OFF = 3600


class ClaimLost(Exception):
    """The job was given to another worker meanwhile: what this one still wants to write is not written."""


class Claimed(NamedTuple):
    """A job that is being done, and the claim under which it is."""

    id: int
    kind: str
    params: dict[str, Any]
    claim: str


def add_job(connection: Connection, kind: str, title: str, params: dict[str, Any], lane: str = "") -> int:
    """Queue a job; returns its id."""
    return int(
        connection.exec_driver_sql(
            "INSERT INTO job (kind, title, params, state, done, total, unit, message, result, attempts,"
            " stop_requested, lane, created_at) VALUES (?, ?, ?, 'queued', 0, 0, '', '', '{}', 0, 0, ?, ?)"
            " RETURNING id",
            (kind, title, json.dumps(params), lane, now()),
        ).scalar_one()
    )


def next_job(connection: Connection, kinds: Iterable[str]) -> int | None:
    """The oldest job that may be begun: of these kinds, due, and in no lane in which one is under way."""
    wanted = tuple(kinds)
    if not wanted:
        return None
    moment = now()
    found = connection.exec_driver_sql(
        f"SELECT id FROM job WHERE state = 'queued' AND kind IN ({bound(len(wanted))})"
        " AND NOT (not_before > ? AND not_before <= ?)"
        " AND (lane = '' OR lane NOT IN (SELECT lane FROM job WHERE state = 'running')) ORDER BY id LIMIT 1",
        (*wanted, moment, moment + _LONGEST_PUT_OFF),
    ).scalar()
    return int(found) if found is not None else None


def claim_job(connection: Connection, job: int) -> Claimed:
    """Begin a queued job."""
    claim = f"{os.getpid()}-{uuid.uuid4().hex[:12]}"
    row = connection.exec_driver_sql(
        "UPDATE job SET state = 'running', attempts = attempts + 1, claim = ?, message = '' WHERE id = ?"
        " RETURNING kind, params",
        (claim, job),
    ).one()
    return Claimed(job, row[0], json.loads(row[1]), claim)


def demand_claim(connection: Connection, job: Claimed) -> None:
    """Raises:
    ClaimLost: if the job is somebody else's by now.
    """
    if (
        connection.exec_driver_sql(
            "SELECT 1 FROM job WHERE id = ? AND claim = ? AND state = 'running'", (job.id, job.claim)
        ).first()
        is None
    ):
        raise ClaimLost(f"Job {job.id} was given to another worker.")


def lanes_with(connection: Connection, kind: str, states: Iterable[str]) -> set[str]:
    """The lanes in which there is a job of a kind in one of these states."""
    wanted = tuple(states)
    rows = connection.exec_driver_sql(
        f"SELECT DISTINCT lane FROM job WHERE kind = ? AND state IN ({bound(len(wanted))})", (kind, *wanted)
    )
    return {row[0] for row in rows}


def stop_wanted(connection: Connection, job: Claimed) -> bool:
    """Whether somebody asked the job to stop.

    Raises:
        ClaimLost: if the job is somebody else's by now.
    """
    demand_claim(connection, job)
    return bool(connection.exec_driver_sql("SELECT stop_requested FROM job WHERE id = ?", (job.id,)).scalar())


def report_job(connection: Connection, job: Claimed, done: int, total: int, unit: str, message: str) -> None:
    connection.exec_driver_sql(
        "UPDATE job SET done = ?, total = ?, unit = ?, message = ? WHERE id = ?", (done, total, unit, message, job.id)
    )


def remember(connection: Connection, job: Claimed, **params: Any) -> None:
    """Keep something for the case that the job has to be begun again."""
    job.params.update(params)
    connection.exec_driver_sql("UPDATE job SET params = ? WHERE id = ?", (json.dumps(job.params), job.id))


def end_job(connection: Connection, job: Claimed, state: str, message: str, result: dict[str, Any]) -> None:
    """The end of a job, if it is still this claim's and has not ended."""
    connection.exec_driver_sql(
        "UPDATE job SET state = ?, message = ?, result = ?, finished_at = ?, claim = '' WHERE id = ? AND claim = ?"
        " AND state = 'running'",
        (state, message, json.dumps(result), now(), job.id, job.claim),
    )
    if state != "done":
        let_files_go(connection)


def put_job_off(connection: Connection, job: Claimed, seconds: int, message: str) -> None:
    """Queue a job again, for later; the try does not count."""
    connection.exec_driver_sql(
        "UPDATE job SET state = 'queued', claim = '', attempts = attempts - 1, not_before = ?, message = ?"
        " WHERE id = ? AND claim = ?",
        (now() + seconds, message, job.id, job.claim),
    )


def take_back(connection: Connection, kinds: Iterable[str] | None = None) -> list[str]:
    """Queue what a dead process was doing, of these kinds or of all; says so in words."""
    rows = connection.exec_driver_sql("SELECT id, kind, title, attempts FROM job WHERE state = 'running'").fetchall()
    said = []
    for number, kind, title, attempts in rows:
        if kinds is not None and kind not in kinds:
            continue
        if attempts >= MAX_ATTEMPTS:
            connection.exec_driver_sql(
                "UPDATE job SET state = 'failed', claim = '', finished_at = ?,"
                " message = 'It ended the process each time it was tried.' WHERE id = ?",
                (now(), number),
            )
            said.append(f"“{title}” was interrupted {attempts} times and was given up.")
        else:
            connection.exec_driver_sql("UPDATE job SET state = 'queued', claim = '' WHERE id = ?", (number,))
            said.append(f"“{title}” was interrupted and goes on.")
    let_files_go(connection)
    return said


def let_files_go(connection: Connection) -> None:
    """Files that no job will read any more are not being read: they can be read again, or turned away."""
    connection.exec_driver_sql(
        "UPDATE incoming SET state = 'refused', message = 'Reading it was broken off. Read it again, or turn it away.'"
        " WHERE state IN ('queued', 'reading') AND id NOT IN (SELECT i.value FROM job j, json_each(j.params,"
        " '$.incoming') i WHERE j.kind = 'read' AND j.state IN ('queued', 'running'))"
    )
