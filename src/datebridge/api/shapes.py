"""What goes over the wire. Times come ready to be drawn; marks come as words."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, Field

from datebridge.api.connect.shapes import PushedOut
from datebridge.api.kinds import CalendarNo, Day, EntryNo, FileNo, GroupNo
from datebridge.core.editing.fields import Fields


class Refusal(BaseModel):
    """Why something was not done: problem details (RFC 9457). `detail` is a sentence for a person."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str
    code: str = Field(description="says which kind of refusal it is; it never changes")
    start: int = Field(default=0, description="where in what was sent the trouble begins")
    end: int = 0
    trouble: str = Field(default="", description="for another system that could not be asked: what kind of trouble")
    origin: str = Field(default="", description="where name and password would go if the person agrees")


#: How many entries may be named one by one.
MOST_CHOSEN = 50_000


class SelectionIn(BaseModel):
    """All that match `filter` less `excluded`, or the entries in `only`."""

    filter: str = ""
    excluded: list[EntryNo] = Field(default=[], max_length=MOST_CHOSEN)
    only: list[EntryNo] | None = Field(default=None, max_length=MOST_CHOSEN)


class EntryOut(BaseModel):
    """One row of the table of everything."""

    id: int
    calendar_id: int | None = None
    kind: str
    what: str
    where: str
    when: str
    own: str = Field("", description="on the entry's own clock, where that shows another time")
    until: str
    repeats: str
    zone: str
    marks: list[str]
    status: str
    override: bool


class EntryPage(BaseModel):
    total: int
    offset: int
    rows: list[EntryOut]


class ProblemOut(BaseModel):
    severity: Literal["breaks", "alters", "untidy"]
    code: str
    title: str
    message: str
    done: str
    line: int
    uid: str
    text: str = ""
    entry_id: int | None = None


class FactOut(BaseModel):
    label: str
    value: str


class EntryDetail(BaseModel):
    row: EntryOut
    calendar: str
    facts: list[FactOut]
    answers: list[FactOut] = Field(description="how many of those invited have answered what")
    problems: list[ProblemOut]
    source: list[str]
    file: str
    file_line: int


class FacetValue(BaseModel):
    value: str
    count: int
    term: str = Field(description="what the filter line says to narrow to this value")


class TermOut(BaseModel):
    term: str = Field(description="a term of the filter line")


class SelectionCheck(BaseModel):
    only_readable: int


class CompletionOut(BaseModel):
    insert: str
    start: int
    end: int
    hint: str


class TermCount(BaseModel):
    """One condition of a filter line: where it stands, what it asks for, and how many match it alone."""

    start: int
    end: int
    says: str
    count: int


class FilterCheck(BaseModel):
    error: str = ""
    start: int = 0
    end: int = 0
    completions: list[CompletionOut]
    terms: list[TermCount] = []


class Count(BaseModel):
    label: str
    count: int


class ChangeSetOut(BaseModel):
    """A proposal or a batch."""

    id: int
    title: str
    kind: str
    reason: str
    state: str
    by: str = Field(description="by whom: a person, a command, the clock")
    at: str
    creates: int
    updates: int
    deletes: int
    held: int
    undoes_id: int | None
    undone_by_id: int | None
    note: str
    undoable: bool = Field(description="false for how a calendar came here, and for what can only be read")
    details: dict[str, Any]


class ChangeSetReview(BaseModel):
    change_set: ChangeSetOut
    by_calendar: list[Count]
    by_year: list[Count]
    by_kind: list[Count]
    warnings: list[str]
    button: str = Field(description="the button that applies it, in full")
    pushed: PushedOut


class ChangeSetPage(BaseModel):
    total: int
    rows: list[ChangeSetOut]


class DifferingOut(BaseModel):
    """A field of which the two sides of a change say something else; only what they do not share."""

    label: str
    left: list[str]
    right: list[str]


class ChangeOut(BaseModel):
    position: int
    verb: Literal["added", "changed", "removed"]
    calendar: str
    reason: str
    held: bool
    push: str = Field(description="how it fared on its way to where its calendar lives; empty where it lives here")
    before: EntryOut | None
    after: EntryOut | None
    differs: list[str] = Field(description="columns in which the two sides differ")
    fields: list[DifferingOut] = Field(description="everything in which they differ, where both sides are there")


class ChangePage(BaseModel):
    total: int
    offset: int
    rows: list[ChangeOut]


