"""Making change sets: the only code that writes one.

    with propose(store, Kind.DELETE, PERSON, lambda tally: f"Delete {tally.what} from {tally.where}") as draft:
        draft.delete(ids, "Chosen for deletion.")
    draft.id

Versions are staged piece by piece, each piece a short transaction of its own; the set is written in one, at the end:
counted, named, with what may only be read held back. A set without any change is refused.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from typing import NamedTuple

from sqlalchemy import ColumnElement, Connection, Select, and_, case, delete, func, insert, literal, select, update
from sqlalchemy.exc import DatabaseError

from datebridge.clock import now
from datebridge.core.changes import KINDS, By, Change, Details, Kind, State
from datebridge.core.errors import CannotDo
from datebridge.core.ids import CalendarId, GroupId, SetId, VersionId
from datebridge.core.language.plural import counted
from datebridge.store.database import Store
from datebridge.store.entries.versions import VersionWriter, next_version
from datebridge.store.jobs import queue_collecting
from datebridge.store.sql import among
from datebridge.store.tables import CALENDARS, CHANGES, ENTRIES, SETS, STAGING, VERSIONS

# A string, since the bench shows it: a hundred thousand changes as dictionaries take three times as long.
_CHANGE = (
    "INSERT INTO change (set_id, position, calendar_id, component, uid, recurrence_id, before_id, after_id, reason,"
    " held, source_id) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)"
)
#: The columns of a change, in the order of `Change`.
CHANGE_COLUMNS = [
    CHANGES.c[name]
    for name in (
        "calendar_id",
        "component",
        "uid",
        "recurrence_id",
        "before_id",
        "after_id",
        "reason",
        "held",
        "source_id",
    )
]
#: The version that says what a change is about.
SHOWN = func.coalesce(CHANGES.c.after_id, CHANGES.c.before_id)


class CannotApply(CannotDo):
    """A change set cannot be made, applied or taken back as it is."""

    code, title = "cannot-apply", "These changes cannot be made"


class Tally(NamedTuple):
    """What a set comes to, for its title: the entries it touches, and where."""

    entries: int
    only_events: bool
    calendars: tuple[str, ...]

    @property
    def what(self) -> str:
        """``412 events``"""
        return counted(self.entries, "event") if self.only_events else counted(self.entries, "entry", "entries")

    @property
    def where(self) -> str:
        """``Tide tables``, or ``3 calendars``"""
        return self.calendars[0] if len(self.calendars) == 1 else f"{len(self.calendars)} calendars"


#: Of a set that has not been made yet.
_NONE = SetId(0)
Title = str | Callable[[Tally], str]


class Staging:
    """Keeps the clearing away (`collect`) off versions that are being stored and that no set holds yet."""

    def __init__(self) -> None:
        self._id: int | None = None

    def begin(self, connection: Connection, claim: str) -> None:
        """To be called before the first of them; once is enough."""
        if self._id is None:
            row = insert(STAGING).values(floor=next_version(connection), claim=claim, begun_at=now())
            self._id = int(connection.execute(row.returning(STAGING.c.id)).scalar_one())

    def end(self, connection: Connection) -> None:
        """They are held by a set now."""
        if self._id is not None:
            connection.execute(delete(STAGING).where(STAGING.c.id == self._id))

    def give_up(self, store: Store) -> None:
        """No set will hold them. Where that cannot be noted, the end of the job says so as well."""
        if self._id is not None:
            with suppress(DatabaseError), store.undemanding().write() as connection:
                self.end(connection)
                queue_collecting(connection)


@dataclass(slots=True)
class Draft:
    """A change set in the making.

    Attributes:
        nothing: what is said where there is no change at all; None lets a set without changes be.
        id: of the set, once it has been made.
        changes: what was added so far, one by one; what is deleted or created by the many is not in here.
    """

    place: Store | Connection
    kind: Kind
    by: By
    title: Title
    reason: str = ""
    details: Details = field(default_factory=Details)
    undoes: SetId | None = None
    nothing: str | None = "Nothing would change."
    id: SetId = field(default=_NONE)
    changes: list[Change] = field(default_factory=list)
    _deleted: list[tuple[list[VersionId], str]] = field(default_factory=list)
    _created: list[tuple[CalendarId, GroupId]] = field(default_factory=list)
    _afterwards: list[Callable[[Connection, SetId], None]] = field(default_factory=list)
    _staging: Staging = field(init=False)

    def __post_init__(self) -> None:
        self._staging = Staging()

    def add(self, *changes: Change) -> None:
        self.changes += changes

    def delete(self, entries: Iterable[VersionId], reason: str) -> None:
        """Take entries in force out, in order of time."""
        self._deleted.append((list(entries), reason))

    def create(self, calendar: CalendarId, group: GroupId) -> None:
        """Put every version of a part of a file into a calendar that has none of them."""
        self._created.append((calendar, group))

    def afterwards(self, do: Callable[[Connection, SetId], None]) -> None:
        """Have something done in the very transaction in which the set is made."""
        self._afterwards.append(do)

    @contextmanager
    def stage(self) -> Iterator[VersionWriter]:
        """A short transaction in which versions are stored that the set is going to hold."""
        if isinstance(self.place, Connection):
            writer = VersionWriter(self.place)
            yield writer
            writer.flush()
            return
        with self.place.write() as connection:
            self._staging.begin(connection, self.place.claim)
            writer = VersionWriter(connection)
            yield writer
            writer.flush()

    def close(self, connection: Connection) -> SetId:
        """Write the set.

        Raises:
            CannotApply: if it has no change, or touches only what can only be read.
        """
        run = connection.execute
        made = run(
            insert(SETS)
            .values(
                title="",
                kind=self.kind,
                reason=self.reason,
                state=State.PROPOSED,
                created_at=now(),
                creates=0,
                updates=0,
                deletes=0,
                held=0,
                undoes_id=self.undoes,
                note="",
                details=self.details.as_dict(),
                revision=0,
                by_whom=str(self.by),
            )
            .returning(SETS.c.id)
        ).scalar_one()
        self.id = SetId(made)
        self._write(connection)
        self._hold(connection)
        if self.nothing is not None and not run(select(CHANGES.c.set_id).where(of_set(self.id)).limit(1)).first():
            raise CannotApply(self.nothing)
        self._count(connection)
        title = self.title if isinstance(self.title, str) else self.title(self._tally(connection))
        run(
            update(SETS)
            .where(SETS.c.id == self.id)
            .values(title=title, reason=self.reason, details=self.details.as_dict())
        )
        self._staging.end(connection)
        for do in self._afterwards:
            do(connection, self.id)
        return self.id

    def _demand_one_each(self, connection: Connection) -> None:
        """Leave one change of each entry.

        Raises:
            CannotApply: if two changes make different things of one entry.
        """
        by_half: dict[tuple[VersionId | None, bool], Change] = {}
        kept = []
        for change in self.changes:
            key = change.before, change.held
            if change.before is None or key not in by_half:
                by_half[key] = change
                kept.append(change)
            elif by_half[key].after != change.after and not change.held:
                title = connection.execute(select(VERSIONS.c.summary).where(VERSIONS.c.id == change.before)).scalar()
                raise CannotApply(
                    f"Two of these changes change the same entry, “{title or 'without a title'}”. Apply one "
                    "of them first, then the other."
                )
        self.changes = kept
        gone = {before for before, held in by_half if not held and before is not None}
        fresh: list[tuple[list[VersionId], str]] = []
        for entries, reason in self._deleted:
            fresh.append(([entry for entry in entries if entry not in gone], reason))
            gone.update(entries)
        self._deleted = fresh

    def _write(self, connection: Connection) -> None:
        self._demand_one_each(connection)
        rows = [(self.id, at, *change) for at, change in enumerate(self.changes, 1)]
        if rows:
            connection.exec_driver_sql(_CHANGE, rows)
        shared = [VERSIONS.c.component, VERSIONS.c.uid, VERSIONS.c.recurrence_id]
        for calendar, group in self._created:
            numbered = func.row_number().over(order_by=VERSIONS.c.id)
            self._insert(
                connection,
                CHANGES.c.after_id,
                "",
                numbered,
                literal(calendar),
                select(*shared, VERSIONS.c.id).where(VERSIONS.c.group_id == group),
            )
        for entries, reason in self._deleted:
            own = [ENTRIES.c.component, ENTRIES.c.uid, ENTRIES.c.recurrence_id]
            numbered = func.row_number().over(order_by=(ENTRIES.c.start, ENTRIES.c.id))
            self._insert(
                connection,
                CHANGES.c.before_id,
                reason,
                numbered,
                ENTRIES.c.calendar_id,
                select(*own, ENTRIES.c.id).where(ENTRIES.c.id.in_(among(entries))),
            )

    def _insert(
        self,
        connection: Connection,
        side: ColumnElement[int],
        reason: str,
        numbered: ColumnElement[int],
        calendar: ColumnElement[int],
        chosen: Select[tuple[str, str, str, int]],
    ) -> None:
        last = connection.execute(
            select(func.coalesce(func.max(CHANGES.c.position), 0)).where(of_set(self.id))
        ).scalar_one()
        columns = ["component", "uid", "recurrence_id", side.name]
        columns += ["set_id", "position", "calendar_id", "reason", "held"]
        whole = chosen.add_columns(
            literal(self.id), literal(last) + numbered, calendar, literal(reason), literal(False)
        )
        connection.execute(insert(CHANGES).from_select(columns, whole))

    def _hold(self, connection: Connection) -> None:
        """Leave alone what can only be read; what a calendar is called here is one's own (its header)."""
        if KINDS[self.kind].follows:
            return
        readable = select(CALENDARS.c.id).where(~CALENDARS.c.writable)
        concerned = and_(of_set(self.id), CHANGES.c.calendar_id.in_(readable), CHANGES.c.component != "VCALENDAR")
        held = connection.execute(
            update(CHANGES).where(concerned, ~CHANGES.c.held).values(held=True, reason="Its calendar is read-only.")
        ).rowcount
        left = select(CHANGES.c.set_id).where(of_set(self.id), ~CHANGES.c.held).limit(1)
        if held and not connection.execute(left).first():
            names = connection.execute(
                select(CALENDARS.c.name)
                .distinct()
                .where(CALENDARS.c.id.in_(select(CHANGES.c.calendar_id).where(concerned)))
                .order_by(CALENDARS.c.name)
            ).scalars()
            raise CannotApply(only_readable(names))

    def _count(self, connection: Connection) -> None:
        """Count the changes. Headers and zone definitions are not counted."""

        def many(which: ColumnElement[bool]) -> ColumnElement[int]:
            return func.coalesce(func.sum(case((which, 1), else_=0)), 0)

        before, after, held = CHANGES.c.before_id, CHANGES.c.after_id, CHANGES.c.held
        counts = connection.execute(
            select(
                many(and_(~held, before.is_(None))).label("creates"),
                many(and_(~held, before.is_not(None), after.is_not(None))).label("updates"),
                many(and_(~held, after.is_(None))).label("deletes"),
                many(held).label("held"),
            )
            .join(VERSIONS, VERSIONS.c.id == SHOWN)
            .where(of_set(self.id), VERSIONS.c.listed)
        ).one()
        connection.execute(update(SETS).where(SETS.c.id == self.id).values(counts._mapping))

    def _tally(self, connection: Connection) -> Tally:
        touched = (
            select(
                CALENDARS.c.name,
                func.sum(case((VERSIONS.c.listed, 1), else_=0)).label("entries"),
                func.sum(case((VERSIONS.c.component == "VEVENT", 1), else_=0)).label("events"),
            )
            .select_from(CHANGES)
            .join(CALENDARS, CALENDARS.c.id == CHANGES.c.calendar_id)
            .join(VERSIONS, VERSIONS.c.id == SHOWN)
            .where(of_set(self.id), ~CHANGES.c.held)
            .group_by(CALENDARS.c.id)
            .order_by(CALENDARS.c.name)
        )
        rows = connection.execute(touched).all()
        entries, events = sum(row.entries for row in rows), sum(row.events for row in rows)
        return Tally(entries, entries == events, tuple(row.name for row in rows))


def of_set(set_id: SetId) -> ColumnElement[bool]:
    """The changes of a set."""
    return CHANGES.c.set_id == set_id


def only_readable(names: Iterable[str]) -> str:
    """That nothing in these calendars can be changed, in words."""
    return f"{' and '.join(names)} is read-only. Copy the entries to a writable calendar."


@contextmanager
def propose(
    place: Store | Connection,
    kind: Kind,
    by: By,
    title: Title,
    reason: str = "",
    *,
    details: Details | None = None,
    undoes: SetId | None = None,
    nothing: str | None = "Nothing would change.",
) -> Iterator[Draft]:
    """A change set to be filled; it is made when the block ends well, and nothing of it stays otherwise.

    Args:
        place: the store; or a transaction that has begun, of which the set becomes a part.

    Raises:
        CannotApply: see `Draft.close`.
    """
    draft = Draft(place, kind, by, title, reason, details or Details(), undoes, nothing)
    if isinstance(place, Connection):
        yield draft
        draft.close(place)
        return
    try:
        yield draft
        with place.write() as connection:
            draft.close(connection)
    except BaseException:
        draft._staging.give_up(place)
        raise
