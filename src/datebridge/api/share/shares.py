"""Shares: made, said otherwise, seen as readers see them, handed over, taken back; and how they are used."""

from __future__ import annotations

from datetime import UTC, datetime, time, timedelta
from typing import Annotated
from zoneinfo import ZoneInfo

from fastapi import Query, Request, Response
from fastapi.responses import HTMLResponse, StreamingResponse
from pydantic import ValidationError

from datebridge.api.context import App, AppDep
from datebridge.api.public.pages import Offer, look_of, render
from datebridge.api.routing import new_router
from datebridge.api.share import present
from datebridge.api.share.shapes import (
    FormatOut,
    LineOut,
    OwnerIn,
    PrivacyWarningOut,
    RoleOut,
    SeenIn,
    SeenOut,
    SeenRow,
    ShareMade,
    ShareNo,
    SharesOut,
    WantedIn,
)
from datebridge.core.choices import Form
from datebridge.core.errors import NotValid
from datebridge.core.sharing.formats import FORMATS
from datebridge.core.sharing.terms import Terms
from datebridge.services.sharing import shares
from datebridge.services.sharing.addresses import door
from datebridge.services.sharing.plans import Plan, plan_of, today_in
from datebridge.services.sharing.render_cache import colours_of, make
from datebridge.services.sharing.shares import CannotShare, NoShare, Wanted
from datebridge.store import shares as kept
from datebridge.store.calendars import names
from datebridge.store.tables import Share, demand_id
from datebridge.store.use import today, use_of

router = new_router("/api", "shares")
#: What the page of a preview may do, and that it may be in this application's own pages.
_SEEN_PAGE = (
    "default-src 'none'; style-src 'self'; style-src-attr 'unsafe-inline'; font-src 'self'; img-src 'self' data:;"
    " base-uri 'none'; form-action 'self'; frame-ancestors 'self'"
)


@router.get("/shares")
def listed(app: AppDep) -> SharesOut:
    """All shares with their readers, and what was given out in the last 90 days."""
    used = use_of(app.settings.use_file, today())
    with app.store.session() as session:
        shares_there = kept.shares(session)
        owners = {role.id: role for role in kept.roles(session)}
        readers, hosts = kept.readers(session), kept.hosts(session)
        connection = session.connection()
        elsewhere = kept.sent_on(connection)
        called = {int(number): name for number, name in names(connection, live=True).items()}
    rows = [
        present.share_out(
            share,
            owners[share.role_id],
            [r for r in readers if r.share_id == share.id],
            [h for h in hosts if h.share_id == share.id],
            called,
            used,
            elsewhere,
            today(),
        )
        for share in shares_there
    ]
    return SharesOut(
        shares=rows,
        formats=[FormatOut.model_validate(one, from_attributes=True) for one in FORMATS.values()],
        door=door(app.settings),
        mail=bool(app.settings.mail_server),
        fetched=sum(day.fetched + day.unchanged for day in used),
        size=sum(day.size for day in used),
        refused=sum(day.refused for day in used),
        unknown=sum(day.refused for day in used if not day.share),
    )


@router.get("/shares/owners")
def owners(app: AppDep) -> list[RoleOut]:
    """The roles that own shares, and how they are asked."""
    with app.store.session() as session:
        return [RoleOut(name=role.name, contact=role.contact) for role in kept.roles(session)]


def wanted_of(body: WantedIn) -> Wanted:
    """What was sent, as the services have it."""
    until = None
    if body.until is not None:
        try:
            zone = ZoneInfo(body.zone)
        except (ValueError, OSError, KeyError):  # no such zone is a KeyError
            raise CannotShare(f"“{body.zone[:80]}” is no time zone.") from None
        until = int(datetime.combine(body.until + timedelta(days=1), time(), zone).astimezone(UTC).timestamp())
    return Wanted(
        body.title,
        body.owner,
        body.contact,
        tuple(body.calendars),
        body.filter,
        Terms(**dict(body.terms)),
        tuple(body.forms),
        body.zone,
        body.interval,
        body.fixed,
        until,
        tuple(body.sites),
        body.indexed,
    )


@router.post("/shares")
def make_share(app: AppDep, body: WantedIn) -> ShareMade:
    """Make a share. Nobody can read it before it has a reader."""
    return ShareMade(id=shares.make(app.store, app.ledger, wanted_of(body)))


@router.put("/shares/{share_id}", status_code=204)
def say(app: AppDep, share_id: ShareNo, body: WantedIn) -> None:
    """Say otherwise what a share gives. Its readers and their addresses stay."""
    shares.say(app.store, app.ledger, share_id, wanted_of(body))


