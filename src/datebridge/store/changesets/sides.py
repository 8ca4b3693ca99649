"""The texts of a change set on both sides, by what belongs together: for looking at what happens before and after."""

from __future__ import annotations

from typing import NamedTuple

from sqlalchemy import Connection, and_, select

from datebridge.core.changes import Kind
from datebridge.core.ids import CalendarId, SetId, VersionId
from datebridge.store.changesets.draft import of_set
from datebridge.store.entries.present import texts_of
from datebridge.store.sql import among, chunks
from datebridge.store.tables import CHANGES, ENTRIES, SETS, VERSIONS

#: In these a series and its parts have UIDs of their own, and what belongs together is told by the title.
_BY_TITLE = frozenset({Kind.SERIES, Kind.DUPLICATES})
_AT_ONCE = 400


class Sides(NamedTuple):
    """What belongs together in one calendar: texts before and after, with what the set does not touch on both."""

    calendar: CalendarId
    before: list[str]
    after: list[str]


class _Change(NamedTuple):
    calendar: CalendarId
    uid: str
    title: str
    before: VersionId | None
    after: VersionId | None


def sides_of(connection: Connection, set_id: SetId, most: int) -> tuple[list[Sides], bool]:
    """The two sides of a set, of no more than so many changes; and whether there are more."""
    kind = connection.execute(select(SETS.c.kind).where(SETS.c.id == set_id)).scalar()
    rows = connection.execute(
        select(CHANGES.c.calendar_id, CHANGES.c.uid, VERSIONS.c.summary, CHANGES.c.before_id, CHANGES.c.after_id)
        .select_from(CHANGES)
        .join(VERSIONS, (VERSIONS.c.id == CHANGES.c.after_id) | (VERSIONS.c.id == CHANGES.c.before_id))
        .where(and_(of_set(set_id), ~CHANGES.c.held, VERSIONS.c.listed))
        .distinct()
        .order_by(CHANGES.c.position)
        .limit(most * 2 + 1)
    ).all()
    changes = list({(row.calendar_id, row.before_id, row.after_id): _Change(*row) for row in rows}.values())
    cut = len(changes) > most
    groups: dict[tuple[int, str], list[_Change]] = {}
    for change in changes[:most]:
        groups.setdefault((change.calendar, change.title if kind in _BY_TITLE else change.uid), []).append(change)
    texts = []
    for some in chunks(groups.values(), _AT_ONCE):
        texts += _texts(connection, list(some))
    return texts, cut


def _texts(connection: Connection, groups: list[list[_Change]]) -> list[Sides]:
    touched = {n for group in groups for change in group for n in (change.before, change.after) if n is not None}
    uids = {change.uid for group in groups for change in group if change.uid}
    beside = connection.execute(
        select(ENTRIES.c.id, ENTRIES.c.calendar_id, ENTRIES.c.uid).where(
            ENTRIES.c.listed, ENTRIES.c.uid.in_(among(sorted(uids))), ENTRIES.c.id.not_in(among(touched))
        )
    )
    others: dict[tuple[int, str], list[VersionId]] = {}
    for row in beside:
        others.setdefault((row.calendar_id, row.uid), []).append(VersionId(row.id))
    texts = texts_of(connection, [*touched, *(n for some in others.values() for n in some)])
    rows = []
    for group in groups:
        untouched = {n for change in group for n in others.get((change.calendar, change.uid), ())}
        rest = [texts[n] for n in sorted(untouched) if n in texts]
        before = [texts[change.before] for change in group if change.before is not None and change.before in texts]
        after = [texts[change.after] for change in group if change.after is not None and change.after in texts]
        rows.append(Sides(group[0].calendar, [*before, *rest], [*after, *rest]))
    return rows
