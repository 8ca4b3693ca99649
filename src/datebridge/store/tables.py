"""The tables. A *version* is one state of one entry, kept for good; an *entry* is a version in force.

Versions never change. Applying a change set takes versions out of force and puts others in, so undo
needs no copies, and the text of an entry exists once however often it is deleted and brought back.
"""

from __future__ import annotations

from typing import Any

from sqlalchemy import JSON, Column, Index, LargeBinary, text
from sqlmodel import Field, SQLModel


def demand_id(number: int | None) -> int:
    """The id of a row that has been stored; before that it has none."""
    if number is None:
        raise ValueError("This row has not been stored yet.")
    return number


class Calendar(SQLModel, table=True):
    """A calendar. What its header in force says stands here as an index; `live` is false once that is gone.

    Attributes:
        colour: its place in the palette, where the header states no colour.
        tint: the colour the header states, as CSS has it; "" for none.
        revision: the revision of the entries at which something in it was changed last.
        writable: whether change sets of one's own may touch it; false for what can only be read where it lives.
    """

    id: int | None = Field(default=None, primary_key=True)
    name: str
    colour: int = 0
    tint: str = ""
    zone: str = ""
    description: str = ""
    live: bool = False
    writable: bool = True
    source: str = ""
    taken_at: int = 0
    revision: int = Field(default=0, sa_column_kwargs={"server_default": "0"})


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
    #: The version this one was copied from.
    source_id: int | None = None


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
    created_at: int
    finished_at: int | None = None


class Meta(SQLModel, table=True):
    """One row: the revision of the entries, raised by every batch, by which caches know they are old.

    `index_revision` says by which meaning of the facts the index was made; see `versions.INDEX_REVISION`.
    """

    id: int = Field(default=1, primary_key=True)
    revision: int = 0
    index_revision: int = Field(default=0, sa_column_kwargs={"server_default": "0"})


class DensityRow(SQLModel, table=True):
    """How much happens on each day of a year in a calendar, on a clock; as of a revision of the calendar.

    An index like others: it can be made anew from the entries (see `store.density`).
    """

    __tablename__ = "density"

    calendar_id: int = Field(primary_key=True, foreign_key="calendar.id")
    year: int = Field(primary_key=True)
    zone: str = Field(primary_key=True)
    revision: int
    counts: str
    cut: str


class Kept(SQLModel, table=True):
    """Something kept under a name for looking at time: a set of layers, picked days; or the clocks and hours.

    It says how calendars are looked at, never what is in them, so it stands beside the change sets.
    """

    kind: str = Field(primary_key=True)
    name: str = Field(primary_key=True)
    value: dict[str, Any] = Field(default_factory=dict, sa_column=Column(JSON, nullable=False))


class Account(SQLModel, table=True):
    """An account on a calendar server, or a feed. What opens it is kept encrypted.

    Attributes:
        kind: ``server`` or ``feed``.
        host: scheme, host and port, to be shown; a feed's whole address works like a password.
        addresses: the e-mail addresses that are its owner.
        schedules: the server sends invitations by itself (RFC 6638).
        trouble: why it cannot be reached, since `trouble_since`; "" while all is well.
        gone: disconnected; what opened it is wiped, and the logbook still knows its name.
    """

    id: int | None = Field(default=None, primary_key=True)
    kind: str
    name: str
    host: str
    user: str = ""
    address_sealed: bytes = Field(sa_type=LargeBinary)
    password_sealed: bytes = Field(default=b"", sa_type=LargeBinary)
    principal: str = ""
    home: str = ""
    addresses: list[str] = Field(default_factory=list, sa_column=Column(JSON, nullable=False))
    schedules: bool = False
    #: Where user name and password may be sent; each a scheme with host and port.
    origins: list[str] = Field(default_factory=list, sa_column=Column(JSON, nullable=False, server_default="[]"))
    created_at: int
    trouble: str = ""
    trouble_since: int | None = None
    gone: bool = False


class Remote(SQLModel, table=True):
    """A calendar as it lives elsewhere, switched on (it has a `calendar_id`) or left off.

    Attributes:
        url: where a server has it; "" for feeds, and until a new one has been made there.
        entries, first, last: what was counted when the account was looked through.
        tag, token: what its server calls its present state (RFC 6578); etag, modified: the same for a feed.
        every: own refresh interval in seconds; published_every: the publisher's; 0 for none.
        held_set_id: a refresh that waits for a decision because it would lose very much.
        held_digest: of the content that was held back, so that it is asked about once.
    """

    id: int | None = Field(default=None, primary_key=True)
    account_id: int = Field(foreign_key="account.id", index=True)
    calendar_id: int | None = Field(default=None, foreign_key="calendar.id", index=True)
    url: str = ""
    name: str
    colour: str = ""
    colour_space: str = ""
    description: str = ""
    zone: str = ""
    owner: str = ""
    owned: bool = True
    writable: bool = False
    components: str = ""
    position: int = 0
    entries: int | None = None
    first: int | None = None
    last: int | None = None
    endless: bool = False
    syncs: bool = False
    tag: str = ""
    token: str = ""
    etag: str = ""
    modified: str = ""
    every: int = 0
    published_every: int = 0
    refreshed_at: int | None = None
    next_at: int | None = None
    outcome: str = ""
    trouble: str = ""
    failed_since: int | None = None
    failures: int = 0
    held_set_id: int | None = None
    held_digest: str = ""


class ResourceRow(SQLModel, table=True):
    """A calendar object on a server, as last seen: its ETag, and the versions that were in force here then.

    An empty ETag says that what the server keeps has yet to be read back.
    """

    __tablename__ = "resource"
    __table_args__ = (Index("ix_resource_uid", "remote_id", "uid"),)

    remote_id: int = Field(primary_key=True, foreign_key="remote.id")
    href: str = Field(primary_key=True)
    uid: str = ""
    etag: str = ""
    versions: str = ""


class Carriage(SQLModel, table=True):
    """What a batch has to carry to a server: the entries of one UID, or the calendar itself.

    Attributes:
        kind: ``entry`` or ``calendar``.
        state: waiting, sending, carried, refused, collided, or dropped (their state was taken instead).
        message: the server's own reason, in plain words.
        theirs: for a collision, what the server has instead, as calendar text; "" where it has nothing.
    """

    __table_args__ = (Index("ix_carriage_open", "remote_id", "state"), Index("ix_carriage_uid", "remote_id", "uid"))

    id: int | None = Field(default=None, primary_key=True)
    set_id: int = Field(foreign_key="change_set.id", index=True)
    remote_id: int = Field(foreign_key="remote.id")
    kind: str = "entry"
    uid: str = ""
    state: str = "waiting"
    message: str = ""
    theirs: str = ""
    theirs_etag: str = ""
