"""What waits at each stage of the route."""

from __future__ import annotations

from typing import NamedTuple

from sqlalchemy import Connection

from datebridge.core.changes import State
from datebridge.store import crossings, findings, imports, shares
from datebridge.store.changesets import review
from datebridge.store.entries.ledger import Ledger
from datebridge.store.pushes import PENDING, TO_DECIDE, count_by_state
from datebridge.store.tables import ChangeSetRow


class Stages(NamedTuple):
    """How much waits at each stage, and the batch that `u` takes back."""

    connect: int
    look: int
    mend: int
    cross: int
    shares: int
    logbook: int
    to_push: int
    to_decide: int
    problems: int
    last_batch: ChangeSetRow | None


def at_stages(ledger: Ledger, connection: Connection) -> Stages:
    """As of now."""
    sets = review.count_by_state(connection)
    pushing = count_by_state(connection)
    return Stages(
        connect=imports.count_waiting(connection),
        look=ledger.count(connection),
        mend=sets.get(State.PROPOSED, 0),
        cross=crossings.count_to_do(connection),
        shares=shares.count(connection),
        logbook=sets.get(State.APPLIED, 0),
        to_push=sum(pushing.get(state, 0) for state in PENDING),
        to_decide=sum(pushing.get(state, 0) for state in TO_DECIDE),
        problems=findings.count(connection),
        last_batch=review.last_own(connection),
    )
