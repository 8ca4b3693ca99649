"""Whether a database is whole, and what there is to do where it is not: a backup, or what can still be read of it."""

from __future__ import annotations

import re
import sqlite3
from collections.abc import Callable, Iterator
from contextlib import closing
from pathlib import Path
from typing import Any

from datebridge.core.errors import CannotDo
from datebridge.store.private import make_private, open_private

#: What SQLite calls a file that is not what it should be.
_DAMAGE = frozenset({sqlite3.SQLITE_CORRUPT, sqlite3.SQLITE_NOTADB})
#: What keeps SQLite from looking at a file whatever is in it: opening it says more.
_NOT_ITS_FAULT = re.compile("locked|unable to open|I/O|readonly|full")
_WHAT_TO_DO = (
    "Nothing was changed. Restore a backup with “date-bridge restore BACKUP”, or save the readable entries "
    "to files with “date-bridge rescue FOLDER”."
)


DAMAGED = f"The database is damaged. {_WHAT_TO_DO}"


class CannotOpen(CannotDo):
    """The data cannot be opened; the message says in a sentence why, and what to do."""

    code, title = "cannot-open", "The data cannot be opened"


def damaged(path: Path, words: str) -> CannotOpen:
    """What is said of a database that is not whole."""
    return CannotOpen(f"{path} is damaged ({words}). {_WHAT_TO_DO}")


def is_damage(error: BaseException | None) -> bool:
    """Whether something failed because the database is not whole."""
    while error is not None:
        if isinstance(error, sqlite3.Error) and getattr(error, "sqlite_errorcode", 0) & 0xFF in _DAMAGE:
            return True
        error = getattr(error, "orig", None) or error.__cause__ or error.__context__
    return False


def reading(path: Path) -> sqlite3.Connection:
    """A connection by which nothing can be written, not even what a killed process has left to be done."""
    return sqlite3.connect(f"{path.absolute().as_uri()}?mode=ro", uri=True, timeout=60)


def demand_whole(path: Path, thoroughly: bool = False) -> None:
    """Look through every page of a database, without touching it; nothing is looked at where there is none.

    Args:
        thoroughly: also whether its indexes say what its tables say, which takes longer.

    Raises:
        CannotOpen: if it is damaged.
    """
    if not path.is_file():
        return
    if not path.stat().st_size:
        raise CannotOpen(f"{path} is empty: its data is lost. {_WHAT_TO_DO} To start again, delete the file.")
    check = "integrity_check(1)" if thoroughly else "quick_check(1)"
    try:
        with closing(reading(path)) as connection:
            answer = str(connection.execute(f"PRAGMA {check}").fetchone()[0])
    except sqlite3.OperationalError as error:
        if not _NOT_ITS_FAULT.search(str(error)):
            raise damaged(path, str(error)) from error
    except (sqlite3.DatabaseError, UnicodeDecodeError, TypeError) as error:
        raise damaged(path, str(error)) from error
    else:
        if answer == "ok":
            return
        raise damaged(path, " ".join(answer.split())[:200])


def back_up(path: Path, to: Path) -> None:
    """Write a copy of a database, as it is at one moment, also while it is in use.

    Raises:
        CannotDo: if there is a file already.
    """
    if to.exists():
        raise CannotDo(f"{to} exists already. Choose another name.")
    with open_private(to):
        pass
    try:
        with closing(reading(path)) as source, closing(sqlite3.connect(to)) as target:
            source.backup(target)
            target.execute("PRAGMA journal_mode=DELETE")
        demand_whole(to)
    except BaseException:
        to.unlink(missing_ok=True)
        raise


def put_back(backup: Path, path: Path) -> Path | None:
    """Put a backup in the place of a database; returns where that one is now, None where there was none.

    Raises:
        CannotOpen: if the backup is damaged itself, or no database.
    """
    if not backup.is_file():
        raise CannotOpen(f"There is no file {backup}.")
    demand_whole(backup)
    with closing(reading(backup)) as connection:
        if connection.execute("SELECT 1 FROM sqlite_master WHERE name = 'alembic_version'").fetchone() is None:
            raise CannotOpen(f"{backup} is not a database of Date Bridge.")
    make_private(path.parent)
    fresh = path.with_name(path.name + ".restored")
    fresh.unlink(missing_ok=True)
    back_up(backup, fresh)
    number = 1
    while (aside := path.with_name(f"{path.name}.before-{number}")).exists():
        number += 1
    there = path.exists()
    for ending in ("-wal", "-shm", ""):
        beside = path.with_name(path.name + ending)
        if beside.exists():
            beside.rename(aside.with_name(aside.name + ending))
    fresh.rename(path)
    return aside if there else None


def rescue(path: Path, unreadable: Callable[[int], None]) -> Iterator[tuple[str, list[str]]]:
    """What can still be read of a database: calendars by name, each with its components, its own lines first.

    Args:
        unreadable: is told how many entries could not be read.
    """
    with closing(reading(path)) as connection:
        connection.text_factory = lambda data: data.decode("utf-8", "replace")
        names = dict(_each(connection, "calendar", "id, name"))
        rows: dict[int, list[tuple[str, str]]] = {}
        lost = 0
        texts = dict(_each(connection, "version_text", "id, text"))
        for number, calendar, component in _each(connection, "entry", "id, calendar_id, component"):
            if number in texts:
                rows.setdefault(calendar, []).append((component, texts[number]))
            else:
                lost += 1
        unreadable(lost)
    first = {"VCALENDAR": 0, "VTIMEZONE": 1}
    for calendar, entries in sorted(rows.items()):
        entries.sort(key=lambda entry: first.get(entry[0], 2))
        yield str(names.get(calendar) or f"Calendar {calendar}"), [text for _, text in entries]


def _each(connection: sqlite3.Connection, table: str, columns: str) -> Iterator[Any]:
    """The rows of a table, from its start and, where a page cannot be read, from its end."""
    seen: set[object] = set()
    for order in ("ASC", "DESC"):
        try:
            for row in connection.execute(f"SELECT {columns} FROM {table} ORDER BY rowid {order}"):
                first, *_ = row
                if first not in seen:
                    seen.add(first)
                    yield row
        except (sqlite3.DatabaseError, UnicodeDecodeError):
            continue
