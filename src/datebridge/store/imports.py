"""Files as they come in: listed, their parts, what is here of them already, and what only the file shows of them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, NamedTuple

from sqlalchemy import Connection, and_, case, delete, exists, func, insert, literal, select, tuple_, union_all, update

from datebridge.core.changes import State
from datebridge.core.ids import CalendarId, FileId, GroupId, SetId, VersionId
from datebridge.core.index.summary import Summary
from datebridge.store.jobs import queue_collecting
from datebridge.store.tables import (
    CALENDARS,
    CHANGES,
    ENTRIES,
    FILES,
    FINDINGS,
    GROUPS,
    PROBLEMS,
    SETS,
    TEXTS,
    VERSIONS,
)

_TAKEN = and_(FILES.c.state == "waiting", SETS.c.state == State.APPLIED, SETS.c.undone_by_id.is_(None))
#: The state a person sees: a file is imported once its batch is applied and not undone.
_STATE = case((_TAKEN, "taken"), else_=FILES.c.state)


@dataclass(frozen=True, slots=True)
class ListedFile:
    """A file as it waits, or was decided on."""

    id: FileId
    name: str
    size: int
    encoding: str
    message: str
    created_at: int
    set_id: SetId | None
    path: str
    state: str
    entries: int
    problems: int


@dataclass(frozen=True, slots=True)
class Group:
    """A part of a file that goes to one calendar."""

    id: GroupId
    file_id: FileId
    name: str
    header: str
    summary: dict[str, object]
    file_name: str


@dataclass(frozen=True, slots=True)
class Here:
    """How much of a part of a file is in a calendar already, and how it compares."""

    group_id: GroupId
    calendar_id: CalendarId
    calendar: str
    writable: bool
    identical: int
    newer: int
    older: int
    different: int


@dataclass(frozen=True, slots=True)
class FileProblem:
    """Something wrong with a file or one of its entries, at a line of the file."""

    code: str
    message: str
    done: str
    line: int
    text: str
    uid: str
    version_id: int | None


def listed(connection: Connection, limit: int = 200) -> list[ListedFile]:
    """Files that were brought, those that wait first."""
    files = _files().where(FILES.c.state != "gone").order_by(_STATE == "taken", FILES.c.id.desc()).limit(limit)
    return [ListedFile(*row) for row in connection.execute(files)]


def one(connection: Connection, file: FileId) -> ListedFile | None:
    row = connection.execute(_files().where(FILES.c.id == file)).one_or_none()
    return ListedFile(*row) if row is not None else None


def _files() -> Any:
    entries = func.coalesce(func.sum(func.json_extract(GROUPS.c.summary, "$.entries")), 0)
    counted = select(entries).where(GROUPS.c.file_id == FILES.c.id).correlate(FILES).scalar_subquery()
    own = (
        select(func.count()).select_from(PROBLEMS).where(PROBLEMS.c.file_id == FILES.c.id).correlate(FILES)
    ).scalar_subquery()
    of_entries = (
        select(func.count())
        .select_from(FINDINGS)
        .join(VERSIONS, VERSIONS.c.id == FINDINGS.c.version_id)
        .join(GROUPS, GROUPS.c.id == VERSIONS.c.group_id)
        .where(GROUPS.c.file_id == FILES.c.id)
        .correlate(FILES)
    ).scalar_subquery()
    names = ("id", "name", "size", "encoding", "message", "created_at", "set_id", "path")
    return (
        select(*(FILES.c[name] for name in names), _STATE, counted, own + of_entries)
        .select_from(FILES)
        .outerjoin(SETS, SETS.c.id == FILES.c.set_id)
    )


def count_waiting(connection: Connection) -> int:
    """How many files wait for a decision."""
    joined = FILES.outerjoin(SETS, SETS.c.id == FILES.c.set_id)
    return int(
        connection.execute(select(func.count()).select_from(joined).where(literal("waiting") == _STATE)).scalar_one()
    )


def groups_of(connection: Connection, file: FileId) -> list[Group]:
    """The parts of a file."""
    return [Group(*row) for row in connection.execute(_groups().where(GROUPS.c.file_id == file))]


def group(connection: Connection, number: GroupId) -> Group | None:
    row = connection.execute(_groups().where(GROUPS.c.id == number)).one_or_none()
    return Group(*row) if row is not None else None


def texts_in(connection: Connection, number: GroupId, component: str, most: int) -> list[str]:
    """The first entries of one kind in a part of a file, in its order."""
    query = select(TEXTS.c.text).join(VERSIONS, VERSIONS.c.id == TEXTS.c.id)
    wanted = query.where(VERSIONS.c.group_id == number, VERSIONS.c.component == component)
    return list(connection.execute(wanted.order_by(VERSIONS.c.id).limit(most)).scalars())


def _groups() -> Any:
    own = (GROUPS.c.id, GROUPS.c.file_id, GROUPS.c.name, GROUPS.c.header, GROUPS.c.summary, FILES.c.name)
    return select(*own).join(FILES, FILES.c.id == GROUPS.c.file_id).order_by(GROUPS.c.id)


def is_taken(connection: Connection, file: FileId) -> bool:
    """Whether a file has been imported, or just is."""
    query = (
        select(FILES.c.id)
        .join(SETS, SETS.c.id == FILES.c.set_id)
        .where(FILES.c.id == file, SETS.c.state.in_((State.APPLIED, State.APPLYING)), SETS.c.undone_by_id.is_(None))
    )
    return connection.execute(query).first() is not None


def decide(connection: Connection, files: Iterable[FileId], set_id: SetId) -> list[SetId]:
    """Have a set be the decision about files; returns the ones they had before."""
    wanted = tuple(files)
    had = connection.execute(select(FILES.c.set_id).where(FILES.c.id.in_(wanted), FILES.c.set_id.is_not(None)))
    before = [SetId(number) for number in had.scalars()]
    connection.execute(update(FILES).where(FILES.c.id.in_(wanted)).values(set_id=set_id))
    return before


def compare(connection: Connection, file: FileId) -> list[Here]:
    """What of a file is here already: per part and calendar, how much is identical, newer, older, different."""
    theirs, ours = tuple_(VERSIONS.c.sequence, VERSIONS.c.modified), tuple_(ENTRIES.c.sequence, ENTRIES.c.modified)
    differs = ENTRIES.c.digest != VERSIONS.c.digest

    def many(which: Any) -> Any:
        return func.sum(case((which, 1), else_=0))

    identical = many(~differs).label("identical")
    rows = connection.execute(
        select(
            GROUPS.c.id,
            ENTRIES.c.calendar_id,
            CALENDARS.c.name,
            CALENDARS.c.writable,
            identical,
            many(and_(differs, theirs > ours)),
            many(and_(differs, theirs < ours)),
            many(and_(differs, theirs == ours)),
        )
        .select_from(GROUPS)
        .join(VERSIONS, VERSIONS.c.group_id == GROUPS.c.id)
        .join(
            ENTRIES,
            and_(
                ENTRIES.c.uid == VERSIONS.c.uid,
                ENTRIES.c.recurrence_id == VERSIONS.c.recurrence_id,
                ENTRIES.c.component == VERSIONS.c.component,
                (VERSIONS.c.uid != "") | ~differs,
            ),
        )
        .join(CALENDARS, CALENDARS.c.id == ENTRIES.c.calendar_id)
        .where(GROUPS.c.file_id == file, VERSIONS.c.listed)
        .group_by(GROUPS.c.id, ENTRIES.c.calendar_id)
        .order_by(GROUPS.c.id, identical.desc())
    )
    return [Here(*row) for row in rows]


def _problems(file: FileId) -> Any:
    own = ("code", "message", "done", "line", "text", "uid", "version_id", "id")
    of_file = select(*(PROBLEMS.c[name] for name in own)).where(PROBLEMS.c.file_id == file)
    of_entries = (
        select(
            FINDINGS.c.code,
            FINDINGS.c.message,
            FINDINGS.c.done,
            FINDINGS.c.line,
            literal("").label("text"),
            VERSIONS.c.uid,
            FINDINGS.c.version_id,
            FINDINGS.c.id,
        )
        .join(VERSIONS, VERSIONS.c.id == FINDINGS.c.version_id)
        .join(GROUPS, GROUPS.c.id == VERSIONS.c.group_id)
        .where(GROUPS.c.file_id == file)
    )
    return union_all(of_file, of_entries).subquery()


def problems(connection: Connection, file: FileId, offset: int, limit: int) -> tuple[int, list[FileProblem]]:
    """What is wrong with a file and its entries, in the order of its lines; and how much that is."""
    wanted = _problems(file)
    total = connection.execute(select(func.count()).select_from(wanted)).scalar_one()
    ordered = select(wanted).order_by(wanted.c.line, wanted.c.version_id, wanted.c.id).limit(limit).offset(offset)
    return int(total), [FileProblem(*row[:-1]) for row in connection.execute(ordered)]


def problem_counts(connection: Connection, file: FileId) -> dict[str, int]:
    """How often each thing is wrong with a file."""
    wanted = _problems(file)
    rows = connection.execute(select(wanted.c.code, func.count()).group_by(wanted.c.code))
    return dict(rows.all())


# ---- while a file is read -------------------------------------------------------------------------


def state_of(connection: Connection, file: FileId) -> str | None:
    return connection.execute(select(FILES.c.state).where(FILES.c.id == file)).scalar()


def begin_reading(connection: Connection, file: FileId) -> None:
    """Begin a file again: nothing of it has been read."""
    if groups_of(connection, file):  # a try before this one was broken off
        clear(connection, file)
        queue_collecting(connection)
    connection.execute(update(FILES).where(FILES.c.id == file).values(state="reading"))


def add_group(connection: Connection, file: FileId, name: str) -> GroupId:
    row = insert(GROUPS).values(file_id=file, name=name, header="", summary={})
    return GroupId(connection.execute(row.returning(GROUPS.c.id)).scalar_one())


def end_reading(
    connection: Connection, file: FileId, encoding: str, groups: Iterable[tuple[GroupId, str, Summary]], message: str
) -> None:
    """A file has been read to its end; `message` says why nothing can be done with it, where that is so."""
    for number, header, summary in groups:
        statement = update(GROUPS).where(GROUPS.c.id == number)
        connection.execute(statement.values(header=header, summary=summary.as_dict()))
    state = "refused" if message else "waiting"
    connection.execute(update(FILES).where(FILES.c.id == file).values(state=state, encoding=encoding, message=message))


def clear(connection: Connection, file: FileId) -> None:
    """Let go of what was read of a file that has not been imported; its versions are cleared away later."""
    connection.execute(delete(PROBLEMS).where(PROBLEMS.c.file_id == file))
    connection.execute(delete(GROUPS).where(GROUPS.c.file_id == file))


def forget(connection: Connection, file: FileId) -> None:
    """Turn a file away: nothing of it stays but what the logbook still speaks of."""
    spoken_of = (
        exists()
        .where(GROUPS.c.file_id == file, VERSIONS.c.group_id == GROUPS.c.id)
        .where(CHANGES.c.after_id == VERSIONS.c.id)
    )
    if connection.execute(select(spoken_of)).scalar():
        connection.execute(update(FILES).where(FILES.c.id == file).values(state="gone"))
    else:
        clear(connection, file)
        connection.execute(delete(FILES).where(FILES.c.id == file))
    queue_collecting(connection)


def paths(connection: Connection) -> set[str]:
    """Under which names uploads are kept that somebody knows of."""
    return set(connection.execute(select(FILES.c.path)).scalars())


class Part(NamedTuple):
    """Where an entry waits that is not in force: in which file, and under which UID."""

    file: FileId
    uid: str


def part_of(connection: Connection, version: VersionId) -> Part | None:
    """Where an entry waits; None where it is in force, or nowhere."""
    query = (
        select(GROUPS.c.file_id, VERSIONS.c.uid)
        .join(VERSIONS, VERSIONS.c.group_id == GROUPS.c.id)
        .where(VERSIONS.c.id == version, VERSIONS.c.id.not_in(select(ENTRIES.c.id)))
    )
    row = connection.execute(query).one_or_none()
    return Part(*row) if row is not None else None
