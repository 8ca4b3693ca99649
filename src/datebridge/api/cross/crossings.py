"""Crossings: planned, rehearsed, run, verified, reported."""

from __future__ import annotations

import json
from typing import Annotated, Literal

from fastapi import Query, Response
from fastapi.responses import FileResponse

from datebridge.api import present
from datebridge.api.context import AppDep
from datebridge.api.cross.shapes import (
    BothOut,
    CrossingChange,
    CrossingHead,
    CrossingIn,
    CrossingNo,
    CrossingOut,
    DecidedOut,
    DifferenceKindIn,
    DifferenceKindOut,
    FilesIn,
    LaneChangeIn,
    LaneDecisionIn,
    LaneDecisionOut,
    LaneDifferenceOut,
    LaneDifferencePage,
    LaneNo,
    LaneOut,
    LaneSheetIn,
    LanesIn,
    MadeOut,
    MonthsOut,
    OptionsIO,
    RefusalOut,
    SampleOut,
    SourcesIn,
    UnreadableOut,
)
from datebridge.api.kinds import EntryNo
from datebridge.api.routing import new_router
from datebridge.api.shapes import JobQueued
from datebridge.core.bulk import step_in_words
from datebridge.core.changes import Details
from datebridge.core.crossing.options import Options
from datebridge.core.crossing.report_page import as_page
from datebridge.core.ids import AccountId, CalendarId, CrossingId, LaneId, VersionId
from datebridge.core.language.spans import difference
from datebridge.services.crossing import deciding, filing, plan_sheets, plans, reports, running, sampling, verifying
from datebridge.services.crossing.plans import LaneView
from datebridge.services.fidelity.forecasts import newest
from datebridge.services.mend.recipes import read_steps
from datebridge.store import crossings, lanes_verified
from datebridge.store.accounts import account_name
from datebridge.store.changesets.draft import CannotApply
from datebridge.store.entries.present import texts_of
from datebridge.store.lanes_verified import DifferenceKind, DifferenceRow
from datebridge.store.tables import demand_id

router = new_router("/api", "crossings")
SomeLanes = Annotated[list[LaneNo], Query(default_factory=list, max_length=1_000)]
_SHEET = "text/csv; charset=utf-8"


@router.get("/crossings")
def listed(app: AppDep) -> list[CrossingHead]:
    """All crossings, the newest first."""
    with app.store.session() as session:
        rows = [
            (one, crossings.lanes_of(session, CrossingId(demand_id(one.id)))) for one in crossings.crossings(session)
        ]
    with app.store.read() as connection:
        sources = {CalendarId(lane.source_id) for _, lanes in rows for lane in lanes}
        contents = crossings.contents_of(connection, sources)
        names = {one.account_id: account_name(connection, AccountId(one.account_id or 0)) for one, _ in rows}
    heads = []
    for one, lanes in rows:
        going = [lane for lane in lanes if lane.going]
        heads.append(
            CrossingHead(
                id=demand_id(one.id),
                name=one.name,
                target=names[one.account_id] or "here",
                lanes=len(going),
                entries=sum(held.entries for lane in going if (held := contents.get(CalendarId(lane.source_id)))),
                carried=sum(lane.ran_at is not None for lane in going),
                verified=sum(bool(lane.verified) and not lane.verified["unexplained"] for lane in going),
                unexplained=sum(lane.verified.get("unexplained", 0) for lane in going),
            )
        )
    return heads


@router.post("/crossings")
def make(app: AppDep, body: CrossingIn) -> MadeOut:
    """Plan a crossing: its lanes are proposed."""
    return MadeOut(id=plans.make(app.store, body.name, body.sources, body.account_id))


