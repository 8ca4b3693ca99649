"""Rulings: decisions that are remembered, applied again to whatever comes later, listed, and revocable."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import ColumnElement, Connection, insert, select, update

from datebridge.clock import now
from datebridge.core.changes import By
from datebridge.store.tables import ENTRIES, RULINGS

#: A finding that is to be left alone: its subject is the check and the entry.
IGNORE = "ignore"


@dataclass(frozen=True, slots=True)
class Ruling:
    """A decision: about what, what was decided, why, by whom, and when."""

    id: int
    kind: str
    subject: str
    verdict: str
    reason: str
    by: By
    made_at: int


def rule(connection: Connection, kind: str, subject: str, verdict: str, by: By, reason: str = "") -> int:
    """Remember a decision, in place of an earlier one about the same; returns its number."""
    moment = now()
    earlier = (RULINGS.c.kind == kind) & (RULINGS.c.subject == subject) & RULINGS.c.revoked_at.is_(None)
    connection.execute(update(RULINGS).where(earlier).values(revoked_at=moment))
    row = insert(RULINGS).values(
        kind=kind, subject=subject, verdict=verdict, reason=reason, by_whom=str(by), made_at=moment
    )
    return int(connection.execute(row.returning(RULINGS.c.id)).scalar_one())


def revoke(connection: Connection, number: int) -> None:
    """Have a decision count no more. It is still listed among those there were."""
    standing = (RULINGS.c.id == number) & RULINGS.c.revoked_at.is_(None)
    connection.execute(update(RULINGS).where(standing).values(revoked_at=now()))


def standing(connection: Connection, kind: str) -> list[Ruling]:
    """The decisions of a kind that count, the newest first."""
    query = select(RULINGS).where(RULINGS.c.kind == kind, RULINGS.c.revoked_at.is_(None))
    return [
        Ruling(row.id, row.kind, row.subject, row.verdict, row.reason, By.read(row.by_whom), row.made_at)
        for row in connection.execute(query.order_by(RULINGS.c.id.desc()))
    ]


def subject_of(code: ColumnElement[str]) -> ColumnElement[str]:
    """The subject of a ruling about a check and an entry in force, for queries; see `finding_of`."""
    parts = (ENTRIES.c.component, ENTRIES.c.uid, ENTRIES.c.recurrence_id)
    subject: ColumnElement[str] = code
    for part in parts:
        subject = subject.op("||")("\n").op("||")(part)
    return subject


def finding_of(code: str, component: str, uid: str, recurrence_id: str = "") -> str:
    """The subject of a ruling about a check and an entry: it holds for whatever state the entry is in.

    >>> finding_of("no-start", "VEVENT", "tide@skerrow.example").split("\\n")[:2]
    ['no-start', 'VEVENT']
    """
    return "\n".join((code, component, uid, recurrence_id))
