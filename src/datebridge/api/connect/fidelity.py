"""What targets keep: measured, shown beside what they declare, and laid upon entries."""

from __future__ import annotations

from collections import Counter
from datetime import timedelta
from typing import Annotated, Literal

from fastapi import Query, Response
from pydantic import BaseModel, Discriminator, Field

from datebridge.api import present
from datebridge.api.context import AppDep, selection
from datebridge.api.kinds import AccountNo, EntryNo, FileNo, RemoteNo, RowNo
from datebridge.api.routing import new_router
from datebridge.api.shapes import MOST_CHOSEN, JobQueued, SelectionIn
from datebridge.clock import this_day
from datebridge.core.bulk.steps import Step
from datebridge.core.crossing.catalogue import BY_NAME
from datebridge.core.crossing.features import Harm, Verdict
from datebridge.core.crossing.forecast import by_harm, harm_of
from datebridge.core.crossing.remedies import remedies_for
from datebridge.core.ids import AccountId
from datebridge.core.language.filters import resolve_filter
from datebridge.services.fidelity import forecasts, matrices, own_forms, probes
from datebridge.services.fidelity.matrices import Kept
from datebridge.store import fidelity as stored
from datebridge.store.tables import demand_id

router = new_router("/api", "fidelity")
#: How large an export may be that is read as a probe, in characters.
MOST_EXPORTED = 20_000_000
Verdicts = Literal["kept", "rewritten", "dropped", "refused", "not tried"]


class MeasureIn(BaseModel):
    remote_id: RemoteNo | None = Field(default=None, description="the calendar to measure in; else one is made for it")


class FeatureOut(BaseModel):
    """What became of one feature."""

    feature: str
    words: str
    group: str
    harm: Harm
    verdict: Verdicts
    before: str = Field(description="its verdict the last time, where that was another")
    sent: list[str] = Field(description="the lines it is about, as they went there; of a limit how much was tried")
    got: list[str] = Field(description="the same as they came back; of a limit how much of it")
    reason: str
    declared: str = Field(description="what the server says of it")
    contradicts: bool = Field(description="it does otherwise than it says")


class MatrixOut(BaseModel):
    """What a target keeps."""

    id: int
    account_id: int | None
    name: str
    at: str
    before_at: str = Field(description="when it was measured the time before; empty where it was not")
    requests: int
    counts: dict[Verdicts, int]
    does: list[str] = Field(description="what it does, each to be read after its name")
    unexplained: list[str] = Field(description="features that come back in a way that no rule explains")
    features: list[FeatureOut]


class MatrixHead(BaseModel):
    """A target of which it is known what it keeps."""

    id: int
    account_id: int | None
    name: str
    at: str
    kept: int
    lost: int


class ExportIn(BaseModel):
    """What a system exported after the probe was imported there."""

    name: str = Field(min_length=1, max_length=120, description="what the system is called")
    text: str = Field(max_length=MOST_EXPORTED)


class ForecastIn(BaseModel):
    account_id: AccountNo
    chosen: SelectionIn = Field(default_factory=SelectionIn)
    file: FileNo | None = Field(None, description="a file that waits to be imported, instead of entries that are here")


class CalendarLoss(BaseModel):
    calendar: str
    entries: int


class RemedyOut(BaseModel):
    """A way out of a loss: steps of a change in bulk."""

    words: str
    steps: list[Annotated[Step, Discriminator("do")]]


class LossOut(BaseModel):
    """A feature that entries lose in one way."""

    feature: str
    words: str
    harm: Harm
    verdict: Verdicts
    entries: int
    calendars: list[CalendarLoss]
    remedies: list[RemedyOut]


class ForecastOut(BaseModel):
    """What a selection would lose at a target, the worst first."""

    id: int
    target: str
    account_id: int | None
    measured_at: str
    entries: int
    whole: int = Field(description="how many of them lose nothing")
    file_id: int | None = Field(description="the waiting file it is about, if it is about one")
    losses: list[LossOut]


class LosingOut(BaseModel):
    """An entry that loses something."""

    id: int
    title: str
    calendar: str
    reason: str


class LosingPage(BaseModel):
    total: int
    rows: list[LosingOut]


