"""Applying a proposal, and setting out to carry it where its calendars live."""

from __future__ import annotations

from datebridge.services.sync.push import push_pending
from datebridge.services.transfer.moving import finish_moves
from datebridge.store.changesets.logbook import apply_set
from datebridge.store.database import Store


def apply(store: Store, set_id: int) -> int | None:
    """Apply a proposal as one batch; returns the job that carries it, if any of it lives elsewhere.

    Raises:
        CannotApply: see `store.logbook.apply_set`.
    """
    apply_set(store, set_id)
    finish_moves(store)  # a move that stays here has arrived at once
    return push_pending(store)
