"""Proposals, batches, undo: one preview, one apply, one logbook for every kind of change."""

from __future__ import annotations

from typing import Literal

from fastapi.responses import FileResponse
from pydantic import BaseModel

from datebridge.api import present
from datebridge.api.connect.shapes import PushedOut
from datebridge.api.context import App, AppDep, zone_of
from datebridge.api.kinds import CalendarNo, Day, Limit, Offset, SetNo
from datebridge.api.mend.banks import DifferenceOut, DifferencePage, bank
from datebridge.api.routing import new_router
from datebridge.api.shapes import (
    ChangePage,
    ChangeSetOut,
    ChangeSetPage,
    ChangeSetReview,
    Count,
    UndoOut,
)
from datebridge.core.changes import KINDS, Kind, State
from datebridge.core.errors import NotFound
from datebridge.core.language.spans import difference
from datebridge.core.moments import instant_at, wall_seconds_of
from datebridge.core.recurrence.starts import DAY
from datebridge.services.mend.affected import affected
from datebridge.store.calendars import names
from datebridge.store.changesets import review
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.changesets.apply import discard as discard_proposal
from datebridge.store.changesets.undo import propose_undo
from datebridge.store.entries.present import texts_of
from datebridge.store.pushes import counts_by

router = new_router("/api", "changes")


@router.get("/change-sets")
def change_sets(
    app: AppDep,
    state: Literal["proposed", "applied"] = "applied",
    offset: Offset = 0,
    limit: Limit = 100,
    words: str = "",
    calendar: CalendarNo | None = None,
    day: Day | None = None,
    zone: str = "",
    by: Literal["", "person", "command", "clock", "key"] = "",
) -> ChangeSetPage:
    """Proposals that wait, or the logbook; newest first.

    Of these only what has all `words` in its title, its reason or by whom; what touched a `calendar`; what was done on
    a `day` on the clock of `zone`; and `by` whom.
    """
    first = instant_at(wall_seconds_of(day), zone_of(zone)) if day else None
    following = instant_at(wall_seconds_of(day) + DAY, zone_of(zone)) if day else None
    sought = review.Sought(words, calendar, first, following, by)
    with app.store.read() as connection:
        total, rows = review.list_sets(connection, State(state), offset, limit, sought)
    return ChangeSetPage(total=total, rows=[present.change_set(row) for row in rows])


@router.get("/change-sets/{set_id}")
def change_set(app: AppDep, set_id: SetNo) -> ChangeSetReview:
    """A change set counted and explained."""
    with app.store.read() as connection:
        row = review.set_row(connection, set_id)
        if row is None:
            raise NotFound(f"There is no change set {set_id}.")
        counts = review.breakdown(connection, set_id)
        warnings = review.warnings(connection, set_id) if row.state == State.PROPOSED else []
        pushed = counts_by(connection, "set_id", set_id, entries=True).get(set_id, {})
    listed = {name: [Count(label=label, count=count) for label, count in rows] for name, rows in counts.items()}
    return ChangeSetReview(
        change_set=present.change_set(row),
        by_calendar=listed["calendar"],
        by_year=listed["year"],
        by_kind=listed["kind"],
        warnings=warnings,
        button=present.button(row, counts["calendar"]),
        pushed=PushedOut.model_validate(pushed),
    )


@router.get("/change-sets/{set_id}/changes")
def changes(app: AppDep, set_id: SetNo, offset: Offset = 0, limit: Limit = 100) -> ChangePage:
    """A page of changes with both banks."""
    with app.store.read() as connection:
        total, rows = review.changes_page(connection, set_id, offset, limit)
        calendar_names = names(connection)
        both = [row.change for row in rows if row.change.before is not None and row.change.after is not None]
        texts = texts_of(
            connection, (version for pair in both for version in (pair.before, pair.after) if version is not None)
        )
    return ChangePage(total=total, offset=offset, rows=[present.change(row, calendar_names, texts) for row in rows])


class TimesOut(BaseModel):
    """What a set does to times, counted in occurrences; `renamed` in entries whose instants stay."""

    moved: int
    renamed: int
    gone: int
    new: int
    same: int
    clock_change: int
    cut: bool
    page: DifferencePage


@router.get("/change-sets/{set_id}/times")
def times(app: AppDep, set_id: SetNo, offset: Offset = 0, limit: Limit = 100) -> TimesOut:
    """Every occurrence a set affects, before and after, on both clocks."""
    with app.store.read() as connection:
        if review.set_row(connection, set_id) is None:
            raise NotFound(f"There is no change set {set_id}.")
    sample = affected(app.store, set_id)
    rows = [
        DifferenceOut(
            verdict=row.one.verdict,
            title=row.title,
            left=bank(row.one.left, *row.clocks),
            right=bank(row.one.right, *row.clocks[::-1]),
            moved=difference(row.one.moved_by),
            fields=list(row.one.fields),
            clock_change=row.clock_change,
        )
        for row in sample.rows[offset : offset + limit]
    ]
    return TimesOut(
        moved=sample.moved,
        renamed=sample.renamed,
        gone=sample.gone,
        new=sample.new,
        same=sample.same,
        clock_change=sample.clock_change,
        cut=sample.cut,
        page=DifferencePage(total=len(sample.rows), rows=rows),
    )


@router.post("/change-sets/{set_id}/apply")
def apply(app: AppDep, set_id: SetNo) -> ChangeSetOut:
    """Apply a proposal as one batch."""
    apply_set(app.store, set_id)
    return _set(app, set_id)


@router.post("/change-sets/{set_id}/discard")
def discard(app: AppDep, set_id: SetNo) -> ChangeSetOut:
    """Drop a proposal."""
    discard_proposal(app.store, set_id)
    return _set(app, set_id)


@router.post("/change-sets/{set_id}/undo")
def undo(app: AppDep, set_id: SetNo, force: bool = False, preview: bool = False) -> UndoOut:
    """Take a batch back: at once where nothing in it changed since, else as a proposal to look at.

    What came in by itself is always looked at first: taking it back changes what is there.
    """
    undo_id = propose_undo(app.store, set_id, force)
    proposal = _set(app, undo_id)
    at_once = not preview and not proposal.held and not force and KINDS[Kind(_set(app, set_id).kind)].undo == "at once"
    if at_once:
        apply_set(app.store, undo_id)
    return UndoOut(set_id=undo_id, applied=at_once, title=proposal.title, held=proposal.held)


def _set(app: App, set_id: SetNo) -> ChangeSetOut:
    with app.store.read() as connection:
        row = review.set_row(connection, set_id)
    if row is None:
        raise NotFound(f"There is no change set {set_id}.")
    return present.change_set(row)


@router.get("/archives/{name}", response_class=FileResponse, responses={200: {"content": {"text/calendar": {}}}})
def archive(app: AppDep, name: str) -> FileResponse:
    """An archive file written by archiving."""
    folder = app.settings.archive_dir
    if not folder.is_dir() or name not in {path.name for path in folder.iterdir()}:
        raise NotFound(f"There is no archive {name}.")
    return FileResponse(folder / name, media_type="text/calendar; charset=utf-8", filename=name)