@router.get("/crossings/{crossing_id}")
def one(app: AppDep, crossing_id: CrossingNo) -> CrossingOut:
    """A crossing with its lanes."""
    plan, views = plans.lane_views(app.store, crossing_id)
    home = AccountId(plan.account_id) if plan.account_id is not None else None
    matrix = newest(app.store, home) if home is not None else None
    with app.store.read() as connection:
        name = account_name(connection, home) if home is not None else "here"
    options = Options.read(plan.options)
    return CrossingOut(
        id=crossing_id,
        name=plan.name,
        account_id=plan.account_id,
        target=name,
        measured_at=present.stamp(matrix.made_at) if matrix is not None else "",
        options=OptionsIO.model_validate(plan.options),
        steps=[step_in_words(step) for step in read_steps([*options.steps])] if options.steps else [],
        sample=SampleOut.model_validate({**plan.sample, "at": present.stamp(plan.sample.get("at"))}),
        decisions=len(deciding.undecided(app.store, crossing_id)),
        lanes=[_lane(view, name) for view in views],
    )


def _lane(view: LaneView, home: str) -> LaneOut:
    row, verified = view.row, view.row.verified
    waiting = view.proposal
    details = Details.read(waiting.details) if waiting is not None else Details()
    return LaneOut(
        id=demand_id(row.id),
        source_id=row.source_id,
        source=view.source.name if view.source is not None else "",
        source_account=(view.source.account or "here") if view.source is not None else "",
        owner=view.source.owner if view.source is not None else "",
        target_id=row.target_id,
        target=view.target.name if view.target is not None else row.target_name,
        target_account=(view.target.account or "here") if view.target is not None else home,
        why=row.why,
        filter=row.filter,
        options=OptionsIO.model_validate(row.options),
        going=row.going,
        entries=view.contents.entries,
        series=view.contents.series,
        first=present.day_of(view.contents.first) or "",
        last=present.day_of(view.contents.last) or "",
        shared=view.shared,
        proposal=waiting.id if waiting is not None else None,
        would=waiting.reason if waiting is not None else "",
        would_change=waiting.creates + waiting.updates + waiting.deletes if waiting is not None else 0,
        waits=waiting.held if waiting is not None else 0,
        losses=list(details.losses),
        batches=list(view.batches),
        on_the_way=view.ways.get("waiting", 0) + view.ways.get("sending", 0),
        arrived=view.ways.get("pushed", 0),
        refused=view.ways.get("refused", 0) + view.ways.get("conflict", 0),
        refusals=[RefusalOut(reason=one.reason, number=one.number) for one in view.refusals],
        blocks=view.blocks,
        cautions=view.cautions,
        archive=row.archive.get("name", ""),
        archived=row.archive.get("entries", 0),
        state=row.state,  # type: ignore[arg-type]
        message=row.message,
        ran_at=present.stamp(row.ran_at),
        verified_at=present.stamp(row.verified_at),
        there=verified.get("there", 0),
        same=verified.get("same", 0),
        explained=verified.get("explained", 0),
        unexplained=verified.get("unexplained", 0),
        left=verified.get("left", 0),
    )


@router.patch("/crossings/{crossing_id}", status_code=204)
def change(app: AppDep, crossing_id: CrossingNo, body: CrossingChange) -> None:
    """Give a crossing another name, or say what happens on the way."""
    if body.name is not None:
        plans.rename(app.store, crossing_id, body.name)
    if body.options is not None:
        plans.set_options(app.store, crossing_id, body.options.given())


@router.delete("/crossings/{crossing_id}", status_code=204)
def forget(app: AppDep, crossing_id: CrossingNo) -> None:
    """Drop a plan. What was carried stays."""
    with app.store.session() as session:
        crossings.crossing(session, crossing_id)
        lanes = [LaneId(demand_id(row.id)) for row in crossings.lanes_of(session, crossing_id)]
    running.drop_proposals(app.store, lanes)
    with app.store.write() as connection:
        crossings.forget_crossing(connection, crossing_id)


# ---- lanes ----------------------------------------------------------------------------------------


