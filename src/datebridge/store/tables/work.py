"""Jobs, what is kept for looking, and the one row about everything."""

from __future__ import annotations

from typing import Any

from sqlalchemy import JSON, Column
from sqlmodel import Field, SQLModel


class Job(SQLModel, table=True):
    """Long work, done in a worker process. `done` of `total` in `unit`; 0 total means not known yet.

    Attributes:
        lane: jobs of one lane are done one after the other; "" for those that go by their kind alone.
        claim: whose it is while it runs: every write it makes is for this claim (see `services.jobs`).
        not_before: it is not begun before; after a full disk, say.
    """

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
    lane: str = Field(default="", sa_column_kwargs={"server_default": ""})
    claim: str = Field(default="", sa_column_kwargs={"server_default": ""})
    not_before: int = Field(default=0, sa_column_kwargs={"server_default": "0"})
    by_whom: str = Field(default="person", sa_column_kwargs={"server_default": "person"})
    created_at: int
    finished_at: int | None = None


class Meta(SQLModel, table=True):
    """One row: the revision of the entries, raised by every batch, by which caches know they are old.

    `index_revision` says by which meaning of the facts the index was made; see `versions.INDEX_REVISION`.
    `matched` says as of which revision duplicates were looked for; -1: never. `scattered` and `seasons` say the same of
    what belongs to one series, and of what is off for part of the year.
    """

    id: int = Field(default=1, primary_key=True)
    revision: int = 0
    index_revision: int = Field(default=0, sa_column_kwargs={"server_default": "0"})
    matched: int = Field(default=-1, sa_column_kwargs={"server_default": "-1"})
    scattered: int = Field(default=-1, sa_column_kwargs={"server_default": "-1"})
    seasons: int = Field(default=-1, sa_column_kwargs={"server_default": "-1"})


class Preference(SQLModel, table=True):
    """Something kept under a name: a set of layers, picked days, clocks and hours; a recipe; what the checks go by.

    It says how calendars are looked at or worked on, never what is in them, so it is beside the change sets.
    """

    kind: str = Field(primary_key=True)
    name: str = Field(primary_key=True)
    value: dict[str, Any] = Field(default_factory=dict, sa_column=Column(JSON, nullable=False))


class BrowserSession(SQLModel, table=True):
    """A browser that was let in by the access key: the digest of what it was given, and until when that counts."""

    __tablename__ = "session"

    digest: str = Field(primary_key=True)
    until: int
