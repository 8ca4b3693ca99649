"""Looking at change sets: lists, pages of changes, counts and warnings."""

from __future__ import annotations

import json
from collections import Counter
from typing import Any

from sqlalchemy import Connection

from datebridge.core.index.facts import Mark
from datebridge.core.invitations import told
from datebridge.store.entries.ledger import rows_of
from datebridge.store.entries.versions import bound, chunks


def set_row(connection: Connection, set_id: int) -> dict[str, Any] | None:
    row = connection.exec_driver_sql("SELECT * FROM change_set WHERE id = ?", (set_id,)).mappings().one_or_none()
    return dict(row) if row else None


def list_sets(
    connection: Connection, state: str, offset: int = 0, limit: int = 100
) -> tuple[int, list[dict[str, Any]]]:
    """Change sets in a state, newest first, and how many there are."""
    total = connection.exec_driver_sql("SELECT count(*) FROM change_set WHERE state = ?", (state,)).scalar_one()
    rows = connection.exec_driver_sql(
        "SELECT * FROM change_set WHERE state = ? ORDER BY coalesce(applied_at, created_at) DESC, id DESC"
        " LIMIT ? OFFSET ?",
        (state, limit, offset),
    ).mappings()
    return int(total), [dict(row) for row in rows]


def changes_page(connection: Connection, set_id: int, offset: int, limit: int) -> tuple[int, list[dict[str, Any]]]:
    """Changes of a set with the index rows of both sides; headers and zone definitions are left out."""
    where = " FROM change c JOIN version v ON v.id = coalesce(c.after_id, c.before_id) WHERE c.set_id = ? AND v.listed"
    total = int(connection.exec_driver_sql(f"SELECT count(*){where}", (set_id,)).scalar_one())
    changes = (
        connection.exec_driver_sql(
            "SELECT c.position, c.calendar_id, c.before_id, c.after_id, c.reason, c.held,"
            " (SELECT g.state FROM carriage g JOIN remote r ON r.id = g.remote_id WHERE g.set_id = c.set_id"
            "  AND g.kind = 'entry' AND g.uid = c.uid"
            f" AND r.calendar_id = c.calendar_id) AS carriage{where}"
            " ORDER BY c.position LIMIT ? OFFSET ?",
            (set_id, limit, offset),
        )
        .mappings()
        .all()
    )
    ids = {i for c in changes for i in (c["before_id"], c["after_id"]) if i is not None}
    rows = {row["id"]: row for row in rows_of(connection, sorted(ids), "version")}
    return total, [{**c, "before": rows.get(c["before_id"]), "after": rows.get(c["after_id"])} for c in changes]


def breakdown(connection: Connection, set_id: int) -> dict[str, list[tuple[str, int]]]:
    """A set counted by calendar, year and kind of entry."""
    base = (
        " FROM change c JOIN version v ON v.id = coalesce(c.before_id, c.after_id)"
        " LEFT JOIN calendar k ON k.id = c.calendar_id WHERE c.set_id = ? AND v.listed AND NOT c.held"
    )
    kind = (
        f"CASE WHEN v.component = 'VTODO' THEN 'to-dos' WHEN v.component = 'VJOURNAL' THEN 'journal entries'"
        f" WHEN v.component <> 'VEVENT' THEN 'others' WHEN v.marks & {Mark.OVERRIDE} THEN 'changed occurrences'"
        f" WHEN v.marks & {Mark.SERIES} THEN 'whole series' ELSE 'single events' END"
    )
    result = {}
    for name, expression, order in (
        ("calendar", "k.name", "2 DESC"),
        ("year", "coalesce(CAST(v.year AS TEXT), 'no date')", "1"),
        ("kind", kind, "2 DESC"),
    ):
        rows = connection.exec_driver_sql(
            f"SELECT {expression}, count(*){base} GROUP BY 1 ORDER BY {order}", (set_id,)
        ).fetchall()
        result[name] = [(str(label), int(count)) for label, count in rows]
    return result