class BanksOut(BaseModel):
    """An entry as it is, and as it will arrive, line by line."""

    left: list[str]
    right: list[str] = Field(description="empty where the target refuses it")
    refused: str
    certain: bool = Field(description="false where a feature of it comes back in a way that no rule explains")
    losses: list[str]


@router.post("/accounts/{account_id}/measure")
def measure(app: AppDep, account_id: AccountNo, body: MeasureIn) -> JobQueued:
    """Measure what an account keeps, by writing every feature and reading it back."""
    return JobQueued(job_id=probes.measure(app.store, account_id, body.remote_id))


@router.get("/accounts/{account_id}/fidelity")
def of_account(app: AppDep, account_id: AccountNo) -> MatrixOut | None:
    """What an account keeps, as it was last measured; nothing where it was not."""
    try:
        return _matrix(matrices.of_account(app.store, account_id))
    except stored.NotMeasured:
        return None


@router.get("/matrices")
def listed(app: AppDep) -> list[MatrixHead]:
    """The targets of which it is known what they keep."""
    with app.store.session() as session:
        return [
            MatrixHead(
                id=demand_id(row.id),
                account_id=row.account_id,
                name=row.name,
                at=present.stamp(row.made_at),
                kept=sum(one["verdict"] == Verdict.KEPT for one in row.features),
                lost=sum(one["verdict"] not in (Verdict.KEPT, Verdict.NOT_TRIED) for one in row.features),
            )
            for row in stored.newest_matrices(session)
        ]


@router.get("/probe-file", response_class=Response)
def probe_file() -> Response:
    """The probe as a file, for systems that only take files."""
    headers = {"Content-Disposition": 'attachment; filename="date-bridge-probe.ics"'}
    return Response(matrices.probe_as_file(), media_type="text/calendar; charset=utf-8", headers=headers)


@router.post("/matrices")
def read_export(app: AppDep, body: ExportIn) -> MatrixOut:
    """What a system keeps that was measured by a file: from what it exports after the probe was imported there."""
    number = matrices.from_export(app.store, body.name.strip(), body.text)
    return _matrix(matrices.by_number(app.store, number))


@router.post("/matrices/own", status_code=204)
def measure_own_forms(app: AppDep) -> None:
    """Measure what shares and files made here carry; they are listed with the other targets."""
    own_forms.measure_own(app.store)


@router.get("/matrices/{matrix_id}")
def one(app: AppDep, matrix_id: RowNo) -> MatrixOut:
    """A matrix, for instance to be laid beside another."""
    return _matrix(matrices.by_number(app.store, matrix_id))


@router.get("/matrices/{matrix_id}/file", response_class=Response)
def file(app: AppDep, matrix_id: RowNo, form: Literal["json", "csv", "html"]) -> Response:
    """A matrix as a file: JSON as the command line gives it, a table, or a page to be printed."""
    kept = matrices.by_number(app.store, matrix_id)
    body, kind = _written(kept, form)
    headers = {"Content-Disposition": f'attachment; filename="matrix-{matrix_id}.{form}"'}
    return Response(body, media_type=f"{kind}; charset=utf-8", headers=headers)


def _written(kept: Kept, form: Literal["json", "csv", "html"]) -> tuple[str, str]:
    match form:
        case "json":
            return matrices.as_json(kept.row), "application/json"
        case "csv":
            return matrices.as_csv(kept), "text/csv"
        case "html":
            return matrices.as_page(kept), "text/html"


def _matrix(kept: Kept) -> MatrixOut:
    counts = Counter(row.verdict.value for row in kept.rows)
    return MatrixOut(
        id=demand_id(kept.row.id),
        account_id=kept.row.account_id,
        name=kept.row.name,
        at=present.stamp(kept.row.made_at),
        before_at=present.stamp(kept.before_at),
        requests=kept.row.requests,
        counts={verdict.value: counts[verdict.value] for verdict in Verdict},
        does=kept.does,
        unexplained=kept.unexplained,
        features=[
            FeatureOut(
                feature=row.feature.name,
                words=row.feature.words,
                group=row.feature.group.value,
                harm=row.feature.harm,
                verdict=row.verdict.value,
                before=row.before,
                sent=row.sent,
                got=row.got,
                reason=row.reason,
                declared=row.declared,
                contradicts=row.contradicts,
            )
            for row in kept.rows
        ],
    )


