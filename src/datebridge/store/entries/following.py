"""What became of versions that are not in force any more, by the batches since."""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy import Connection, select

from datebridge.core.changes import Kind, State
from datebridge.core.ids import VersionId
from datebridge.store.sql import among
from datebridge.store.tables import CHANGES, ENTRIES, SETS

#: How many batches in a row are followed.
_MOST = 1000
#: How often a server is followed that keeps something else than it was sent, and then something else again.
_MOST_HOPS = 4


def become(connection: Connection, versions: Iterable[VersionId]) -> dict[VersionId, VersionId]:
    """The version in force that each of some has become; those that were deleted are left out."""
    at = {version: version for version in versions}
    now_in_force: dict[VersionId, VersionId] = {}
    for _ in range(_MOST):
        if not at:
            break
        wanted = set(at.values())
        rows = connection.execute(select(ENTRIES.c.id).where(ENTRIES.c.id.in_(among(wanted)))).scalars()
        in_force = {VersionId(row) for row in rows}
        now_in_force |= {version: now for version, now in at.items() if now in in_force}
        after = _after(connection, wanted - in_force)
        at = {version: after[now] for version, now in at.items() if now in after}
    return now_in_force


def _after(connection: Connection, versions: Iterable[VersionId]) -> dict[VersionId, VersionId]:
    """What the newest batch that changed each made of it; a deletion makes nothing of it."""
    rows = connection.execute(
        select(CHANGES.c.before_id, CHANGES.c.after_id)
        .join(SETS, SETS.c.id == CHANGES.c.set_id)
        .where(CHANGES.c.before_id.in_(among(versions)), ~CHANGES.c.held, SETS.c.state == State.APPLIED)
        .order_by(SETS.c.revision, CHANGES.c.position)
    )
    newest = {VersionId(row.before_id): row.after_id for row in rows}
    return {before: VersionId(after) for before, after in newest.items() if after is not None}


def kept_as(connection: Connection, sent: Iterable[VersionId]) -> dict[VersionId, VersionId]:
    """What servers made of what they were sent, where that is something else (see `Change.source`)."""
    at = {version: version for version in sent}
    kept: dict[VersionId, VersionId] = {}
    for _ in range(_MOST_HOPS if at else 0):
        rows = connection.execute(
            select(CHANGES.c.source_id, CHANGES.c.after_id)
            .join(SETS, SETS.c.id == CHANGES.c.set_id)
            .where(
                CHANGES.c.source_id.in_(among(set(at.values()))),
                SETS.c.kind == Kind.PULL,
                SETS.c.state == State.APPLIED,
                ~CHANGES.c.held,
                CHANGES.c.after_id.is_not(None),
            )
            .order_by(SETS.c.revision)
        )
        now_kept = {VersionId(row.source_id): VersionId(row.after_id) for row in rows}
        at = {first: now_kept[version] for first, version in at.items() if version in now_kept}
        if not at:
            break
        kept |= at
    return kept
