"""Which entries are the same meeting: what matching found, as an index beside the entries, and what was ruled of it."""

from __future__ import annotations

import json
from collections.abc import Callable, Collection, Iterable, Sequence
from dataclasses import dataclass
from itertools import combinations

from sqlalchemy import Connection, Select, delete, func, or_, select, update

from datebridge.core.changes import By
from datebridge.core.ids import CalendarId, JobId, VersionId
from datebridge.core.job_kinds import JobKind
from datebridge.core.matching import CONTAINING, Alike, Group, Item, find, joined_items
from datebridge.store.changesets.draft import CannotApply
from datebridge.store.database import Store
from datebridge.store.entries.matching import items_where
from datebridge.store.entries.occurrences import clocks_of
from datebridge.store.entries.present import texts_of
from datebridge.store.entries.rendering import echoes
from datebridge.store.jobs import queue_once
from datebridge.store.rulings import revoke, rule, standing
from datebridge.store.sql import among, revision_now
from datebridge.store.tables import (
    ACCOUNTS,
    CALENDARS,
    DUPLICATE_MEMBERS,
    DUPLICATES,
    ENTRIES,
    JOBS,
    META,
    REMOTES,
    TEXTS,
)

#: A ruling that two entries are not the same; its subject is both, by where they stand and what they are.
APART = "apart"
#: How many versions of texts are read at once.
_TEXTS = 5_000
#: A hundred entries are 4,950 pairs.
_MOST_RULED = 5_000


def look(store: Store, pause: Callable[[], None]) -> int:
    """Look for what is the same among all entries, and keep it; returns how many groups there are.

    Args:
        pause: called now and then; raises what ends the look.
    """
    with store.read() as connection:
        revision = revision_now(connection)
        items = items_of(connection)
        feeds = _feeds(connection)
        apart = _apart(connection, items)
        clocks = clocks_of(connection, {item.calendar for item in items})
    pause()

    def read(keys: Collection[VersionId]) -> dict[VersionId, str]:
        texts: dict[VersionId, str] = {}
        wanted = list(keys)
        for at in range(0, len(wanted), _TEXTS):
            with store.read() as connection:
                texts.update(texts_of(connection, wanted[at : at + _TEXTS]))
            pause()
        return texts

    groups = find(items, read, feeds=feeds, clocks=clocks, apart=apart, pause=pause)
    with store.write() as connection:
        keep(connection, groups, revision)
    return len(groups)


def items_of(connection: Connection) -> list[Item[VersionId]]:
    """All events, to-dos and journals in force, with their changed occurrences."""
    left_out = ", ".join(str(int(echo)) for echo in echoes(connection))
    condition = f"component IN ('VEVENT', 'VTODO', 'VJOURNAL') AND calendar_id NOT IN ({left_out})"
    return joined_items(items_where(connection, condition))


def _feeds(connection: Connection) -> set[int]:
    query = select(REMOTES.c.calendar_id).join(ACCOUNTS, ACCOUNTS.c.id == REMOTES.c.account_id)
    return set(connection.execute(query.where(ACCOUNTS.c.kind == "feed", REMOTES.c.calendar_id.is_not(None))).scalars())


def keep(connection: Connection, groups: Iterable[Group[VersionId]], revision: int) -> None:
    """Keep groups in place of those there were, as of a revision of the entries."""
    connection.execute(delete(DUPLICATE_MEMBERS))
    connection.execute(delete(DUPLICATES))
    made = list(enumerate(groups, 1))
    rows = [(n, group.kind.value, group.score, json.dumps(group.reasons)) for n, group in made]
    members = [(n, at, key) for n, group in made for at, key in enumerate(group.members)]
    if rows:
        connection.exec_driver_sql("INSERT INTO duplicate (id, kind, score, reasons) VALUES (?, ?, ?, ?)", rows)
        connection.exec_driver_sql(
            "INSERT INTO duplicate_member (duplicate_id, position, entry_id) VALUES (?, ?, ?)", members
        )
    connection.execute(update(META).values(matched=revision))


def outdated(connection: Connection) -> bool:
    """Whether entries have changed since duplicates were looked for."""
    return bool(connection.execute(select(META.c.matched != META.c.revision)).scalar_one())


def queue_looking(connection: Connection) -> None:
    """Queue looking for duplicates, unless that is queued already."""
    queue_once(connection, JobKind.MATCH, "Looking for duplicates")


def state(connection: Connection) -> tuple[int, bool, JobId | None]:
    """As of which revision duplicates were looked for (-1: never), whether that is past, and the job that looks now."""
    looked, changed = connection.execute(select(META.c.matched, META.c.matched != META.c.revision)).one()
    wanted = select(JOBS.c.id).where(JOBS.c.kind == "match", JOBS.c.state.in_(("queued", "running")))
    number = connection.execute(wanted.order_by(JOBS.c.id.desc()).limit(1)).scalar()
    return int(looked), bool(changed), JobId(number) if number is not None else None


