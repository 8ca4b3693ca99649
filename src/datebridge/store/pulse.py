"""What changes, told apart: so that whoever looks asks again for that alone."""

from __future__ import annotations

import threading

from sqlalchemy import Connection, func, select

from datebridge.store.database import Store
from datebridge.store.tables import ACCOUNTS, FILES, JOBS, META, PREFERENCES, PUSHES, REMOTES, SETS

#: Each topic with a mark that is another one once something of it has changed.
Marks = dict[str, tuple[object, ...]]


def marks(connection: Connection) -> Marks:
    """A mark of each topic, as of now."""

    def of(*columns: object) -> tuple[object, ...]:
        return tuple(connection.execute(select(*columns)).one())  # type: ignore[call-overload]

    refreshes = (func.total(REMOTES.c.refreshed_at), func.total(REMOTES.c.next_at), func.total(REMOTES.c.calendar_id))
    troubles = (func.total(func.length(REMOTES.c.trouble)), func.total(REMOTES.c.failures))
    under_way = JOBS.c.state.in_(("queued", "running"))
    busy = select(func.count(), func.total(JOBS.c.done)).where(under_way)
    return {
        "entries": of(META.c.revision),
        "sets": tuple(connection.execute(select(SETS.c.state, func.count()).group_by(SETS.c.state)).all()),
        "accounts": of(
            func.count(REMOTES.c.id), *refreshes, *troubles,
            select(func.total(func.length(ACCOUNTS.c.trouble) + ACCOUNTS.c.gone)).scalar_subquery(),
            select(func.count()).select_from(ACCOUNTS).scalar_subquery(),
        ),
        "pushes": tuple(connection.execute(select(PUSHES.c.state, func.count()).group_by(PUSHES.c.state)).all()),
        "files": tuple(connection.execute(select(FILES.c.state, func.count()).group_by(FILES.c.state)).all()),
        "jobs": (*of(func.max(JOBS.c.id)), *connection.execute(busy).one()),
        "preferences": of(func.count(), func.total(func.length(PREFERENCES.c.value))),
    }  # fmt: skip


class Pulse:
    """The marks as of now, asked for by as many as like: the store is looked at only where somebody has written."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self._lock = threading.Lock()
        self._version = -1
        self._marks: Marks = {}
        self._connection: Connection | None = None

    def marks(self) -> Marks:
        with self._lock:
            if self._connection is None:
                self._connection = self.store.engine.connect()
            version = int(self._connection.exec_driver_sql("PRAGMA data_version").scalar_one())
            if version != self._version:
                with self.store.read() as connection:
                    self._marks = marks(connection)
                self._version = version
            return self._marks

    def close(self) -> None:
        with self._lock:
            if self._connection is not None:
                self._connection.close()
                self._connection = None
