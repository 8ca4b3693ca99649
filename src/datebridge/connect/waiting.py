"""Waiting for other systems without being held by them: one loop a process, and callers that can give up.

>>> wait(asyncio.sleep(0, "done"))
'done'
"""

from __future__ import annotations

import asyncio
import os
import sys
import threading
from collections.abc import Callable, Coroutine
from concurrent.futures import CancelledError, Future
from typing import Any, TypeVar

# It is looked for at every request, and where it is not installed that takes longer than the request itself.
sys.modules.setdefault("sniffio", None)  # type: ignore[arg-type]

Result = TypeVar("Result")
#: How often who waits is asked whether it should go on, in seconds.
_ASK = 0.25
_lock = threading.Lock()
_loops: dict[int, asyncio.AbstractEventLoop] = {}


def _loop() -> asyncio.AbstractEventLoop:
    """This process's loop, running in a thread of its own; a forked process gets another one."""
    with _lock:
        loop = _loops.get(os.getpid())
        if loop is None:
            loop = _loops[os.getpid()] = asyncio.new_event_loop()
            threading.Thread(target=loop.run_forever, name="waiting", daemon=True).start()
        return loop


def wait(work: Coroutine[Any, Any, Result], check: Callable[[], None] | None = None) -> Result:
    """What some work comes to.

    Args:
        check: asked four times a second; what it raises ends the work, and is raised here.
    """
    return result_of(begin(work), check)


def begin(work: Coroutine[Any, Any, Result]) -> Future[Result]:
    """Work that is done meanwhile; `result_of` waits for it."""
    return asyncio.run_coroutine_threadsafe(work, _loop())


def result_of(future: Future[Result], check: Callable[[], None] | None = None) -> Result:
    """What work that was begun comes to; `check` as for `wait`."""
    try:
        while True:
            try:
                return future.result(_ASK if check else None)
            except TimeoutError:
                if future.done():  # it was the work that raised it
                    raise
                if check is not None:
                    check()
    except CancelledError as error:
        raise TimeoutError from error
    finally:
        future.cancel()
