"""Accounts, calendars that live elsewhere, their objects, and what is to be pushed there."""

from __future__ import annotations

from sqlalchemy import JSON, Column, Index, LargeBinary, text
from sqlmodel import Field, SQLModel


class Account(SQLModel, table=True):
    """An account on a calendar server, or a feed. What opens it is kept encrypted.

    Attributes:
        kind: ``server`` or ``feed``.
        host: scheme, host and port, to be shown; a feed's whole address works like a password.
        authority: certificates that are trusted for it beside the usual ones, as PEM.
        certificate_sealed: a certificate of one's own with its key, for servers that ask who connects.
        sign_on: the sign-on host it is opened through, as much of its address as may be shown; "" for a password.
        grant_sealed: what that host has given (`connect.sign_on.Grant`).
        addresses: the e-mail addresses that are its owner.
        schedules: the server sends invitations by itself (RFC 6638).
        trouble: why it cannot be reached, since `trouble_since`; "" while all is well.
        habits: what its other end was seen to do, and when last (`connect.habits`).
        gone: disconnected; what opened it is wiped, and the logbook still knows its name.
    """

    id: int | None = Field(default=None, primary_key=True)
    kind: str
    name: str
    host: str
    user: str = ""
    address_sealed: bytes = Field(sa_type=LargeBinary)
    password_sealed: bytes = Field(default=b"", sa_type=LargeBinary)
    authority: str = ""
    certificate_sealed: bytes = Field(default=b"", sa_type=LargeBinary)
    sign_on: str = ""
    grant_sealed: bytes = Field(default=b"", sa_type=LargeBinary, sa_column_kwargs={"server_default": text("x''")})
    principal: str = ""
    home: str = ""
    addresses: list[str] = Field(default_factory=list, sa_column=Column(JSON, nullable=False))
    schedules: bool = False
    #: Where user name and password may be sent; each a scheme with host and port.
    origins: list[str] = Field(default_factory=list, sa_column=Column(JSON, nullable=False, server_default="[]"))
    created_at: int
    trouble: str = ""
    trouble_since: int | None = None
    habits: dict[str, int] = Field(default_factory=dict, sa_column=Column(JSON, nullable=False, server_default="{}"))
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
        max_size: how large an object may be there, in bytes (RFC 4791 §5.2.5); 0 where it is not said.
        drops: properties and components its server was seen to leave out of what it was given, by spaces.
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
    max_size: int = 0
    drops: str = ""


class ResourceRow(SQLModel, table=True):
    """A calendar object on a server, as last seen: its ETag, and the versions that were in force here then.

    An empty ETag says that what the server keeps has yet to be read. `kept` says what was there when it was read just
    after writing (`core.keeping.fingerprint`), where that is not what was written.
    """

    __tablename__ = "resource"
    __table_args__ = (Index("ix_resource_uid", "remote_id", "uid"),)

    remote_id: int = Field(primary_key=True, foreign_key="remote.id")
    href: str = Field(primary_key=True)
    uid: str = ""
    etag: str = ""
    versions: str = ""
    kept: str = ""


class Push(SQLModel, table=True):
    """What a batch has to push to a server: the entries of one UID, or the calendar itself.

    Attributes:
        kind: ``entry`` or ``calendar``.
        state: waiting, sending, pushed, refused, conflict, or dropped (their state was taken instead).
        message: the server's own reason, in plain words.
        theirs: for a conflict, what the server has instead, as calendar text; "" where it has nothing.
    """

    __table_args__ = (Index("ix_push_open", "remote_id", "state"), Index("ix_push_uid", "remote_id", "uid"))

    id: int | None = Field(default=None, primary_key=True)
    set_id: int = Field(foreign_key="change_set.id", index=True)
    remote_id: int = Field(foreign_key="remote.id")
    kind: str = "entry"
    uid: str = ""
    state: str = "waiting"
    message: str = ""
    theirs: str = ""
    theirs_etag: str = ""
