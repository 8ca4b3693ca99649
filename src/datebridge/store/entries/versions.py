"""Writing versions, with their texts, search words and findings; and reading their texts."""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy import Connection, select

from datebridge.core.checks import REVISIONS, examine
from datebridge.core.ids import FileId, GroupId, VersionId
from datebridge.core.index.facts import Facts, Mark
from datebridge.core.problems import Problem
from datebridge.core.zones.meaning import NO_ZONES, Zones
from datebridge.store.entries.rows import INDEX_COLUMNS, MARKS, UNLISTED, Row, row_of
from datebridge.store.tables import TEXTS

INDEX = ", ".join(INDEX_COLUMNS)
# Strings, since the bench shows it: a hundred thousand rows as dictionaries take three times as long.
_INSERT = f"INSERT INTO version (id, group_id, file_line, {INDEX}) VALUES (?, ?, ?{', ?' * len(INDEX_COLUMNS)})"
_TEXT = "INSERT INTO version_text (id, text) VALUES (?, ?)"
_WORDS = "INSERT INTO search (rowid, summary, location, words) VALUES (?, ?, ?, ?)"
_PROBLEM = (
    "INSERT INTO problem (version_id, file_id, line, code, message, done, text, uid) VALUES (?, ?, ?, ?, ?, ?, ?, ?)"
)
FINDING = "INSERT INTO finding (version_id, code, revision, line, message, done) VALUES (?, ?, ?, ?, ?, ?)"


def next_version(connection: Connection) -> int:
    """The id the next version gets; none is ever used twice."""
    return int(
        connection.exec_driver_sql(
            "SELECT max(coalesce((SELECT seq FROM sqlite_sequence WHERE name = 'version'), 0),"
            " coalesce((SELECT max(id) FROM version), 0)) + 1"
        ).scalar_one()
    )


class VersionWriter:
    """Adds versions, many at a time."""

    def __init__(self, connection: Connection, group_id: GroupId | None = None, file_id: FileId | None = None) -> None:
        self.connection = connection
        self.group_id = group_id
        self.file_id = file_id
        self._next = next_version(connection)
        self._rows: dict[str, list[tuple[object, ...]]] = {
            statement: [] for statement in (_INSERT, _TEXT, _WORDS, _PROBLEM, FINDING)
        }

    def add(self, facts: Facts, text: str, line: int = 0, problems: Iterable[Problem] = ()) -> VersionId:
        """Queue a version that has been examined (`core.checks.examine`); returns its id.

        Args:
            problems: what only its file shows of it.
        """
        return self.add_row(row_of(facts), text, line, problems)

    def add_text(self, component: str, text: str, zones: Zones = NO_ZONES) -> VersionId:
        """Queue a version made here (a calendar's header, an edited entry); returns its id.

        Args:
            zones: what the calendar defines that it is for.
        """
        return self.add(examine(component, text, zones), text)

    def add_row(self, row: Row, text: str, line: int = 0, problems: Iterable[Problem] = ()) -> VersionId:
        """The same, with the facts as a row."""
        version = VersionId(self._next)
        self._next += 1
        index = row.indexed
        own = list(problems)
        if own or row.problems:
            index = (*index[:MARKS], index[MARKS] | Mark.PROBLEM, *index[MARKS + 1 :])
            for problem in own:
                self.problem(problem, version, row.uid)
            for problem in row.problems:
                self.finding(problem, version)
        self._rows[_INSERT].append((version, self.group_id, line, *index))
        self._rows[_TEXT].append((version, text))
        if row.component not in UNLISTED:
            self._rows[_WORDS].append((version, *row.words))
        return version

    def problem(self, problem: Problem, version: VersionId | None = None, uid: str = "") -> None:
        """Queue what only the file shows."""
        p = problem
        self._rows[_PROBLEM].append((version, self.file_id, p.line, p.code, p.message, p.done, p.text, p.uid or uid))

    def finding(self, problem: Problem, version: VersionId) -> None:
        """Queue what a check says of a version."""
        p = problem
        self._rows[FINDING].append((version, p.code, REVISIONS.get(p.code, 0), p.line, p.message, p.done))

    def flush(self) -> None:
        """Write what is queued."""
        for statement, rows in self._rows.items():
            if rows:
                self.connection.exec_driver_sql(statement, rows)
                rows.clear()


def text_of(connection: Connection, version: VersionId) -> str:
    return str(connection.execute(select(TEXTS.c.text).where(TEXTS.c.id == version)).scalar_one())
