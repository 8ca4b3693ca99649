"""Proposals, batches, undo: one preview, one apply, one logbook for every kind of change."""

from __future__ import annotations

from typing import Literal

from fastapi import HTTPException
from fastapi.responses import FileResponse

from datebridge.api import present
from datebridge.api.account_shapes import CarriedOut
from datebridge.api.context import App, AppDep
from datebridge.api.kinds import Id, Limit, Offset
from datebridge.api.routing import new_router
from datebridge.api.shapes import (
    ChangePage,
    ChangeSetOut,
    ChangeSetPage,
    ChangeSetReview,
    Count,
    JobOut,
    ProblemCount,
    ProblemOut,
    ProblemPage,
    RouteOut,
    UndoOut,
)  # fmt: skip
from datebridge.core.problems import CODES
from datebridge.services import applying
from datebridge.services.imports import files
from datebridge.services.jobs import jobs
from datebridge.store.changesets import review
from datebridge.store.changesets.logbook import discard_set
from datebridge.store.changesets.undo import propose_undo
from datebridge.store.database import LITTLE_ROOM, room_left
from datebridge.store.remotes import PENDING, carriage_counts
from datebridge.store.tables import Job

router = new_router("/api", "changes")


@router.get("/change-sets")
def change_sets(
    app: AppDep, state: Literal["proposed", "applied"] = "applied", offset: Offset = 0, limit: Limit = 100
) -> ChangeSetPage:
    """Proposals that wait, or the logbook; newest first."""
    with app.store.read() as connection:
        total, rows = review.list_sets(connection, state, offset, limit)
    return ChangeSetPage(total=total, rows=[present.change_set(row) for row in rows])


@router.get("/change-sets/{set_id}")
def change_set(app: AppDep, set_id: Id) -> ChangeSetReview:
    """A change set counted and explained."""
    with app.store.read() as connection:
        row = review.set_row(connection, set_id)
        if row is None:
            raise HTTPException(404, f"There is no change set {set_id}.")
        counts = review.breakdown(connection, set_id)
        warnings = review.warnings(connection, set_id) if row["state"] == "proposed" else []
        carried = carriage_counts(connection, "set_id", set_id).get(set_id, {})
    listed = {name: [Count(label=label, count=count) for label, count in rows] for name, rows in counts.items()}
    return ChangeSetReview(
        change_set=present.change_set(row), by_calendar=listed["calendar"], by_year=listed["year"],
        by_kind=listed["kind"], warnings=warnings, button=present.button(row, counts["calendar"]),
        carried=CarriedOut.model_validate(carried),
    )  # fmt: skip


@router.get("/change-sets/{set_id}/changes")
def changes(app: AppDep, set_id: Id, offset: Offset = 0, limit: Limit = 100) -> ChangePage:
    """A page of changes with both banks."""
    with app.store.read() as connection:
        total, rows = review.changes_page(connection, set_id, offset, limit)
        names = {row[0]: row[1] for row in connection.exec_driver_sql("SELECT id, name FROM calendar")}
    return ChangePage(total=total, offset=offset, rows=[present.change(row, names) for row in rows])


@router.post("/change-sets/{set_id}/apply")
def apply(app: AppDep, set_id: Id) -> ChangeSetOut:
    """Apply a proposal as one batch."""
    applying.apply(app.store, set_id)
    return _set(app, set_id)


@router.post("/change-sets/{set_id}/discard")
def discard(app: AppDep, set_id: Id) -> ChangeSetOut:
    """Drop a proposal."""
    discard_set(app.store, set_id)
    return _set(app, set_id)


@router.post("/change-sets/{set_id}/undo")
def undo(app: AppDep, set_id: Id, force: bool = False, preview: bool = False) -> UndoOut:
    """Take a batch back: at once where nothing in it changed since, else as a proposal to look at.

    What came in by itself is always looked at first: taking it back changes what is there.
    """
    undo_id = propose_undo(app.store, set_id, force)
    proposal = _set(app, undo_id)
    at_once = not preview and not proposal.held and not force and _set(app, set_id).kind != "pull"
    if at_once:
        applying.apply(app.store, undo_id)
    return UndoOut(set_id=undo_id, applied=at_once, title=proposal.title, held=proposal.held)


def _set(app: App, set_id: Id) -> ChangeSetOut:
    with app.store.read() as connection:
        row = review.set_row(connection, set_id)
    if row is None:
        raise HTTPException(404, f"There is no change set {set_id}.")
    return present.change_set(row)


