"""Duplicates: what was found, a group in banks, keeping one of it, and all of a kind at once."""

from __future__ import annotations

from typing import Annotated, Literal

from annotated_types import Len
from fastapi import Query
from pydantic import BaseModel, Field

from datebridge.api import present
from datebridge.api.context import AppDep
from datebridge.api.kinds import CalendarNo, EntryNo, GroupNo, Limit, Offset
from datebridge.api.routing import new_router
from datebridge.api.shapes import EntryOut, JobQueued
from datebridge.api.time.editing import DoneOut
from datebridge.core.changes import PERSON
from datebridge.core.errors import NotFound
from datebridge.core.ids import JobId
from datebridge.core.job_kinds import JobKind
from datebridge.core.matching import Alike
from datebridge.core.matching.surviving import CRITERIA, Criterion
from datebridge.core.merge import BOOKKEEPING
from datebridge.core.moments import from_wall_seconds
from datebridge.core.text.component import Component
from datebridge.core.text.lines import unescape_text
from datebridge.services.jobs import jobs
from datebridge.services.look import details
from datebridge.services.mend import duplicates
from datebridge.services.mend.duplicates import KeepPolicy, Plan
from datebridge.store import duplicates as stored
from datebridge.store.entries.ledger import rows_of

router = new_router("/api", "duplicates")
Score = Annotated[float, Query(ge=0, le=1)]
KIND_TITLES: dict[Alike, tuple[str, str]] = {
    Alike.IDENTICAL: ("Identical", "all properties are equal"),
    Alike.SAME_UID: ("One UID", "same UID, different properties"),
    Alike.SAME_TIME: ("Same title and time", "different UIDs; same title, time and length"),
    Alike.OTHER_LENGTH: ("Another length", "different UIDs; same title and start, one is longer"),
    Alike.SHIFTED: ("Shifted", "shifted by the difference of two zones, or all-day beside timed"),
    Alike.PARTS: ("Series and its parts", "single events at the times of a series"),
    Alike.CUT: ("Split series", "shorter series that are part of a longer one"),
    Alike.CHANGED: ("Moved, and its original", "an event at the time where an occurrence was before it was moved"),
    Alike.LOOSE: ("Changed outside its series", "an occurrence, and a changed copy outside its series"),
    Alike.ECHO: ("Echoes", "came back through a feed of one of your shares"),
}
#: How much of what is lost is shown, and so many of the times at which it happens otherwise.
_SHOWN, _TIMES = 40, 6
_TAKEN = {"RECURRENCE-ID": "Changed occurrences"}
Fate = Literal["stays", "goes", "read only", "open"]
_FIRST = ("SUMMARY", "DTSTART", "DTEND", "DURATION", "RRULE", "LOCATION", "DESCRIPTION")
_LAST = ("UID", "SEQUENCE", "LAST-MODIFIED", "CREATED", "DTSTAMP")


class KeepPolicyIn(BaseModel):
    """What entries are kept for, in the order in which it is asked, and the calendars that come first."""

    policy: Annotated[list[Criterion], Len(max_length=5)] = list(CRITERIA)
    order: Annotated[list[CalendarNo], Len(max_length=500)] = []

    def policy_of(self) -> KeepPolicy:
        """As the services take it."""
        return KeepPolicy(tuple(self.policy), tuple(self.order))


class AcceptIn(KeepPolicyIn):
    keep: EntryNo | None = Field(default=None, description="the entry that stays, where a person has chosen")


class ProposalIn(KeepPolicyIn):
    kind: Alike | None = None
    least: Annotated[float, Field(ge=0, le=1)] = 0.95


class KindCount(BaseModel):
    """How many groups of a kind there are, and how many entries more than one in each."""

    kind: Alike
    title: str
    says: str
    groups: int
    more: int


class DuplicatesOut(BaseModel):
    """What was found; `job` looks for it just now."""

    as_of: int = Field(description="the revision of the entries as of which it was looked for; -1: never")
    outdated: bool
    job: JobId | None
    kinds: list[KindCount]


class GroupRow(BaseModel):
    id: int
    kind: Alike
    score: float
    what: str
    when: str
    calendars: list[int]
    members: int


