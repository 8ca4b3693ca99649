"""Writing versions, reading their texts, and rebuilding the index from the texts."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from itertools import islice
from typing import Any, TypeVar

from sqlalchemy import Connection

from datebridge.core.index.derive import derive
from datebridge.core.index.facts import Facts, Mark
from datebridge.core.problems import Problem
from datebridge.core.zones.meaning import NO_ZONES, Zones
from datebridge.store.entries.rows import INDEX_COLUMNS, MARKS, UNLISTED, Row, index_row, row_of

#: Raised whenever facts change their meaning: a store with an index from before makes it anew when it is opened.
INDEX_REVISION = 4
INDEX = ", ".join(INDEX_COLUMNS)
#: Problems that come and go with the definitions that stand beside an entry.
BY_ZONE = frozenset({"unresolved-zone", "zone-contradiction", "end-before-start"})
_INSERT = f"INSERT INTO version (id, group_id, file_line, {INDEX}) VALUES (?, ?, ?{', ?' * len(INDEX_COLUMNS)})"
_UPDATE = "UPDATE version SET " + ", ".join(f"{c} = ?" for c in INDEX_COLUMNS) + " WHERE id = ?"
_PROBLEM = (
    "INSERT INTO problem (version_id, incoming_id, line, severity, code, message, done, text, uid)"
    " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)"
)
Item = TypeVar("Item")
#: How many ids one statement is given.
ID_CHUNK = 500


class VersionWriter:
    """Adds versions with their texts, search words and problems, many at a time."""

    def __init__(self, connection: Connection, group_id: int | None = None, incoming_id: int | None = None) -> None:
        self.connection = connection
        self.group_id = group_id
        self.incoming_id = incoming_id
        self._next = int(
            connection.exec_driver_sql(
                "SELECT max(coalesce((SELECT seq FROM sqlite_sequence WHERE name = 'version'), 0),"
                " coalesce((SELECT max(id) FROM version), 0)) + 1"
            ).scalar_one()
        )
        self._versions: list[tuple[Any, ...]] = []
        self._texts: list[tuple[int, str]] = []
        self._words: list[tuple[int, str, str, str]] = []
        self._problems: list[tuple[Any, ...]] = []

    def add(self, facts: Facts, text: str, line: int = 0, problems: Iterable[Problem] = ()) -> int:
        """Queue a version; returns its id. `problems` are those the text alone does not tell."""
        return self.add_row(row_of(facts), text, line, problems)

    def add_row(self, row: Row, text: str, line: int = 0, problems: Iterable[Problem] = ()) -> int:
        """The same, with the facts as a row."""
        version = self._next
        self._next += 1
        index = row.indexed
        found = [*problems, *row.problems]
        if found:
            index = (*index[:MARKS], index[MARKS] | Mark.PROBLEM, *index[MARKS + 1 :])
            for p in found:
                self.problem(p, version, row.uid)
        self._versions.append((version, self.group_id, line, *index))
        self._texts.append((version, text))
        if row.component not in UNLISTED:
            self._words.append((version, *row.words))
        return version

    def problem(self, problem: Problem, version: int | None = None, uid: str = "") -> None:
        self._problems.append(
            (version, self.incoming_id, problem.line, problem.severity, problem.code, problem.message,
             problem.done, problem.text, problem.uid or uid)
        )  # fmt: skip

    def flush(self) -> None:
        run = self.connection.exec_driver_sql
        for statement, rows in (
            (_INSERT, self._versions),
            ("INSERT INTO version_text (id, text) VALUES (?, ?)", self._texts),
            ("INSERT INTO search (rowid, summary, location, words) VALUES (?, ?, ?, ?)", self._words),
            (_PROBLEM, self._problems),
        ):
            if rows:
                run(statement, rows)
        self._versions, self._texts, self._words, self._problems = [], [], [], []


class Reindexing:
    """Index rows and problems of versions made anew, many at a time; those the text alone does not tell are kept."""

    def __init__(self, connection: Connection) -> None:
        self.connection = connection
        self._rows: list[tuple[int, Facts, tuple[Any, ...], int | None]] = []

    def add(self, version: int, facts: Facts, before: tuple[Any, ...], incoming: int | None = None) -> None:
        """Note what a version's facts are now; `before` is its index row as stored.

        Args:
            incoming: the file it is read from, so that the lines of its problems are those of the file.
        """
        self._rows.append((version, facts, before, incoming))

    def flush(self) -> list[int]:
        """Write what differs; returns the versions."""
        run = self.connection.exec_driver_sql
        kept: dict[int, set[str]] = {}
        for chunk in chunks([row[0] for row in self._rows]):
            for version, code in run(
                f"SELECT version_id, code FROM problem WHERE version_id IN ({bound(len(chunk))})", tuple(chunk)
            ):
                kept.setdefault(version, set()).add(code)
        updates, gone, problems = [], [], []
        for version, facts, before, incoming in self._rows:
            had, has = kept.get(version, set()), {p.code for p in facts.problems}
            if (had | has) & BY_ZONE and had & BY_ZONE != has & BY_ZONE:
                gone.append(version)
                problems += [
                    (version, incoming, p.line if incoming else 0, p.severity, p.code, p.message, p.done, p.text,
                     p.uid or facts.uid)
                    for p in facts.problems if p.code in BY_ZONE
                ]  # fmt: skip
                had = (had - BY_ZONE) | has
            if had:
                facts.marks |= Mark.PROBLEM
            row = index_row(facts)
            if row != before:
                updates.append((*row, version))
        for chunk in chunks(gone):
            codes = ", ".join(f"'{code}'" for code in sorted(BY_ZONE))
            run(f"DELETE FROM problem WHERE code IN ({codes}) AND version_id IN ({bound(len(chunk))})", tuple(chunk))
        for statement, values in ((_PROBLEM, problems), (_UPDATE, updates)):
            if values:
                run(statement, values)
        self._rows = []
        return [row[-1] for row in updates]


class _Definitions:
    """The definitions that stand beside versions: those of their calendar, or of their file."""

    def __init__(self, connection: Connection) -> None:
        run = connection.exec_driver_sql
        found: dict[tuple[str, int], Zones] = {}
        for place, owner, uid, text in run(
            "SELECT 'calendar', e.calendar_id, e.uid, t.text FROM entry e JOIN version_text t ON t.id = e.id"
            " WHERE e.component = 'VTIMEZONE' UNION ALL SELECT 'group', v.group_id, v.uid, t.text FROM version v"
            " JOIN version_text t ON t.id = v.id WHERE v.component = 'VTIMEZONE' AND v.group_id IS NOT NULL"
        ):
            found.setdefault((place, owner), Zones()).add(uid, text)
        self._found = found
        self._owners: dict[int, tuple[str, int]] = {}
        if found:
            for version, group in run("SELECT id, group_id FROM version WHERE group_id IS NOT NULL"):
                self._owners[version] = ("group", group)
            for table in ("SELECT after_id, calendar_id FROM change WHERE after_id IS NOT NULL",
                          "SELECT id, calendar_id FROM entry"):  # fmt: skip
                for version, calendar in run(table):
                    self._owners[version] = ("calendar", calendar)

    def beside(self, version: int) -> Zones:
        owner = self._owners.get(version)
        return self._found.get(owner, NO_ZONES) if owner else NO_ZONES


def mark_problems(connection: Connection, versions: Sequence[int]) -> int:
    """Mark versions as having a problem; returns how many had none before."""
    return sum(
        connection.exec_driver_sql(
            f"UPDATE version SET marks = marks | {Mark.PROBLEM} WHERE (marks & {Mark.PROBLEM}) = 0"
            f" AND id IN ({bound(len(chunk))})",
            tuple(chunk),
        ).rowcount
        for chunk in chunks(versions)
    )


def add_text(connection: Connection, component: str, text: str, zones: Zones = NO_ZONES) -> int:
    """Store one version made here (a calendar's header, an edited entry); returns its id.

    Args:
        zones: what the calendar defines that it is for.
    """
    writer = VersionWriter(connection)
    version = writer.add(derive(component, text, zones), text)
    writer.flush()
    return version


def text_of(connection: Connection, version: int) -> str:
    return str(connection.exec_driver_sql("SELECT text FROM version_text WHERE id = ?", (version,)).scalar_one())


def chunks(ids: Iterable[Item], size: int = ID_CHUNK) -> Iterator[Sequence[Item]]:
    iterator = iter(ids)
    while chunk := list(islice(iterator, size)):
        yield chunk


def bound(count: int) -> str:
    """Placeholders for `count` bound values."""
    return ", ".join("?" * count)


def bring_up_to_date(connection: Connection) -> None:
    """Make the index anew if an older version of the application made it."""
    run = connection.exec_driver_sql
    if run("SELECT index_revision FROM meta").scalar_one() < INDEX_REVISION:
        if run("SELECT 1 FROM version LIMIT 1").first():
            reindex(connection)
        else:
            run("UPDATE meta SET index_revision = ?", (INDEX_REVISION,))


def reindex(connection: Connection, progress: Any = None) -> int:
    """Make every index column anew from the texts. Returns how many entries and versions had another index."""
    run = connection.exec_driver_sql
    total = int(run("SELECT count(*) FROM version").scalar_one())
    run("INSERT INTO search (search) VALUES ('delete-all')")
    known = _Definitions(connection)
    changed: set[int] = set()
    done = last = 0
    while rows := run(
        f"SELECT v.id, t.text, {', '.join('v.' + c for c in INDEX_COLUMNS)} FROM version v"
        " JOIN version_text t ON t.id = v.id WHERE v.id > ? ORDER BY v.id LIMIT 2000",
        (last,),
    ).fetchall():
        reindexing = Reindexing(connection)
        words = []
        for version, text, component, *index in rows:
            facts = derive(component, text, known.beside(version))
            reindexing.add(version, facts, (component, *index))
            if component not in UNLISTED:
                words.append((version, facts.summary, facts.location, facts.words))
        changed.update(reindexing.flush())
        if words:
            run("INSERT INTO search (rowid, summary, location, words) VALUES (?, ?, ?, ?)", words)
        last = rows[-1][0]
        done += len(rows)
        if progress is not None:
            progress(done, total)
    of = {side: ", ".join(f"{side}.{c}" for c in INDEX_COLUMNS) for side in "ev"}
    differing = f"FROM entry e JOIN version v ON v.id = e.id WHERE ({of['e']}) IS NOT ({of['v']})"
    changed.update(row[0] for row in run(f"SELECT e.id {differing}"))
    run(f"INSERT OR REPLACE INTO entry (id, calendar_id, {INDEX}) SELECT e.id, e.calendar_id, {of['v']} {differing}")
    run("UPDATE meta SET revision = revision + 1, index_revision = ?", (INDEX_REVISION,))
    run("UPDATE calendar SET revision = (SELECT revision FROM meta)")
    return len(changed)