@router.get("/archives/{name}", response_class=FileResponse, responses={200: {"content": {"text/calendar": {}}}})
def archive(app: AppDep, name: str) -> FileResponse:
    """An archive file written by putting away."""
    folder = app.settings.archive_dir
    if not folder.is_dir() or name not in {path.name for path in folder.iterdir()}:
        raise HTTPException(404, f"There is no archive {name}.")
    return FileResponse(folder / name, media_type="text/calendar; charset=utf-8", filename=name)


@router.get("/jobs")
def job_list(app: AppDep) -> list[JobOut]:
    """The newest jobs, running ones among them."""
    return [_job(job) for job in jobs.recent(app.store)]


@router.get("/jobs/{job_id}")
def job(app: AppDep, job_id: Id) -> JobOut:
    found = jobs.get(app.store, job_id)
    if found is None:
        raise HTTPException(404, f"There is no job {job_id}.")
    return _job(found)


@router.post("/jobs/{job_id}/stop")
def stop_job(app: AppDep, job_id: Id) -> JobOut:
    """Ask a job to stop. What it has done so far is dropped."""
    jobs.request_stop(app.store, job_id)
    return job(app, job_id)


def _job(row: Job) -> JobOut:
    return JobOut.model_validate(row, from_attributes=True)


@router.get("/problems")
def problem_counts(app: AppDep) -> list[ProblemCount]:
    """What is wrong with the entries in the calendars, by kind of problem, the worst first."""
    with app.store.read() as connection:
        rows = connection.exec_driver_sql(
            "SELECT p.code, count(DISTINCT p.version_id) FROM problem p JOIN entry e ON e.id = p.version_id"
            " WHERE e.listed GROUP BY 1"
        ).fetchall()
    order = ("breaks", "alters", "untidy")
    found = [ProblemCount(severity=CODES[c][0], code=c, title=CODES[c][1], count=n) for c, n in rows]
    return sorted(found, key=lambda p: (order.index(p.severity), -p.count))


@router.get("/incoming/{incoming_id}/problems")
def incoming_problems(app: AppDep, incoming_id: Id, offset: Offset = 0, limit: Limit = 100) -> ProblemPage:
    """The problems found in an incoming file, in the order of its lines."""
    with app.store.read() as connection:
        where = "FROM problem WHERE incoming_id = ?"
        total = connection.exec_driver_sql(f"SELECT count(*) {where}", (incoming_id,)).scalar_one()
        rows = connection.exec_driver_sql(
            f"SELECT * {where} ORDER BY line, id LIMIT ? OFFSET ?", (incoming_id, limit, offset)
        ).mappings()
        out: list[ProblemOut] = [present.problem(dict(row)) for row in rows]
    return ProblemPage(total=total, rows=out)


def _room(app: App) -> list[str]:
    """That the disk is nearly full, if it is."""
    left = room_left(app.settings.data_dir)
    if left >= LITTLE_ROOM:
        return []
    return [f"The disk that holds the data has {left >> 20} MB left. What needs room waits until there is some."]


@router.get("/route")
def route(app: AppDep) -> RouteOut:
    """What waits at each stage, and the batch that `u` takes back."""
    with app.store.read() as connection:
        one = connection.exec_driver_sql(
            "SELECT (SELECT count(*) FROM entry WHERE listed = 1),"
            " (SELECT count(*) FROM change_set WHERE state = 'proposed'),"
            " (SELECT count(*) FROM change_set WHERE state = 'applied'),"
            " (SELECT count(DISTINCT p.version_id) FROM problem p JOIN entry e ON e.id = p.version_id WHERE e.listed),"
            f" (SELECT count(*) FROM carriage WHERE state IN {PENDING}),"
            " (SELECT count(*) FROM carriage WHERE state IN ('refused', 'collided'))"
        ).one()
        last = (
            connection.exec_driver_sql(
                "SELECT * FROM change_set WHERE state = 'applied' AND undone_by_id IS NULL"
                " AND kind NOT IN ('undo', 'pull', 'subscribe', 'leave')"
                " ORDER BY revision DESC LIMIT 1"
            )
            .mappings()
            .one_or_none()
        )
        waiting = files.count_waiting(connection)
    return RouteOut(
        connect=waiting, to_carry=one[4], to_decide=one[5], look=one[0], mend=one[1], logbook=one[2], problems=one[3],
        last_batch=present.change_set(dict(last)) if last else None, notices=[*app.notices, *_room(app)],
    )  # fmt: skip
