"""The worker: a process of its own that does the jobs, so that heavy computing never holds up a page."""

from __future__ import annotations

import multiprocessing
import os
import threading
import time
from multiprocessing.process import BaseProcess

import structlog

from datebridge.services import jobs, putaway, reading
from datebridge.services.jobs import JobFunction
from datebridge.settings import Settings
from datebridge.store.database import Store

log = structlog.get_logger()
FUNCTIONS: dict[str, JobFunction] = {"read": reading.read_job, "put-away": putaway.put_away_job}
_POLL = 0.1


def drain(store: Store, settings: Settings) -> None:
    """Do all queued jobs here and now (command line, tests)."""
    while jobs.run_next(store, settings, FUNCTIONS):
        pass


def _main(settings_json: str, parent: int) -> None:
    settings = Settings.model_validate_json(settings_json)
    store = Store(settings.database)
    while os.getppid() == parent:  # never outlive the application
        if not jobs.run_next(store, settings, FUNCTIONS):
            time.sleep(_POLL)


class Worker:
    """Keeps one worker process alive; what a dead one was doing is taken up again."""

    def __init__(self, store: Store, settings: Settings) -> None:
        self.store, self.settings = store, settings
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._keep, name="worker-keeper", daemon=True)
        self._process: BaseProcess | None = None

    @property
    def process_id(self) -> int | None:
        return self._process.pid if self._process else None

    def start(self) -> None:
        self._spawn()
        self._thread.start()

    def _spawn(self) -> None:
        context = multiprocessing.get_context("spawn")
        self._process = context.Process(
            target=_main, args=(self.settings.model_dump_json(), os.getpid()), name="worker", daemon=True
        )
        self._process.start()

    def _keep(self) -> None:
        while not self._stop.wait(0.5):
            if self._process is not None and not self._process.is_alive():
                log.warning("worker ended", exitcode=self._process.exitcode)
                jobs.resume_interrupted(self.store)
                self._spawn()

    def stop(self) -> None:
        self._stop.set()
        self._thread.join()
        if self._process is not None:
            self._process.terminate()
            self._process.join(5)
