"""The processes beside the application: workers, the readers' door, the simulated servers.

They are forked from a server (multiprocessing's ``forkserver``) that has imported once what they all need, so that
they are there at once and share the memory of what they import. None of them outlives the process that started it.
"""

from __future__ import annotations

import multiprocessing
import os
import threading
from collections.abc import Callable
from multiprocessing.connection import wait
from multiprocessing.process import BaseProcess

from datebridge import clock

_FORKS = "forkserver" in multiprocessing.get_all_start_methods()


def begin(*modules: str) -> None:
    """Have the server import these modules meanwhile; processes started later wait until it has.

    It keeps the environment, the umask and the folder of this moment.
    """
    if _FORKS:
        from multiprocessing import forkserver  # not on every platform

        forkserver.set_forkserver_preload(list(modules))
        forkserver.ensure_running()


def start(name: str, target: Callable[..., None], *arguments: object) -> BaseProcess:
    """A process that does `target`, forked; with imports of its own where the platform has no such server."""
    context = multiprocessing.get_context("forkserver") if _FORKS else multiprocessing.get_context("spawn")
    process = context.Process(target=_begin, args=(clock.ahead(), target, *arguments), name=name, daemon=True)
    process.start()
    return process


def _begin(ahead: float, target: Callable[..., None], *arguments: object) -> None:
    clock.set_ahead(ahead)
    target(*arguments)


def give_way() -> None:
    """Have this process compute where nobody else on the machine wants to: whoever looks at a page goes first."""
    if hasattr(os, "nice"):
        os.nice(5)


def end_with_parent() -> None:
    """Have this process end when the one that started it does, however that ends and whatever is under way here."""
    threading.Thread(target=_wait_and_end, name="parent", daemon=True).start()


def _wait_and_end() -> None:
    parent = multiprocessing.parent_process()
    if parent is not None:
        wait([parent.sentinel])
    os._exit(1)