def warnings(connection: Connection, set_id: int) -> list[str]:
    """What a person should know before applying: series that go whole, overrides that stay or go alone."""

    def count(sql: str) -> int:
        return int(connection.exec_driver_sql(sql, (set_id,)).scalar_one())

    gone = "FROM change c JOIN version v ON v.id = c.before_id WHERE c.set_id = ? AND c.after_id IS NULL AND NOT c.held"
    going = f"SELECT before_id FROM change WHERE set_id = {int(set_id)} AND before_id IS NOT NULL"
    series = count(f"SELECT count(*) {gone} AND v.marks & {Mark.SERIES}")
    endless = count(f"SELECT count(*) {gone} AND v.marks & {Mark.ENDLESS}")
    lone = count(
        f"SELECT count(*) {gone} AND v.marks & {Mark.OVERRIDE} AND EXISTS (SELECT 1 FROM entry m WHERE m.uid = v.uid"
        " AND m.recurrence_id = '' AND m.calendar_id = c.calendar_id"
        f" AND m.id NOT IN ({going}))"
    )
    left = count(
        f"SELECT count(*) FROM entry o WHERE o.marks & {Mark.OVERRIDE} AND (o.calendar_id, o.uid) IN"
        " (SELECT c.calendar_id, c.uid FROM change c WHERE c.set_id = ? AND c.recurrence_id = '' AND c.after_id IS NULL"
        f"  AND c.uid <> '' AND NOT c.held) AND o.id NOT IN ({going})"
    )
    said = []
    if series:
        extra = f", {endless} of them without an end" if endless else ""
        said.append(f"{_n(series, 'whole series', 'whole series')} will go with every occurrence{extra}.")
    if lone:
        said.append(
            f"{_n(lone, 'changed occurrence goes', 'changed occurrences go')} while the series stays: "
            "those dates fall back to what the series says."
        )
    if left:
        said.append(f"{_n(left, 'changed occurrence is', 'changed occurrences are')} left without a series.")
    return said + _about_attendees(connection, set_id)


def _about_attendees(connection: Connection, set_id: int) -> list[str]:
    """Who is told, and by whom: a server tells the attendees of meetings its user organises (RFC 6638 §3.2.1).

    What is created there is written so that nobody is told, unless the set says otherwise (`services.carrying`).
    """
    silent = 0
    entries: Counter[str] = Counter()
    people: Counter[str] = Counter()
    for text, creates, addresses, name, tell in connection.exec_driver_sql(
        "SELECT t.text, c.before_id IS NULL, CASE WHEN a.schedules THEN a.addresses END, a.name,"
        " coalesce(json_extract(s.details, '$.tell'), 0) FROM change c JOIN change_set s ON s.id = c.set_id"
        " JOIN version v ON v.id = coalesce(c.before_id, c.after_id) JOIN version_text t ON t.id = v.id"
        " LEFT JOIN remote r ON r.calendar_id = c.calendar_id LEFT JOIN account a ON a.id = r.account_id"
        " WHERE c.set_id = ? AND NOT c.held AND v.attendees > 0",
        (set_id,),
    ):
        number = told(text, json.loads(addresses)) if addresses and (not creates or tell) else 0
        silent += not number
        entries[name] += bool(number)
        people[name] += number
    said = [
        f"{name} will tell {_n(people[name], 'attendee', 'attendees')} of {_n(number, 'meeting', 'meetings')}."
        for name, number in (+entries).items()
    ]
    if silent and not _said(connection, set_id):
        said.append(f"{_n(silent, 'entry has', 'entries have')} attendees; nobody will be told.")
    return said


def _said(connection: Connection, set_id: int) -> bool:
    """Whether the set's own reason says who is told (see `services.copying`)."""
    return bool(
        connection.exec_driver_sql(
            "SELECT json_extract(details, '$.silent') FROM change_set WHERE id = ?", (set_id,)
        ).scalar()
    )


def _n(count: int, one: str, many: str) -> str:
    return f"{count:,} {one if count == 1 else many}"


def problems_of(connection: Connection, ids: list[int]) -> list[dict[str, Any]]:
    """The problems found in the given versions."""
    rows: list[dict[str, Any]] = []
    for chunk in chunks(ids):
        rows += [
            dict(row)
            for row in connection.exec_driver_sql(
                f"SELECT * FROM problem WHERE version_id IN ({bound(len(chunk))}) ORDER BY version_id, line",
                tuple(chunk),
            ).mappings()
        ]
    return rows
