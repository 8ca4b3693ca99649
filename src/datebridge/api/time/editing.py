"""Editing: fields in a drawer, what an edit will do, drawing, dragging, a typed line."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

from fastapi import Query
from pydantic import BaseModel, Field

from datebridge.api.context import AppDep, zone_of
from datebridge.api.kinds import CalendarNo, Day, EntryNo, Minutes, Slot
from datebridge.api.routing import new_router
from datebridge.api.time import present
from datebridge.api.time.views import today_in
from datebridge.core.editing.fields import CannotEdit, Fields, end_wall_of, start_of
from datebridge.core.editing.repeats import Ends, Monthly, Repeats, chosen, read_repeats
from datebridge.core.editing.typed import begins, ends, line_in_words, read_line, rule_of
from datebridge.core.editing.writing import new_event
from datebridge.core.ids import VersionId
from datebridge.core.index.derive import derive
from datebridge.core.index.facts import Mark
from datebridge.core.language.phrases import NotUnderstood
from datebridge.core.language.spans import day_name
from datebridge.core.moments import from_wall_seconds, instant_at, wall_at
from datebridge.core.occurrences.expanding import timed
from datebridge.core.occurrences.series import Series
from datebridge.core.zones.across import offset_of
from datebridge.services.editing import edits
from datebridge.services.editing.edits import Target

router = new_router("/api", "editing")
Scope = Literal["one", "following", "all"]
Zones = Annotated[list[str], Query(max_length=4)]


class OccurrenceIn(BaseModel):
    """An occurrence as the views have it."""

    entry: EntryNo
    series: EntryNo = VersionId(0)
    slot: Slot | None = None

    def target(self) -> Target:
        return Target(self.entry, self.series, self.slot)


class FieldsOut(BaseModel):
    """An entry in the drawer."""

    fields: Fields
    zone_means: str = Field(description="the zone that the name as written stands for, where that is another name")
    kind: Literal["event", "to-do"]
    calendar: int
    calendar_name: str
    is_series: bool
    is_override: bool


class EditIn(OccurrenceIn):
    fields: Fields
    scope: Scope = "one"
    event: bool = Field(default=False, description="make a to-do an event")
    listed: bool = Field(default=False, description="write the series as dates where no rule says what is wished")


class NewIn(BaseModel):
    calendar: CalendarNo
    fields: Fields


class ShiftIn(OccurrenceIn):
    """Start and end moved by minutes on the clock asked."""

    begin: Minutes
    end: Minutes
    zone: str = ""
    scope: Scope = "one"


class RemovalIn(OccurrenceIn):
    scope: Scope = "one"


class LineIn(BaseModel):
    calendar: CalendarNo
    text: str = Field(max_length=500)
    zone: str = ""


class LinePiece(BaseModel):
    """A stretch of a typed line; what is `unclear` stays in the title."""

    start: int
    end: int
    means: Literal["title", "when", "unclear"]


class LineOut(BaseModel):
    title: str = ""
    says: str = ""
    pieces: list[LinePiece] = []
    wrong: str = ""


class DoneOut(BaseModel):
    set_id: int
    title: str
    day: str = Field(default="", description="where it stands now, for what was made")


class ClockOut(BaseModel):
    zone: str
    shown: str


class CheckOut(BaseModel):
    """What the fields come to, while they are typed."""

    wrong: str = Field(description="why they make no entry; empty if they do")
    listable: int = Field(description="as how many dates it could be written where no rule says it; 0 where not")
    notes: list[str] = Field(description="what saving does besides")
    words: str = Field(description="the repeats in words")
    dates: list[str]
    count: int | None
    clocks: list[ClockOut]


class ChoiceIn(BaseModel):
    """One choice about how something repeats."""

    frequency: Literal["", "HOURLY", "DAILY", "WEEKLY", "MONTHLY", "YEARLY"] | None = None
    interval: int | None = Field(default=None, ge=1, le=999)
    weekday: Literal["MO", "TU", "WE", "TH", "FR", "SA", "SU"] | None = Field(
        default=None, description="put in, or taken out again"
    )
    monthly: Monthly | None = None
    ends: Ends | None = None
    count: int | None = Field(default=None, ge=1, le=9999)
    until: Day | None = None


class RepeatsIn(BaseModel):
    rule: str = Field(max_length=2000)
    start: Day
    choice: ChoiceIn = ChoiceIn()


class RepeatsOut(BaseModel):
    """A rule, and what it says as choices."""

    rule: str
    repeats: Repeats


@router.post("/repeats")
def repeats(body: RepeatsIn) -> RepeatsOut:
    """What a rule says as choices, once a choice has been made."""
    chosen_rule = chosen(body.rule, body.start, **body.choice.model_dump(exclude_none=True))
    return RepeatsOut(rule=chosen_rule, repeats=read_repeats(chosen_rule, body.start))


@router.get("/fields")
def fields(app: AppDep, entry: EntryNo, series: EntryNo = VersionId(0), slot: Slot | None = None) -> FieldsOut:
    """The fields of an occurrence, with its own times."""
    with app.store.read() as connection:
        loaded = edits.load(connection, Target(entry, series, slot))
    facts = derive(loaded.component, loaded.text)
    fields = loaded.fields()
    means = ""
    if fields.zone:
        year = int(fields.start[:4])
        meaning = loaded.group.zones.of(fields.zone, year, year)
        means = "" if meaning.defined or meaning.zone == fields.zone else meaning.zone
    return FieldsOut(
        fields=fields,
        zone_means=means,
        kind="to-do" if loaded.component == "VTODO" else "event",
        calendar=loaded.calendar,
        calendar_name=loaded.calendar_name,
        is_series=loaded.is_series,
        is_override=bool(facts.recurrence_id),
    )


@router.post("/fields/check")
def check(app: AppDep, body: EditIn, clock: Zones = []) -> CheckOut:  # noqa: B006
    """What an edit would come to; `entry` 0 for a new event."""
    notes: list[str] = []
    try:
        # A to-do has statuses of its own; they are checked where the edit is planned.
        trial = replace(body.fields, title=body.fields.title or "-", status="")
        text = new_event("check", trial, "20000101T000000Z")
        if body.entry:
            with app.store.read() as connection:
                loaded = edits.load(connection, body.target())
                plan = edits.plan_edit(loaded, body.scope, body.fields, body.event, body.listed)
                notes = edits.consequences(connection, loaded, plan)
            text = next((edit.text for edit in reversed(plan.edits) if edit.text and _repeats(edit.text)), text)
    except CannotEdit as error:
        return CheckOut(wrong=str(error), listable=error.dates, notes=[], words="", dates=[], count=None, clocks=[])
    facts = derive("VEVENT", text)
    entry = timed(facts)
    series = Series([entry] if entry else [], facts.zone or "UTC")
    warnings: list[str] = []
    # What goes on from this one is told from here on, also where the series began before.
    after = start_of(body.fields).wall_seconds - 1
    while facts.marks & Mark.SERIES and len(warnings) < 8 and (one := series.next(after)) is not None:
        warnings.append(f"{day_name(present.day_of(one.slot))} {from_wall_seconds(one.slot).year}")
        after = one.shown_start
    return CheckOut(
        wrong="",
        listable=0,
        notes=notes,
        words=facts.repeats,
        dates=warnings,
        count=series.count() if facts.marks & Mark.SERIES else 1,
        clocks=_clocks(body.fields, clock),
    )


def _repeats(text: str) -> bool:
    return bool(derive("VEVENT", text).marks & Mark.SERIES)


def _clocks(fields: Fields, zones: list[str]) -> list[ClockOut]:
    """Start and end on other clocks."""
    start = start_of(fields)
    begin = start.instant()
    if begin is None:
        return []
    end = instant_at(start._replace(wall=end_wall_of(fields)).wall_seconds, start.zone)
    own = start.wall_seconds // 86400
    days = {0: "", 1: " next day", -1: " day before"}

    def shown(zone: str) -> str:
        first, last = wall_at(begin, zone), wall_at(end, zone)
        told = f"{from_wall_seconds(first):%H:%M}–{from_wall_seconds(last):%H:%M}"
        return f"{told}{days.get(first // 86400 - own, '')} {offset_of(begin, zone)}"

    return [ClockOut(zone=z, shown=shown(zone_of(z))) for z in zones if zone_of(z) != start.zone]


@router.post("/edits")
def save(app: AppDep, body: EditIn) -> DoneOut:
    """Edit an occurrence, it and all after it, or the whole series."""
    set_id, title = edits.save(app.store, body.target(), body.scope, body.fields, body.event, body.listed)
    return DoneOut(set_id=set_id, title=title, day=body.fields.start[:10])


@router.post("/events")
def create(app: AppDep, body: NewIn) -> DoneOut:
    """Make a new event."""
    set_id, title = edits.create(app.store, body.calendar, body.fields)
    return DoneOut(set_id=set_id, title=title, day=body.fields.start[:10])


@router.post("/shifts")
def shift(app: AppDep, body: ShiftIn) -> DoneOut:
    """Move or stretch an occurrence on the clock asked."""
    own = zone_of(body.zone)
    after = edits.moved(app.store, body.target(), body.begin, body.end, own)
    set_id, title = edits.save(app.store, body.target(), body.scope, after)
    return DoneOut(set_id=set_id, title=title.replace("Edit", "Move", 1), day=after.start[:10])


@router.post("/removals")
def remove(app: AppDep, body: RemovalIn) -> DoneOut:
    """Delete an occurrence, it and all after it, or the whole entry."""
    set_id, title = edits.delete(app.store, body.target(), body.scope)
    return DoneOut(set_id=set_id, title=title)


@router.post("/lines")
def line(app: AppDep, body: LineIn) -> DoneOut:
    """Make an event from a typed line; without a clock named in it, its hours are on the clock asked."""
    own = zone_of(body.zone)
    line_read = read_line(body.text, today_in(own)[0])
    made = Fields(
        title=line_read.title, whole=line_read.at is None, zone="" if line_read.at is None else line_read.zone or own
    )
    made.rule = rule_of(line_read)
    if line_read.at is None:
        made.start = made.end = line_read.day.isoformat()
    else:
        made.start = begins(line_read).isoformat(timespec="minutes")
        made.end = ends(line_read).isoformat(timespec="minutes")
    set_id, title = edits.create(app.store, body.calendar, made)
    return DoneOut(set_id=set_id, title=title, day=line_read.day.isoformat())


@router.get("/lines")
def understood(text: Annotated[str, Query(max_length=500)], zone: str = "") -> LineOut:
    """What a typed line is understood as, while it is typed; nothing is made."""
    own = zone_of(zone)
    try:
        typed = read_line(text, today_in(own)[0])
        ends(typed)
    except NotUnderstood as error:
        return LineOut(wrong=str(error))
    pieces = [LinePiece(start=p.start, end=p.end, means=p.means) for p in typed.pieces]
    return LineOut(title=typed.title, says=line_in_words(typed, own), pieces=pieces)
