"""Bringing files in: upload, what is inside, where it goes."""

from __future__ import annotations

import json
from typing import Any

from fastapi import HTTPException, UploadFile

from datebridge.api import present
from datebridge.api.context import App, AppDep
from datebridge.api.kinds import Id
from datebridge.api.routing import new_router
from datebridge.api.shapes import (
    GroupOut,
    HereOut,
    IncomingDetail,
    IncomingOut,
    JobId,
    ProblemCount,
    SetId,
    TakeIn,
    TakeManyIn,
    TakeOutcome,
)  # fmt: skip
from datebridge.core.problems import CODES
from datebridge.services.imports import decide, files, uploads
from datebridge.services.imports.decide import Decision

router = new_router("/api/incoming", "incoming")


@router.post("")
def bring(app: AppDep, files: list[UploadFile]) -> JobId:
    """Take files in hand and read them; nothing is stored in any calendar yet."""
    given = [(file.filename or "calendar.ics", file.file) for file in files]
    return JobId(job_id=uploads.receive(app.store, app.settings, given))


@router.get("")
def listed(app: AppDep) -> list[IncomingOut]:
    """Files that were brought, those that wait first."""
    with app.store.read() as connection:
        return [_out(app, row) for row in files.listed(connection)]


def _out(app: App, row: dict[str, Any]) -> IncomingOut:
    shown = {name: value for name, value in row.items() if name not in ("created_at", "path")}
    again = uploads.can_be_read_again(app.settings, row["state"], row["path"])
    return IncomingOut(**shown, at=present.stamp(row["created_at"]), again=again)


@router.post("/take")
def take_many(app: AppDep, wish: TakeManyIn) -> SetId:
    """Propose taking several files in as one batch, each into a fresh calendar."""
    with app.store.read() as connection:
        decisions = files.fresh_decisions(connection, wish.incoming)
    return SetId(set_id=decide.propose_taking(app.store, wish.incoming, decisions))


@router.get("/{incoming_id}")
def detail(app: AppDep, incoming_id: Id) -> IncomingDetail:
    """What is inside a file, what is wrong with it, what of it is here already."""

    with app.store.read() as connection:
        row = files.one(connection, incoming_id)
        if row is None:
            raise HTTPException(404, "This file is not there any more.")
        here = decide.compare_with_store(connection, incoming_id) if row["state"] == "waiting" else []
        groups = [
            GroupOut(
                id=group, name=name, summary=json.loads(summary),
                suggested_name=files.suggested_name(connection, name, row["name"]),
                here=[HereOut.model_validate(h) for h in here if h["group_id"] == group],
            )
            for group, name, summary in connection.exec_driver_sql(
                "SELECT id, name, summary FROM incoming_group WHERE incoming_id = ? ORDER BY id", (incoming_id,)
            ).fetchall()
        ]  # fmt: skip
        counts = connection.exec_driver_sql(
            "SELECT code, count(*) FROM problem WHERE incoming_id = ? GROUP BY 1 ORDER BY 2 DESC", (incoming_id,)
        ).fetchall()
    order = ("breaks", "alters", "untidy")
    problems = [ProblemCount(severity=CODES[c][0], code=c, title=CODES[c][1], count=n) for c, n in counts]
    problems.sort(key=lambda p: (order.index(p.severity), -p.count))
    return IncomingDetail(file=_out(app, row), groups=groups, problem_counts=problems)


@router.post("/{incoming_id}/rehearse")
def rehearse(app: AppDep, incoming_id: Id, wish: TakeIn) -> TakeOutcome:
    """What taking the file in as decided would do."""
    decisions = [Decision(**d.model_dump()) for d in wish.decisions]
    return TakeOutcome.model_validate(decide.rehearse_taking(app.store, [incoming_id], decisions))


@router.post("/{incoming_id}/take")
def take(app: AppDep, incoming_id: Id, wish: TakeIn) -> SetId:
    """Propose taking the file in as decided."""
    decisions = [Decision(**d.model_dump()) for d in wish.decisions]
    return SetId(set_id=decide.propose_taking(app.store, [incoming_id], decisions))


@router.post("/{incoming_id}/read")
def read_again(app: AppDep, incoming_id: Id) -> JobId:
    """Read a file again whose reading was broken off."""
    return JobId(job_id=uploads.read_again(app.store, app.settings, incoming_id))


@router.delete("/{incoming_id}", status_code=204)
def turn_away(app: AppDep, incoming_id: Id) -> None:
    """Forget a file that was not taken in."""
    files.turn_away(app.store, app.settings, incoming_id)