class UndoOut(BaseModel):
    """What undo came to: applied at once, or a proposal to look at since some entries changed meanwhile."""

    set_id: int
    applied: bool
    title: str
    held: int


class HereOut(BaseModel):
    calendar_id: int
    calendar: str
    writable: bool
    identical: int
    newer: int
    older: int
    different: int


class GroupOut(BaseModel):
    """The entries of a file that go to one calendar, and what is here of them already."""

    id: int
    name: str
    suggested_name: str
    summary: dict[str, Any]
    here: list[HereOut]
    suggested_calendar: int | None = Field(description="which calendar this is a newer version of; None: a fresh one")
    all_here: bool = Field(description="all of it stands, identical, in calendars that can only be read")


class ImportOut(BaseModel):
    id: int
    name: str
    size: int
    encoding: str
    state: str
    message: str
    at: str
    set_id: int | None
    entries: int
    problems: int
    again: bool = Field(description="reading it was broken off, and it can be read again")


class ImportDetail(BaseModel):
    file: ImportOut
    groups: list[GroupOut]
    problem_counts: list[ProblemCount]


class ProblemCount(BaseModel):
    severity: Literal["breaks", "alters", "untidy"]
    code: str
    title: str
    count: int


class ProblemPage(BaseModel):
    total: int
    rows: list[ProblemOut]


class DecisionIn(BaseModel):
    group_id: GroupNo
    calendar_id: CalendarNo | None = None
    name: str = Field(default="", max_length=200)
    existing: Literal["newer", "keep", "replace"] = "newer"
    skip_elsewhere: bool = False
    drop_missing: bool = False


class ImportIn(BaseModel):
    decisions: list[DecisionIn] = Field(min_length=1, max_length=2_000)


class ImportManyIn(BaseModel):
    """Files that are all imported, each into a fresh calendar; or all into one: one there is, or a fresh one."""

    files: list[FileNo] = Field(min_length=1, max_length=2_000)
    together: bool = False
    calendar_id: CalendarNo | None = None
    name: str = Field(default="", max_length=200)


class AttachedOut(BaseModel):
    name: str
    size: int


class TimeOut(BaseModel):
    """A day and hours that are in a text, as fields of an event have them."""

    says: str
    whole: bool
    zone: str
    start: str
    end: str


class DraftOut(BaseModel):
    """What an event made of a message would say."""

    sender: str
    fields: Fields
    attached: list[AttachedOut]
    times: list[TimeOut]


class ImportOutcome(BaseModel):
    """What importing the file as decided would do."""

    creates: int
    updates: int
    deletes: int
    skipped: int
    missing: int = Field(description="of what came from files before, how much this one does not have any more")
    missed: list[str] = Field(description="titles of some of those")


class SetMade(BaseModel):
    set_id: int


class JobQueued(BaseModel):
    job_id: int


class ArchiveIn(BaseModel):
    selection: SelectionIn
    name: str = Field(default="archive", max_length=120)


class SheetIn(BaseModel):
    """A spreadsheet's file that is brought back.

    Attributes:
        order: which comes first in dates such as 3/4/2025; "" to have it told from the table and from what is here.
    """

    name: str = Field(min_length=1, max_length=200)
    data: str = Field(max_length=40_000_000, pattern=r"^[A-Za-z0-9+/]*={0,2}$", description="the file in Base64")
    order: Literal["", "day", "month"] = ""


class PutAwayIn(BaseModel):
    """What is over before a day, of all calendars that may be written or of some."""

    before: Day
    calendars: list[CalendarNo] = Field(default=[], max_length=500)
    shorten: bool = Field(default=False, description="series that still run begin on that day")


class JobOut(BaseModel):
    id: int
    kind: str
    title: str
    state: str
    done: int
    total: int
    unit: str
    message: str
    result: dict[str, Any]


class ExportCheck(BaseModel):
    entries: int
    calendars: int
    cautions: list[str]


class RouteOut(BaseModel):
    """The numbers on the route: what waits at each stage."""

    connect: int
    to_push: int = Field(description="changes on their way to where their calendars live")
    to_decide: int = Field(description="changes that were refused there, or is in conflict")
    look: int
    mend: int
    cross: int = Field(description="lanes that wait to be carried, or differ for no known reason")
    shares: int
    logbook: int
    problems: int
    last_batch: ChangeSetOut | None
    notices: list[str]


ImportDetail.model_rebuild()