class GroupPage(BaseModel):
    total: int
    rows: list[GroupRow]


class MemberOut(BaseModel):
    """An entry of a group. `fate`: it stays, goes, would go but can only be read, or is left for a person to decide."""

    id: int
    calendar_id: int
    changed: str = Field(description="when it was changed last, as ISO 8601; empty where it does not say")
    fate: Fate
    entry: EntryOut


class AlignedOut(BaseModel):
    """One field of all members, the one that stays first."""

    label: str
    values: list[list[str]]
    same: bool
    bookkeeping: bool


class DuplicateOut(BaseModel):
    """A group in banks: the member that stays first, then the others."""

    id: int
    kind: Alike
    title: str
    score: float
    reasons: list[str]
    members: list[MemberOut]
    fields: list[AlignedOut]
    why: str = Field(description="what decided which stays")
    choices: list[int] = Field(description="which of them may stay instead, one after the other")
    taken: list[str] = Field(description="what the one that stays takes over")
    lost: list[str] = Field(description="what goes with the others; the first of it")
    lost_count: int = Field(description="how much that is in all")
    more: list[str] = Field(
        description="when the one that stays happens and another does not; the first of these times"
    )
    more_count: int
    fewer: list[str] = Field(description="when only those happen that go; the first of these times")
    fewer_count: int
    only_some: bool = Field(description="whether so much happens that not all times were compared")


class ApartOut(BaseModel):
    """Two that are not the same, by their titles."""

    id: int
    left: str
    right: str


@router.get("/duplicates")
def list_duplicates(app: AppDep, least: Score = 0.5) -> DuplicatesOut:
    """What was found, by kind; groups that are as sure as that."""
    with app.store.read() as connection:
        counts = stored.counts(connection)
        as_of, outdated, job = stored.state(connection)
    kinds = []
    for kind, (title, says) in KIND_TITLES.items():
        own = [(groups, more) for was, at, groups, more in counts if was is kind and at >= least - 0.001]
        if own:
            groups, more = (sum(column) for column in zip(*own, strict=True))
            kinds.append(KindCount(kind=kind, title=title, says=says, groups=groups, more=more))
    return DuplicatesOut(as_of=as_of, outdated=outdated, job=job, kinds=kinds)


@router.post("/duplicates/recompute", status_code=204)
def look(app: AppDep) -> None:
    """Look for duplicates again."""
    with app.store.write() as connection:
        stored.queue_looking(connection)


@router.get("/duplicates/groups")
def groups(
    app: AppDep, kind: Alike | None = None, least: Score = 0.5, offset: Offset = 0, limit: Limit = 100
) -> GroupPage:
    """A page of groups, by kind, the surest first."""
    with app.store.read() as connection:
        total, rows = stored.page(connection, kind, least, offset, limit)
        entries = {row.id: row for row in rows_of(connection, [n for group in rows for n in group.members])}
    shown = []
    for group in rows:
        own = [entries[n] for n in group.members]
        first = present.entry(own[0])
        shown.append(
            GroupRow(
                id=group.id,
                kind=group.kind,
                score=group.score,
                what=first.what,
                when=first.when,
                calendars=list(dict.fromkeys(row.calendar_id or 0 for row in own)),
                members=len(own),
            )
        )
    return GroupPage(total=total, rows=shown)


