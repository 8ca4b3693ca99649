"""What happens by itself: calendars whose time has come are refreshed, and what waits is carried."""

from __future__ import annotations

from apscheduler.schedulers.background import BackgroundScheduler

from datebridge.services import jobs
from datebridge.services.carrying import push_pending
from datebridge.services.pulling import due
from datebridge.store.database import Store, now

#: How often it is looked, in seconds.
_LOOK = 5


def tick(store: Store) -> None:
    """Queue what is due, unless a job of its kind is under way."""
    with store.read() as connection:
        busy = {
            row[0]
            for row in connection.exec_driver_sql("SELECT DISTINCT kind FROM job WHERE state IN ('queued', 'running')")
        }
        remotes = due(connection) if "pull" not in busy else []
        # After a failure what waits is tried again when its calendar is due (see `pulling.note_failure`).
        ready = [
            row[0]
            for row in connection.exec_driver_sql(
                "SELECT id FROM remote WHERE failed_since IS NULL OR next_at IS NULL OR next_at <= ?", (now(),)
            )
        ]
    if remotes:
        jobs.enqueue(store, "pull", "Refreshing what is due", {"remotes": remotes})
    if "push" not in busy:
        push_pending(store, ready)


def scheduler(store: Store) -> BackgroundScheduler:
    """The clock of a running application; start it, and shut it down at the end."""
    made = BackgroundScheduler(timezone="UTC")
    made.add_job(tick, "interval", seconds=_LOOK, args=[store], max_instances=1, coalesce=True)
    return made
