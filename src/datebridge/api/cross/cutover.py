"""The cutover list of a crossing: how it stands, steps taken and taken back, owners told."""

from __future__ import annotations

from datebridge.api import present
from datebridge.api.context import AppDep
from datebridge.api.cross.shapes import (
    CrossingNo,
    CutoverIn,
    CutoverOut,
    CutoverStepOut,
    LaneSince,
    OwnerMessageOut,
    OwnersOut,
    PointedShare,
    TellIn,
    TemplateIO,
)
from datebridge.api.routing import new_router
from datebridge.api.shapes import JobQueued
from datebridge.core.crossing.cutover import REST, SUBJECT, TEXT, CutoverStep, worded
from datebridge.core.ids import AccountId
from datebridge.services.crossing import cutover, letting_in, pointing, telling
from datebridge.services.crossing.cutover import StepView
from datebridge.store import crossings
from datebridge.store.accounts import account_name
from datebridge.store.tables import demand_id

router = new_router("/api", "crossings")


@router.get("/crossings/{crossing_id}/cutover")
def listed(app: AppDep, crossing_id: CrossingNo) -> CutoverOut:
    """How the cutover stands."""
    view = cutover.view(app.store, crossing_id)
    names = {demand_id(one.row.id): one.source.name for one in view.lanes if one.source is not None}
    with app.store.session() as session:
        plan = crossings.crossing(session, crossing_id)
    with app.store.read() as connection:
        shares = pointing.sharing(connection, pointing.moves_of(view.lanes))
        target = account_name(connection, AccountId(plan.account_id)) if plan.account_id is not None else ""
    return CutoverOut(
        name=plan.name,
        target=target or "here",
        steps=[_step(one) for one in view.steps],
        since=[LaneSince(lane=lane, calendar=names[lane], changes=number) for lane, number in view.since.items()],
        shares=[PointedShare(id=one.id, title=one.title) for one in shares],
        usual_rest=REST,
        mails=bool(app.settings.mail_server),
    )


def _step(one: StepView) -> CutoverStepOut:
    return CutoverStepOut(
        step=one.state.step,
        state=one.state.state,
        why=one.state.why,
        at=present.stamp(one.at),
        by=one.by,
        notes=list(one.notes),
        sets=list(one.sets),
        jobs=list(one.jobs),
        back=one.back,
    )


@router.post("/crossings/{crossing_id}/cutover/{step}", status_code=204)
def take(app: AppDep, crossing_id: CrossingNo, step: CutoverStep, body: CutoverIn) -> None:
    """Take a step of the list."""
    if step is CutoverStep.MESSAGES and body.otherwise:
        telling.told_otherwise(app.store, crossing_id)
    elif step is CutoverStep.ACCESS:
        letting_in.carry_access(app.store, crossing_id)
    else:
        cutover.take(app.store, crossing_id, step, body.days)


@router.delete("/crossings/{crossing_id}/cutover/{step}", status_code=204)
def take_back(app: AppDep, crossing_id: CrossingNo, step: CutoverStep) -> None:
    """Take a step back."""
    cutover.take_back(app.store, crossing_id, step)


@router.post("/crossings/{crossing_id}/owners")
def owners(app: AppDep, crossing_id: CrossingNo, body: TemplateIO | None = None) -> OwnersOut:
    """What the owners would be told by a template, or by the usual one; nothing is sent."""
    body = body or TemplateIO(subject=SUBJECT, text=TEXT)
    messages = telling.owner_messages(app.store, crossing_id)
    return OwnersOut(
        template=body,
        messages=[
            OwnerMessageOut(
                key=one.key,
                name=one.name,
                mail=one.mail,
                subject=worded(body.subject, one.values),
                text=worded(body.text, one.values),
                sent=one.sent,
            )
            for one in messages
        ],
    )


@router.post("/crossings/{crossing_id}/owners/tell")
def tell(app: AppDep, crossing_id: CrossingNo, body: TellIn) -> JobQueued:
    """Send owners their messages, each once."""
    template = body.template
    return JobQueued(
        job_id=telling.tell(app.store, app.settings, crossing_id, template.subject, template.text, body.to)
    )