@router.post("/duplicates/groups/{group_id}")
def one(app: AppDep, group_id: GroupNo, body: AcceptIn) -> DuplicateOut | None:
    """A group in banks, with what would become of it; nothing where it is no longer as it was."""
    with app.store.read() as connection:
        plan = duplicates.plan(connection, group_id, body.policy_of(), body.keep)
        if plan is None:
            return None
        entries = {row.id: row for row in rows_of(connection, plan.found.members)}
    order = [plan.keep, *(member for member in plan.members if member is not plan.keep)]
    readable = {member.id for member in plan.stays}
    goes = {member.id for member in plan.goes}
    joined = plan.joined
    lost, more, fewer = (list(names) if plan.goes else [] for names in (joined.joined.lost, joined.more, joined.fewer))

    def fate(member: stored.GroupMember) -> Fate:
        if member is plan.keep:
            return "stays"
        return "goes" if member.id in goes else "read only" if member.id in readable else "open"

    return DuplicateOut(
        id=group_id,
        kind=plan.found.kind,
        title=KIND_TITLES[plan.found.kind][0],
        score=plan.found.score,
        reasons=list(plan.found.reasons),
        fields=_aligned(plan, order),
        why=plan.why,
        choices=list(plan.choices),
        members=[_member(one, fate(one), present.entry(entries[one.id])) for one in order],
        taken=[_TAKEN.get(name) or details.label(name) for name in joined.joined.taken],
        lost=[_lost(line) for line in lost[:_SHOWN]],
        lost_count=len(lost),
        more=more[:_TIMES],
        more_count=len(more),
        fewer=fewer[:_TIMES],
        fewer_count=len(fewer),
        only_some=joined.cut,
    )


def _member(member: stored.GroupMember, fate: Fate, entry: EntryOut) -> MemberOut:
    changed = f"{from_wall_seconds(member.modified).isoformat()}+00:00" if member.modified > 0 else ""
    return MemberOut(id=member.id, calendar_id=member.calendar, changed=changed, fate=fate, entry=entry)


def _aligned(plan: Plan, order: list[stored.GroupMember]) -> list[AlignedOut]:
    names = dict.fromkeys(_FIRST)
    for member in order:
        names.update(dict.fromkeys(line.name for _, line in Component(member.text).properties()))
    names.update(dict.fromkeys(("VALARM", *_LAST)))
    for name in _LAST:
        names[name] = names.pop(name)
    rows = []
    for name in names:
        values = [details.in_words(member.component, member.text, name) for member in order]
        if any(values):
            same = all(sorted(value) == sorted(values[0]) for value in values)
            kept = name in BOOKKEEPING or name == "UID"
            rows.append(AlignedOut(label=details.label(name), values=values, same=same, bookkeeping=kept))
    return rows


def _lost(line: str) -> str:
    when, mark, rest = line.partition(" · ")
    if mark and when[:4].isdigit():
        return f"{when} · {_lost(rest)}"
    name, _, value = line.partition(":")
    return f"{details.label(name.partition(';')[0])}: {unescape_text(value)}"


@router.post("/duplicates/groups/{group_id}/accept")
def accept(app: AppDep, group_id: GroupNo, body: AcceptIn) -> DoneOut:
    """Keep one of a group, at once; it can be undone."""
    set_id, title = duplicates.accept(app.store, group_id, body.policy_of(), body.keep)
    return DoneOut(set_id=set_id, title=title)


@router.post("/duplicates/groups/{group_id}/apart", status_code=204)
def apart(app: AppDep, group_id: GroupNo) -> None:
    """Remember that these are not the same, for good."""
    with app.store.write() as connection:
        group = stored.one(connection, group_id)
        if group is None:
            raise NotFound(duplicates.GONE)
        stored.rule_apart(connection, group, PERSON)
        stored.drop(connection, group_id)


@router.get("/duplicates/apart")
def ruled_apart(app: AppDep) -> list[ApartOut]:
    """Which entries somebody has said are not the same, the newest first."""
    with app.store.read() as connection:
        return [ApartOut(id=one.ruling, left=one.left, right=one.right) for one in stored.ruled_apart(connection)]


@router.delete("/duplicates/apart/{ruling_id}", status_code=204)
def forget_apart(app: AppDep, ruling_id: GroupNo) -> None:
    """Have two entries be compared again."""
    with app.store.write() as connection:
        stored.revoke_apart(connection, ruling_id)
        stored.queue_looking(connection)


@router.post("/duplicates/proposals")
def propose(app: AppDep, body: ProposalIn) -> JobQueued:
    """Propose keeping one of every group of a kind, or of all kinds, that is as sure as that."""
    params = {
        "kind": body.kind.value if body.kind else "",
        "least": body.least,
        "policy": body.policy,
        "order": body.order,
    }
    return JobQueued(
        job_id=jobs.enqueue(app.store, JobKind.DUPLICATES, "Preparing the proposal: remove duplicates", params)
    )
