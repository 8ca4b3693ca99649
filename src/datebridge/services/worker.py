"""The workers: processes of their own that do the jobs, so that heavy computing never holds up a page.

One computes, one talks to other systems: a server that makes one wait does not hold up reading a file.
"""

from __future__ import annotations

import multiprocessing
import os
import threading
import time
from multiprocessing.process import BaseProcess

import structlog

from datebridge.services import accounts, carrying, copying, jobs, pulling, putaway, reading
from datebridge.services.jobs import JobFunction
from datebridge.settings import Settings
from datebridge.store.database import Store

log = structlog.get_logger()
COMPUTING: dict[str, JobFunction] = {
    "read": reading.read_job, "put-away": putaway.put_away_job, "copy": copying.copy_job,
}  # fmt: skip
TALKING: dict[str, JobFunction] = {
    "pull": pulling.pull_job, "push": carrying.push_job, "survey": accounts.survey_job,
}  # fmt: skip
FUNCTIONS = {**COMPUTING, **TALKING}
_ROLES = {"computing": COMPUTING, "talking": TALKING}
_POLL = 0.1


def drain(store: Store, settings: Settings) -> None:
    """Do all queued jobs here and now (command line, tests)."""
    while jobs.run_next(store, settings, FUNCTIONS):
        pass


def _main(settings_json: str, parent: int, role: str) -> None:
    functions = _ROLES[role]
    settings = Settings.model_validate_json(settings_json)
    store = Store(settings.database)
    while os.getppid() == parent:  # never outlive the application
        if not jobs.run_next(store, settings, functions):
            time.sleep(_POLL)


class Worker:
    """Keeps the worker processes alive; what a dead one was doing is taken up again."""

    def __init__(self, store: Store, settings: Settings) -> None:
        self.store, self.settings = store, settings
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._keep, name="worker-keeper", daemon=True)
        self._processes: dict[str, BaseProcess] = {}

    @property
    def process_ids(self) -> dict[str, int | None]:
        """The process of each role."""
        return {role: process.pid for role, process in self._processes.items()}

    def start(self) -> None:
        for role in _ROLES:
            self._spawn(role)
        self._thread.start()

    def _spawn(self, role: str) -> None:
        context = multiprocessing.get_context("spawn")
        arguments = (self.settings.model_dump_json(), os.getpid(), role)
        self._processes[role] = context.Process(target=_main, args=arguments, name=f"worker-{role}", daemon=True)
        self._processes[role].start()

    def _keep(self) -> None:
        while not self._stop.wait(0.5):
            for role, process in list(self._processes.items()):
                if not process.is_alive():
                    log.warning("worker ended", role=role, exitcode=process.exitcode)
                    jobs.resume_interrupted(self.store, _ROLES[role])
                    self._spawn(role)

    def stop(self) -> None:
        self._stop.set()
        self._thread.join()
        for process in self._processes.values():
            process.terminate()
        for process in self._processes.values():
            process.join(5)
