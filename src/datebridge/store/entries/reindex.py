"""The index rebuilt from the texts: of some versions, or of all; with what the checks say of them.

An entry's index depends on its text and on the definitions beside it: those of its calendar, or of its file.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any, NamedTuple

from sqlalchemy import Connection, Row, delete, func, insert, select, union_all, update
from sqlalchemy.dialects.sqlite import insert as replacing

from datebridge.core.checks import CHECKS, REVISIONS, examine
from datebridge.core.ids import FileId, VersionId
from datebridge.core.index.facts import Mark
from datebridge.core.zones.meaning import NO_ZONES, Zones
from datebridge.store.entries.rows import INDEX_COLUMNS, MARKS, UNLISTED, row_of
from datebridge.store.entries.rows import Row as Derived
from datebridge.store.entries.versions import FINDING
from datebridge.store.sql import among
from datebridge.store.tables import (
    CALENDARS,
    CHANGES,
    CHECK_RUNS,
    ENTRIES,
    FINDINGS,
    META,
    PROBLEMS,
    TEXTS,
    VERSIONS,
)
from datebridge.store.zone_rulings import counting, zone_rulings

#: Raised whenever facts change their meaning: a store with an index from before rebuilds it when it is opened.
INDEX_REVISION = 6
_UPDATE = "UPDATE version SET " + ", ".join(f"{c} = ?" for c in INDEX_COLUMNS) + " WHERE id = ?"
_STEP = 2_000
Report = Callable[[int, int], None]


class Stored(NamedTuple):
    """A version as it is stored: its text and its index row."""

    id: VersionId
    component: str
    text: str
    row: tuple[object, ...]


def stored(rows: Iterable[Row[Any]]) -> list[Stored]:
    """Versions read by `select_stored`."""
    return [Stored(row[0], row.component, row.text, tuple(row[2:])) for row in rows]


def select_stored() -> Any:
    """A query for versions with their texts and index rows."""
    columns = [VERSIONS.c[name] for name in INDEX_COLUMNS]
    return select(VERSIONS.c.id, TEXTS.c.text, *columns).join(TEXTS, TEXTS.c.id == VERSIONS.c.id)


def stored_of(connection: Connection, versions: Iterable[VersionId]) -> list[Stored]:
    """Some versions as they are stored."""
    return stored(connection.execute(select_stored().where(VERSIONS.c.id.in_(among(versions)))))


class Reindexing:
    """Index rows and findings of versions rebuilt, many at a time.

    What only a file or a whole calendar tells is kept.
    """

    def __init__(self, connection: Connection) -> None:
        self.connection = connection
        self._rows: list[tuple[Stored, Derived, FileId | None]] = []

    def add(self, before: Stored, row: Derived, file: FileId | None = None) -> None:
        """Note what a version's facts are now, examined, as a row.

        Args:
            file: the file it is read from, so that the lines of its problems are those of the file.
        """
        self._rows.append((before, row, file))

    def flush(self) -> list[VersionId]:
        """Write what differs; returns the versions whose index row does."""
        ids = [before.id for before, _, _ in self._rows]
        had = _findings(self.connection, ids)
        concerned = set(
            self.connection.execute(
                select(PROBLEMS.c.version_id).distinct().where(PROBLEMS.c.version_id.in_(among(ids)))
            ).scalars()
        )
        updates: list[tuple[Any, ...]] = []
        gone: list[VersionId] = []
        fresh: list[tuple[object, ...]] = []
        for before, now, file in self._rows:
            rows = had.get(before.id, {})
            own = {(p.code, p.message) for p in now.problems}
            if own != {key for key in rows if key[0] in CHECKS} or any(
                rows[key].revision != REVISIONS[key[0]] for key in own
            ):
                gone.append(before.id)
                fresh += [
                    (
                        before.id,
                        p.code,
                        REVISIONS[p.code],
                        _line(rows.get((p.code, p.message)), p.line, file),
                        p.message,
                        p.done,
                    )
                    for p in now.problems
                ]
            row = now.indexed
            if own or before.id in concerned or any(code not in CHECKS for code, _ in rows):
                row = (*row[:MARKS], row[MARKS] | Mark.PROBLEM, *row[MARKS + 1 :])
            if row != before.row:
                updates.append((*row, before.id))
        own_checks = FINDINGS.c.code.in_(tuple(CHECKS))
        self.connection.execute(delete(FINDINGS).where(FINDINGS.c.version_id.in_(among(gone)), own_checks))
        for statement, values in ((FINDING, fresh), (_UPDATE, updates)):
            if values:
                self.connection.exec_driver_sql(statement, values)
        self._rows = []
        return [VersionId(row[-1]) for row in updates]


def _line(known: Row[Any] | None, line: int, file: FileId | None) -> int:
    """The line of the file at which something is wrong: as it was noted, or as it is read now."""
    if known is not None and known.line:
        return int(known.line)
    return line if file is not None else 0


def _findings(connection: Connection, ids: Sequence[VersionId]) -> dict[VersionId, dict[tuple[str, str], Row[Any]]]:
    findings: dict[VersionId, dict[tuple[str, str], Row[Any]]] = {}
    for row in connection.execute(select(FINDINGS).where(FINDINGS.c.version_id.in_(among(ids)))):
        findings.setdefault(VersionId(row.version_id), {})[row.code, row.message] = row
    return findings


class Beside:
    """The definitions that are beside versions: those of their calendar, or of their file."""

    def __init__(self, connection: Connection) -> None:
        of_calendars = (
            select(ENTRIES.c.calendar_id.label("owner"), ENTRIES.c.uid, TEXTS.c.text)
            .join(TEXTS, TEXTS.c.id == ENTRIES.c.id)
            .where(ENTRIES.c.component == "VTIMEZONE")
        )
        # Parts of files have their numbers below nought here, so that they are never taken for calendars.
        of_files = (
            select((-VERSIONS.c.group_id).label("owner"), VERSIONS.c.uid, TEXTS.c.text)
            .join(TEXTS, TEXTS.c.id == VERSIONS.c.id)
            .where(VERSIONS.c.component == "VTIMEZONE", VERSIONS.c.group_id.is_not(None))
        )
        self._found: dict[int, Zones] = {}
        rulings = zone_rulings(connection)
        everywhere = counting(rulings, None)
        self._nothing = Zones(rulings=everywhere) if everywhere else NO_ZONES
        for calendar in {ruling.calendar for ruling in rulings if ruling.calendar is not None}:
            self._found[calendar] = Zones(rulings=counting(rulings, calendar))
        for row in connection.execute(union_all(of_calendars, of_files)):
            self._found.setdefault(row.owner, Zones(rulings=everywhere)).add(row.uid, row.text)
        self._owners: dict[VersionId, int] = {}
        if self._found:
            for owners in (
                select(VERSIONS.c.id, -VERSIONS.c.group_id).where(VERSIONS.c.group_id.is_not(None)),
                select(CHANGES.c.after_id, CHANGES.c.calendar_id).where(CHANGES.c.after_id.is_not(None)),
                select(ENTRIES.c.id, ENTRIES.c.calendar_id),
            ):
                self._owners.update(connection.execute(owners).all())

    def of(self, version: VersionId) -> Zones:
        owner = self._owners.get(version)
        return self._found.get(owner, self._nothing) if owner is not None else self._nothing


def copy_index(connection: Connection, entries: Sequence[VersionId]) -> None:
    """Have entries in force say what their versions say."""
    columns = ["id", "calendar_id", *INDEX_COLUMNS]
    query = (
        select(VERSIONS.c.id, ENTRIES.c.calendar_id, *(VERSIONS.c[name] for name in INDEX_COLUMNS))
        .join(ENTRIES, ENTRIES.c.id == VERSIONS.c.id)
        .where(VERSIONS.c.id.in_(among(entries)))
    )
    connection.execute(replacing(ENTRIES).prefix_with("OR REPLACE").from_select(columns, query))


def bring_up_to_date(connection: Connection) -> None:
    """Rebuild the index if an older version of the application made it; and note the checks of an empty store."""
    if connection.execute(select(VERSIONS.c.id).limit(1)).first() is None:
        connection.execute(update(META).values(index_revision=INDEX_REVISION))
        note_checked(connection)
    elif connection.execute(select(META.c.index_revision)).scalar_one() < INDEX_REVISION:
        reindex(connection)


def note_checked(connection: Connection) -> None:
    """All that is stored has been looked at by every check as it is now."""
    connection.execute(delete(CHECK_RUNS))
    connection.execute(insert(CHECK_RUNS), [{"code": c, "revision": r} for c, r in REVISIONS.items()])


def reindex(connection: Connection, progress: Report | None = None) -> int:
    """Rebuild every index column and finding from the texts. Returns how many had another index."""
    total = int(connection.execute(select(func.count()).select_from(VERSIONS)).scalar_one())
    connection.exec_driver_sql("INSERT INTO search (search) VALUES ('delete-all')")
    beside = Beside(connection)
    changed: set[VersionId] = set()
    done, last = 0, VersionId(0)
    while rows := connection.execute(
        select_stored().where(VERSIONS.c.id > last).order_by(VERSIONS.c.id).limit(_STEP)
    ).all():
        changed.update(examine_again(connection, stored(rows), beside, words=True))
        last, done = VersionId(rows[-1].id), done + len(rows)
        if progress is not None:
            progress(done, total)
    own, entry = ([table.c[name] for name in INDEX_COLUMNS] for table in (VERSIONS, ENTRIES))
    joined = ENTRIES.join(VERSIONS, VERSIONS.c.id == ENTRIES.c.id)
    differs = select(ENTRIES.c.id).select_from(joined).where(_differing(own, entry))
    differing = connection.execute(differs).scalars().all()
    copy_index(connection, differing)
    changed.update(differing)
    connection.execute(update(META).values(revision=META.c.revision + 1, index_revision=INDEX_REVISION))
    connection.execute(update(CALENDARS).values(revision=select(META.c.revision).scalar_subquery(), checked=-1))
    note_checked(connection)
    return len(changed)


def _differing(own: Sequence[Any], entry: Sequence[object]) -> Any:
    differs = own[0].is_distinct_from(entry[0])
    for left, right in zip(own[1:], entry[1:], strict=True):
        differs = differs | left.is_distinct_from(right)
    return differs


def examine_again(
    connection: Connection, rows: Sequence[Stored], beside: Beside, words: bool = False
) -> list[VersionId]:
    """Rebuild the index and the findings of some versions; returns those whose index row differs.

    Args:
        words: put them into the index of words, too, from which everything was taken out.
    """
    reindexing = Reindexing(connection)
    searched = []
    for row in rows:
        facts = examine(row.component, row.text, beside.of(row.id))
        reindexing.add(row, row_of(facts))
        if words and row.component not in UNLISTED:
            searched.append((row.id, facts.summary, facts.location, facts.words))
    if searched:
        connection.exec_driver_sql("INSERT INTO search (rowid, summary, location, words) VALUES (?, ?, ?, ?)", searched)
    return reindexing.flush()
