"""Layers compared in time: overlaps, and the same days on two sides."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from typing import Annotated, Literal

from fastapi import Depends, Query
from fastapi.responses import StreamingResponse

from datebridge.api.context import AppDep, zone_of
from datebridge.api.kinds import CalendarNo, Day, Limit, Offset
from datebridge.api.routing import new_router
from datebridge.api.time import present
from datebridge.api.time.shapes import AlikeOut, MirrorDay, MirrorOut, MirrorPair, OverlapOut, OverlapPage
from datebridge.api.time.views import MOST_DAYS, Calendars, today_in
from datebridge.core.language.spans import day_name, difference, length, span
from datebridge.core.moments import wall_seconds_of
from datebridge.core.occurrences.window import key_of
from datebridge.core.recurrence.starts import DAY
from datebridge.core.views import mirror as sides
from datebridge.core.views.days import bounds_of, days_of, run_of
from datebridge.core.views.mirror import Mirror, MirroredPair
from datebridge.core.views.overlaps import OverlapQuery, Overlaps, as_sheet, overlapping
from datebridge.store.calendars import calendars_for_filters
from datebridge.store.entries.alike import alike
from datebridge.store.shares import shares_echoed

router = new_router("/api", "comparing")
Sides = Annotated[list[CalendarNo], Query(max_length=500)]


def _overlaps(
    app: AppDep,
    first: Day,
    calendar: Calendars = [],  # noqa: B006
    count: int = Query(31, ge=1, le=MOST_DAYS),
    zone: str = "",
    blocking: bool = True,
    whole_days: bool = True,
    least: int = Query(1, ge=1, le=1440),
    travel: bool = True,
    about: str = "",
    shared: bool = False,
    who: Annotated[list[str], Query(max_length=2)] = [],  # noqa: B006
) -> Overlaps:
    """What overlaps among the calendars from `first` on, `least` minutes at least.

    `shared`: only what takes the time of one person or one place. `who`: of one person, or between two.
    """
    asked = OverlapQuery(blocking, whole_days, least * 60, travel, about, shared=shared, people=tuple(who))
    low = wall_seconds_of(first)
    if asked.about.strip():
        about = asked.about.strip().lower()
        asked = replace(
            asked, named=frozenset(calendar.id for calendar in app.ledger.calendars() if about in calendar.name.lower())
        )
    with app.store.read() as connection:  # what only repeats one's own calendars collides with nothing
        echoes = shares_echoed(connection)
    layers = [one for one in calendar if one not in echoes]
    window = app.occurrences.window(low, low + count * DAY, zone_of(zone), layers)
    owners: dict[int, str] = {calendar.id: calendar.name for calendar in app.ledger.calendars()}
    return overlapping(window, asked, app.occurrences.people, owners)


Found = Annotated[Overlaps, Depends(_overlaps)]


@router.get("/overlaps")
def overlaps(answer: Found, zone: str = "", offset: Offset = 0, limit: Limit = 100) -> OverlapPage:
    """What overlaps, in order of time."""
    own = zone_of(zone)
    rows = [
        OverlapOut(
            left=present.occurrence(overlap.first, answer.window.entries[overlap.first.entry], own),
            right=present.occurrence(overlap.second, answer.window.entries[overlap.second.entry], own),
            shared=length(overlap.shared),
            travel=overlap.from_travel,
        )
        for overlap in answer.found[offset : offset + limit]
    ]
    both = [party for overlap in answer.found for party in (overlap.first, overlap.second)]
    return OverlapPage(
        total=len(answer.found),
        offset=offset,
        rows=rows,
        twins=answer.twins,
        capped=answer.capped,
        cut=list(answer.window.cut),
        keys=sorted({key_of(occurrence) for occurrence in both})[:5000] if offset == 0 else [],
        entries=sorted({occurrence.entry for occurrence in both})[:5000] if offset == 0 else [],
    )


@router.get("/overlaps/file", response_class=StreamingResponse, responses={200: {"content": {"text/csv": {}}}})
def overlaps_file(app: AppDep, answer: Found, first: Day) -> StreamingResponse:
    """The same as a file for a spreadsheet."""
    names = {calendar.id: calendar.name for calendar in app.ledger.calendars()}
    return StreamingResponse(
        as_sheet(answer, names),
        media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f"attachment; filename=overlaps-{first}.csv"},
    )


@router.get("/calendar-copies")
def likely(app: AppDep) -> list[AlikeOut]:
    """Pairs of calendars that look like two copies of one, the likeliest first."""
    with app.store.read() as connection:
        named = calendars_for_filters(connection)
        return [
            AlikeOut(
                left=pair.left,
                right=pair.right,
                left_name=named[pair.left].label,
                right_name=named[pair.right].label,
                uids=pair.uids,
                titles=pair.titles,
            )
            for pair in alike(connection)
            if pair.left in named and pair.right in named
        ]


@router.get("/mirrored-days")
def mirror(
    app: AppDep,
    left: Sides = [],  # noqa: B006
    right: Sides = [],  # noqa: B006
    view: Literal["week", "month"] = "week",
    on: Day | None = None,
    first: Day | None = None,
    count: int = Query(7, ge=1, le=62),
    zone: str = "",
    most: int = Query(40, ge=1, le=500),
) -> MirrorOut:
    """Two sets of calendars on the same days, pair by pair. All differences; of what agrees `most` a day.

    The days are those of the week or month around `on`, or `count` of them from `first`.
    """
    own = zone_of(zone)
    today = today_in(own)[0]
    shown = run_of(first, count) if first else days_of(view, on or today)
    first = shown[0]
    mirrored = sides.mirror(*(app.occurrences.window(*bounds_of(shown), own, side) for side in (left, right)))
    by_day: dict[date, list[MirroredPair]] = {}
    for pair in mirrored.pairs:
        by_day.setdefault(max(present.day_of(pair.at), first), []).append(pair)
    days = [_mirror_day(mirrored, day, by_day.get(day, []), today, most, own) for day in shown]
    verdicts = [p.verdict for p in mirrored.pairs]
    return MirrorOut(
        title=span([first, shown[-1]]),
        same=verdicts.count("same"),
        changed=verdicts.count("changed"),
        moved=verdicts.count("moved"),
        alone_left=sum(p.right is None for p in mirrored.pairs),
        alone_right=sum(p.left is None for p in mirrored.pairs),
        days=days,
        cut=sorted({*mirrored.left.cut, *mirrored.right.cut}),
    )


def _mirror_day(mirrored: Mirror, day: date, pairs: list[MirroredPair], today: date, most: int, zone: str) -> MirrorDay:
    differing = sum(p.verdict != "same" for p in pairs)
    room = max(0, most - differing)
    listed: list[MirroredPair] = []
    for pair in pairs:
        if pair.verdict != "same" or room > 0:
            room -= pair.verdict == "same"
            listed.append(pair)
    midnight = wall_seconds_of(day)

    def shown(pair: MirroredPair) -> MirrorPair:
        left = None if pair.left is None else mirrored.left.occurrences[pair.left]
        right = None if pair.right is None else mirrored.right.occurrences[pair.right]
        return MirrorPair(
            left=present.piece_at(left, mirrored.left.entries[left.entry], midnight, zone) if left else None,
            right=present.piece_at(right, mirrored.right.entries[right.entry], midnight, zone) if right else None,
            verdict=pair.verdict,
            difference=difference(pair.moved) if left and right else "",
        )

    return MirrorDay(
        date=day,
        name=day_name(day),
        today=day == today,
        more=len(pairs) - len(listed),
        pairs=[shown(p) for p in listed],
    )
