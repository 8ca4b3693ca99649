"""How many cores this process may use."""

from __future__ import annotations

import os


def usable() -> int:
    """At least one; fewer than the machine has where they were allotted."""
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1
