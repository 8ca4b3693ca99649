"""What happens by itself: calendars whose time has come are refreshed, and what waits is carried."""

from __future__ import annotations

from functools import partial

from datebridge.services.jobs.jobs import lane_of
from datebridge.services.jobs.repeating import Repeating
from datebridge.services.sync.pull import due, queue_pulls
from datebridge.services.sync.push import push_pending
from datebridge.services.transfer.moving import finish_moves
from datebridge.settings import Settings
from datebridge.store.database import Store
from datebridge.store.entries.density import queue_refreshing, stale
from datebridge.store.jobs import lanes_with
from datebridge.store.remotes import accounts_of, ready_to_carry

#: How often it is looked, in seconds.
_LOOK = 5


def tick(store: Store, settings: Settings) -> None:
    """Queue what is due, unless the account it is on is being refreshed already."""
    with store.read() as connection:
        busy = lanes_with(connection, "pull", ("queued", "running"))
        owners = accounts_of(connection, due(connection, settings))
        ready = ready_to_carry(connection)
        carrying = lanes_with(connection, "push", ("running",))
    wanted = [remote for remote, account in owners.items() if lane_of(account) not in busy]
    if wanted:
        queue_pulls(store, "Refreshing", wanted)
    push_pending(store, [remote for remote, account in ready.items() if lane_of(account) not in carrying])
    finish_moves(store)
    with store.read() as connection:
        old = stale(connection)
    if old:
        with store.write() as connection:
            queue_refreshing(connection)


def clock(store: Store, settings: Settings) -> Repeating:
    """What looks every few seconds what is due."""
    return Repeating("clock", _LOOK, partial(tick, store, settings))