# ---- forecasts ------------------------------------------------------------------------------------


@router.post("/forecasts")
def foretell(app: AppDep, body: ForecastIn) -> JobQueued:
    """Foretell what a selection, or a waiting file, would lose at an account."""
    account = AccountId(body.account_id)
    if body.file is not None:
        return JobQueued(job_id=forecasts.request_forecast_of_file(app.store, account, body.file))
    resolve_filter(body.chosen.filter, this_day())
    job = forecasts.request_forecast(app.store, account, selection(body.chosen))
    return JobQueued(job_id=job)


@router.get("/forecasts/{forecast_id}")
def forecast(app: AppDep, forecast_id: RowNo) -> ForecastOut:
    """What is foretold, by feature, the worst first."""
    with app.store.session() as session:
        row = stored.forecast(session, forecast_id)
        target = stored.matrix(session, row.matrix_id)
        manages = forecasts.fidelity_of(target).manages
    with app.store.read() as connection:
        counted = stored.counted_losses(connection, forecast_id)
    kinds: dict[tuple[str, str], list[CalendarLoss]] = {}
    for loss in counted:
        by_calendar = kinds.setdefault((loss.feature, loss.verdict), [])
        by_calendar.append(CalendarLoss(calendar=loss.calendar, entries=loss.entries))
    return ForecastOut(
        id=forecast_id,
        target=target.name,
        account_id=target.account_id,
        measured_at=present.stamp(target.made_at),
        entries=row.entries,
        whole=row.whole,
        file_id=stored.file_of(row),
        losses=[
            LossOut(
                feature=feature,
                words=BY_NAME[feature].words,
                harm=harm_of(feature, Verdict(verdict)),
                verdict=Verdict(verdict).value,
                entries=sum(one.entries for one in calendars),
                calendars=sorted(calendars, key=lambda one: (-one.entries, one.calendar)),
                remedies=[
                    RemedyOut(words=remedy.words, steps=list(remedy.steps))
                    for remedy in remedies_for(BY_NAME[feature], _in_five_years(), manages)
                ],
            )
            for (feature, verdict), calendars in sorted(kinds.items(), key=lambda kind: by_harm(*kind[0]))
        ],
    )


@router.get("/forecasts/{forecast_id}/entries")
def losing(
    app: AppDep,
    forecast_id: RowNo,
    feature: str,
    verdict: Verdicts,
    offset: int = Query(0, ge=0, le=10_000_000),
    limit: int = Query(100, ge=1, le=500),
) -> LosingPage:
    """The entries that lose a feature in one way, in pages."""
    with app.store.read() as connection:
        total = sum(
            loss.entries
            for loss in stored.counted_losses(connection, forecast_id)
            if (loss.feature, loss.verdict) == (feature, verdict)
        )
        rows = stored.losing_entries(connection, forecast_id, feature, verdict, offset, limit)
    return LosingPage(
        total=total,
        rows=[
            LosingOut(id=row.version, title=row.title or "Untitled", calendar=row.calendar, reason=row.reason)
            for row in rows
        ],
    )


@router.get("/forecasts/{forecast_id}/selection")
def chosen(app: AppDep, forecast_id: RowNo, feature: str, verdict: Verdicts) -> SelectionIn:
    """The entries that lose a feature in one way, as a selection for a change in bulk."""
    with app.store.read() as connection:
        rows = stored.losing_entries(connection, forecast_id, feature, verdict, 0, MOST_CHOSEN)
    return SelectionIn(only=[row.version for row in rows])


def _in_five_years() -> str:
    """A day by which series may end that a target does not take without an end."""
    return (this_day() + timedelta(days=5 * 365)).isoformat()


@router.get("/forecasts/{forecast_id}/entries/{entry_id}")
def banks(app: AppDep, forecast_id: RowNo, entry_id: EntryNo) -> BanksOut:
    """An entry in two banks: as it is, and as it will arrive."""
    with app.store.session() as session:
        target = stored.matrix(session, stored.forecast(session, forecast_id).matrix_id)
    both = forecasts.both_banks(app.store, target, entry_id)
    return BanksOut(
        left=both.left,
        right=both.right,
        refused=both.refused,
        certain=both.certain,
        losses=[BY_NAME[name].words for name in both.losses],
    )
