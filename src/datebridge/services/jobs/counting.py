"""Counting by day what a batch has changed, before somebody looks at the year."""

from __future__ import annotations

from typing import Any

from datebridge.services.jobs.jobs import JobContext
from datebridge.store.entries.density import refresh_kept


def count_job(context: JobContext) -> dict[str, Any]:
    """Make anew what is kept of a calendar's days."""
    return {"years": refresh_kept(context.store, int(context.params["calendar"]))}
