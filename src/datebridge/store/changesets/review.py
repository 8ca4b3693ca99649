"""Looking at change sets: lists, pages of changes, counts and warnings."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from sqlalchemy import ColumnElement, Connection, String, and_, case, cast, exists, func, select, tuple_

from datebridge.core.changes import KINDS, Change, Details, State
from datebridge.core.ids import CalendarId, SetId
from datebridge.core.index.facts import Mark
from datebridge.core.invitations import told
from datebridge.core.language.plural import counted
from datebridge.store.changesets.draft import CHANGE_COLUMNS, SHOWN, of_set
from datebridge.store.entries.ledger import EntryRow, rows_of
from datebridge.store.tables import (
    ACCOUNTS,
    CALENDARS,
    CHANGES,
    ENTRIES,
    PUSHES,
    REMOTES,
    SETS,
    TEXTS,
    VERSIONS,
    ChangeSetRow,
)

#: No more words are looked for at once.
_MOST_WORDS = 20


@dataclass(frozen=True, slots=True)
class ShownChange:
    """A change with the index rows of both sides, and how it fares on its way to a server; "" if it goes to none."""

    position: int
    change: Change
    push: str
    before: EntryRow | None
    after: EntryRow | None


def set_row(connection: Connection, set_id: SetId) -> ChangeSetRow | None:
    """A change set, counted and named."""
    row = connection.execute(select(SETS).where(SETS.c.id == set_id)).one_or_none()
    return ChangeSetRow(**row._mapping) if row is not None else None


@dataclass(frozen=True, slots=True)
class Sought:
    """Which batches of the logbook are looked for: all words in title, reason or who did it; what touched a calendar;
    what was done from one instant to another, `by` whom (the beginning of how that is written)."""

    words: str = ""
    calendar: CalendarId | None = None
    first: int | None = None
    following: int | None = None
    by: str = ""

    def conditions(self, at: ColumnElement[int]) -> list[ColumnElement[bool]]:
        """As conditions over change sets that were done `at` some moment."""
        function = func.lower(SETS.c.title + " " + SETS.c.reason + " " + SETS.c.by_whom)
        columns = [function.contains(word, autoescape=True) for word in self.words.lower().split()[:_MOST_WORDS]]
        if self.calendar is not None:
            columns.append(exists().where(CHANGES.c.set_id == SETS.c.id, CHANGES.c.calendar_id == self.calendar))
        if self.first is not None:
            columns.append(at >= self.first)
        if self.following is not None:
            columns.append(at < self.following)
        if self.by:
            columns.append(SETS.c.by_whom.startswith(self.by, autoescape=True))
        return columns


def list_sets(
    connection: Connection, state: State, offset: int = 0, limit: int = 100, sought: Sought | None = None
) -> tuple[int, list[ChangeSetRow]]:
    """Change sets in a state, newest first, and how many there are."""
    at = func.coalesce(SETS.c.applied_at, SETS.c.created_at)
    where = [SETS.c.state == state, *(sought.conditions(at) if sought is not None else [])]
    total = connection.execute(select(func.count()).select_from(SETS).where(*where)).scalar_one()
    query = select(SETS).where(*where).order_by(at.desc(), SETS.c.id.desc()).limit(limit).offset(offset)
    return int(total), [ChangeSetRow(**row._mapping) for row in connection.execute(query)]


def last_own(connection: Connection) -> ChangeSetRow | None:
    """The batch that somebody did here last, and that has not been taken back."""
    own = [kind for kind, powers in KINDS.items() if powers.own]
    row = connection.execute(
        select(SETS)
        .where(SETS.c.state == State.APPLIED, SETS.c.undone_by_id.is_(None), SETS.c.kind.in_(own))
        .order_by(SETS.c.revision.desc())
        .limit(1)
    ).one_or_none()
    return ChangeSetRow(**row._mapping) if row is not None else None


def count_by_state(connection: Connection) -> dict[str, int]:
    """How many sets there are in each state."""
    rows = connection.execute(select(SETS.c.state, func.count()).group_by(SETS.c.state))
    return dict(rows.all())


def changes_page(connection: Connection, set_id: SetId, offset: int, limit: int) -> tuple[int, list[ShownChange]]:
    """Changes of a set with the index rows of both sides; headers and zone definitions are left out."""
    listed = and_(of_set(set_id), VERSIONS.c.listed)
    joined = CHANGES.join(VERSIONS, VERSIONS.c.id == SHOWN)
    total = int(connection.execute(select(func.count()).select_from(joined).where(listed)).scalar_one())
    push = (
        select(PUSHES.c.state)
        .join(REMOTES, REMOTES.c.id == PUSHES.c.remote_id)
        .where(
            PUSHES.c.set_id == CHANGES.c.set_id,
            PUSHES.c.kind == "entry",
            PUSHES.c.uid == CHANGES.c.uid,
            REMOTES.c.calendar_id == CHANGES.c.calendar_id,
        )
        .limit(1)
        .correlate(CHANGES)
        .scalar_subquery()
    )
    rows = connection.execute(
        select(CHANGES.c.position, push.label("push"), *CHANGE_COLUMNS)
        .select_from(joined)
        .where(listed)
        .order_by(CHANGES.c.position)
        .limit(limit)
        .offset(offset)
    ).all()
    ids = {i for row in rows for i in (row.before_id, row.after_id) if i is not None}
    entries = {row.id: row for row in rows_of(connection, sorted(ids), VERSIONS)}
    return total, [
        ShownChange(
            row.position, Change(*row[2:]), row.push or "", entries.get(row.before_id), entries.get(row.after_id)
        )
        for row in rows
    ]


def breakdown(connection: Connection, set_id: SetId) -> dict[str, list[tuple[str, int]]]:
    """A set counted by calendar, year and kind of entry."""
    subject = VERSIONS.c.id == func.coalesce(CHANGES.c.before_id, CHANGES.c.after_id)
    base = (
        CHANGES.join(VERSIONS, subject).outerjoin(CALENDARS, CALENDARS.c.id == CHANGES.c.calendar_id),
        and_(of_set(set_id), VERSIONS.c.listed, ~CHANGES.c.held),
    )
    kind = case(
        (VERSIONS.c.component == "VTODO", "to-dos"),
        (VERSIONS.c.component == "VJOURNAL", "journal entries"),
        (VERSIONS.c.component != "VEVENT", "others"),
        (_marked(Mark.OVERRIDE), "changed occurrences"),
        (_marked(Mark.SERIES), "whole series"),
        else_="single events",
    )
    many = func.count()
    result = {}
    for name, label, order in (
        ("calendar", CALENDARS.c.name, many.desc()),
        ("year", func.coalesce(cast(VERSIONS.c.year, String), "no date"), None),
        ("kind", kind, many.desc()),
    ):
        query = select(label.label("label"), many.label("many")).select_from(base[0]).where(base[1]).group_by("label")
        rows = connection.execute(query.order_by("label") if order is None else query.order_by(order)).all()
        result[name] = [(str(row.label), int(row.many)) for row in rows]
    return result


def _marked(mark: int) -> ColumnElement[bool]:
    return VERSIONS.c.marks.op("&")(mark) != 0


def warnings(connection: Connection, set_id: SetId) -> list[str]:
    """What a person should know before applying: series that go whole, overrides that stay or go alone."""
    gone = and_(of_set(set_id), CHANGES.c.after_id.is_(None), ~CHANGES.c.held)
    going = select(CHANGES.c.before_id).where(of_set(set_id), CHANGES.c.before_id.is_not(None))

    def many(*where: ColumnElement[bool]) -> int:
        joined = CHANGES.join(VERSIONS, VERSIONS.c.id == CHANGES.c.before_id)
        return int(connection.execute(select(func.count()).select_from(joined).where(gone, *where)).scalar_one())

    master = ENTRIES.alias("master")
    series = many(_marked(Mark.SERIES))
    endless = many(_marked(Mark.ENDLESS))
    lone = many(
        _marked(Mark.OVERRIDE),
        exists().where(
            master.c.uid == VERSIONS.c.uid,
            master.c.recurrence_id == "",
            master.c.id.not_in(going),
            master.c.calendar_id == CHANGES.c.calendar_id,
        ),
    )
    masters = select(CHANGES.c.calendar_id, CHANGES.c.uid).where(
        gone, CHANGES.c.recurrence_id == "", CHANGES.c.uid != ""
    )
    left = connection.execute(
        select(func.count())
        .select_from(ENTRIES)
        .where(
            ENTRIES.c.marks.op("&")(Mark.OVERRIDE) != 0,
            ENTRIES.c.id.not_in(going),
            tuple_(ENTRIES.c.calendar_id, ENTRIES.c.uid).in_(masters),
        )
    ).scalar_one()
    sentences = []
    if series:
        extra = f"; {counted(endless, 'has', 'have')} no end date" if endless else ""
        sentences.append(f"Deletes {counted(series, 'series', 'series')} with all their occurrences{extra}.")
    if lone:
        sentences.append(
            f"Deletes {counted(lone, 'changed occurrence', 'changed occurrences')} of series that stay: "
            "those dates show the unchanged occurrence again."
        )
    if left:
        sentences.append(f"Leaves {counted(left, 'changed occurrence', 'changed occurrences')} without a series.")
    row = set_row(connection, set_id)
    details = Details.read(row.details) if row is not None else Details()
    return [*sentences, *_about_attendees(connection, set_id, details), *details.losses]


def _about_attendees(connection: Connection, set_id: SetId, details: Details) -> list[str]:
    """Who is told, and by whom: a server tells the attendees of meetings its user organises (RFC 6638 §3.2.1).

    What is created there is written so that nobody is told, unless the set says otherwise (`services.sync.push`).
    """
    silent = 0
    entries: Counter[str] = Counter()
    people: Counter[str] = Counter()
    invited = (
        select(TEXTS.c.text, CHANGES.c.before_id, ACCOUNTS.c.schedules, ACCOUNTS.c.addresses, ACCOUNTS.c.name)
        .select_from(CHANGES)
        .join(VERSIONS, VERSIONS.c.id == func.coalesce(CHANGES.c.before_id, CHANGES.c.after_id))
        .join(TEXTS, TEXTS.c.id == VERSIONS.c.id)
        .outerjoin(REMOTES, REMOTES.c.calendar_id == CHANGES.c.calendar_id)
        .outerjoin(ACCOUNTS, ACCOUNTS.c.id == REMOTES.c.account_id)
        .where(of_set(set_id), ~CHANGES.c.held, VERSIONS.c.attendees > 0)
    )
    for one in connection.execute(invited):
        speaks = one.schedules and (one.before_id is not None or details.tell)
        number = told(one.text, one.addresses) if speaks else 0
        silent += not number
        entries[one.name] += bool(number)
        people[one.name] += number
    sentences = [
        f"{name} notifies {counted(people[name], 'attendee')} of {counted(number, 'meeting')}."
        for name, number in (+entries).items()
    ]
    if silent and not details.silent:  # else the set's own reason says so (`services.transfer`)
        sentences.append(f"The attendees of {counted(silent, 'entry', 'entries')} are not notified.")
    return sentences
