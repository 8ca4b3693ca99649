"""Changes, their inverse, and the one answer to "is this here already, and what follows?".

>>> here = [Item(Identity("VEVENT", "tide"), b"old", key="mine")]
>>> there = [Item(Identity("VEVENT", "tide"), b"new", key="theirs"), Item(Identity("VTODO", "tide"), b"x", key="to-do")]
>>> [(met.verdict.value, met.item.key) for met in reconcile(there, here, Policy.REPLACE) if met.item]
[('change', 'theirs'), ('add', 'to-do')]

Imports, feeds, pulls and transfers all ask `reconcile`, each with a policy of its own. What follows becomes `Change`s
of a set of some `Kind`, and `KINDS` says what a set of each kind may do.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import asdict, dataclass, fields
from enum import StrEnum
from typing import Any, Generic, Literal, NamedTuple, TypeVar

from datebridge.core.ids import CalendarId, SetId, VersionId

Key = TypeVar("Key")
Other = TypeVar("Other")

# ---- whose doing, of what kind, in which state ----------------------------------------------------


class By(NamedTuple):
    """By whom something is changed or decided.

    >>> str(By("person")), str(By("key", "backup")), By.read("key:backup").name
    ('person', 'key:backup', 'backup')
    """

    kind: str
    name: str = ""

    def __str__(self) -> str:
        return f"{self.kind}:{self.name}" if self.name else self.kind

    @classmethod
    def read(cls, text: str) -> By:
        """What `str` made of one."""
        kind, _, name = text.partition(":")
        return cls(kind, name)


#: Whoever sits at the pages; whoever types commands; what happens by itself when its time has come.
PERSON, COMMAND, CLOCK = By("person"), By("command"), By("clock")


class Kind(StrEnum):
    """The kinds of change sets."""

    IMPORT = "import"
    DELETE = "delete"
    ARCHIVE = "archive"
    TRANSFER = "transfer"
    MOVED = "moved"  #: the second half of a move: deleting what has arrived
    CROSSING = "crossing"  #: a lane of a crossing carried, the first time or again
    EDIT = "edit"
    MERGE = "merge"
    DUPLICATES = "duplicates"
    FIX = "fix"  #: putting right what a check has found
    BULK = "bulk"  #: many entries changed alike, by one step or several (`core.bulk`)
    SERIES = "series"  #: series combined, taken apart, split, ended
    RECONCILE = "reconcile"  #: one calendar made as another is that it was compared with
    SHEET = "sheet"  #: a spreadsheet that was exported, edited and brought back
    CALENDAR = "calendar"
    CALENDAR_GONE = "calendar-gone"
    UNDO = "undo"
    SUBSCRIBE = "subscribe"
    PULL = "pull"
    LEAVE = "leave"


@dataclass(frozen=True, slots=True)
class Powers:
    """What a change set of some kind may do, and what may be done with it.

    Attributes:
        follows: it only follows what is elsewhere: it is not pushed back there, and it may touch what can only be
            read.
        undo: whether it is taken back ``at once``, only after it has been ``looked at`` (taking it back changes what
            is elsewhere), or ``never``.
        own: somebody did it here: ``u`` takes the last of these back.
    """

    follows: bool = False
    undo: Literal["at once", "looked at", "never"] = "at once"
    own: bool = True


KINDS: Mapping[Kind, Powers] = {
    Kind.IMPORT: Powers(),
    Kind.DELETE: Powers(),
    Kind.ARCHIVE: Powers(),
    Kind.TRANSFER: Powers(),
    Kind.MOVED: Powers(),
    Kind.CROSSING: Powers(),
    Kind.EDIT: Powers(),
    Kind.MERGE: Powers(),
    Kind.DUPLICATES: Powers(),
    Kind.FIX: Powers(),
    Kind.BULK: Powers(),
    Kind.SERIES: Powers(),
    Kind.RECONCILE: Powers(),
    Kind.SHEET: Powers(),
    Kind.CALENDAR: Powers(),
    Kind.CALENDAR_GONE: Powers(),
    Kind.UNDO: Powers(own=False),
    Kind.SUBSCRIBE: Powers(follows=True, undo="never", own=False),
    Kind.PULL: Powers(follows=True, undo="looked at", own=False),
    Kind.LEAVE: Powers(follows=True, own=False),
}


class State(StrEnum):
    """A proposal waits, is being applied, has been applied (it is a batch then), or was dropped."""

    PROPOSED = "proposed"
    APPLYING = "applying"
    APPLIED = "applied"
    DISCARDED = "discarded"


@dataclass(frozen=True, slots=True)
class Details:
    """What a set remembers besides its changes; which of it is said depends on its kind.

    Attributes:
        files, skipped: imports: the files' names, and how many of their entries were left out.
        archive, archives: archives: the file, or the files, one a calendar.
        entries, read_back: archives: how many entries they hold, and when they were found complete.
        move, moved: transfers that delete at the source; the set that did so, 0 where nothing was to be deleted.
        tell, silent: transfers: attendees may be told; or how many entries have some that are not.
        losses: transfers: what the target is foretold not to keep, a sentence each.
        read_only: what it follows can only be read, so it cannot be taken back here.
    """

    files: tuple[str, ...] = ()
    skipped: int = 0
    archive: str = ""
    archives: tuple[str, ...] = ()
    entries: int = 0
    read_back: int = 0
    move: bool = False
    moved: int | None = None
    losses: tuple[str, ...] = ()
    tell: bool = False
    silent: int = 0
    read_only: bool = False

    def as_dict(self) -> dict[str, object]:
        """What is said, as JSON has it."""
        usual = Details()
        return {name: value for name, value in asdict(self).items() if value != getattr(usual, name)}

    @classmethod
    def read(cls, values: Mapping[str, Any]) -> Details:
        """Read what `as_dict` made of one; what a later version says besides is left."""
        field_names = {field.name for field in fields(cls)}
        given = {name: value for name, value in values.items() if name in field_names}
        for name in ("files", "archives", "losses"):
            if name in given:
                given[name] = tuple(given[name])
        return cls(**given)


# ---- changes -------------------------------------------------------------------------------------


class Identity(NamedTuple):
    """What makes an entry the same in two places: its kind, its UID, and for a changed occurrence which one it is.

    A to-do and an event of one UID are two (RFC 5545 §3.8.4.7 says nothing else of it, and programs make such).
    """

    component: str
    uid: str
    recurrence_id: str = ""


def identity_of(component: str, uid: str, recurrence_id: str, digest: bytes) -> Identity:
    """Without a UID an entry is the same only where its text is."""
    return Identity(component, uid, recurrence_id) if uid else Identity(component, "", digest.hex())


class Change(NamedTuple):
    """One entry of one calendar, before and after, by versions: a creation has no `before`, a deletion no `after`.

    Attributes:
        held: it is listed, and not applied.
        source: the version that a copy was made from; of a pull, the one that was sent, where this is how the server
            keeps it.
    """

    calendar: CalendarId
    component: str
    uid: str
    recurrence_id: str
    before: VersionId | None
    after: VersionId | None
    reason: str = ""
    held: bool = False
    source: VersionId | None = None

    @property
    def place(self) -> Place:
        """Where the entry stands."""
        return Place(self.calendar, self.component, self.uid, self.recurrence_id)

    def reversed(self, reason: str) -> Change:
        """The change that takes this one back."""
        return self._replace(before=self.after, after=self.before, reason=reason, held=False, source=None)


class Place(NamedTuple):
    """Where an entry stands: its calendar and its identity there."""

    calendar: CalendarId
    component: str
    uid: str
    recurrence_id: str


def inverse(
    changes: Iterable[Change], in_force: Collection[VersionId], later: Mapping[Place, VersionId], force: bool = False
) -> list[Change]:
    """The changes that take a batch back. What was changed since is held, unless `force`.

    Args:
        in_force: of the versions that the changes are about, those that are in a calendar now.
        later: what a later batch has put in the places of the changes, and is there now.
    """
    made = []
    for change in changes:
        if change.held:
            continue
        since = later.get(change.place) if change.uid else None
        untouched = (
            change.after in in_force if change.after is not None else change.before not in in_force and since is None
        )
        if untouched:
            made.append(change.reversed("Undoes the change."))
        elif since is not None or change.before is not None:
            back = change.reversed("Changed since that batch.")
            made.append(back._replace(before=since, held=not force))
    return made


@dataclass(frozen=True, slots=True)
class ChangeSet:
    """Changes of some kind, by somebody, under a title: a proposal, or a batch.

    Attributes:
        undoes: the set it takes back.
    """

    kind: Kind
    by: By
    title: str
    reason: str = ""
    details: Details = Details()
    changes: tuple[Change, ...] = ()
    undoes: SetId | None = None

    def taken_back(
        self,
        number: SetId,
        by: By,
        in_force: Collection[VersionId],
        later: Mapping[Place, VersionId],
        force: bool = False,
    ) -> ChangeSet:
        """The set that takes this one back, which is known by a number; see `inverse` for the rest.

        >>> first = ChangeSet(Kind.DELETE, PERSON, "Delete 2 events")
        >>> undo = first.taken_back(SetId(1), PERSON, (), {})
        >>> undo.title, undo.taken_back(SetId(2), PERSON, (), {}).title
        ('Undo: Delete 2 events', 'Redo: Delete 2 events')
        """
        title = f"Undo: {self.title}"
        if self.kind is Kind.UNDO:
            title = f"Redo: {self.title.removeprefix('Undo: ').removeprefix('Redo: ')}"
        back = tuple(inverse(self.changes, in_force, later, force))
        return ChangeSet(Kind.UNDO, by, title, f"Undo batch {number}.", Details(), back, number)


# ---- is it here already? -------------------------------------------------------------------------


class Item(NamedTuple, Generic[Key]):
    """An entry, as far as recognising it needs it; `key` is what the caller knows it by."""

    identity: Identity
    digest: bytes
    key: Key
    sequence: int = 0
    modified: int = 0

    @property
    def age(self) -> tuple[int, int]:
        """What tells the newer of two states (RFC 5546 §2.1.5)."""
        return self.sequence, self.modified


class Policy(StrEnum):
    """What follows where an entry is here already, and differs."""

    KEEP = "keep"  #: what is here stays
    NEWER = "newer"  #: the newer counts
    REPLACE = "replace"  #: what comes counts
    FOLLOW = "follow"  #: what comes counts, and what does not come any more goes


class Verdict(StrEnum):
    """What follows for one entry: it is new, here already, changed by what comes, kept against it, or taken out."""

    ADD = "add"
    SAME = "same"
    CHANGE = "change"
    KEEP = "keep"
    REMOVE = "remove"


class Met(NamedTuple, Generic[Key, Other]):
    """One entry that comes beside the one that is here; either can be missing."""

    verdict: Verdict
    item: Item[Key] | None
    present: Item[Other] | None

    @property
    def newer(self) -> bool:
        """Whether what comes is newer than what is here."""
        return self.item is not None and self.present is not None and self.item.age > self.present.age


class Reconciler(Generic[Key, Other]):
    """The answer piece by piece, for what comes in a stream: first `same` for each, then `meet` for the rest.

    Each entry that is here answers for one that comes, and one of the same text is never left for another.
    """

    def __init__(self, present: Iterable[Item[Other]], policy: Policy) -> None:
        self.policy = policy
        self.total = 0
        self._here: dict[Identity, list[Item[Other]]] = defaultdict(list)
        self._alike: dict[bytes, list[Identity]] = defaultdict(list)
        for item in present:
            self._here[item.identity].append(item)
            self._alike[item.digest].append(item.identity)
            self.total += 1

    def same(self, digest: bytes) -> Item[Other] | None:
        """What is here with this very text, if that has not answered for another one yet."""
        for identity in self._alike.get(digest, ()):
            there = self._here.get(identity, [])
            for place, item in enumerate(there):
                if item.digest == digest:
                    return there.pop(place)
        return None

    def meet(self, item: Item[Key]) -> Met[Key, Other]:
        """What follows for one that comes."""
        there = self._here.get(item.identity)
        if not there:
            return Met(Verdict.ADD, item, None)
        place = next((at for at, one in enumerate(there) if one.digest == item.digest), 0)
        present = there.pop(place)
        if present.digest == item.digest:
            return Met(Verdict.SAME, item, present)
        takes = self.policy in (Policy.REPLACE, Policy.FOLLOW) or (
            self.policy is Policy.NEWER and item.age > present.age
        )
        return Met(Verdict.CHANGE if takes else Verdict.KEEP, item, present)

    def answered(self, item: Item[Other]) -> None:
        """What is here has answered for one that comes, which was found out otherwise."""
        self._here[item.identity].remove(item)

    def left(self) -> Iterator[Met[Key, Other]]:
        """What is here and did not come: gone, where what comes is followed."""
        if self.policy is Policy.FOLLOW:
            for there in self._here.values():
                for item in there:
                    yield Met(Verdict.REMOVE, None, item)


def reconcile(
    incoming: Iterable[Item[Key]], present: Iterable[Item[Other]], policy: Policy
) -> Iterator[Met[Key, Other]]:
    """What follows for each that comes, in its order, and then for what did not come."""
    reconciler: Reconciler[Key, Other] = Reconciler(present, policy)
    coming = list(incoming)
    same = [reconciler.same(item.digest) for item in coming]
    for item, here in zip(coming, same, strict=True):
        yield Met(Verdict.SAME, item, here) if here is not None else reconciler.meet(item)
    yield from reconciler.left()
