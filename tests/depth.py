"""How deep tests go: the one place that says so.

Every run does the same, and little: what `make test` finds, it finds everywhere. By hand, ``DATE_BRIDGE_LONGER=1`` tries
what each test says it is worth, other ways each time, and ``DATE_BRIDGE_LONGER=10`` ten times that.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from typing import TypeVar

from hypothesis import HealthCheck, settings

LONGER = int(os.environ.get("DATE_BRIDGE_LONGER") or 0)
Test = TypeVar("Test", bound=Callable[..., object])


def depth(usual: int, longer: int) -> int:
    """How many there are to be: `usual` in every run, `longer` by hand."""
    return longer * LONGER if LONGER else usual


def tries(usual: int, longer: int) -> Callable[[Test], Test]:
    """How often a property is tried; every property says it (`conftest` refuses one that does not)."""

    def mark(test: Test) -> Test:
        test.tries = usual, longer  # type: ignore[attr-defined]
        return settings(
            max_examples=depth(usual, longer),
            derandomize=not LONGER,
            deadline=None,
            database=None,
            suppress_health_check=list(HealthCheck),
        )(test)

    return mark
