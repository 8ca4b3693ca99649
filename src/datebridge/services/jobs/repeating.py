"""Something that is done again and again beside everything else, however the machine's clock is set meanwhile."""

from __future__ import annotations

import threading
from collections.abc import Callable

import structlog

log = structlog.get_logger()


class Repeating:
    """A thread that does some work every so many seconds; work that fails is done again the next time.

    Args:
        first: after how many seconds it is done for the first time, where that is another span.
    """

    def __init__(self, name: str, seconds: float, work: Callable[[], None], first: float | None = None) -> None:
        self._name, self._seconds, self._work = name, seconds, work
        self._first = seconds if first is None else first
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name=name, daemon=True)

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        self._stop.set()
        self._thread.join()

    def _run(self) -> None:
        pause = self._first
        while not self._stop.wait(pause):
            pause = self._seconds
            try:
                self._work()
            except Exception:  # a full disk, say
                log.exception("could not be done just now", what=self._name)