# ---- what was found -------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class DuplicateGroup:
    """A group with those of its members that are still in force."""

    id: int
    kind: Alike
    score: float
    reasons: tuple[str, ...]
    members: tuple[VersionId, ...]


@dataclass(frozen=True, slots=True)
class GroupMember:
    """An entry in force, with its text and what decides whether it stays."""

    id: VersionId
    calendar: CalendarId
    calendar_name: str
    writable: bool
    live: bool
    component: str
    uid: str
    recurrence_id: str
    sequence: int
    modified: int
    text: str


def members_of(connection: Connection, ids: Iterable[VersionId]) -> dict[VersionId, GroupMember]:
    """Entries in force."""
    columns = (ENTRIES.c[name] for name in ("component", "uid", "recurrence_id", "sequence", "modified"))
    live = ENTRIES.c.calendar_id.in_(select(REMOTES.c.calendar_id).where(REMOTES.c.calendar_id.is_not(None)))
    own = (ENTRIES.c.id, ENTRIES.c.calendar_id, CALENDARS.c.name, CALENDARS.c.writable, live)
    rows = connection.execute(
        select(*own, *columns, TEXTS.c.text)
        .join(CALENDARS, CALENDARS.c.id == ENTRIES.c.calendar_id)
        .join(TEXTS, TEXTS.c.id == ENTRIES.c.id)
        .where(ENTRIES.c.id.in_(among(ids)))
    )
    return {VersionId(row.id): GroupMember(*row) for row in rows}


def _in_force() -> Select[tuple[int, int]]:
    """Groups of which two at least are in force, and what contains the others, where one does; with how many are."""
    number = func.count().label("members")
    grouped = (
        select(DUPLICATE_MEMBERS.c.duplicate_id, number)
        .join(ENTRIES, ENTRIES.c.id == DUPLICATE_MEMBERS.c.entry_id)
        .join(DUPLICATES, DUPLICATES.c.id == DUPLICATE_MEMBERS.c.duplicate_id)
        .group_by(DUPLICATE_MEMBERS.c.duplicate_id)
    )
    whole = or_(
        func.min(DUPLICATE_MEMBERS.c.position) == 0, DUPLICATES.c.kind.not_in([pair.value for pair in CONTAINING])
    )
    return grouped.having(number > 1, whole)


def counts(connection: Connection) -> list[tuple[Alike, float, int, int]]:
    """By kind and score, rounded down to a twentieth: how many groups, and how many entries more than one in each."""
    alive = _in_force().subquery()
    step = (func.floor(DUPLICATES.c.score * 20) / 20).label("step")
    query = (
        select(DUPLICATES.c.kind, step, func.count(), func.sum(alive.c.members - 1))
        .join(alive, alive.c.duplicate_id == DUPLICATES.c.id)
        .group_by(DUPLICATES.c.kind, step)
    )
    return [(Alike(kind), float(at), groups, more) for kind, at, groups, more in connection.execute(query)]


def page(
    connection: Connection, kind: Alike | None, least: float, offset: int, limit: int | None
) -> tuple[int, list[DuplicateGroup]]:
    """Groups of a kind, or of all, that are as sure as that; the surest first, in the order of their times."""
    alive = _in_force().subquery()
    wanted = select(DUPLICATES).join(alive, alive.c.duplicate_id == DUPLICATES.c.id).where(DUPLICATES.c.score >= least)
    if kind is not None:
        wanted = wanted.where(DUPLICATES.c.kind == kind.value)
    total = connection.execute(select(func.count()).select_from(wanted.subquery())).scalar_one()
    rows = connection.execute(wanted.order_by(DUPLICATES.c.id).offset(offset).limit(limit)).all()
    members = _members(connection, [row.id for row in rows])
    groups = [DuplicateGroup(r.id, Alike(r.kind), r.score, tuple(r.reasons), members.get(r.id, ())) for r in rows]
    return total, groups


def one(connection: Connection, number: int) -> DuplicateGroup | None:
    """A group; None where it is no longer one (see `page`)."""
    alive = _in_force().where(DUPLICATE_MEMBERS.c.duplicate_id == number).subquery()
    query = select(DUPLICATES).join(alive, alive.c.duplicate_id == DUPLICATES.c.id)
    row = connection.execute(query).one_or_none()
    if row is None:
        return None
    members = _members(connection, [number])[number]
    return DuplicateGroup(row.id, Alike(row.kind), row.score, tuple(row.reasons), members)


