"""What changes, told apart: so that whoever looks asks again for that alone."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Generic, TypeVar

from sqlalchemy import Connection, Table, func, select

from datebridge.store.database import Store
from datebridge.store.tables import (
    ACCOUNTS,
    ADDRESSES,
    COMPARISONS,
    CROSSINGS,
    CUTOVER_ACTS,
    FILES,
    FORECASTS,
    JOBS,
    LANE_SETS,
    LANES,
    MATRICES,
    META,
    PREFERENCES,
    PUSHES,
    READERS,
    REMOTES,
    RULINGS,
    SETS,
    SHARE_HOSTS,
    SHARES,
)

Answer = TypeVar("Answer")
#: Each topic with a mark that is another one once something of it has changed.
Marks = dict[str, tuple[object, ...]]


def marks(connection: Connection) -> Marks:
    """A mark of each topic, as of now."""

    def of(*columns: object) -> tuple[object, ...]:
        return tuple(connection.execute(select(*columns)).one())  # type: ignore[call-overload]

    def all_of(*columns: object) -> tuple[object, ...]:
        """Of a table with few rows, that any of them has changed."""
        return (hash(repr(connection.execute(select(*columns)).all())),)  # type: ignore[call-overload]

    def by_state(table: Table) -> tuple[object, ...]:
        return tuple(connection.execute(select(table.c.state, func.count()).group_by(table.c.state)))

    under_way = JOBS.c.state.in_(("queued", "running"))
    busy = select(func.count(), func.total(JOBS.c.done)).where(under_way)
    return {
        "entries": of(META.c.revision),
        "sets": (*of(func.max(SETS.c.id)), *by_state(SETS)),
        "accounts": (*all_of(*ACCOUNTS.c), *all_of(*REMOTES.c)),
        "pushes": (*of(func.max(PUSHES.c.id), func.total(func.length(PUSHES.c.message))), *by_state(PUSHES)),
        "fidelity": (*of(func.max(MATRICES.c.id)), *of(func.max(FORECASTS.c.id))),
        "crossings": (
            *all_of(*CROSSINGS.c),
            *all_of(*LANES.c),
            *all_of(*CUTOVER_ACTS.c),
            *of(func.max(LANE_SETS.c.set_id)),
        ),
        "files": (*of(func.max(FILES.c.id)), *by_state(FILES)),
        "jobs": (*of(func.max(JOBS.c.id)), *connection.execute(busy).one()),
        "duplicates": of(META.c.matched),
        "time": (
            *of(META.c.scattered, META.c.seasons),
            *of(func.max(COMPARISONS.c.id)),
            *of(func.max(RULINGS.c.id), func.count(RULINGS.c.revoked_at)),
        ),
        "preferences": all_of(*PREFERENCES.c),
        "shares": (*all_of(*SHARES.c), *all_of(*READERS.c), *all_of(*ADDRESSES.c), *all_of(*SHARE_HOSTS.c)),
    }


class AsOfNow(Generic[Answer]):
    """An answer of the store as of now, for as many as ask: worked out anew only where somebody has written since."""

    def __init__(self, store: Store, work_out: Callable[[Connection], Answer]) -> None:
        self.store, self._work_out = store, work_out
        self._lock = threading.Lock()
        self._version = -1
        self._answer: Answer | None = None
        self._connection: Connection | None = None

    def get(self) -> Answer:
        with self._lock:
            if self._connection is None:
                self._connection = self.store.engine.connect()
            version = int(self._connection.exec_driver_sql("PRAGMA data_version").scalar_one())
            if self._answer is None or version != self._version:
                with self.store.read() as connection:
                    self._answer = self._work_out(connection)
                self._version = version
            return self._answer

    def close(self) -> None:
        with self._lock:
            if self._connection is not None:
                self._connection.close()
                self._connection = None
