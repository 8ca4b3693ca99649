"""One version in full, and the values that entries have."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from sqlalchemy import Connection, Select, func, literal, select, union_all

from datebridge.core.changes import Kind, State
from datebridge.core.ids import VersionId
from datebridge.core.index.facts import Mark
from datebridge.store.sql import among
from datebridge.store.tables import ACCOUNTS, CALENDARS, ENTRIES, FILES, GROUPS, SETS, TEXTS, VERSIONS


@dataclass(frozen=True, slots=True)
class StoredVersion:
    """A version with its text, the calendar it is in and the file it came from; "" for none."""

    component: str
    text: str
    calendar: str
    file: str
    file_line: int


def version(connection: Connection, version_id: VersionId) -> StoredVersion | None:
    """A version in full; None where there is none."""
    row = connection.execute(
        select(
            VERSIONS.c.component,
            TEXTS.c.text,
            func.coalesce(CALENDARS.c.name, ""),
            func.coalesce(FILES.c.name, ""),
            VERSIONS.c.file_line,
        )
        .select_from(VERSIONS)
        .join(TEXTS, TEXTS.c.id == VERSIONS.c.id)
        .outerjoin(ENTRIES, ENTRIES.c.id == VERSIONS.c.id)
        .outerjoin(CALENDARS, CALENDARS.c.id == ENTRIES.c.calendar_id)
        .outerjoin(GROUPS, GROUPS.c.id == VERSIONS.c.group_id)
        .outerjoin(FILES, FILES.c.id == GROUPS.c.file_id)
        .where(VERSIONS.c.id == version_id)
    ).one_or_none()
    return StoredVersion(*row) if row is not None else None


def texts_with_unknown(connection: Connection, most: int) -> Iterator[str]:
    """The texts of entries with properties no standard knows, the newest first, without holding them all."""
    query = (
        select(TEXTS.c.text)
        .join(ENTRIES, ENTRIES.c.id == TEXTS.c.id)
        .where(ENTRIES.c.listed, ENTRIES.c.marks.op("&")(Mark.UNKNOWN) != 0)
        .order_by(ENTRIES.c.id.desc())
        .limit(most)
    )
    yield from connection.execution_options(yield_per=1_000).execute(query).scalars()


def uids_of(connection: Connection, ids: list[VersionId]) -> list[str]:
    """The UIDs of some entries."""
    query = select(ENTRIES.c.uid).distinct().where(ENTRIES.c.uid != "", ENTRIES.c.id.in_(among(ids)))
    return list(connection.execute(query).scalars())


def known_values_of(connection: Connection, field: str) -> list[str]:
    """The values a field of the filter line can have, the most useful first; none for a field without known ones."""
    wanted = _VALUES.get(field)
    return [str(value) for value in connection.execute(wanted()).scalars()] if wanted is not None else []


def _accounts() -> Select[tuple[str]]:
    here, there = select(literal("here").label("name")), select(ACCOUNTS.c.name).where(~ACCOUNTS.c.gone)
    return select(union_all(here, there).subquery().c.name)


def _zones() -> Select[tuple[str]]:
    zone = func.coalesce(func.nullif(ENTRIES.c.zone, ""), ENTRIES.c.tzid).label("zone")
    used = select(zone).where(ENTRIES.c.tzid != "", ENTRIES.c.listed).group_by(zone)
    often = used.order_by(func.count().desc()).limit(60).subquery()
    return select(union_all(select(literal("none").label("zone")), select(often.c.zone)).subquery().c.zone)


def _categories() -> Select[tuple[str]]:
    used = select(ENTRIES.c.categories).where(ENTRIES.c.categories != "").group_by(ENTRIES.c.categories)
    return used.order_by(func.count().desc()).limit(500)


def _imports() -> Select[tuple[int]]:
    applied = (SETS.c.kind == Kind.IMPORT) & (SETS.c.state == State.APPLIED)
    return select(SETS.c.id).where(applied).order_by(SETS.c.id.desc())


def _years() -> Select[tuple[int]]:
    used = select(ENTRIES.c.year).distinct().where(ENTRIES.c.year.is_not(None))
    return used.order_by(ENTRIES.c.year.desc()).limit(30)


_VALUES = {
    "account": _accounts,
    "zone": _zones,
    "category": _categories,
    "imported": _imports,
    "on": _years,
}
