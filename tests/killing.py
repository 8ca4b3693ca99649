"""Killing a job at a statement: in a process of its own that ends on the spot, as if the power had failed.

The processes are forked from a server that has everything loaded, so that hundreds of deaths take seconds.
"""

from __future__ import annotations

import os
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import aiohttp
from sqlalchemy import Connection, Engine, event

from datebridge.core.job_kinds import JobKind
from datebridge.services.jobs import jobs
from datebridge.settings import Settings
from datebridge.store.database import Store
from tests.running import forks

DIED = 9
#: More than any job needs.
MANY = 1 << 40


def _work(settings_json: str, statement: int, request: int) -> None:
    settings = Settings.model_validate_json(settings_json)
    store = Store(settings.database)
    left = statement

    @event.listens_for(store.engine, "before_cursor_execute")
    def _count(*_: object) -> None:
        nonlocal left
        left -= 1
        if left < 0:
            os._exit(DIED)

    send = aiohttp.ClientSession._request

    async def _counted(*args: Any, **kwargs: Any) -> aiohttp.ClientResponse:
        nonlocal requests_left
        requests_left -= 1
        if requests_left < 0:
            os._exit(DIED)
        return await send(*args, **kwargs)

    requests_left = request
    aiohttp.ClientSession._request = _counted  # type: ignore[method-assign]
    while jobs.run_next(store, settings, JobKind):
        pass


def work_and_die(settings: Settings, statement: int = MANY, request: int = MANY) -> bool:
    """Do what is queued, and die before a statement or a request; false if all was done before that."""
    process = forks().Process(target=_work, args=(settings.model_dump_json(), statement, request))
    process.start()
    process.join(120)
    assert process.exitcode in (0, DIED)
    return process.exitcode == DIED


@event.listens_for(Engine, "before_cursor_execute")
def _as_slow_as_the_disk(connection: Connection, *_: object) -> None:
    if connection.engine.url.database and os.path.exists(f"{connection.engine.url.database}.slow"):  # noqa: PTH110
        time.sleep(0.004)


@contextmanager
def slow_disk(database: Path) -> Iterator[None]:
    """Each statement takes its time meanwhile, so that what befalls a process mostly befalls it within a transaction."""
    mark = database.with_name(database.name + ".slow")
    mark.touch()
    try:
        yield
    finally:
        mark.unlink()