@router.post("/crossings/{crossing_id}/lanes", status_code=204)
def add_lanes(app: AppDep, crossing_id: CrossingNo, body: SourcesIn) -> None:
    """More lanes, proposed."""
    plans.add_sources(app.store, crossing_id, body.sources)


@router.patch("/crossings/{crossing_id}/lanes", status_code=204)
def change_lanes(app: AppDep, crossing_id: CrossingNo, body: LaneChangeIn) -> None:
    """Change some lanes alike."""
    options = body.options.given() if body.options is not None else None
    wanted = plans.LaneChange(body.target, body.target_name, body.going, body.filter, options)
    plans.change_lanes(app.store, crossing_id, body.lanes, wanted)


@router.post("/crossings/{crossing_id}/lanes/{lane_id}/copy", status_code=204)
def copy_lane(app: AppDep, crossing_id: CrossingNo, lane_id: LaneNo) -> None:
    """Another lane from the same calendar, for a part of it."""
    plans.copy_lane(app.store, crossing_id, lane_id)


@router.post("/crossings/{crossing_id}/lanes/remove", status_code=204)
def remove_lanes(app: AppDep, crossing_id: CrossingNo, body: LanesIn) -> None:
    """Take lanes out of the plan. What they carried stays."""
    with app.store.session() as session:
        own = {demand_id(row.id) for row in crossings.lanes_of(session, crossing_id)}
    chosen = [lane for lane in body.lanes if lane in own]
    running.drop_proposals(app.store, chosen)
    with app.store.write() as connection:
        crossings.remove_lanes(connection, chosen)


@router.get("/crossings/{crossing_id}/sheet", response_class=Response)
def sheet(app: AppDep, crossing_id: CrossingNo) -> Response:
    """The lanes as a sheet."""
    headers = {"Content-Disposition": f'attachment; filename="crossing-{crossing_id}.csv"'}
    return Response("\ufeff" + plan_sheets.as_sheet(app.store, crossing_id), media_type=_SHEET, headers=headers)


@router.post("/crossings/{crossing_id}/sheet")
def take_sheet(app: AppDep, crossing_id: CrossingNo, body: LaneSheetIn) -> list[UnreadableOut]:
    """Put the lanes of a sheet in place of those there are; where a row cannot be used, nothing is changed."""
    unreadable = plan_sheets.from_sheet(app.store, crossing_id, body.text)
    return [UnreadableOut(row=one.row, column=one.column, why=one.why) for one in unreadable]


# ---- done -----------------------------------------------------------------------------------------


@router.post("/crossings/{crossing_id}/rehearse")
def rehearse(app: AppDep, crossing_id: CrossingNo) -> JobQueued:
    """Propose everything that would be carried."""
    return JobQueued(job_id=running.rehearse(app.store, crossing_id))


@router.post("/crossings/{crossing_id}/sample")
def try_sample(app: AppDep, crossing_id: CrossingNo) -> JobQueued:
    """Write a sample at the target, read it back, and take it away."""
    return JobQueued(job_id=sampling.try_sample(app.store, crossing_id))


@router.post("/crossings/{crossing_id}/forecast")
def foretell(app: AppDep, crossing_id: CrossingNo) -> JobQueued:
    """Foretell what everything that goes along the lanes loses, for choosing ways out."""
    return JobQueued(job_id=plans.foretell(app.store, crossing_id))


@router.post("/crossings/{crossing_id}/run")
def run(app: AppDep, crossing_id: CrossingNo, body: LanesIn) -> JobQueued:
    """Carry what is new, changed or gone."""
    return JobQueued(job_id=running.run(app.store, crossing_id, body.lanes, body.delete_many))


@router.post("/crossings/{crossing_id}/verify")
def verify(app: AppDep, crossing_id: CrossingNo, body: LanesIn) -> JobQueued:
    """Compare both ends."""
    return JobQueued(job_id=verifying.verify_lanes(app.store, crossing_id, body.lanes))


