"""What the stage Cross says and is told."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field

from datebridge.api.kinds import AccountNo, CalendarNo, Storable
from datebridge.core import ids
from datebridge.core.crossing.cutover import MOST_REST, REST, CutoverStep
from datebridge.core.crossing.options import Past, Private, Standing, ZoneNaming
from datebridge.core.crossing.plan_sheet import MOST

CrossingNo = Annotated[ids.CrossingId, Field(ge=0, le=2**63 - 1)]
LaneNo = Annotated[ids.LaneId, Field(ge=0, le=2**63 - 1)]
Lanes = Annotated[list[LaneNo], Field(max_length=MOST)]
MOST_STEPS = 40


class CrossingHead(BaseModel):
    """A crossing in the list of them."""

    id: int
    name: str
    target: str
    lanes: int
    entries: int
    carried: int = Field(description="lanes that were carried")
    verified: int = Field(description="lanes of which no difference is left that nobody can explain")
    unexplained: int


class CrossingIn(BaseModel):
    name: str = Field(min_length=1, max_length=120)
    sources: list[CalendarNo] = Field(max_length=MOST)
    account_id: AccountNo | None = Field(default=None, description="where it goes; nothing for calendars here")


class SourcesIn(BaseModel):
    sources: list[CalendarNo] = Field(max_length=MOST)


class OptionsIO(BaseModel):
    """What happens on the way; of a lane only what is otherwise than along the others."""

    since: str | None = Field(default=None, max_length=10, description="a day; only what is not over before it")
    kinds: list[Literal["VEVENT", "VTODO", "VJOURNAL"]] | None = None
    standing: Standing | None = None
    zones: ZoneNaming | None = None
    past: Past | None = Field(default=None, description="what becomes of what is over")
    private: Private | None = None
    tell: bool | None = None
    steps: list[Storable] | None = Field(default=None, max_length=MOST_STEPS)
    remedies: dict[str, list[Storable]] | None = None

    def given(self) -> dict[str, Any]:
        """What is said."""
        return self.model_dump(exclude_none=True)


class CrossingChange(BaseModel):
    name: str | None = Field(default=None, min_length=1, max_length=120)
    options: OptionsIO | None = Field(default=None, description="all of them, in place of those there were")


class LaneChangeIn(BaseModel):
    """Some lanes, changed alike; what is not said stays."""

    lanes: Lanes
    target: CalendarNo | None = None
    target_name: str | None = Field(default=None, max_length=120, description="a new calendar of this name")
    going: bool | None = None
    filter: str | None = Field(default=None, max_length=2_000)
    options: OptionsIO | None = None


class LanesIn(BaseModel):
    """Some lanes, or none for all."""

    lanes: Lanes = []
    delete_many: bool = Field(default=False, description="very many deletions were looked at, and are meant")


class RefusalOut(BaseModel):
    reason: str
    number: int


class LaneOut(BaseModel):
    """A lane, and what is known of both its ends."""

    id: int
    source_id: int
    source: str
    source_account: str
    owner: str
    target_id: int | None
    target: str
    target_account: str
    why: str
    filter: str
    options: OptionsIO
    going: bool
    entries: int
    series: int
    first: str
    last: str
    shared: int = Field(description="how many of its entries stand at the target already")
    proposal: int | None = Field(description="what a rehearsal would carry, as a change set")
    would: str = Field(description="the same in words")
    would_change: int
    waits: int = Field(description="of these, how many wait for a decision or cannot be carried")
    losses: list[str]
    batches: list[int]
    on_the_way: int
    arrived: int
    refused: int
    refusals: list[RefusalOut]
    blocks: list[str]
    cautions: list[str] = Field(description="what to mend first")
    archive: str = Field(description="the file into which what is over was put; empty for none")
    archived: int
    state: Literal["", "run", "failed", "back"]
    message: str
    ran_at: str
    verified_at: str
    there: int
    same: int
    explained: int
    unexplained: int
    left: int


class MonthsOut(BaseModel):
    """How much happens in each month, at the source and at the target."""

    months: dict[str, list[int]]


class SampleRow(BaseModel):
    """An entry that came back otherwise than foretold: as foretold, and as it came back."""

    title: str
    why: str
    left: list[str]
    right: list[str]


class SampleOut(BaseModel):
    """What a sample crossing came to; nothing but an empty `at` where there was none."""

    at: str = ""
    entries: int = 0
    otherwise: list[SampleRow] = []
    corrected: list[str] = Field(default=[], description="features that are no longer taken to be kept")
    left: str = Field(default="", description="why what was written could not be taken away")
    requests: int = 0
    seconds: float = 0
    cautions: list[str] = []


class CrossingOut(BaseModel):
    """A crossing with its lanes."""

    id: int
    name: str
    account_id: int | None
    target: str
    measured_at: str = Field(description="when it was measured what the target keeps; empty where it was not")
    options: OptionsIO
    steps: list[str] = Field(description="the steps of its options in words")
    sample: SampleOut
    decisions: int = Field(description="entries that wait for a decision")
    lanes: list[LaneOut]


class DifferenceKindOut(BaseModel):
    """Differences of one kind."""

    verdict: Literal["missing", "extra", "changed", "left"]
    fields: str
    cause: Literal["", "plan", "remedy", "loss", "since", "ruled", "left"]
    reason: str
    number: int


class LaneDifferenceOut(BaseModel):
    lane: int
    position: int
    source_id: int | None
    there_id: int | None
    title: str
    occurrences: int
    moved_by: str
    day: str = Field(description="on which it begins; empty where that is not known any more")


class LaneDifferencePage(BaseModel):
    total: int
    rows: list[LaneDifferenceOut]


class BothOut(BaseModel):
    """An entry at both ends, line by line; nothing where there is none."""

    left: list[str]
    right: list[str]


class DifferenceKindIn(BaseModel):
    """A kind of difference along some lanes, or all: everything of it, or what is named."""

    lanes: Lanes = []
    verdict: str
    fields: str
    cause: str
    reason: str
    positions: list[tuple[int, int]] = Field(default=[], max_length=10_000, description="lanes with places in them")


class LaneDecisionOut(BaseModel):
    """An entry that waits for a decision."""

    lane: int
    batch: int
    position: int
    title: str
    calendar: str
    reason: str
    source_id: int | None = Field(description="its state at the source; nothing where it was deleted there")
    there_id: int | None = Field(description="its state at the target; nothing where there is none")


class LaneDecisionIn(BaseModel):
    chosen: list[tuple[int, int]] = Field(max_length=10_000, description="batches with places in them")
    counts: Literal["source", "target"]


class DecidedOut(BaseModel):
    set_id: int | None


class LaneSheetIn(BaseModel):
    text: str = Field(max_length=2_000_000)


class UnreadableOut(BaseModel):
    row: int
    column: str
    why: str


class MadeOut(BaseModel):
    id: int


class CutoverStepOut(BaseModel):
    """A step of the cutover list as it stands."""

    step: CutoverStep
    state: Literal["waits", "open", "under way", "done"]
    why: str = Field(description="what it waits for, or how long it lasts; empty for nothing")
    at: str
    by: str
    notes: list[str] = Field(description="what could not be done with it")
    sets: list[int] = Field(description="the batches it made")
    jobs: list[int] = Field(description="the jobs it queued")
    back: str = Field(description="until when it can be taken back, in words; empty where it cannot be")


class PointedShare(BaseModel):
    id: int
    title: str


class LaneSince(BaseModel):
    """Changes at the source of a lane since it was carried."""

    lane: int
    calendar: str
    changes: int


class OwnerMessageOut(BaseModel):
    """What an owner is told."""

    key: str
    name: str
    mail: str = Field(description="where to; empty where nobody knows")
    subject: str
    text: str
    sent: bool


class CutoverOut(BaseModel):
    """The cutover list of a crossing."""

    name: str
    target: str
    steps: list[CutoverStepOut]
    since: list[LaneSince]
    shares: list[PointedShare] = Field(description="shares that still give something of the old calendars")
    usual_rest: int = Field(description="how many days a time of rest lasts, unless somebody says otherwise")
    mails: bool = Field(description="a mail server is set up")


class CutoverIn(BaseModel):
    """Taking a step."""

    days: int = Field(default=REST, ge=1, le=MOST_REST, description="of a time of rest")
    otherwise: bool = Field(default=False, description="the owners were told in another way")


class TemplateIO(BaseModel):
    """What owners are told, with {name}, {old}, {target}, {calendars} and {address} for what is each one's."""

    subject: str = Field(max_length=300)
    text: str = Field(max_length=20_000)


class OwnersOut(BaseModel):
    template: TemplateIO
    messages: list[OwnerMessageOut]


class TellIn(BaseModel):
    """Owners to be told, each with the address to send to."""

    template: TemplateIO
    to: dict[str, str] = Field(max_length=1_000)


class FilesIn(BaseModel):
    """A crossing as files; 0 for what is not bounded or not known."""

    matrix_id: int = Field(default=0, ge=0, le=2**63 - 1, description="the system they are for, as it was measured")
    entries: int = Field(default=0, ge=0, le=1_000_000)
    megabytes: int = Field(default=0, ge=0, le=10_000)
