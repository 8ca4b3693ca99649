"""Calendars themselves, copying and moving, and what was refused or collided where calendars live."""

from __future__ import annotations

from typing import Any

from fastapi import HTTPException
from sqlalchemy import Connection

from datebridge.api import present
from datebridge.api.account_shapes import (
    CalendarIn,
    CollisionOut,
    FieldOut,
    MergeIn,
    NewCalendarIn,
    PairOut,
    TargetIn,
    UndecidedOut,
    UndecidedPage,
)
from datebridge.api.context import AppDep
from datebridge.api.kinds import Id, Limit, Offset
from datebridge.api.routing import new_router
from datebridge.api.shapes import JobId, SelectionIn, SetId
from datebridge.core.text.headers import Description
from datebridge.services.editing import calendars
from datebridge.services.jobs import jobs
from datebridge.services.look import details
from datebridge.services.sync import conflicts
from datebridge.store.database import this_day
from datebridge.store.entries.conditions import compile_filter
from datebridge.store.entries.ledger import rows_of

router = new_router("/api", "carrying")


@router.post("/calendars")
def propose_new(app: AppDep, wish: NewCalendarIn) -> SetId:
    """Propose a new calendar, here or on an account."""
    return SetId(set_id=calendars.propose_new(app.store, wish.account_id, _description(wish)))


@router.put("/calendars/{calendar_id}")
def propose_description(app: AppDep, calendar_id: Id, wish: CalendarIn) -> SetId:
    """Propose another name, colour, zone or description."""
    return SetId(set_id=calendars.propose_description(app.store, calendar_id, _description(wish)))


@router.delete("/calendars/{calendar_id}")
def propose_deletion(app: AppDep, calendar_id: Id) -> SetId:
    """Propose deleting a calendar with everything in it."""
    return SetId(set_id=calendars.propose_deletion(app.store, calendar_id))


def _description(wish: CalendarIn) -> Description:
    return Description(wish.name.strip(), wish.tint.strip().lower(), wish.zone.strip(), wish.description.strip())


@router.post("/copies")
def copy(app: AppDep, chosen: SelectionIn, target: TargetIn) -> JobId:
    """Propose copying or moving a selection."""
    compile_filter(chosen.filter, this_day())  # what is wrong with it is said now, not by the job
    verb = "Moving" if target.move else "Copying"
    params = {"filter": chosen.filter, "excluded": chosen.excluded, "only": chosen.only, "target": target.model_dump()}
    return JobId(job_id=jobs.enqueue(app.store, "copy", f"{verb}: making the proposal", params))


@router.get("/carriages")
def undecided(app: AppDep, offset: Offset = 0, limit: Limit = 100) -> UndecidedPage:
    """What was refused where its calendar lives, or collided there."""
    with app.store.read() as connection:
        total, rows = conflicts.undecided(connection, offset, limit)
        shown = [_undecided(connection, row) for row in rows]
    return UndecidedPage(total=total, rows=shown)


def _undecided(connection: Connection, row: dict[str, Any]) -> UndecidedOut:
    version = row["version_id"]
    entries = [present.entry(r) for r in rows_of(connection, [version], "version")] if version else []
    what, when = (entries[0].what, entries[0].when) if entries else ("the calendar itself", "")
    return UndecidedOut.model_validate({**row, "what": what, "when": when})


@router.get("/carriages/{carriage_id}")
def collision(app: AppDep, carriage_id: Id) -> CollisionOut:
    """Both sides of a collision, with the fields in which they differ."""
    pairs = conflicts.both_banks(app.store, carriage_id)
    with app.store.read() as connection:
        row = conflicts.one_undecided(connection, carriage_id)
        if row is None:
            raise HTTPException(404, "This has been decided already.")
        shown = _undecided(connection, row)
    return CollisionOut(
        carriage=shown,
        pairs=[
            PairOut(
                recurrence_id=pair.recurrence_id, title=pair.recurrence_id or "the series or event itself",
                mine=_lines(pair.mine), theirs=_lines(pair.theirs),
                fields=[
                    FieldOut(name=f.name, label=details.label(f.name), mine=list(f.mine), theirs=list(f.theirs))
                    for f in pair.fields
                ],
            )
            for pair in pairs
        ],
    )  # fmt: skip


def _lines(text: str) -> list[str]:
    return text.split("\n") if text else []


@router.post("/carriages/{carriage_id}/theirs", status_code=204)
def take_theirs(app: AppDep, carriage_id: Id) -> None:
    """Follow what is there; one's own change is not carried."""
    conflicts.take_theirs(app.store, app.settings, carriage_id)


@router.post("/carriages/{carriage_id}/mine", status_code=204)
def take_mine(app: AppDep, carriage_id: Id) -> None:
    """Write over what is there, or try again what was refused."""
    conflicts.take_mine(app.store, carriage_id)


@router.post("/carriages/{carriage_id}/merge")
def merge(app: AppDep, carriage_id: Id, wish: MergeIn) -> SetId:
    """Make the entry anew, field by field."""
    return SetId(set_id=conflicts.merge(app.store, carriage_id, wish.mine))
