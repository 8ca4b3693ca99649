"""Opening the database: pragmas, migrations, connections."""

from __future__ import annotations

import errno
import json
import os
import shutil
import sqlite3
import threading
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager, suppress
from copy import copy
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, Engine, create_engine, event
from sqlalchemy.dialects import registry
from sqlalchemy.dialects.sqlite.pysqlite import SQLiteDialect_pysqlite
from sqlalchemy.exc import DatabaseError, OperationalError
from sqlalchemy.util import LRUCache
from sqlmodel import Session

from datebridge.core.invitations import answered
from datebridge.core.recurrence.pattern import happens
from datebridge.core.text.links import links_to
from datebridge.store.entries.reindex import INDEX_REVISION, bring_up_to_date
from datebridge.store.private import make_private, open_private
from datebridge.store.soundness import CannotOpen, damaged, is_damage, reading
from datebridge.store.sql import revision_now

#: SQLite says the first of itself, and the others of the file system: writing, or making room for the shared index.
_NO_ROOM = frozenset({sqlite3.SQLITE_FULL, sqlite3.SQLITE_IOERR_WRITE, sqlite3.SQLITE_IOERR_SHMSIZE})
#: As many are kept open as may ask at once; each has pages of the file ready.
CONNECTIONS = 8
#: How long a writer waits for its turn, in milliseconds.
_PATIENCE = 60_000
#: With less room on the disk than this, in bytes, nothing is begun.
_LEAST_ROOM = 8 << 20
#: With less than this, people are told.
LITTLE_ROOM = 64 << 20
MIGRATIONS = Path(__file__).parent / "migrations"


class Dialect(SQLiteDialect_pysqlite):
    """SQLite, the same for every database: a statement is compiled once a process, not once for each that is opened."""

    supports_statement_cache = True

    def __eq__(self, other: object) -> bool:
        return type(other) is type(self)

    def __hash__(self) -> int:
        return hash(type(self))


registry.register("sqlite.datebridge", __name__, Dialect.__name__)
_COMPILED: LRUCache[Any, Any] = LRUCache(1000)


class Busy(Exception):
    """Somebody else is writing."""


