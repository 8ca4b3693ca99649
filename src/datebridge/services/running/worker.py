"""The workers: processes of their own that do the jobs, so that heavy computing never holds up a page.

One computes, one talks to other systems: a server that makes one wait does not hold up reading a file. The one that
talks does so with several at once, one job an account at a time: a server that makes one wait holds up no other.
"""

from __future__ import annotations

import threading
import time
from concurrent.futures import ThreadPoolExecutor
from multiprocessing.process import BaseProcess

import structlog

from datebridge import processes
from datebridge.core.job_kinds import JobKind, Role
from datebridge.services.jobs import jobs
from datebridge.services.logs import set_up
from datebridge.services.running import performing as performing  # enters what does the jobs
from datebridge.settings import Settings
from datebridge.store.database import Store
from datebridge.store.jobs import Claimed

log = structlog.get_logger()
COMPUTING = tuple(kind for kind in JobKind if kind.role is Role.COMPUTING)
TALKING = tuple(kind for kind in JobKind if kind.role is Role.TALKING)
_ROLES = {Role.COMPUTING: COMPUTING, Role.TALKING: TALKING}
#: With so many accounts at once.
_TURNS = 8
_POLL = 0.1


def drain(store: Store, settings: Settings) -> None:
    """Do all queued jobs here and now (command line, tests)."""
    while jobs.run_next(store, settings, JobKind):
        pass


def _main(settings_json: str, role: Role) -> None:
    processes.end_with_parent()
    set_up()
    settings = Settings.model_validate_json(settings_json)
    store = Store(settings.database)
    if role is Role.TALKING:
        _talk(store, settings)
    processes.give_way()
    while True:
        if not jobs.run_next(store, settings, COMPUTING):
            time.sleep(_POLL)


def _talk(store: Store, settings: Settings) -> None:
    turns = threading.Semaphore(_TURNS)

    def one(job: Claimed) -> None:
        try:
            jobs.run(store, settings, job)
        except Exception:
            log.exception("a job could not be ended", job=job.id)
        finally:
            turns.release()

    with ThreadPoolExecutor(_TURNS) as pool:
        while True:
            turns.acquire()
            job = jobs.claim_next(store, TALKING)
            if job is not None:
                pool.submit(one, job)
            else:
                turns.release()
                time.sleep(_POLL)


class Worker:
    """Keeps the worker processes alive; what a dead one was doing is taken up again."""

    def __init__(self, store: Store, settings: Settings) -> None:
        self.store, self.settings = store, settings
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._keep, name="worker-keeper", daemon=True)
        self._processes: dict[Role, BaseProcess] = {}

    @property
    def process_ids(self) -> dict[Role, int | None]:
        """The process of each role."""
        return {role: process.pid for role, process in self._processes.items()}

    def start(self) -> None:
        for role in Role:
            self._spawn(role)
        self._thread.start()

    def _spawn(self, role: Role) -> None:
        self._processes[role] = processes.start(f"worker-{role}", _main, self.settings.model_dump_json(), role)

    def _keep(self) -> None:
        while not self._stop.wait(0.5):
            for role, process in list(self._processes.items()):
                if process.is_alive():
                    continue
                try:  # a full disk, say, must not end the keeping: the next round tries again
                    jobs.resume_interrupted(self.store, _ROLES[role])
                    self._spawn(role)
                    log.warning("worker ended", role=role, exitcode=process.exitcode)
                except Exception:
                    log.exception("worker could not be replaced", role=role)

    def stop(self) -> None:
        self._stop.set()
        self._thread.join()
        for process in self._processes.values():
            process.terminate()
        for process in self._processes.values():
            process.join(5)
