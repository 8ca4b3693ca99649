"""Calendars themselves, and copying or moving entries between them."""

from __future__ import annotations

from datebridge.api.connect.shapes import (
    CalendarIn,
    NewCalendarIn,
    TargetIn,
)
from datebridge.api.context import AppDep, selection
from datebridge.api.kinds import CalendarNo
from datebridge.api.routing import new_router
from datebridge.api.shapes import JobQueued, SelectionIn, SetMade
from datebridge.clock import this_day
from datebridge.core.job_kinds import JobKind
from datebridge.core.language.filters import resolve_filter
from datebridge.core.text.headers import Description
from datebridge.services.editing import calendars
from datebridge.services.jobs import jobs

router = new_router("/api", "transfers")


@router.post("/calendars")
def propose_new(app: AppDep, body: NewCalendarIn) -> SetMade:
    """Propose a new calendar, here or on an account."""
    return SetMade(set_id=calendars.propose_new(app.store, body.account_id, _description(body)))


@router.put("/calendars/{calendar_id}")
def propose_description(app: AppDep, calendar_id: CalendarNo, body: CalendarIn) -> SetMade:
    """Propose another name, colour, zone or description."""
    return SetMade(set_id=calendars.propose_description(app.store, calendar_id, _description(body)))


@router.delete("/calendars/{calendar_id}")
def propose_deletion(app: AppDep, calendar_id: CalendarNo) -> SetMade:
    """Propose deleting a calendar with everything in it."""
    return SetMade(set_id=calendars.propose_deletion(app.store, calendar_id))


def _description(body: CalendarIn) -> Description:
    return Description(body.name.strip(), body.own_colour.strip().lower(), body.zone.strip(), body.description.strip())


@router.post("/transfers")
def copy(app: AppDep, chosen: SelectionIn, target: TargetIn) -> JobQueued:
    """Propose copying or moving a selection."""
    resolve_filter(chosen.filter, this_day())  # what is wrong with it is said now, not by the job
    verb = "Moving" if target.move else "Copying"
    params = {**selection(chosen).as_params(), "target": target.model_dump()}
    return JobQueued(job_id=jobs.enqueue(app.store, JobKind.TRANSFER, f"{verb}: making the proposal", params))
