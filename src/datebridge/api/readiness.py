"""Being ready: what screens are likely to ask for is computed, and memory that is no longer needed goes back."""

from __future__ import annotations

import ctypes
from collections.abc import Callable
from contextlib import suppress

from datebridge.services.jobs.repeating import Repeating
from datebridge.store.database import Store
from datebridge.store.entries.ledger import Ledger
from datebridge.store.entries.occurrences import OccurrenceReader

_LOOK = 1.0
#: As glibc calls them (mallopt(3)): from which size on memory is the system's own, and how many pools there are.
_MMAP_THRESHOLD, _ARENA_MAX = -3, -8


def give_memory_back() -> None:
    """Have large pieces of memory given back as soon as they are free; where the C library does not know how, nothing.

    Answers over hundreds of thousands of entries need megabytes for a moment; by default each thread keeps its own.
    """
    with suppress(OSError, AttributeError):
        library = ctypes.CDLL(None)
        library.mallopt(_MMAP_THRESHOLD, 256 << 10)
        library.mallopt(_ARENA_MAX, 2)


def make_ready(store: Store, ledger: Ledger, occurrences: OccurrenceReader) -> None:
    """Compute the orders, counts and bounds that screens are likely to ask for."""
    ledger.warm()
    with store.read() as connection:
        occurrences.anywhere(connection)


class _Readiness:
    """Recomputes orders and counts once a batch has been applied and nothing else follows at once."""

    def __init__(self, store: Store, ledger: Ledger, occurrences: OccurrenceReader, wanted: Callable[[], bool]) -> None:
        self.store, self.ledger, self.occurrences, self._wanted = store, ledger, occurrences, wanted
        self._ready = self._seen = -1

    def look(self) -> None:
        revision = self.store.revision()
        if revision == self._seen != self._ready:
            if self._wanted():
                make_ready(self.store, self.ledger, self.occurrences)
            self._ready = revision
        self._seen = revision


def readiness(
    store: Store, ledger: Ledger, occurrences: OccurrenceReader, wanted: Callable[[], bool] = lambda: True
) -> Repeating:
    """What keeps everything ready that screens are likely to ask for; where nothing asks here, it is not `wanted`."""
    return Repeating("readiness", _LOOK, _Readiness(store, ledger, occurrences, wanted).look)