@router.post("/shares/{share_id}/owner", status_code=204)
def hand_over(app: AppDep, share_id: ShareNo, body: OwnerIn) -> None:
    """Have another role own a share. Its addresses stay."""
    shares.hand_over(app.store, share_id, body.owner, body.contact)


@router.delete("/shares/{share_id}", status_code=204)
def end(app: AppDep, share_id: ShareNo) -> None:
    """Take a share back as a whole, at once."""
    shares.end(app.store, share_id)


# ---- seen as a reader sees it ----------------------------------------------------------------------------


@router.post("/shares/seen")
def seen(app: AppDep, body: SeenIn) -> SeenOut:
    """What a share gives, or would give, beside its source."""
    plan = _plan(app, body.wanted, body.share)
    content = app.seeing.content_of(plan)
    total, rows = app.seeing.page(plan, body.which, body.offset, body.limit)
    with app.store.read() as connection:
        called = names(connection)
    return SeenOut(
        says=content.in_words,
        considered=content.considered,
        given=len(content.entries),
        as_busy=content.as_busy,
        left_out=sum(content.left_out.values()),
        warnings=[
            PrivacyWarningOut.model_validate(warning, from_attributes=True) for warning in app.seeing.warnings(plan)
        ],
        total=total,
        rows=[
            SeenRow(
                title=row.title,
                given_title=row.given_title,
                when=row.when,
                calendar=called.get(row.calendar, ""),  # type: ignore[call-overload]
                fate=row.fate,
                as_busy=row.as_busy,
                lines=[LineOut(source=a, given=b) for a, b in row.lines],
            )
            for row in rows
        ],
    )


def _plan(app: App, body: WantedIn, share: int | None) -> Plan:
    """The plan of what is wanted; what a share holds that was fixed stays what it holds."""
    wanted = wanted_of(body)
    with app.store.session() as session:
        if not wanted.calendars and not wanted.filter.strip():
            raise CannotShare("Choose the calendars to share, or enter a filter.")
        wanted = shares.demand_sense(session.connection(), wanted)
        share_row = session.get(Share, share) if share is not None else None
    plan = wanted.plan
    if share_row is None:
        return plan
    same = share_row.fixed_at is not None and wanted.fixed and list(wanted.calendars) == share_row.calendars
    held = demand_id(share_row.id) if same and wanted.filter == share_row.filter else None
    return Plan(
        plan.title,
        plan.terms,
        plan.calendars,
        plan.filter,
        plan.zone,
        plan.interval,
        share_row.mark,
        share_row.secret,
        held,
    )


@router.get("/shares/seen/page", response_class=StreamingResponse, responses={200: {"content": {"text/html": {}}}})
def seen_page(
    app: AppDep,
    request: Request,
    wanted: Annotated[str, Query(max_length=20_000)],
    share: ShareNo | None = None,
) -> Response:
    """The page exactly as its readers get it."""
    try:
        body = WantedIn.model_validate_json(wanted)
    except ValidationError as error:
        raise NotValid("This is not a share.") from error
    plan = _plan(app, body, share)
    page_data = app.seeing.page_data(plan)
    day = today_in(plan.zone)
    look = look_of(request.query_params, day, kept={"wanted": wanted, **({"share": str(share)} if share else {})})
    forms = body.forms
    offer = Offer(
        plan.title,
        plan.zone,
        f"…/{FORMATS[Form.FEED].path}" if Form.FEED in forms else "",
        Form.FILE in forms,
        not body.fixed,
        None,
        colours_of(app.store),
        "/reader/",
        "",
        body.indexed,
        False,
    )
    html = render(page_data, look, offer, day, request.headers.get("accept-language", ""))
    return HTMLResponse(html, headers={"Content-Security-Policy": _SEEN_PAGE})


@router.post("/shares/seen/{form}")
def seen_form(app: AppDep, form: Form, request: SeenIn) -> Response:
    """A form exactly as its readers get it."""
    plan = _plan(app, request.wanted, request.share)
    if form is Form.PAGE:
        raise NotValid("The page has its own address.")
    body = make(app.seeing.content_of(plan), plan, form, today_in(plan.zone))
    return Response(body, media_type=FORMATS[form].media)


@router.get("/shares/{share_id}/file")
def file(app: AppDep, share_id: ShareNo) -> Response:
    """What a share gives, once, as a file."""
    with app.store.session() as session:
        share = session.get(Share, share_id)
    if share is None or share.ended_at is not None:
        raise NoShare("This share no longer exists.")
    plan = plan_of(share)
    body = make(app.seeing.content_of(plan), plan, Form.FILE, today_in(plan.zone))
    return Response(body, media_type=FORMATS[Form.FILE].media, headers={"Content-Disposition": "attachment"})
