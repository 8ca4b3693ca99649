"""Looking at time: days, months, years; what is kept for it; typed dates; hours across clocks."""

from __future__ import annotations

import json
from datetime import date, time, timedelta
from typing import Annotated

from fastapi import Query, Response
from pydantic import Field

from datebridge.api.context import AppDep, zone_of
from datebridge.api.kinds import CalendarNo, Day, EntryNo, Limit, Offset, Slot
from datebridge.api.routing import new_router
from datebridge.api.time import present
from datebridge.api.time.shapes import (
    DateOut,
    DaysOut,
    HappensOut,
    KeptIn,
    KeptKind,
    KeptOut,
    LayerWarning,
    OccurrencePage,
    StretchOut,
    ThereOut,
)
from datebridge.clock import now
from datebridge.core.errors import NotFound, NotValid
from datebridge.core.language.colours import warnings
from datebridge.core.language.phrases import read_date, read_days
from datebridge.core.language.spans import day_name, span
from datebridge.core.moments import instant_at, wall_at, wall_seconds_of
from datebridge.core.occurrences.expanding import Occurrence
from datebridge.core.recurrence.starts import DAY
from datebridge.core.views.days import View, days_of, run_of
from datebridge.core.zones.across import across, offset_of
from datebridge.services.look import views
from datebridge.store.entries.ledger import rows_of
from datebridge.store.preferences import forget as forget_kept
from datebridge.store.preferences import keep as keep_under
from datebridge.store.preferences import kept as kept_of

router = new_router("/api", "time")
Calendars = Annotated[list[CalendarNo], Query(max_length=500)]
Zones = Annotated[list[str], Query(max_length=4)]
Weekday = Annotated[int, Field(ge=0, le=6)]
#: As many days as one call may ask for: a year in whole weeks.
MOST_DAYS = 371


