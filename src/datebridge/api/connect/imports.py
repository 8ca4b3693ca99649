"""Imports: upload, what is inside, where it goes."""

from __future__ import annotations

from dataclasses import asdict

from fastapi import UploadFile

from datebridge.api import present
from datebridge.api.context import App, AppDep, zone_of
from datebridge.api.kinds import FileNo
from datebridge.api.routing import new_router
from datebridge.api.shapes import (
    AttachedOut,
    DraftOut,
    GroupOut,
    HereOut,
    ImportDetail,
    ImportIn,
    ImportManyIn,
    ImportOut,
    ImportOutcome,
    JobQueued,
    SetMade,
    TimeOut,
)
from datebridge.api.time.views import today_in
from datebridge.core.editing.typed import begins, ends, line_in_words
from datebridge.core.errors import NotFound
from datebridge.services.imports import decide, files, messages, uploads
from datebridge.services.imports.decide import Decision
from datebridge.store import imports
from datebridge.store.calendars import names

router = new_router("/api/imports", "imports")


@router.post("")
def bring(app: AppDep, files: list[UploadFile]) -> JobQueued:
    """Take files in hand and read them; nothing is stored in any calendar yet."""
    given = [(file.filename or "calendar.ics", file.file) for file in files]
    return JobQueued(job_id=uploads.receive(app.store, app.settings, given))


@router.post("/draft")
def draft(app: AppDep, file: UploadFile, zone: str = "") -> DraftOut:
    """An event of a message that holds no invitation; nothing is stored."""
    own = zone_of(zone)
    answer = messages.draft_of(file.file.read(), file.filename or "message.eml", today_in(own)[0])
    return DraftOut(
        sender=answer.sender,
        fields=answer.fields,
        attached=[AttachedOut(name=a.name, size=a.size) for a in answer.attached],
        times=[
            TimeOut(
                says=line_in_words(line, own),
                whole=line.at is None,
                zone="" if line.at is None else line.zone or own,
                start=line.day.isoformat() if line.at is None else begins(line).isoformat(timespec="minutes"),
                end=line.day.isoformat() if line.at is None else ends(line).isoformat(timespec="minutes"),
            )
            for line in answer.times
        ],
    )


@router.get("")
def listed(app: AppDep) -> list[ImportOut]:
    """Files that were brought, those that wait first."""
    with app.store.read() as connection:
        return [_out(app, row) for row in imports.listed(connection)]


def _out(app: App, row: imports.ListedFile) -> ImportOut:
    shown = {name: value for name, value in asdict(row).items() if name not in ("created_at", "path")}
    again = uploads.can_be_read_again(app.settings, row.state, row.path)
    return ImportOut(**shown, at=present.stamp(row.created_at), again=again)


@router.post("/take")
def take_many(app: AppDep, body: ImportManyIn) -> SetMade:
    """Propose importing several files as one batch, each into a fresh calendar or all into one."""
    with app.store.read() as connection:
        if body.together:
            decisions = files.joined_decisions(connection, body.files, body.calendar_id, body.name)
        else:
            decisions = files.fresh_decisions(connection, body.files)
    return SetMade(set_id=decide.propose_import(app.store, body.files, decisions))


@router.get("/{file_id}")
def detail(app: AppDep, file_id: FileNo) -> ImportDetail:
    """What is inside a file, what is wrong with it, what of it is here already."""

    with app.store.read() as connection:
        row = imports.one(connection, file_id)
        if row is None:
            raise NotFound("This file no longer exists.")
        here = imports.compare(connection, file_id) if row.state == "waiting" else []
        taken = names(connection, live=True).values()
        groups = [
            GroupOut(
                id=group.id,
                name=group.name,
                summary=group.summary,
                suggested_name=files.suggested_name(taken, group.name, row.name),
                here=[HereOut.model_validate(asdict(h)) for h in here if h.group_id == group.id],
                **files.suggested([h for h in here if h.group_id == group.id], group.summary)._asdict(),
            )
            for group in imports.groups_of(connection, file_id)
        ]
        problems = present.problem_counts(imports.problem_counts(connection, file_id))
    return ImportDetail(file=_out(app, row), groups=groups, problem_counts=problems)


@router.post("/{file_id}/rehearse")
def rehearse(app: AppDep, file_id: FileNo, body: ImportIn) -> ImportOutcome:
    """What importing the file as decided would do."""
    decisions = [Decision(**d.model_dump()) for d in body.decisions]
    return ImportOutcome.model_validate(decide.rehearse_import(app.store, [file_id], decisions)._asdict())


@router.post("/{file_id}/take")
def take(app: AppDep, file_id: FileNo, body: ImportIn) -> SetMade:
    """Propose importing the file as decided."""
    decisions = [Decision(**d.model_dump()) for d in body.decisions]
    return SetMade(set_id=decide.propose_import(app.store, [file_id], decisions))


@router.post("/{file_id}/read")
def read_again(app: AppDep, file_id: FileNo) -> JobQueued:
    """Read a file again whose reading was broken off."""
    return JobQueued(job_id=uploads.read_again(app.store, app.settings, file_id))


@router.delete("/{file_id}", status_code=204)
def turn_away(app: AppDep, file_id: FileNo) -> None:
    """Forget a file that was not imported."""
    files.turn_away(app.store, app.settings, file_id)
