"""What was refused where its calendar lives, or is in conflict there: both banks, and deciding."""

from __future__ import annotations

from dataclasses import asdict
from typing import Literal

from datebridge.api import present
from datebridge.api.connect.shapes import (
    AgainIn,
    AgainOut,
    ConflictOut,
    FieldOut,
    MergedOut,
    MergeIn,
    PairOut,
    RefusalsOut,
    UnsettledOut,
    UnsettledPage,
)
from datebridge.api.context import AppDep
from datebridge.api.kinds import Limit, Offset, PushNo
from datebridge.api.routing import new_router
from datebridge.core.errors import NotFound
from datebridge.core.ids import RemoteId
from datebridge.core.merge import BOOKKEEPING, Differing, both_of, combined, mine_counts
from datebridge.services.look import details
from datebridge.services.sync import conflicts
from datebridge.store import pushes
from datebridge.store.database import Connection
from datebridge.store.entries.ledger import rows_of
from datebridge.store.tables import VERSIONS

router = new_router("/api", "conflicts")


@router.get("/conflicts")
def unsettled(app: AppDep, offset: Offset = 0, limit: Limit = 100) -> UnsettledPage:
    """What was refused where its calendar lives, or is in conflict there."""
    with app.store.read() as connection:
        total, rows = pushes.unsettled(connection, offset, limit)
        shown = [_unsettled(connection, row) for row in rows]
        refusals = [RefusalsOut.model_validate(asdict(refusal)) for refusal in pushes.refusals(connection)]
    return UnsettledPage(total=total, rows=shown, refusals=refusals)


@router.post("/conflicts/again")
def again(app: AppDep, body: AgainIn) -> AgainOut:
    """Try again what was refused, many at once."""
    remote = RemoteId(body.remote_id) if body.remote_id is not None else None
    return AgainOut(count=conflicts.try_again(app.store, remote, body.message))


def _unsettled(connection: Connection, row: pushes.Unsettled) -> UnsettledOut:
    versions = rows_of(connection, [row.version_id], VERSIONS) if row.version_id is not None else []
    entries = [present.entry(r) for r in versions]
    what, when = (entries[0].what, entries[0].when) if entries else ("the calendar itself", "")
    return UnsettledOut.model_validate({**asdict(row), "what": what, "when": when})


@router.get("/conflicts/{push_id}")
def conflict(app: AppDep, push_id: PushNo) -> ConflictOut:
    """Both sides of a conflict, with the fields in which they differ."""
    pairs = conflicts.both_banks(app.store, push_id)
    with app.store.read() as connection:
        row = pushes.one_unsettled(connection, push_id)
        if row is None:
            raise NotFound("This has been decided already.")
        shown = _unsettled(connection, row)
    return ConflictOut(
        push=shown,
        pairs=[
            PairOut(
                recurrence_id=pair.recurrence_id,
                title=pair.recurrence_id or "the series or event itself",
                mine=_lines(pair.mine),
                theirs=_lines(pair.theirs),
                gone=not text,
                fields=[_field(pair, field) for field in pair.fields],
            )
            for pair, text in conflicts.outcome(pairs, {}, {})
        ],
    )


def _field(pair: conflicts.ConflictSides, field: Differing) -> FieldOut:
    def in_words(text: str) -> list[str]:
        return details.in_words(pair.component, text, field.name)

    parts = both_of(field.name, pair.base or None, pair.mine, pair.theirs)
    lines = sorted(line for part in parts for line in part) if parts is not None else None
    whole = combined(pair.mine, pair.theirs, (), {field.name}, pair.base or None)
    both = in_words(whole) if lines not in (None, sorted(field.mine), sorted(field.theirs)) else None
    proposed: Literal["mine", "theirs", "both"] = "mine" if mine_counts(field, pair.sides) else "theirs"
    if both is not None and (pair.sides.get(field.name) == "both" or not pair.base):
        proposed = "both"
    return FieldOut(
        name=field.name,
        label=details.label(field.name),
        mine=list(field.mine),
        theirs=list(field.theirs),
        mine_in_words=in_words(pair.mine),
        theirs_in_words=in_words(pair.theirs),
        both_in_words=both,
        proposed=proposed,
        bookkeeping=field.name in BOOKKEEPING,
    )


def _lines(text: str) -> list[str]:
    return text.split("\n") if text else []


@router.post("/conflicts/{push_id}/theirs", status_code=204)
def take_theirs(app: AppDep, push_id: PushNo) -> None:
    """Follow what is there; one's own change is not pushed."""
    conflicts.take_theirs(app.store, app.settings, push_id)


@router.post("/conflicts/{push_id}/mine", status_code=204)
def take_mine(app: AppDep, push_id: PushNo) -> None:
    """Write over what is there, or try again what was refused."""
    conflicts.take_mine(app.store, push_id)


@router.post("/conflicts/{push_id}/merge")
def merge(app: AppDep, push_id: PushNo, body: MergeIn) -> MergedOut:
    """Rewrite the entry, field by field."""
    return MergedOut(set_id=conflicts.take_merged(app.store, push_id, body.mine, parts=body.both))
