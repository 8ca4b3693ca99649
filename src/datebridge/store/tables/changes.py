"""Change sets and their changes; files waiting to be imported; what is being staged."""

from __future__ import annotations

from typing import Any

from sqlalchemy import JSON, Column, Index, text
from sqlmodel import Field, SQLModel


class ChangeSetRow(SQLModel, table=True):
    """A proposal or a batch; see `core.changes` for kinds, states, details, and by whom."""

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
    by_whom: str = Field(default="person", sa_column_kwargs={"server_default": "person"})
    details: dict[str, Any] = Field(default_factory=dict, sa_column=Column(JSON, nullable=False))


class ChangeRow(SQLModel, table=True):
    """One change of a set. A held one is listed but not applied (see undo)."""

    __tablename__ = "change"
    #: An entry is changed once in a set; what is held beside it is only listed.
    __table_args__ = (
        Index("ix_change_before", "before_id", "set_id", "held", unique=True),
        Index("ix_change_after", "after_id", "set_id", "held", unique=True),
        Index("ix_change_source", "source_id", sqlite_where=text("source_id IS NOT NULL")),
    )

    set_id: int = Field(primary_key=True, foreign_key="change_set.id")
    position: int = Field(primary_key=True)
    calendar_id: int
    component: str = Field(default="", sa_column_kwargs={"server_default": ""})
    uid: str = ""
    recurrence_id: str = ""
    before_id: int | None = None
    after_id: int | None = None
    reason: str = ""
    held: bool = False
    #: The version this one was copied from; of a refresh, the one that was sent, where this is how the server keeps it.
    source_id: int | None = None


class ImportFile(SQLModel, table=True):
    """A file that was brought: being read, waiting for a decision, or turned away.

    It has been imported when its change set is applied and not undone.
    """

    __tablename__ = "import_file"
    __table_args__ = ({"sqlite_autoincrement": True},)

    id: int | None = Field(default=None, primary_key=True)
    name: str
    path: str
    size: int
    encoding: str = ""
    state: str = Field(default="queued", index=True)  # queued, reading, waiting, refused, gone
    message: str = ""
    created_at: int
    set_id: int | None = None


class ImportGroup(SQLModel, table=True):
    """The entries of a file that go to one calendar."""

    __tablename__ = "import_group"
    __table_args__ = ({"sqlite_autoincrement": True},)

    id: int | None = Field(default=None, primary_key=True)
    file_id: int = Field(foreign_key="import_file.id", index=True)
    name: str
    header: str
    summary: dict[str, Any] = Field(default_factory=dict, sa_column=Column(JSON, nullable=False))


class ProblemRow(SQLModel, table=True):
    """What only a file shows (`core.problems`). Where it concerns an entry, it has its version."""

    __tablename__ = "problem"

    id: int | None = Field(default=None, primary_key=True)
    version_id: int | None = Field(default=None, index=True)
    file_id: int | None = Field(default=None, index=True)
    line: int = 0
    code: str = Field(index=True)
    message: str
    done: str = ""
    text: str = ""
    uid: str = ""


class StagingRow(SQLModel, table=True):
    """Somebody is storing versions that no set holds yet: none from `floor` on is cleared away meanwhile.

    `claim` is that of the job doing it, "" for a request; one whose job has ended is forgotten.
    """

    __tablename__ = "staging"

    id: int | None = Field(default=None, primary_key=True)
    floor: int
    claim: str = ""
    begun_at: int
