"""Time zones: every name in use with its meaning and the evidence, rulings, and what is off for part of the year."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import Query
from pydantic import BaseModel, Field

from datebridge.api.context import AppDep
from datebridge.api.kinds import CalendarNo, GroupNo
from datebridge.api.mend.banks import day_of
from datebridge.api.routing import new_router
from datebridge.api.shapes import JobQueued
from datebridge.clock import this_day
from datebridge.core.ids import CalendarId, JobId
from datebridge.core.language.clocks import hours
from datebridge.core.language.filters import quote
from datebridge.core.language.spans import difference
from datebridge.core.moments import Clock
from datebridge.core.zones.fitting import Stretch
from datebridge.core.zones.meaning import BY_DEFINITION
from datebridge.core.zones.usage import Named
from datebridge.services.mend import zones
from datebridge.services.mend.zones import Step
from datebridge.store import comparisons
from datebridge.store.calendars import names

router = new_router("/api", "zones")
State = Literal["unknown", "contradicts", "fine", "ruled", "floating"]
_MOST_FITTING = 8


class StretchOut(BaseModel):
    """Zones that would fit, from one year to another; the likeliest first, and how many more there are."""

    zones: list[str]
    more: int
    first: int
    last: int
    parts: str = Field(description="the day on which the first of them parts from it; empty where it does not")


class UseOut(BaseModel):
    calendar_id: CalendarId
    name: str
    entries: int


class StepOut(BaseModel):
    """From a day of the year on, so many minutes ahead of UTC."""

    day: int
    minutes: int


class NameOut(BaseModel):
    """A zone name with one meaning."""

    key: str = Field(description="tells names with two meanings apart")
    tzid: str
    state: State
    zone: str = Field(description="what it goes by, or goes like; empty where nobody knows")
    method: str
    says: str
    contradicts: str
    named: str = Field(description="the zone its name suggests")
    like: str = Field(description="the zone its definition goes like; empty without one, or where none does")
    sure: int = Field(description="in hundredths")
    years: str
    entries: int
    uses: list[UseOut]
    others: int = Field(description="how many other meanings the name has elsewhere")
    defined: bool
    candidates: list[StretchOut]
    filter: str = Field(description="the filter line that shows the entries")
    own_year: list[StepOut] = Field(description="its clock over this year, by its definition or its name")
    zone_year: list[StepOut] = Field(description="the clock of the proposed zone, where that is another reading")


class RulingOut(BaseModel):
    id: int
    tzid: str
    zone: str
    calendar: str = Field(description="the calendar it is for; empty for all")


class OffOut(BaseModel):
    """Something that agrees with its counterpart in another calendar for part of the year only."""

    pair: int
    title: str
    left: str
    right: str
    left_id: CalendarId
    right_id: CalendarId
    moved: str
    off: int
    agree: int
    right_zone: str = Field(description="the zone it is in, on the left")
    wrong_zone: str = Field(description="the zone the right side took it for")
    filter: str = Field(description="the filter line that shows the entries of the right side")


class ZonesOut(BaseModel):
    names: list[NameOut]
    rulings: list[RulingOut]
    off: list[OffOut]
    outdated: bool
    job: JobId | None


class RulingIn(BaseModel):
    tzid: str = Field(max_length=1000)
    zone: str = Field(max_length=200, description="an IANA zone, or “definition” for its own definition")
    calendar_id: CalendarNo | None = None


class ReadingOut(BaseModel):
    """An entry as the name has it, and as the definition has it, on the clock of the name."""

    title: str
    day: str
    by_name: str
    by_definition: str
    apart: str


class ReadingsOut(BaseModel):
    rows: list[ReadingOut]
    same: int


@router.get("/zone-names")
def list_zones(app: AppDep) -> ZonesOut:
    """Every zone name in use; what is unknown first, then what contradicts itself."""
    usages = zones.names(app.store)
    with app.store.read() as connection:
        called = names(connection, live=True)
        off = comparisons.off_for_part(connection)
        outdated, job = comparisons.looking(connection)
    rulings = [
        RulingOut(
            id=ruling.id,
            tzid=ruling.tzid,
            zone=_verdict_in_words(ruling.verdict),
            calendar=called.get(ruling.calendar, "a deleted calendar") if ruling.calendar is not None else "",
        )
        for ruling in zones.standing(app.store)
    ]
    return ZonesOut(
        names=[
            _name(sum(other.tzid == usage.tzid for other in usages[:at]), usage, called)
            for at, usage in enumerate(usages)
        ],
        rulings=rulings,
        outdated=outdated,
        off=[_off(part, called) for part in off if part.left in called and part.right in called],
        job=job,
    )


def _verdict_in_words(verdict: str) -> str:
    return "its definition" if verdict == BY_DEFINITION else verdict


def _name(number: int, one: Named, called: dict[CalendarId, str]) -> NameOut:
    understood = one.understood
    state: State = "fine"
    if not one.tzid:
        state = "floating"
    elif understood.method == "ruling":
        state = "ruled"
    elif not understood.zone and not understood.own_counts:
        state = "unknown"
    elif understood.contradicts:
        state = "contradicts"
    like = next((some.zones[0] for some in understood.candidates if some.zones), "") if one.own is not None else ""
    own: Clock | None = one.own or (understood.zone or None)
    other = understood.named if one.own is not None and understood.contradicts else ""
    year = this_day().year
    return NameOut(
        key=f"{one.tzid}\n{number}",
        tzid=one.tzid,
        state=state,
        zone=understood.zone,
        method=understood.method,
        says=understood.says,
        contradicts=understood.contradicts,
        named=understood.named,
        like=like,
        sure=round(understood.confidence * 100),
        years=f"{understood.first}" if understood.first == understood.last else f"{understood.first}–{understood.last}",
        entries=one.entries,
        uses=_uses(one, called),
        others=one.others,
        defined=one.own is not None,
        candidates=[_stretch(some) for some in understood.candidates[:6]],
        filter=f"zone:{quote(one.tzid)}" if one.tzid else "zone:none allday:no",
        own_year=_steps(zones.year_of(own, year)) if own is not None else [],
        zone_year=_steps(zones.year_of(other, year)) if other else [],
    )


def _stretch(some: Stretch) -> StretchOut:
    return StretchOut(
        zones=list(some.zones[:_MOST_FITTING]),
        more=max(0, len(some.zones) - _MOST_FITTING),
        first=some.first,
        last=some.last,
        parts=day_of(some.parts) if some.parts is not None else "",
    )


def _uses(named: Named, called: dict[CalendarId, str]) -> list[UseOut]:
    places = [(CalendarId(use.calendar), use) for use in named.uses if isinstance(use.calendar, int)]
    return [UseOut(calendar_id=n, name=called.get(n, ""), entries=use.entries) for n, use in places]


def _steps(steps: list[Step]) -> list[StepOut]:
    return [StepOut(day=step.day, minutes=step.minutes) for step in steps]


def _off(part: comparisons.OffPart, called: dict[CalendarId, str]) -> OffOut:
    right, _, wrong = part.pair.misreading.partition("\n")
    return OffOut(
        pair=part.pair.id,
        title=part.pair.title,
        left=called[part.left],
        right=called[part.right],
        left_id=part.left,
        right_id=part.right,
        moved=difference(part.pair.moved_by or 0),
        off=part.pair.changed,
        agree=part.pair.same,
        right_zone=right,
        wrong_zone=wrong,
        filter=f"calendar:{quote(called[part.right])} what:{quote(part.pair.title)}",
    )


@router.post("/zone-names/recompute", status_code=204)
def look(app: AppDep) -> None:
    """Look again for what is off for part of the year."""
    with app.store.write() as connection:
        comparisons.queue_looking(connection)


@router.get("/zone-names/readings")
def readings(
    app: AppDep, tzid: Annotated[str, Query(max_length=1000)], calendar: CalendarNo | None = None
) -> ReadingsOut:
    """Entries that use a name, as the name has them, and as its definition does; the newest first."""
    uses = [use for usage in zones.names(app.store) if usage.tzid == tzid for use in usage.uses]
    chosen = [CalendarId(use.calendar) for use in uses if isinstance(use.calendar, int)]
    rows, same = zones.readings(app.store, tzid, [calendar] if calendar is not None else chosen)
    named = next((usage.understood.named for usage in zones.names(app.store) if usage.tzid == tzid), "")
    shown = []
    for row in rows:
        walls = [zones.shown(instant, named) for instant in (row.by_name, row.by_definition)]
        shown.append(
            ReadingOut(
                title=row.title,
                day=day_of(walls[0]),
                by_name=hours(walls[0], walls[0]),
                by_definition=hours(walls[1], walls[1]),
                apart=difference(row.by_definition - row.by_name),
            )
        )
    return ReadingsOut(rows=shown, same=same)


@router.post("/zone-names/rulings")
def decide(app: AppDep, body: RulingIn) -> JobQueued:
    """Rule what a name means, in one calendar or in all; what is read later is read so."""
    return JobQueued(job_id=zones.decide(app.store, body.tzid, body.zone, body.calendar_id))


@router.delete("/zone-names/rulings/{ruling_id}")
def take_back(app: AppDep, ruling_id: GroupNo) -> JobQueued:
    """Take a ruling back."""
    return JobQueued(job_id=zones.take_back(app.store, ruling_id))
