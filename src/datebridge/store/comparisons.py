"""Calendars compared with each other: what was found, kept as an index, and read in pages."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import NamedTuple

from sqlalchemy import ColumnElement, Connection, case, delete, func, insert, select, update

from datebridge.clock import now
from datebridge.core.comparing import Of, PairedEntries, summary
from datebridge.core.ids import CalendarId, JobId, VersionId
from datebridge.core.job_kinds import JobKind
from datebridge.core.matching import Item
from datebridge.core.moments import from_wall_seconds
from datebridge.store.entries.matching import items_where
from datebridge.store.jobs import queue_once
from datebridge.store.sql import among, revision_now
from datebridge.store.tables import CALENDARS, COMPARED, COMPARISONS, ENTRIES, JOBS, META

#: How many comparisons somebody asked for are kept.
_KEPT = 12
#: Calendars that share so many UIDs should be the same in part, and are looked at without being asked for.
_SHARED = 4
#: The same of titles, if they are this part of those of the smaller calendar.
_TITLES, _PART = 6, 0.5
#: What is in more calendars than this tells nothing of two of them.
_MOST_WITH = 12
_MOST_PAIRS = 24
_INSERT = (
    "INSERT INTO compared_pair (comparison_id, verdict, title, month, fields, moved_by, same, changed, missing, extra,"
    " matched, misreading, left_ids, right_ids) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)"
)


def items_in(connection: Connection, calendar: CalendarId) -> list[Item[VersionId]]:
    """All events and to-dos of a calendar, changed occurrences by themselves."""
    return _items(connection, "calendar_id = ?", calendar)


def items_of(connection: Connection, entries: Iterable[VersionId]) -> list[Item[VersionId]]:
    """Some entries in force, the same."""
    return _items(connection, "id IN (SELECT value FROM json_each(?))", json.dumps(list(entries)))


def _items(connection: Connection, where: str, value: int | str) -> list[Item[VersionId]]:
    return list(items_where(connection, f"component IN ('VEVENT', 'VTODO') AND {where}", value))


def holidays(connection: Connection) -> list[CalendarId]:
    """Calendars of holidays, by their names."""
    rows = connection.execute(select(CALENDARS.c.id).where(CALENDARS.c.live, CALENDARS.c.name.ilike("%holiday%")))
    return [CalendarId(number) for number in rows.scalars()]


# ---- kept -------------------------------------------------------------------------------------------------


def keep(
    connection: Connection,
    left: CalendarId,
    right: CalendarId,
    low: int,
    high: int,
    pairs: Sequence[PairedEntries[VersionId]],
    revision: int,
    found: bool = False,
) -> int:
    """Keep what a comparison found, in place of an earlier one of the same; returns its number."""
    same = (COMPARISONS.c.left_id == left) & (COMPARISONS.c.right_id == right) & (COMPARISONS.c.found == found)
    _drop(connection, [row.id for row in connection.execute(select(COMPARISONS.c.id).where(same))])
    counts = {str(verdict): count for verdict, count in summary(pairs).items()} | {"pairs": len(pairs)}
    row = insert(COMPARISONS).values(
        left_id=left, right_id=right, low=low, high=high, revision=revision, made_at=now(), counts=counts, found=found
    )
    number = int(connection.execute(row.returning(COMPARISONS.c.id)).scalar_one())
    rows = [(number, *_row(pair)) for pair in pairs if pair.verdict != "same"]
    if rows:
        connection.exec_driver_sql(_INSERT, rows)
    old = select(COMPARISONS.c.id).where(~COMPARISONS.c.found).order_by(COMPARISONS.c.id.desc()).offset(_KEPT)
    _drop(connection, [row.id for row in connection.execute(old)])
    return number


def _row(pair: PairedEntries[VersionId]) -> tuple[object, ...]:
    held = pair.left or pair.right
    tally = {"changed": 0, "missing": 0, "extra": 0}
    for difference in pair.differences:
        tally[difference.verdict] += 1
    first = next(
        (point for difference in pair.differences if (point := difference.left or difference.right) is not None), None
    )
    at = first.start if first is not None else held.first.start or 0 if held is not None else 0
    moved = {difference.moved_by for difference in pair.differences if difference.verdict == "changed"}
    misreading = pair.misreading
    return (
        pair.verdict,
        held.first.title if held is not None else "",
        f"{from_wall_seconds(at):%Y-%m}",
        ", ".join(pair.fields),
        moved.pop() if len(moved) == 1 else None,
        pair.same,
        tally["changed"],
        tally["missing"],
        tally["extra"],
        pair.matched,
        f"{misreading.right}\n{misreading.wrong}" if misreading is not None else "",
        json.dumps(pair.left.keys if pair.left else []),
        json.dumps(pair.right.keys if pair.right else []),
    )


def _drop(connection: Connection, numbers: Iterable[int]) -> None:
    numbers = list(numbers)
    if numbers:
        connection.execute(delete(COMPARED).where(COMPARED.c.comparison_id.in_(among(numbers))))
        connection.execute(delete(COMPARISONS).where(COMPARISONS.c.id.in_(among(numbers))))


def drop_automatic(connection: Connection) -> None:
    """Forget what was found without being asked for."""
    _drop(connection, connection.execute(select(COMPARISONS.c.id).where(COMPARISONS.c.found)).scalars())


# ---- read -------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Comparison:
    """Two calendars compared; `outdated`: entries have changed since."""

    id: int
    left: CalendarId
    right: CalendarId
    low: int
    high: int
    made_at: int
    counts: dict[str, int]
    outdated: bool


def comparisons(connection: Connection) -> list[Comparison]:
    """Those somebody asked for, the newest first."""
    rows = connection.execute(select(COMPARISONS).where(~COMPARISONS.c.found).order_by(COMPARISONS.c.id.desc()))
    revision = revision_now(connection)
    return [_comparison(row, revision) for row in rows]


def comparison(connection: Connection, number: int) -> Comparison | None:
    """One of them; None where it is kept no more."""
    row = connection.execute(select(COMPARISONS).where(COMPARISONS.c.id == number)).one_or_none()
    return _comparison(row, revision_now(connection)) if row is not None else None


def _comparison(row: object, revision: int) -> Comparison:
    read = row._mapping  # type: ignore[attr-defined]
    return Comparison(
        read["id"],
        CalendarId(read["left_id"]),
        CalendarId(read["right_id"]),
        read["low"],
        read["high"],
        read["made_at"],
        read["counts"],
        read["revision"] != revision,
    )


class PairRow(NamedTuple):
    """A pair as it is kept; see `tables.mending.ComparedPair`."""

    id: int
    comparison: int
    verdict: Of
    title: str
    month: str
    fields: str
    moved_by: int | None
    same: int
    changed: int
    missing: int
    extra: int
    matched: str
    misreading: str
    left_ids: list[VersionId]
    right_ids: list[VersionId]


_PAIR = [
    COMPARED.c[name]
    for name in (
        "id",
        "comparison_id",
        "verdict",
        "title",
        "month",
        "fields",
        "moved_by",
        "same",
        "changed",
        "missing",
        "extra",
        "matched",
        "misreading",
        "left_ids",
        "right_ids",
    )
]


class PairFilter(NamedTuple):
    """Which pairs: of a verdict, a month, with differences in a field; "" for all."""

    verdict: str = ""
    month: str = ""
    field: str = ""


def page(
    connection: Connection, number: int, asked: PairFilter, offset: int, limit: int | None
) -> tuple[int, list[PairRow]]:
    """Pairs that differ, by month and title; how many there are in all."""
    wanted = select(*_PAIR).where(COMPARED.c.comparison_id == number)
    if asked.verdict:
        wanted = wanted.where(COMPARED.c.verdict == asked.verdict)
    if asked.month:
        wanted = wanted.where(COMPARED.c.month == asked.month)
    if asked.field:
        fenced = func.instr(", " + COMPARED.c.fields + ",", f", {asked.field},")
        wanted = wanted.where(fenced > 0)
    total = int(connection.execute(select(func.count()).select_from(wanted.subquery())).scalar_one())
    rows = connection.execute(
        wanted.order_by(COMPARED.c.month, COMPARED.c.title, COMPARED.c.id).offset(offset).limit(limit)
    )
    return total, [PairRow(*row) for row in rows]


def pair(connection: Connection, number: int) -> PairRow | None:
    """One pair; None where it is kept no more."""
    row = connection.execute(select(*_PAIR).where(COMPARED.c.id == number)).one_or_none()
    return PairRow(*row) if row is not None else None


class Tallies(NamedTuple):
    """How many pairs differ, by verdict, by month and by field."""

    verdicts: dict[str, int]
    months: dict[str, int]
    fields: dict[str, int]


def tallies(connection: Connection, number: int) -> Tallies:
    """What there is to choose from."""
    own = COMPARED.c.comparison_id == number

    def by(column: ColumnElement[str]) -> dict[str, int]:
        counted = select(column, func.count()).where(own).group_by(column).order_by(column)
        return dict(connection.execute(counted).all())

    verdicts, months = by(COMPARED.c.verdict), by(COMPARED.c.month)
    fields: dict[str, int] = {}
    for field_names, count in connection.execute(
        select(COMPARED.c.fields, func.count()).where(own, COMPARED.c.fields != "").group_by(COMPARED.c.fields)
    ):
        for name in field_names.split(", "):
            fields[name] = fields.get(name, 0) + count
    return Tallies(verdicts, months, dict(sorted(fields.items(), key=lambda item: -item[1])))


class OffPart(NamedTuple):
    """A pair that is off for part of the year, with the two calendars."""

    pair: PairRow
    left: CalendarId
    right: CalendarId


def off_for_part(connection: Connection) -> list[OffPart]:
    """What is off for part of the year, of comparisons nobody had to ask for."""
    rows = connection.execute(
        select(*_PAIR, COMPARISONS.c.left_id, COMPARISONS.c.right_id)
        .join(COMPARISONS, COMPARISONS.c.id == COMPARED.c.comparison_id)
        .where(COMPARISONS.c.found)
        .order_by(COMPARED.c.misreading, COMPARED.c.title)
    )
    return [OffPart(PairRow(*row[:-2]), CalendarId(row[-2]), CalendarId(row[-1])) for row in rows]


# ---- found without being asked for ------------------------------------------------------------------------


def likely(connection: Connection) -> list[tuple[CalendarId, CalendarId]]:
    """Calendars that share UIDs, or most of their titles; those that share most first."""
    shared: Counter[tuple[int, int]] = Counter()
    own = (ENTRIES.c.listed, ENTRIES.c.recurrence_id == "")
    for column, least, part in ((ENTRIES.c.uid, _SHARED, 0.0), (ENTRIES.c.summary, _TITLES, _PART)):
        by_word: dict[str, set[int]] = {}
        sizes: Counter[int] = Counter()
        for word, calendar in connection.execute(
            select(column, ENTRIES.c.calendar_id).distinct().where(*own, column != "")
        ):
            by_word.setdefault(word, set()).add(calendar)
            sizes[calendar] += 1
        pairs = Counter(
            pair for some in by_word.values() if 1 < len(some) <= _MOST_WITH for pair in combinations(sorted(some), 2)
        )
        for pair, number in pairs.items():
            if number >= max(least, part * min(sizes[one] for one in pair)):
                shared[pair] = max(shared[pair], number)
    return [(CalendarId(one), CalendarId(other)) for (one, other), _ in shared.most_common(_MOST_PAIRS)]


def note_looked(connection: Connection, revision: int) -> None:
    """Note as of which revision seasons were looked for."""
    connection.execute(update(META).values(seasons=revision))


def looking(connection: Connection) -> tuple[bool, JobId | None]:
    """Whether entries have changed since seasons were looked for, and the job that looks now."""
    outdated = bool(connection.execute(select(case((META.c.seasons != META.c.revision, 1), else_=0))).scalar_one())
    wanted = select(JOBS.c.id).where(JOBS.c.kind == "seasons", JOBS.c.state.in_(("queued", "running")))
    number = connection.execute(wanted.order_by(JOBS.c.id.desc()).limit(1)).scalar()
    return outdated, JobId(number) if number is not None else None


def queue_looking(connection: Connection) -> None:
    """Queue looking for what is off for part of the year, unless that is queued already."""
    queue_once(connection, JobKind.SEASONS, "Looking for times that are wrong for part of the year")
