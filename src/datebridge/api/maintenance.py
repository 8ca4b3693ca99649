"""Jobs, the figures of each stage, and the feed of changes."""

from __future__ import annotations

import json
from asyncio import sleep
from collections.abc import AsyncIterator

from anyio import to_thread
from fastapi.responses import StreamingResponse

from datebridge.api import present
from datebridge.api.context import App, AppDep
from datebridge.api.kinds import JobNo
from datebridge.api.routing import new_router
from datebridge.api.shapes import (
    JobOut,
    RouteOut,
)
from datebridge.core.errors import NotFound
from datebridge.services.jobs import jobs
from datebridge.store.change_feed import Marks
from datebridge.store.database import LITTLE_ROOM, room_left
from datebridge.store.tables import Job

#: How often it is looked whether something has changed, in seconds; and when a sign of life is due.
_PULSE, _SIGN_OF_LIFE = 0.5, 15.0
router = new_router("/api", "maintenance")


@router.get("/jobs")
def job_list(app: AppDep) -> list[JobOut]:
    """The newest jobs, running ones among them."""
    return [_job(job) for job in jobs.recent(app.store)]


@router.get("/jobs/{job_id}")
def job(app: AppDep, job_id: JobNo) -> JobOut:
    row = jobs.get(app.store, job_id)
    if row is None:
        raise NotFound(f"There is no job {job_id}.")
    return _job(row)


@router.post("/jobs/{job_id}/stop")
def stop_job(app: AppDep, job_id: JobNo) -> JobOut:
    """Ask a job to stop. What it has done so far is dropped."""
    jobs.stop(app.store, job_id)
    return job(app, job_id)


def _job(row: Job) -> JobOut:
    return JobOut.model_validate(row, from_attributes=True)


def _room(app: App) -> list[str]:
    """That the disk is nearly full, if it is."""
    left = room_left(app.settings.data_dir)
    if left >= LITTLE_ROOM:
        return []
    return [f"The disk that holds the data has {left >> 20} MB left. Jobs that need space wait until there is enough."]


@router.get("/route")
def route(app: AppDep) -> RouteOut:
    """What waits at each stage, and the batch that `u` takes back; asked for by every page, after every change."""
    stages = app.stages.get()
    last = stages.last_batch
    last_batch = present.change_set(last) if last else None
    return RouteOut(**{**stages._asdict(), "last_batch": last_batch, "notices": [*app.notices, *_room(app)]})


@router.get(
    "/revisions",
    response_class=StreamingResponse,
    responses={200: {"content": {"text/event-stream": {}}, "description": "The topics of which something changed."}},
)
async def revisions(app: AppDep) -> StreamingResponse:
    """Which topics have changed, as server-sent events, for as long as somebody listens."""
    marks = await to_thread.run_sync(app.change_feed.get)
    told = _revisions(app, marks)
    return StreamingResponse(told, media_type="text/event-stream", headers={"Cache-Control": "no-store"})


async def _revisions(app: App, known: Marks) -> AsyncIterator[str]:
    yield "retry: 2000\n\n"
    silent = 0.0
    while True:
        await sleep(_PULSE)
        marks = await to_thread.run_sync(app.change_feed.get)
        topics = [topic for topic, mark in marks.items() if mark != known.get(topic)]
        known, silent = marks, silent + _PULSE
        if topics:
            yield f"data: {json.dumps(topics)}\n\n"
        elif silent >= _SIGN_OF_LIFE:
            yield ": still here\n\n"  # so that it is noticed when nobody listens any more
        if topics or silent >= _SIGN_OF_LIFE:
            silent = 0.0
