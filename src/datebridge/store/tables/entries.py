"""Calendars and their entries. A *version* is one state of one entry, kept for good; an *entry* is a version in force.

Versions never change. Applying a change set takes versions out of force and puts others in, so undo
needs no copies, and the text of an entry exists once however often it is deleted and brought back.
"""

from __future__ import annotations

from sqlalchemy import JSON, Column, Index, LargeBinary, text
from sqlmodel import Field, SQLModel


class Calendar(SQLModel, table=True):
    """A calendar. What its header in force says stands here as an index; `live` is false once that is gone.

    Attributes:
        colour: its place in the palette, where the header states no colour.
        own_colour: the colour the header states, as CSS has it; "" for none.
        revision: the revision of the entries at which something in it was changed last.
        checked: the revision of the entries at which the checks of whole calendars looked at it last; -1: never.
        writable: whether change sets of one's own may touch it; false for what can only be read where it lives.
    """

    id: int | None = Field(default=None, primary_key=True)
    name: str
    colour: int = 0
    own_colour: str = ""
    zone: str = ""
    description: str = ""
    live: bool = False
    writable: bool = True
    source: str = ""
    taken_at: int = 0
    revision: int = Field(default=0, sa_column_kwargs={"server_default": "0"})
    checked: int = Field(default=-1, sa_column_kwargs={"server_default": "-1"})


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
    travel: int = Field(default=0, sa_column_kwargs={"server_default": "0"})
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
    #: The group of a file it was read from, and the line there at which it began.
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
            # The last column makes the index hold all that an order needs, so that no row is looked at for it.
            Index(f"ix_entry_{name}", *columns, "listed", sqlite_where=text("listed = 1"))
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
        # All that is asked of the many before their rows are looked at: what may be there in a span.
        Index("ix_entry_span", "start_wall", "until_wall", "calendar_id", "marks", "listed"),
        Index("ix_entry_uid", "uid", "recurrence_id"),
    )

    id: int = Field(primary_key=True)
    calendar_id: int = Field(foreign_key="calendar.id")


class DensityRow(SQLModel, table=True):
    """How much happens on each day of a year in a calendar, on a clock; as of a revision of the calendar.

    An index like others: it can be rebuilt from the entries (see `store.density`).
    """

    __tablename__ = "density"

    calendar_id: int = Field(primary_key=True, foreign_key="calendar.id")
    year: int = Field(primary_key=True)
    zone: str = Field(primary_key=True)
    revision: int
    counts: str
    cut: str


class FindingRow(SQLModel, table=True):
    """What a check says of a version, at a revision of that check; an index that can be rebuilt at any time.

    `line` is that of the file the version was read from, 0 where none is known.
    """

    __tablename__ = "finding"

    id: int | None = Field(default=None, primary_key=True)
    version_id: int = Field(index=True)
    code: str = Field(index=True)
    revision: int
    line: int = 0
    message: str
    done: str = ""


class CheckRun(SQLModel, table=True):
    """By which revision of a check all versions have been looked at."""

    __tablename__ = "check_run"

    code: str = Field(primary_key=True)
    revision: int


class DuplicateRow(SQLModel, table=True):
    """Entries that are the same meeting (`core.matching`); an index that can be rebuilt at any time."""

    __tablename__ = "duplicate"
    __table_args__ = (Index("ix_duplicate_kind", "kind", "score"),)

    id: int | None = Field(default=None, primary_key=True)
    kind: str
    score: float
    reasons: list[str] = Field(default_factory=list, sa_column=Column(JSON, nullable=False))


class DuplicateMember(SQLModel, table=True):
    """An entry of such a group; where one contains the others it is the first. It need not be in force any more."""

    __tablename__ = "duplicate_member"
    __table_args__ = (Index("ix_duplicate_member_entry", "entry_id"),)

    duplicate_id: int = Field(primary_key=True, foreign_key="duplicate.id")
    position: int = Field(primary_key=True)
    entry_id: int


class RulingRow(SQLModel, table=True):
    """A remembered decision: about what (`kind`, `subject`), and what was decided. A revoked one counts no more."""

    __tablename__ = "ruling"
    __table_args__ = (Index("ix_ruling_subject", "kind", "subject"),)

    id: int | None = Field(default=None, primary_key=True)
    kind: str
    subject: str
    verdict: str
    reason: str = ""
    by_whom: str
    made_at: int
    revoked_at: int | None = None