@router.post("/crossings/{crossing_id}/send-back")
def send_back(app: AppDep, crossing_id: CrossingNo, body: LanesIn) -> JobQueued:
    """Take back what was carried."""
    return JobQueued(job_id=running.send_back(app.store, crossing_id, body.lanes))


@router.get("/crossings/{crossing_id}/decisions")
def decisions(app: AppDep, crossing_id: CrossingNo) -> list[LaneDecisionOut]:
    """The entries that wait for a decision."""
    waiting = deciding.undecided(app.store, crossing_id)
    with app.store.session() as session:
        names = {row.id: row.target_name for row in crossings.lanes_of(session, crossing_id)}
    return [
        LaneDecisionOut(
            lane=held.lane,
            batch=held.set_id,
            position=held.position,
            title=held.title or "Untitled",
            calendar=names.get(held.lane, ""),
            reason=held.reason,
            source_id=held.source if held.after is not None else None,
            there_id=held.before,
        )
        for held in waiting
    ]


@router.post("/crossings/{crossing_id}/decisions")
def decide(app: AppDep, crossing_id: CrossingNo, body: LaneDecisionIn) -> DecidedOut:
    """Let the source count for some entries, or leave the target as it is."""
    return DecidedOut(set_id=deciding.decide(app.store, crossing_id, set(body.chosen), body.counts == "source"))


# ---- verified -------------------------------------------------------------------------------------


def _lanes(app: AppDep, crossing_id: CrossingNo, only: list[LaneNo]) -> list[LaneId]:
    with app.store.session() as session:
        crossings.crossing(session, crossing_id)
        every = [LaneId(demand_id(row.id)) for row in crossings.lanes_of(session, crossing_id) if row.going]
    return [lane for lane in every if not only or lane in only]


@router.get("/crossings/{crossing_id}/differences")
def kinds(app: AppDep, crossing_id: CrossingNo, lane: SomeLanes) -> list[DifferenceKindOut]:
    """What verifying found, by kind: what nobody can explain first."""
    with app.store.read() as connection:
        rows = lanes_verified.kinds_of_difference(connection, _lanes(app, crossing_id, lane))
    return [DifferenceKindOut.model_validate(row._asdict()) for row in rows]


@router.get("/crossings/{crossing_id}/differences/entries")
def differences(
    app: AppDep,
    crossing_id: CrossingNo,
    verdict: str,
    fields: str,
    cause: str,
    reason: str,
    lane: SomeLanes,
    offset: int = Query(0, ge=0, le=10_000_000),
    limit: int = Query(100, ge=1, le=500),
) -> LaneDifferencePage:
    """The entries of one kind of difference, in pages."""
    lanes = _lanes(app, crossing_id, lane)
    kind = DifferenceKind(verdict, fields, cause, reason, 0)
    with app.store.read() as connection:
        known = {row[:4]: row.number for row in lanes_verified.kinds_of_difference(connection, lanes)}
        rows = lanes_verified.differences_of(connection, lanes, kind, offset, limit)
        begins = crossings.begins_of(connection, [one for row in rows for one in (row.source, row.there) if one])
    return LaneDifferencePage(
        total=known.get(kind[:4], 0),
        rows=[
            LaneDifferenceOut(
                lane=row.lane,
                position=row.position,
                source_id=row.source,
                there_id=row.there,
                title=row.title or "Untitled",
                occurrences=row.occurrences,
                moved_by=difference(row.moved_by) if row.moved_by else "",
                day=present.day_of(begins.get(row.source or row.there or VersionId(0))) or "",
            )
            for row in rows
        ],
    )