def today_in(zone: str) -> tuple[date, int]:
    """Today on a clock, and the minutes since its midnight."""
    wall = wall_at(now(), zone)
    return date.fromordinal(date(1970, 1, 1).toordinal() + wall // DAY), wall % DAY // 60


@router.get("/days", response_model=DaysOut)
def days(
    app: AppDep,
    calendar: Calendars = [],  # noqa: B006
    day: Annotated[list[Day], Query(max_length=62)] = [],  # noqa: B006
    view: View | None = None,
    on: Day | None = None,
    working: Annotated[list[Weekday], Query(max_length=7)] = [],  # noqa: B006
    first: Day | None = None,
    count: int = Query(7, ge=1, le=MOST_DAYS),
    zone: str = "",
    clock: Zones = [],  # noqa: B006
    most: int = Query(60, ge=0, le=500),
) -> Response:
    """What happens on given days; in a view around a day, of the working days a person keeps; or on `count` days.

    `most` pieces a day, or counts alone for 0.
    """
    own = zone_of(zone)
    today, minute = today_in(own)
    around = days_of(view, on or today, working) if view else run_of(first or today, count)
    wanted = day or around
    clocks = [zone_of(c) for c in clock]
    if most or day or view == "work":
        days_shown, cut = views.days(app.occurrences, wanted, own, calendar, most, clocks)
    else:
        days_shown, cut = views.counted(app.density, wanted[0], len(wanted), own, calendar, clocks)
    shown = [present.day(one, today) for one in days_shown]
    noon = instant_at(wall_seconds_of(min(wanted)) + DAY // 2, own)
    made = DaysOut.model_construct(
        zone=own,
        title=span(wanted),
        total=sum(one.total for one in days_shown),
        days=shown,
        offsets=[offset_of(noon, zone_of(c)) for c in clock],
        now=minute if today in wanted else None,
        cut=list(cut),
    )
    # Hundreds of pieces, made just now: they are written out without being checked once more.
    return Response(made.model_dump_json(), media_type="application/json")


@router.get("/occurrences")
def occurrences(
    app: AppDep,
    first: Day,
    calendar: Calendars = [],  # noqa: B006
    count: int = Query(31, ge=1, le=MOST_DAYS),
    zone: str = "",
    filter: str = "",
    every: bool = False,
    offset: Offset = 0,
    limit: Limit = 100,
) -> OccurrencePage:
    """The occurrences of a span as a list; of the given calendars, or of `every` one; of what matches a filter."""
    own = zone_of(zone)
    low = wall_seconds_of(first)
    wanted = [calendar.id for calendar in app.ledger.calendars()] if every else calendar
    window = app.occurrences.window(low, low + count * DAY, own, wanted)
    happening = window.occurrences
    if filter.strip():
        with app.store.read() as connection:
            matching = set(app.ledger.order(connection, filter).tolist())
        happening = [
            occurrence for occurrence in happening if occurrence.entry in matching or occurrence.series in matching
        ]
    rows = [
        present.occurrence(occurrence, window.entries[occurrence.entry], own)
        for occurrence in happening[offset : offset + limit]
    ]
    return OccurrencePage(total=len(happening), offset=offset, rows=rows, cut=list(window.cut))


@router.get("/entries/{entry_id}/occurrences")
def happens(app: AppDep, entry_id: EntryNo, zone: str = "", slot: Slot | None = None) -> HappensOut:
    """What an entry comes to in time: how often, first and last, and the next from now (or from a slot) on."""
    own = zone_of(zone)
    with app.store.read() as connection:
        entries = rows_of(connection, [entry_id])
        if not entries:
            raise NotFound("This entry no longer exists.")
        row = entries[0]
        series = app.occurrences.series(connection, row.calendar_id or 0, row.uid, own)
        begin = wall_at(now(), own) - 1 if slot is None else slot - 1
        upcoming: list[Occurrence] = []
        after = begin
        while len(upcoming) < 10 and (following := series.next(after)) is not None:
            upcoming.append(following)
            after = following.shown_start
        first, last = series.first(), series.last()
        shown_entries = app.occurrences.shown_of(connection, [o.entry for o in (*upcoming, first, last) if o])
    around = next((o for o in (*upcoming, last, first) if o), None)
    if row.recurrence_id and row.start_wall is not None:
        around_day: date | None = present.day_of(row.start_wall)
    else:
        around_day = present.day_of(around.shown_start) if around else None
    return HappensOut(
        repeats=row.repeats,
        count=series.count(),
        around=around_day,
        first=present.occurrence(first, shown_entries[first.entry], own) if first else None,
        last=present.occurrence(last, shown_entries[last.entry], own) if last else None,
        upcoming=[present.occurrence(o, shown_entries[o.entry], own) for o in upcoming],
    )


@router.get("/phrases/date")
def typed_date(text: str, zone: str = "") -> DateOut:
    """The day a typed phrase says."""
    day = read_date(text, today_in(zone_of(zone))[0])
    return DateOut(day=day, name=day_name(day))


@router.get("/phrases/days")
def typed_days(text: str, zone: str = "") -> list[DateOut]:
    """The days a rule in words says."""
    return [DateOut(day=d, name=day_name(d)) for d in read_days(text, today_in(zone_of(zone))[0])]


@router.get("/hours")
def hours_across(
    at: time,
    zone: str,
    clock: Zones = [],  # noqa: B006
    begin: Annotated[str, Query(alias="from")] = "08:00",
    end: Annotated[str, Query(alias="to")] = "17:00",
) -> list[StretchOut]:
    """An hour on one clock as others show it, for a year from today, before and after each change of the clocks."""
    own = zone_of(zone)
    today = today_in(own)[0]
    zones = [zone_of(c) for c in clock]
    rows = across(at, own, zones, today, today + timedelta(days=366))
    days = {1: "next day", -1: "day before", 0: ""}
    return [
        StretchOut(
            first=f"{row.first:%Y-%m-%d %a}",
            changed=row.changed,
            times=[
                ThereOut(shown=t.shown, day=days[t.days], offset=t.offset, works=begin <= t.shown < end)
                for t in row.times
            ],
        )
        for row in rows
    ]


@router.get("/layers/warnings")
def layer_warnings(
    calendar: Calendars = [],  # noqa: B006
    colour: Annotated[list[str], Query(max_length=500)] = [],  # noqa: B006
) -> list[LayerWarning]:
    """What is hard to tell apart or to read among layers shown together; colours in the order of the calendars."""
    layers = warnings(list(zip(calendar, colour, strict=False)))
    return [LayerWarning(calendar=number, message=message) for number, message in layers]


@router.get("/preferences/{kind}")
def kept(app: AppDep, kind: KeptKind) -> list[KeptOut]:
    """What is kept under a name, in order of the names."""
    with app.store.read() as connection:
        return [KeptOut(name=name, value=value) for name, value in kept_of(connection, kind)]


@router.put("/preferences/{kind}/{name:path}")
def keep(app: AppDep, kind: KeptKind, name: str, given: KeptIn) -> KeptOut:
    """Keep something under a name, in place of what was kept there."""
    if not name.strip() or len(name) > 80:
        raise NotValid("Enter a name of at most 80 characters.")
    if len(json.dumps(given.value)) > 50_000:
        raise NotValid("This is too large to be saved.")
    with app.store.write() as connection:
        keep_under(connection, kind, name.strip(), given.value)
    return KeptOut(name=name.strip(), value=given.value)


@router.delete("/preferences/{kind}/{name:path}")
def forget(app: AppDep, kind: KeptKind, name: str) -> None:
    """Forget what is kept under a name."""
    with app.store.write() as connection:
        forget_kept(connection, kind, name)
