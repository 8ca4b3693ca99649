"""The tables. A *version* is one state of one entry, kept for good; an *entry* is a version in force.

Versions never change. Applying a change set takes versions out of force and puts others in, so undo
needs no copies, and the text of an entry exists once however often it is deleted and brought back.
"""

from __future__ import annotations

from typing import Any

from sqlalchemy import JSON, Column, Index, LargeBinary, text
from sqlmodel import Field, SQLModel


class Calendar(SQLModel, table=True):
    """A calendar. Its name is that of its header in force; `live` is false once that is gone."""

    id: int | None = Field(default=None, primary_key=True)
    name: str
    colour: int = 0
    live: bool = False
    source: str = ""
    taken_at: int = 0


class IndexColumns(SQLModel):
    """The index columns shared by versions and entries; meaning as in `core.facts.Facts`."""

    # What filters ask for most comes first in the row, where SQLite reaches it soonest.
    listed: bool = True
    marks: int = 0
    start: int | None = None
    start_wall: int | None = None
    end_wall: int | None = None
    until_wall: int | None = None
    weekdays: int = 0
    gap_days: int = 0
    year: int | None = None
    component: str
    status: str = ""
    tzid: str = ""
    zone: str = ""
    categories: str = ""
    recurrence: str = ""
    uid: str = ""
    recurrence_id: str = ""
    sequence: int = 0
    modified: int = 0
    summary: str = ""
    summary_key: str = ""
    location: str = ""
    location_key: str = ""
    tzids: str = ""
    repeats: str = ""
    privacy: str = ""
    busy: str = ""
    attendees: int = 0
    digest: bytes = Field(sa_type=LargeBinary)


class Version(IndexColumns, table=True):
    __table_args__ = (Index("ix_version_group", "group_id"), {"sqlite_autoincrement": True})

    id: int | None = Field(default=None, primary_key=True)
    #: The group of an incoming file it was read from, and the line there at which it began.
    group_id: int | None = None
    file_line: int = 0


class VersionText(SQLModel, table=True):
    __tablename__ = "version_text"

    id: int = Field(primary_key=True, foreign_key="version.id")
    text: str


class Entry(IndexColumns, table=True):
    """A version in force, with the same id, in a calendar."""

    __table_args__ = (
        *(
            Index(f"ix_entry_{name}", *columns, sqlite_where=text("listed = 1"))
            for name, columns in (
                ("start", ("start",)),
                ("summary", ("summary_key",)),
                ("location", ("location_key",)),
                ("repeats", ("repeats",)),
                ("zone", ("zone", "tzid")),
                ("marks", ("marks",)),
            )
        ),
        Index("ix_entry_calendar", "calendar_id", "listed", "start"),
        Index("ix_entry_uid", "uid", "recurrence_id"),
    )

    id: int = Field(primary_key=True)
    calendar_id: int = Field(foreign_key="calendar.id")


class ChangeSetRow(SQLModel, table=True):
    """A proposal (state ``proposed``) or a batch (state ``applied``)."""

    __tablename__ = "change_set"

    id: int | None = Field(default=None, primary_key=True)
    title: str
    kind: str
    reason: str = ""
    state: str = Field(default="proposed", index=True)
    created_at: int
    applied_at: int | None = None
    creates: int = 0
    updates: int = 0
    deletes: int = 0
    held: int = 0
    #: The revision of the entries that applying it made; batches are in this order.
    revision: int = 0
    undoes_id: int | None = None
    undone_by_id: int | None = None
    note: str = ""
    details: dict[str, Any] = Field(default_factory=dict, sa_column=Column(JSON, nullable=False))


class ChangeRow(SQLModel, table=True):
    """One change of a set. A held one is listed but not applied (see undo)."""

    __tablename__ = "change"
    __table_args__ = (Index("ix_change_before", "before_id"), Index("ix_change_after", "after_id"))

    set_id: int = Field(primary_key=True, foreign_key="change_set.id")
    position: int = Field(primary_key=True)
    calendar_id: int
    uid: str = ""
    recurrence_id: str = ""
    before_id: int | None = None
    after_id: int | None = None
    reason: str = ""
    held: bool = False


class ProblemRow(SQLModel, table=True):
    """A problem found while reading. Those of an entry have its version; the others only their file."""

    __tablename__ = "problem"

    id: int | None = Field(default=None, primary_key=True)
    version_id: int | None = Field(default=None, index=True)
    incoming_id: int | None = Field(default=None, index=True)
    line: int = 0
    severity: str
    code: str = Field(index=True)
    message: str
    done: str = ""
    text: str = ""
    uid: str = ""


class Incoming(SQLModel, table=True):
    """A file that was brought: being read, waiting for a decision, or turned away.

    It has been taken in when its change set is applied and not undone.
    """

    id: int | None = Field(default=None, primary_key=True)
    name: str
    path: str
    octets: int
    encoding: str = ""
    state: str = Field(default="queued", index=True)  # queued, reading, waiting, refused, gone
    message: str = ""
    created_at: int
    set_id: int | None = None


class IncomingGroup(SQLModel, table=True):
    """The entries of an incoming file that go to one calendar."""

    __tablename__ = "incoming_group"

    id: int | None = Field(default=None, primary_key=True)
    incoming_id: int = Field(foreign_key="incoming.id", index=True)
    name: str
    header: str
    summary: dict[str, Any] = Field(default_factory=dict, sa_column=Column(JSON, nullable=False))


class Job(SQLModel, table=True):
    """Long work, done in the worker process. `done` of `total` in `unit`; 0 total means not known yet."""

    id: int | None = Field(default=None, primary_key=True)
    kind: str
    title: str
    params: dict[str, Any] = Field(default_factory=dict, sa_column=Column(JSON, nullable=False))
    state: str = Field(default="queued", index=True)  # queued, running, done, failed, stopped
    done: int = 0
    total: int = 0
    unit: str = ""
    message: str = ""
    result: dict[str, Any] = Field(default_factory=dict, sa_column=Column(JSON, nullable=False))
    attempts: int = 0
    stop_requested: bool = False
    created_at: int
    finished_at: int | None = None


class Meta(SQLModel, table=True):
    """One row: the revision of the entries, raised by every batch, by which caches know they are old."""

    id: int = Field(default=1, primary_key=True)
    revision: int = 0