def _members(connection: Connection, groups: Sequence[int]) -> dict[int, tuple[VersionId, ...]]:
    members: dict[int, tuple[VersionId, ...]] = {}
    rows = connection.execute(
        select(DUPLICATE_MEMBERS.c.duplicate_id, DUPLICATE_MEMBERS.c.entry_id)
        .join(ENTRIES, ENTRIES.c.id == DUPLICATE_MEMBERS.c.entry_id)
        .where(DUPLICATE_MEMBERS.c.duplicate_id.in_(among(groups)))
        .order_by(DUPLICATE_MEMBERS.c.duplicate_id, DUPLICATE_MEMBERS.c.position)
    )
    for group, entry in rows:
        members[group] = (*members.get(group, ()), VersionId(entry))
    return members


def changed_occurrences(connection: Connection, entries: Iterable[VersionId]) -> dict[VersionId, list[VersionId]]:
    """The changed occurrences of series, which go where their series goes."""
    series = ENTRIES.alias("series")
    query = (
        select(series.c.id, ENTRIES.c.id)
        .join(
            ENTRIES,
            (ENTRIES.c.calendar_id == series.c.calendar_id)
            & (ENTRIES.c.component == series.c.component)
            & (ENTRIES.c.uid == series.c.uid)
            & (ENTRIES.c.recurrence_id != ""),
        )
        .where(series.c.id.in_(among(entries)), series.c.recurrence_id == "", series.c.uid != "")
    )
    result: dict[VersionId, list[VersionId]] = {}
    for master, override in connection.execute(query):
        result.setdefault(VersionId(master), []).append(VersionId(override))
    return result


# ---- rulings --------------------------------------------------------------------------------------


def _identity(calendar: int, component: str, uid: str, recurrence_id: str, digest: bytes) -> str:
    return json.dumps([calendar, component, uid or digest.hex(), recurrence_id])


def rule_apart(connection: Connection, group: DuplicateGroup, by: By) -> int:
    """Remember that each two of a group are not the same, or no part the same as the whole; returns how many rulings.

    Raises:
        CannotApply: if that would be very many.
    """
    columns = (ENTRIES.c[name] for name in ("id", "calendar_id", "component", "uid", "recurrence_id", "digest"))
    rows = connection.execute(select(*columns).where(ENTRIES.c.id.in_(among(group.members))))
    named = {entry: _identity(*identity) for entry, *identity in rows}
    first, *rest = (named[member] for member in group.members)
    pairs = [(first, one) for one in rest] if group.kind in CONTAINING else list(combinations((first, *rest), 2))
    if len(pairs) > _MOST_RULED:
        raise CannotApply(f"{len(group.members):,} entries are too many to be remembered as apart, each from each.")
    for pair in pairs:
        rule(connection, APART, "\n".join(sorted(pair)), "two", by)
    return len(pairs)


def _apart(connection: Connection, items: Sequence[Item[VersionId]]) -> set[frozenset[VersionId]]:
    ruled = [ruling.subject.split("\n") for ruling in standing(connection, APART)]
    if not ruled:
        return set()
    versions = {_identity(i.calendar, i.component, i.uid, i.recurrence_id, i.digest): i.key for i in items}
    return {frozenset((versions[a], versions[b])) for a, b in ruled if a in versions and b in versions}


@dataclass(frozen=True, slots=True)
class Apart:
    """Two entries somebody has said are not the same, by their titles (or UIDs, where they are gone)."""

    ruling: int
    left: str
    right: str
    made_at: int


def ruled_apart(connection: Connection) -> list[Apart]:
    """What was ruled, the newest first."""
    rulings = [
        (ruling, [json.loads(part) for part in ruling.subject.split("\n")]) for ruling in standing(connection, APART)
    ]
    uids = {identity[2] for _, both in rulings for identity in both}
    rows = connection.execute(
        select(ENTRIES.c.calendar_id, ENTRIES.c.uid, ENTRIES.c.summary).where(ENTRIES.c.uid.in_(among(uids)))
    )
    titles = {(calendar, uid): title for calendar, uid, title in rows}

    def title_of(identity: list[str]) -> str:
        return titles.get((int(identity[0]), identity[2])) or identity[2]

    return [Apart(ruling.id, title_of(left), title_of(right), ruling.made_at) for ruling, (left, right) in rulings]


def revoke_apart(connection: Connection, ruling: int) -> None:
    """Have two entries be compared again; they are, when duplicates are looked for the next time."""
    revoke(connection, ruling)
    connection.execute(update(META).values(matched=-1))


def drop(connection: Connection, number: int) -> None:
    """Forget a group; it is found again when duplicates are looked for, unless a ruling says otherwise."""
    connection.execute(delete(DUPLICATE_MEMBERS).where(DUPLICATE_MEMBERS.c.duplicate_id == number))
    connection.execute(delete(DUPLICATES).where(DUPLICATES.c.id == number))
