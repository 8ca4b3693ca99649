"""Duplicates: looking for them, what becomes of a group, and the change set that removes what is there twice."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from datebridge.core.changes import PERSON, By, Change, Kind
from datebridge.core.checks import examine
from datebridge.core.ids import CalendarId, SetId, VersionId
from datebridge.core.index.facts import ANSWERS
from datebridge.core.job_kinds import JobKind
from datebridge.core.language.plural import counted
from datebridge.core.matching import CONTAINING, Alike
from datebridge.core.matching.surviving import CRITERIA, Criterion, Twin, choose
from datebridge.core.matching.wholes import JoinedWhole, Whole, join_contained, join_wholes
from datebridge.core.merge import BOOKKEEPING, TIMES
from datebridge.core.text.component import Component
from datebridge.core.zones.meaning import Zones
from datebridge.services.jobs.jobs import JobContext, performs
from datebridge.store import duplicates as stored
from datebridge.store.changesets.apply import apply
from datebridge.store.changesets.draft import CannotApply, Draft, propose
from datebridge.store.database import Connection, Store
from datebridge.store.duplicates import DuplicateGroup, GroupMember
from datebridge.store.entries.zones import zones_of
from datebridge.store.sql import chunks

_AT_ONCE = 500
#: What makes an entry say no more.
_UNSAID = BOOKKEEPING | TIMES | {"UID"}
_TAKES_OVER = "Takes over properties of the others."
_NOTHING = "Nothing in this group can be removed: the duplicates are in read-only calendars."
GONE = "This group has changed: an entry was changed or deleted. Search for duplicates again."


@dataclass(frozen=True, slots=True)
class KeepPolicy:
    """What entries are kept for, in the order in which it is asked, and which calendars come first."""

    policy: tuple[Criterion, ...] = CRITERIA
    order: tuple[int, ...] = ()


def _twin(member: GroupMember) -> Twin:
    """What decides whether an entry stays."""
    lines = [line for _, line in Component(member.text).properties()]
    people = [line for line in lines if line.name == "ATTENDEE"]
    answered = sum((line.param("PARTSTAT") or "").upper() in ANSWERS for line in people)
    says = sum(len(line.value) for line in lines if line.name not in _UNSAID)
    return Twin(
        member.calendar,
        member.writable,
        member.live,
        answered,
        member.sequence,
        member.modified,
        says + member.text.count("BEGIN:VALARM"),
        next((line.value.strip() for line in lines if line.name == "UID"), ""),
    )


@dataclass(frozen=True, slots=True)
class Plan:
    """What becomes of a group.

    Attributes:
        keep: the member that stays; why: what decided it.
        goes: those that are removed; stays: those that would be, and can only be read.
        parts: the changed occurrences of each series among them.
        joined: the one that stays, with what it takes over, what is lost, and what happens otherwise.
        zones: what the calendar of the one that stays defines.
        choices: which of them a person may have stay instead, one after the other.
    """

    found: DuplicateGroup
    members: tuple[GroupMember, ...]
    keep: GroupMember
    why: str
    goes: tuple[GroupMember, ...]
    stays: tuple[GroupMember, ...]
    parts: Mapping[VersionId, tuple[GroupMember, ...]]
    joined: JoinedWhole
    choices: tuple[VersionId, ...]
    zones: Zones

    def rewritten(self) -> list[tuple[GroupMember, str]]:
        """What of the one that stays, and of its changed occurrences, becomes another text."""
        own = (self.keep, *self.parts.get(self.keep.id, ()))
        return [(member, text) for member, text in zip(own, self.joined.texts, strict=True) if text != member.text]


@performs(JobKind.MATCH)
def match_job(context: JobContext) -> dict[str, object]:
    """Look for duplicates among all entries."""
    return {"groups": stored.look(context.store, context.check)}


def plan(connection: Connection, number: int, request: KeepPolicy, keep: VersionId | None = None) -> Plan | None:
    """What becomes of a group; None where it is no longer there.

    Args:
        keep: the member that stays, chosen by a person.
    """
    group = stored.one(connection, number)
    return _plan(group, _details_of(connection, [group]), request, keep) if group is not None else None


@dataclass(frozen=True, slots=True)
class _GroupDetails:
    """What plans are made from: members, the changed occurrences of series, what calendars define."""

    members: Mapping[VersionId, GroupMember]
    parts: Mapping[VersionId, tuple[GroupMember, ...]]
    zones: Mapping[CalendarId, Zones]

    def whole(self, member: GroupMember) -> Whole:
        texts = tuple(part.text for part in self.parts.get(member.id, ()))
        return Whole(member.text, texts, self.zones[member.calendar])


def _details_of(connection: Connection, groups: Iterable[DuplicateGroup]) -> _GroupDetails:
    members = stored.members_of(connection, (n for group in groups for n in group.members))
    changed = stored.changed_occurrences(connection, members)
    others = stored.members_of(connection, (n for own in changed.values() for n in own))
    parts = {master: tuple(others[n] for n in own if n in others) for master, own in changed.items()}
    zones = {number: zones_of(connection, number) for number in {member.calendar for member in members.values()}}
    return _GroupDetails(members, parts, zones)


def _plan(group: DuplicateGroup, details: _GroupDetails, request: KeepPolicy, keep: VersionId | None = None) -> Plan:
    members = details.members
    own = [members[n] for n in group.members]
    if group.kind in CONTAINING:  # a part cannot stay for the whole: what only the whole has would go
        at, why = 0, "chosen by hand" if keep == group.members[0] else "it contains the others"
    elif keep is not None and keep in group.members:
        at, why = group.members.index(keep), "chosen by hand"
    else:
        at, why = choose([_twin(member) for member in own], request.policy, request.order)
    rest = [member for n, member in enumerate(own) if n != at]
    # A change that the series does not know is not thrown away: it is a person's to say which of the two is right.
    loose = group.kind is Alike.LOOSE and keep != group.members[0]
    goes = () if loose else tuple(member for member in rest if member.writable)
    stays, others = details.whole(own[at]), [details.whole(duplicate) for duplicate in goes]
    if group.kind in CONTAINING:
        joined = join_contained(stays, others, own[at].writable)
    else:
        joined = join_wholes(stays, others, own[at].writable, shifted=group.kind is Alike.SHIFTED)
    after = tuple(member.id for member in (*own[at + 1 :], *own[:at]))
    choices = (group.members[0],) if loose else () if group.kind in CONTAINING else after
    readable = tuple(member for member in rest if not member.writable)
    return Plan(group, tuple(own), own[at], why, goes, readable, details.parts, joined, choices, stays.zones)


def accept(
    store: Store, number: int, request: KeepPolicy, keep: VersionId | None = None, by: By = PERSON
) -> tuple[SetId, str]:
    """Remove what is there twice in a group; returns the batch and its title.

    Raises:
        CannotApply: if the group is no longer as it was, or nothing of it can be removed.
    """
    with store.read() as connection:
        made = plan(connection, number, request, keep)
    if made is None:
        raise CannotApply(GONE)
    if not made.goes:
        raise CannotApply(_NOTHING)
    title = f"Keep one of {counted(len(made.goes) + 1, 'entry', 'entries')}: {_title_of(made.keep)}"
    with propose(store, Kind.DUPLICATES, by, title, "; ".join(made.found.reasons)) as draft:
        _Removing(draft).add([made])
    apply(store, draft.id)
    return draft.id, title


def _title_of(member: GroupMember) -> str:
    summary = Component(member.text).first("SUMMARY")
    return summary.value if summary is not None and summary.value else "(no title)"


@performs(JobKind.DUPLICATES)
def propose_job(context: JobContext) -> dict[str, object]:
    """Propose removing what is there twice in all groups of a kind that are sure enough."""
    parameters = context.params
    kind = Alike(parameters["kind"]) if parameters["kind"] else None
    request = KeepPolicy(tuple(parameters["policy"]), tuple(parameters["order"]))
    store = context.store
    with store.read() as connection:
        _, groups = stored.page(connection, kind, parameters["least"], 0, None)
    with propose(store, Kind.DUPLICATES, context.by, "", nothing=_NOTHING) as draft:
        draft.afterwards(context.conclude_with_set)
        removing = _Removing(draft)
        for at, some in enumerate(chunks(groups, _AT_ONCE)):
            context.progress(at * _AT_ONCE, len(groups), "groups")
            with store.read() as connection:
                details = _details_of(connection, some)
            removing.add([_plan(group, details, request) for group in some])
        number = sum(change.after is None for change in draft.changes)
        draft.title = lambda tally: f"Remove {counted(number, 'duplicate')} from {tally.where}"
        draft.reason = removing.in_words(len(groups))
    return {"set_id": draft.id}


@dataclass(slots=True)
class _Removing:
    """Fills a draft with what becomes of groups, each entry once."""

    draft: Draft
    _gone: set[VersionId] = field(default_factory=set)
    _kept: set[VersionId] = field(default_factory=set)
    _left: int = 0
    _readable: int = 0

    def add(self, plans: Sequence[Plan]) -> None:
        """Short transactions, as many as pieces are added."""
        wanted = [one for one in plans if self._is_clear(one)]
        with self.draft.stage() as writer:
            for made in wanted:
                keep = made.keep
                for duplicate in made.goes:
                    words = f"Duplicate of an entry in {keep.calendar_name}: {made.found.reasons[0]}."
                    for member in (duplicate, *made.parts.get(duplicate.id, ())):
                        self.draft.add(_change(member, None, words))
                for member, text in made.rewritten():
                    version = writer.add_text(member.component, text, made.zones)
                    self.draft.add(_change(member, version, _TAKES_OVER))
                for text in made.joined.fresh:
                    facts = examine(keep.component, text, made.zones)
                    place = keep.calendar, keep.component, facts.uid, facts.recurrence_id
                    self.draft.add(Change(*place, None, writer.add(facts, text), _TAKES_OVER))

    def _is_clear(self, made: Plan) -> bool:
        """Whether nothing of it is decided by a group before; what contains others may contain more of them."""
        self._readable += len(made.stays)
        goes = {duplicate.id for duplicate in made.goes}
        joined = bool(made.rewritten() or made.joined.fresh)
        if not goes:
            return False
        clash = (
            made.keep.id in self._gone or goes & (self._gone | self._kept) or (joined and made.keep.id in self._kept)
        )
        if clash:
            self._left += 1
            return False
        self._gone |= goes
        self._kept.add(made.keep.id)
        return True

    def in_words(self, groups: int) -> str:
        """What it comes to, for the set's reason."""
        notes = [f"{counted(groups, 'group', 'groups')} looked at."]
        if self._readable:
            notes.append(f"{self._readable:,} are read-only and stay.")
        if self._left:
            notes.append(f"{self._left:,} groups share entries with other groups and are not included.")
        return " ".join(notes)


def _change(member: GroupMember, after: VersionId | None, reason: str) -> Change:
    return Change(member.calendar, member.component, member.uid, member.recurrence_id, member.id, after, reason)
