"""Shares: what is given to readers, who they are, by which addresses they come, and where it is handed out to."""

from __future__ import annotations

from typing import Any

from sqlalchemy import JSON, Column, Index, LargeBinary
from sqlmodel import Field, SQLModel


class Role(SQLModel, table=True):
    """Who owns shares: a role such as “harbour office”, never a person; `contact` says how to ask it."""

    id: int | None = Field(default=None, primary_key=True)
    name: str = Field(unique=True)
    contact: str = ""


class Share(SQLModel, table=True):
    """What is given to readers.

    Attributes:
        mark: by which what was given out is recognised; it opens nothing.
        secret: by which names are made that say nothing of what they stand for.
        calendars: those that are given; empty where a filter says what is.
        named_as: calendars under whose names (`core.sharing.gathering.named`) others are given, so that the programs of
            readers know the entries again after a move.
        terms: as `core.sharing.Terms` has them.
        forms: which are switched on; see `services.sharing.shares.Form`.
        zone: the zone whose clock the page and busy times go by.
        interval: after how many seconds readers may look again.
        fixed_at: it says what was so then; None while it is kept up to date.
        until: it ends then, in seconds since the epoch.
        sites: origins of the sites the page may be put into; indexed: search engines may list it.
        changed_at: when what is given was said otherwise; ended_at: when it was taken back as a whole.
    """

    id: int | None = Field(default=None, primary_key=True)
    mark: str = Field(unique=True)
    secret: bytes = Field(sa_type=LargeBinary)
    title: str
    role_id: int = Field(foreign_key="role.id")
    calendars: list[int] = Field(default_factory=list, sa_column=Column(JSON, nullable=False))
    filter: str = ""
    named_as: dict[str, int] = Field(default_factory=dict, sa_column=Column(JSON, nullable=False, server_default="{}"))
    terms: dict[str, Any] = Field(default_factory=dict, sa_column=Column(JSON, nullable=False))
    forms: list[str] = Field(default_factory=list, sa_column=Column(JSON, nullable=False))
    zone: str = "UTC"
    interval: int = 3600
    fixed_at: int | None = None
    until: int | None = None
    sites: list[str] = Field(default_factory=list, sa_column=Column(JSON, nullable=False))
    indexed: bool = False
    made_at: int
    changed_at: int
    ended_at: int | None = None
    by_whom: str = "person"


class Reader(SQLModel, table=True):
    """Somebody a share is given to; `name` is "" for everybody who has the address.

    Attributes:
        password: a digest of what programs have to give, "" for none.
        ended_at: taken back then.
    """

    id: int | None = Field(default=None, primary_key=True)
    share_id: int = Field(foreign_key="share.id", index=True)
    name: str = ""
    mail: str = ""
    password: str = ""
    made_at: int
    ended_at: int | None = None


class ShareAddress(SQLModel, table=True):
    """An address by which a reader comes, or came: of what it holds only a digest is kept.

    Attributes:
        ended_at: it was renewed or taken back then.
        target: where readers who still come by it are sent, encrypted; b"" for nowhere.
    """

    __tablename__ = "share_address"

    digest: str = Field(primary_key=True)
    reader_id: int = Field(foreign_key="reader.id", index=True)
    made_at: int
    ended_at: int | None = None
    target: bytes = Field(default=b"", sa_type=LargeBinary)


class ShareHeld(SQLModel, table=True):
    """A version that a share holds which says what was so at some time.

    `meant` is false for what only belongs to a series of which another part was chosen.
    """

    __tablename__ = "share_held"
    __table_args__ = (Index("ix_share_held_version", "version_id"),)

    share_id: int = Field(primary_key=True, foreign_key="share.id")
    version_id: int = Field(primary_key=True)
    calendar_id: int
    meant: bool = True


class ShareHost(SQLModel, table=True):
    """A web host a share is handed out to (RFC 4918 §9.7, RFC 9110 §9.3.4).

    Attributes:
        host: scheme, host and port, to be shown.
        always: handed out after every change; else once.
        etag: what the host called what was written last; digest: of what was written; seen: as of which state.
        sending: digest of what was about to be written, so that it is known for one's own if its answer is lost.
        outcome: what became of it, in words; trouble: why it failed last, "" while all is well.
    """

    __tablename__ = "share_host"

    id: int | None = Field(default=None, primary_key=True)
    share_id: int = Field(foreign_key="share.id", index=True)
    form: str = "feed"
    host: str
    user: str = ""
    address_sealed: bytes = Field(sa_type=LargeBinary)
    password_sealed: bytes = Field(default=b"", sa_type=LargeBinary)
    always: bool = True
    etag: str = ""
    digest: str = ""
    seen: str = ""
    sending: str = ""
    outcome: str = ""
    trouble: str = ""
    failures: int = 0
    tried_at: int | None = None
    done_at: int | None = None
