"""Opening the database: pragmas, migrations, connections."""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import date
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from sqlalchemy import Connection, Engine, create_engine, event
from sqlmodel import Session

from datebridge.core.recurrence.pattern import happens
from datebridge.store.versions import bring_up_to_date

MIGRATIONS = Path(__file__).parent / "migrations"


class Store:
    """A database file with its connections. Readers never wait for a writer (WAL)."""

    def __init__(self, path: Path) -> None:
        """Open `path`, creating or migrating it as needed."""
        path.parent.mkdir(parents=True, exist_ok=True)
        self.path = path
        self.engine = _engine(path)
        migrate(self.engine)
        with self.write() as connection:
            bring_up_to_date(connection)

    @contextmanager
    def read(self) -> Iterator[Connection]:
        """A connection that sees one consistent state."""
        with self.engine.connect() as connection:
            yield connection

    @contextmanager
    def write(self) -> Iterator[Connection]:
        """A transaction: all of it is kept, or nothing. Writers take turns."""
        with self.engine.connect() as connection:
            connection.exec_driver_sql("BEGIN IMMEDIATE")
            try:
                yield connection
            except BaseException:
                connection.exec_driver_sql("ROLLBACK")
                raise
            connection.exec_driver_sql("COMMIT")

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A unit of work on single records (jobs, incoming files), committed at the end."""
        with self.write() as connection, Session(bind=connection, expire_on_commit=False) as session:
            yield session
            session.flush()

    def revision(self) -> int:
        with self.read() as connection:
            return int(connection.exec_driver_sql("SELECT revision FROM meta").scalar_one())

    def close(self) -> None:
        self.engine.dispose()


def _engine(path: Path) -> Engine:
    engine = create_engine(f"sqlite:///{path}", connect_args={"timeout": 60, "check_same_thread": False})

    @event.listens_for(engine, "connect")
    def _connect(driver: Any, _record: object) -> None:
        driver.isolation_level = None  # transactions begin where `write` says so
        for pragma in (
            "journal_mode=WAL", "synchronous=NORMAL", "foreign_keys=ON", "busy_timeout=60000",
            "cache_size=-65536", "wal_autocheckpoint=8000", "temp_store=MEMORY", "mmap_size=268435456",
        ):  # fmt: skip
            driver.execute(f"PRAGMA {pragma}")
        driver.create_function("happens", 4, happens, deterministic=True)

    return engine


def migrate(engine: Engine) -> None:
    """Bring the schema up to date. Two processes that start together take turns."""
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine.connect() as connection:
        connection.exec_driver_sql("BEGIN IMMEDIATE")
        config.attributes["connection"] = connection
        command.upgrade(config, "head")
        connection.exec_driver_sql("COMMIT")


def now() -> int:
    """The time in whole seconds since the epoch; the store's only clock."""
    return int(time.time())


def this_day() -> date:
    """Today by this machine's clock, for words such as ``today`` in a filter."""
    return date.today()  # noqa: DTZ011