class Store:
    """A database file with its connections. Readers never wait for a writer (WAL)."""

    def __init__(self, path: Path) -> None:
        """Open `path`, creating or migrating it as needed.

        Raises:
            CannotOpen: if that cannot be done; nothing was touched then.
        """
        _start_over(path)
        current = _demand_sound(path)
        self.path = path
        self.claim = ""
        self._demand: Callable[[Connection], None] | None = None
        self.engine = _engine(path)
        try:
            if not current:
                migrate(self.engine)
                with self.write() as connection:
                    bring_up_to_date(connection)
        except DatabaseError as error:
            self.engine.dispose()
            raise _cannot_open(path, error) from error

    @classmethod
    def reading(cls, path: Path) -> Store:
        """A database that is there already, opened so that nothing can be written.

        Raises:
            CannotOpen: if there is none that this version has written.
        """
        if not path.is_file() or not _demand_sound(path):
            raise CannotOpen(f"There is no database of this version at {path}.")
        store = cls.__new__(cls)
        store.path, store.claim, store._demand = path, "", None
        store.engine = _engine(path, writing=False)
        return store

    @contextmanager
    def read(self) -> Iterator[Connection]:
        """A connection that sees one consistent state."""
        with self.engine.connect() as connection:
            connection.exec_driver_sql("BEGIN")
            try:
                yield connection
            finally:
                connection.exec_driver_sql("ROLLBACK")

    @contextmanager
    def write(self, wait: bool = True) -> Iterator[Connection]:
        """A transaction: all of it is kept, or nothing. Writers take turns.

        Raises:
            Busy: if somebody else is writing, and it is not to be waited for.
        """
        with self.engine.connect() as connection:
            _begin(connection, wait)
            try:
                if self._demand is not None:
                    self._demand(connection)
                yield connection
                connection.exec_driver_sql("COMMIT")
            except BaseException:
                driver = connection.connection.driver_connection
                if driver is not None and driver.in_transaction:  # a full disk ends it by itself
                    connection.exec_driver_sql("ROLLBACK")
                raise

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A look at single records (accounts, files, jobs), without waiting for who writes. Nothing is kept of it."""
        with self.read() as connection, Session(bind=connection, expire_on_commit=False, autoflush=False) as session:
            yield session
            if session.new or session.dirty or session.deleted:
                raise RuntimeError("A record was changed in a session that only looks.")

    @contextmanager
    def writing_session(self) -> Iterator[Session]:
        """A unit of work on single records, kept at the end; writers take turns."""
        with self.write() as connection, Session(bind=connection, expire_on_commit=False) as session:
            yield session
            session.flush()

    def demanding(self, demand: Callable[[Connection], None], claim: str) -> Store:
        """The same store for somebody who may write only on a condition: asked in every transaction, it may raise.

        Args:
            claim: by which its doings are known.
        """
        other = copy(self)
        other._demand, other.claim = demand, claim
        return other

    def undemanding(self) -> Store:
        """The same store, without a condition."""
        other = copy(self)
        other._demand = None
        return other

    def revision(self) -> int:
        with self.read() as connection:
            return revision_now(connection)

    def close(self) -> None:
        self.engine.dispose()


def _begin(connection: Connection, wait: bool) -> None:
    if wait:
        connection.exec_driver_sql("BEGIN IMMEDIATE")
        return
    connection.exec_driver_sql("PRAGMA busy_timeout = 0")
    try:
        connection.exec_driver_sql("BEGIN IMMEDIATE")
    except DatabaseError as error:
        raise Busy from error
    finally:
        connection.exec_driver_sql(f"PRAGMA busy_timeout = {_PATIENCE}")


def _answered(text: str, addresses: str) -> str:
    """What somebody with these addresses, as JSON has them, has answered to an invitation."""
    return answered(text, json.loads(addresses))


def _engine(path: Path, writing: bool = True) -> Engine:
    engine = create_engine(
        f"sqlite+datebridge:///{path}",
        connect_args={"timeout": 60, "check_same_thread": False},
        pool_size=CONNECTIONS,
        max_overflow=CONNECTIONS,
        execution_options={"compiled_cache": _COMPILED},
    )
    pragmas = [f"busy_timeout={_PATIENCE}", "cache_size=-8192", "temp_store=MEMORY"]
    if writing:
        pragmas += ["journal_mode=WAL", "synchronous=NORMAL", "foreign_keys=ON", "wal_autocheckpoint=8000"]
    else:
        pragmas.append("query_only=ON")

    @event.listens_for(engine, "connect")
    def _connect(driver: Any, _record: object) -> None:
        driver.isolation_level = None  # transactions begin where `write` says so
        for pragma in pragmas:
            driver.execute(f"PRAGMA {pragma}")
        driver.create_function("happens", 4, happens, deterministic=True)
        driver.create_function("answered", 2, _answered, deterministic=True)
        driver.create_function("links_to", 2, links_to, deterministic=True)

    return engine


def migrate(engine: Engine, to: str = "head") -> None:
    """Bring the schema up to date, or back to an earlier revision. Two processes that start together take turns."""
    from alembic import command  # here, since it takes a while to load and is hardly ever needed
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine.connect() as connection:
        connection.exec_driver_sql("BEGIN IMMEDIATE")
        config.attributes["connection"] = connection
        (command.upgrade if to == "head" else command.downgrade)(config, to)
        connection.exec_driver_sql("COMMIT")


def room_left(folder: Path) -> int:
    """The room there is on the disk that holds a folder, in bytes."""
    return shutil.disk_usage(folder).free


def _start_over(path: Path) -> None:
    """Make an empty database where there is none: beside its place, so that nothing half made ever is there."""
    if path.exists():
        return
    fresh = path.with_name(f"{path.name}.new-{os.getpid()}-{threading.get_ident()}")
    try:
        make_private(path.parent)
        if room_left(path.parent) < _LEAST_ROOM:
            raise _no_room(path)
        with open_private(fresh):
            pass
        engine = _engine(fresh)
        try:
            migrate(engine)
        finally:
            engine.dispose()
        with suppress(FileExistsError):  # somebody else was quicker
            os.link(fresh, path)
    except (OSError, DatabaseError) as error:
        raise _cannot_open(path, error) from error
    finally:
        if path.parent.is_dir():
            fresh.unlink(missing_ok=True)


def _demand_sound(path: Path) -> bool:
    """Look whether a database can be opened at all, without touching it; whether it is as this version has it.

    Raises:
        CannotOpen: if not.
    """
    folder = path.parent
    try:
        make_private(folder)
        if room_left(folder) < _LEAST_ROOM:
            raise _no_room(path)
        for beside in (path, *(path.with_name(path.name + ending) for ending in ("-wal", "-shm"))):
            if beside.is_file():
                beside.chmod(0o600)
        with path.open("r+b") as file:
            head = file.read(100)
    except OSError as error:
        raise _cannot_open(path, error) from error
    page = int.from_bytes(head[16:18])
    size = (65536 if page == 1 else page) * int.from_bytes(head[28:32])  # of the pages the file says it has
    if not head.startswith(b"SQLite format 3\0") or size > path.stat().st_size:
        raise damaged(path, "cut short, or not a database of Date Bridge")
    try:
        with closing(reading(path)) as connection:
            versioned = connection.execute("SELECT 1 FROM sqlite_master WHERE name = 'alembic_version'").fetchone()
            revision = connection.execute("SELECT version_num FROM alembic_version").fetchone() if versioned else None
            index = connection.execute("SELECT index_revision FROM meta").fetchone() if versioned else None
    except (sqlite3.OperationalError, UnicodeDecodeError) as error:
        if "no such" not in str(error):  # a table or a column that an older version did not have
            raise _cannot_open(path, error) from error
        index = None
    except sqlite3.DatabaseError as error:
        raise _cannot_open(path, error) from error
    ours = {file.name.partition("_")[0] for file in (MIGRATIONS / "versions").glob("[0-9]*.py")}
    if (revision and revision[0] not in ours) or (index and index[0] > INDEX_REVISION):
        raise CannotOpen(f"{path} was written by a newer version of Date Bridge. Start that one.")
    return revision is not None and index is not None and (revision[0], index[0]) == (max(ours), INDEX_REVISION)


def _no_room(path: Path) -> CannotOpen:
    return CannotOpen(f"The disk that holds {path.parent} is full. Make room, and start again.")


def _cannot_open(path: Path, error: Exception) -> CannotOpen:
    if is_full(error):
        return _no_room(path)
    words = str(getattr(error, "orig", None) or error)
    if isinstance(error, PermissionError) or "readonly" in words or "unable to open" in words:
        return CannotOpen(
            f"{path} may not be written. Give yourself the right to, or choose another place with --data."
        )
    if isinstance(error, OSError):
        return CannotOpen(f"{path} cannot be opened: {error.strerror or error}.")
    return damaged(path, words)


def is_full(error: BaseException | None) -> bool:
    """Whether something failed because there is no room left on the disk."""
    while error is not None:
        if isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT):
            return True
        if isinstance(error, sqlite3.Error) and getattr(error, "sqlite_errorcode", 0) in _NO_ROOM:
            return True
        error = getattr(error, "orig", None) or error.__cause__ or error.__context__
    return False


__all__ = [
    "CONNECTIONS",
    "LITTLE_ROOM",
    "Busy",
    "CannotOpen",
    "Connection",
    "DatabaseError",
    "OperationalError",
    "Session",
    "Store",
    "is_damage",
    "is_full",
    "room_left",
]
