"""Browsers that were let in: of what each was given, the digest alone; see `tables.BrowserSession`."""

from __future__ import annotations

from sqlalchemy import Connection, delete, insert, select

from datebridge.store.tables import SESSIONS


def open_session(connection: Connection, digest: str, now: int, until: int) -> None:
    """Let a browser in until an instant; those whose time is over are forgotten."""
    connection.execute(delete(SESSIONS).where(SESSIONS.c.until < now))
    connection.execute(insert(SESSIONS).values(digest=digest, until=until))


def open_sessions(connection: Connection) -> dict[str, int]:
    """Until which instant each is let in, by digest."""
    return {row.digest: row.until for row in connection.execute(select(SESSIONS))}
