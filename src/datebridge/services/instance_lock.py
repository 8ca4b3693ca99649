"""One data directory, one program: whoever has the lock may take up jobs; everybody else asks them to be done.

The lock ends with its process, however that ends, so a killed program leaves nothing to be cleared away.
"""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager

from filelock import FileLock, Timeout

from datebridge.core.errors import CannotDo
from datebridge.settings import Settings
from datebridge.store.private import make_private, open_private


class AlreadyRunning(CannotDo):
    """Another program has this data directory; the message says which."""

    code, title = "already-running", "Another program has this data"


@contextmanager
def instance_lock(settings: Settings) -> Iterator[None]:
    """Have the data directory for oneself until the end of the block.

    Raises:
        AlreadyRunning: if another program has it.
    """
    make_private(settings.data_dir)
    holder_file = settings.lock_file.with_suffix(".by")
    lock = FileLock(settings.lock_file, mode=0o600)
    try:
        lock.acquire(timeout=0)
    except Timeout as error:
        who = holder_file.read_text("ascii").strip() if holder_file.is_file() else "unknown"
        raise AlreadyRunning(
            f"Date Bridge is already running with {settings.data_dir}, as process {who}. Stop that one first, or choose"
            " another place with --data."
        ) from error
    try:
        with open_private(holder_file) as file:
            file.write(str(os.getpid()).encode())
        yield
    finally:
        holder_file.unlink(missing_ok=True)
        lock.release()