@router.get("/crossings/{crossing_id}/months")
def months(app: AppDep, crossing_id: CrossingNo, lane: LaneNo) -> MonthsOut:
    """How much happens at both ends of a lane in each month, as last verified."""
    with app.store.session() as session:
        row = crossings.lane(session, lane)
    if row.crossing_id != crossing_id:
        raise crossings.NoCrossing(f"Crossing {crossing_id} has no lane {lane}.")
    return MonthsOut(months=row.verified.get("months", {}))


@router.get("/crossings/{crossing_id}/both")
def both(app: AppDep, crossing_id: CrossingNo, source: EntryNo = 0, there: EntryNo = 0) -> BothOut:  # type: ignore[assignment]
    """An entry at both ends, line by line."""
    with app.store.read() as connection:
        texts = texts_of(connection, [source, there])
    lines = [texts[number].split("\n") if number in texts else [] for number in (source, there)]
    return BothOut(left=lines[0], right=lines[1])


def _chosen(app: AppDep, crossing_id: CrossingNo, body: DifferenceKindIn) -> list[DifferenceRow]:
    """The differences that are meant: all of a kind, or some of them."""
    kind = DifferenceKind(body.verdict, body.fields, body.cause, body.reason, 0)
    with app.store.read() as connection:
        rows = lanes_verified.differences_of(connection, _lanes(app, crossing_id, body.lanes), kind)
    chosen = set(body.positions)
    return [row for row in rows if not chosen or (row.lane, row.position) in chosen]


@router.post("/crossings/{crossing_id}/right", status_code=204)
def rule_right(app: AppDep, crossing_id: CrossingNo, body: DifferenceKindIn) -> None:
    """Rule differences to be right: all of a kind, or some of them."""
    wanted = _chosen(app, crossing_id, body)
    for lane in dict.fromkeys(row.lane for row in wanted):
        deciding.rule_right(app.store, lane, wanted)


@router.post("/crossings/{crossing_id}/carry-again")
def carry_again(app: AppDep, crossing_id: CrossingNo, body: DifferenceKindIn) -> JobQueued:
    """Carry entries again that differ: all of a kind, or some of them; the source counts."""
    wanted = _chosen(app, crossing_id, body)
    lanes = list(dict.fromkeys(row.lane for row in wanted))
    sources = [row.source for row in wanted if row.source is not None]
    if not sources:
        raise CannotApply("These stand only at the target, so there is nothing to carry. Delete them there.")
    return JobQueued(job_id=running.run(app.store, crossing_id, lanes, again=sources))


@router.get("/crossings/{crossing_id}/report", response_class=Response)
def report(
    app: AppDep,
    crossing_id: CrossingNo,
    form: Literal["html", "json"] = "html",
    owner: Annotated[str, Query(max_length=300)] = "",
) -> Response:
    """The signed report, as a page or as JSON; of everything, or of what belongs to one owner."""
    document = reports.make(app.store, app.settings, crossing_id, owner)
    body = as_page(document) if form == "html" else json.dumps(document, ensure_ascii=False, indent=1)
    kind = "text/html" if form == "html" else "application/json"
    headers = {"Content-Disposition": f'attachment; filename="crossing-{crossing_id}-report.{form}"'}
    return Response(body, media_type=f"{kind}; charset=utf-8", headers=headers)


@router.post("/crossings/{crossing_id}/files")
def write_files(app: AppDep, crossing_id: CrossingNo, body: FilesIn) -> JobQueued:
    """Write the crossing as files, for a system that only imports."""
    octets = body.megabytes * 1_000_000
    return JobQueued(job_id=filing.write_files(app.store, crossing_id, body.matrix_id, body.entries, octets))


@router.get("/crossings/{crossing_id}/files", response_class=FileResponse)
def files(app: AppDep, crossing_id: CrossingNo) -> FileResponse:
    """The files, packed, as they were last written."""
    path = filing.file_of(app.settings, crossing_id)
    if not path.is_file():
        raise crossings.NoCrossing("The files of this crossing were not written yet. Write them first.")
    return FileResponse(path, media_type="application/zip", filename=path.name)
