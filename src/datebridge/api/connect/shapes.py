"""Shapes of accounts, calendars that live elsewhere, and what is pushed there."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from datebridge.api.kinds import AccountNo, CalendarNo, RemoteNo
from datebridge.core.choices import Keep


class CalendarOut(BaseModel):
    """A calendar with what it says about itself."""

    id: int
    name: str
    label: str = Field(description="the name, with the account where another calendar has the same name")
    term: str = Field(description="what the filter line says to show just this calendar")
    colour: int
    own_colour: str
    zone: str
    description: str
    state: str = Field(description="what the calendar is, in words: live or snapshot, writable or not, which way")
    live: bool
    writable: bool
    flow: str = Field(description="which way changes flow, in words")
    source: str
    account_id: int | None = None
    remote_id: int | None = None
    account: str = ""
    owner: str = ""
    taken_at: str
    refreshed_at: str = ""
    next_at: str = ""
    every: int = Field(default=0, description="own refresh interval in seconds; 0 for the usual one")
    interval: str = Field(default="", description="how often it is refreshed, and who wants it so")
    outcome: str = ""
    trouble: str = ""
    failed_since: str = ""
    held_set_id: int | None = None
    echo: str = Field(default="", description="the share of one's own it came of, and so only repeats; empty for none")
    to_push: int = 0
    to_decide: int = 0
    entries: int
    problems: int
    first: str | None
    last: str | None


class RemoteOut(BaseModel):
    """A calendar an account holds, switched on or left off."""

    id: int
    name: str
    on: bool
    calendar_id: int | None
    owner: str
    may: str
    entries: int | None
    span: str
    holds: str = Field(description="the kinds of entries it takes")
    trouble: str = Field(description="why it could not be fetched; empty while all is well")


class HabitOut(BaseModel):
    """Something a server was seen to do, with what is done about it; and when last."""

    habit: str
    says: str
    at: str


class AccountOut(BaseModel):
    id: int
    kind: Literal["server", "feed"]
    name: str
    host: str
    user: str
    sign_on: str = Field(default="", description="the sign-on host it is opened through; empty for a password")
    trouble: str
    trouble_since: str
    habits: list[HabitOut]
    remotes: list[RemoteOut]


class DiscoverIn(BaseModel):
    address: str = Field(min_length=1, max_length=2_000)
    user: str = Field(default="", max_length=200)
    password: str = Field(default="", max_length=500)
    agreed: list[str] = Field(
        default=[], max_length=20, description="origins the person agreed to: elsewhere, or without encryption"
    )
    authority: str = Field(default="", max_length=200_000, description="certificates trusted there too, as PEM")
    certificate: str = Field(default="", max_length=50_000, description="one's own certificate with its key, as PEM")


class AddIn(DiscoverIn):
    name: str = Field(default="", max_length=200)
    publisher: str = Field(default="", max_length=200)


class SheetIn(BaseModel):
    text: str = Field(max_length=2_000_000, description="CSV: name, address, user, and password or token")


class SheetRowOut(BaseModel):
    """A row of a sheet of accounts; it goes back to the page alone, which adds accounts one by one."""

    row: int
    name: str
    address: str
    user: str
    password: str


class UnreadableRowOut(BaseModel):
    row: int
    column: str
    why: str


class SheetOut(BaseModel):
    rows: list[SheetRowOut]
    unreadable: list[UnreadableRowOut]


class LinkOut(BaseModel):
    title: str
    address: str


class FoundCalendar(BaseModel):
    name: str
    owner: str
    may: str


class ComingOut(BaseModel):
    day: str
    time: str
    title: str


class DiscoverOut(BaseModel):
    """What is at an address."""

    kind: Literal["server", "feed", "page"]
    says: str
    sign_on: bool = Field(default=False, description="it can be opened through a sign-on host")
    locked: bool
    connected: str = Field(description="the account as which it is connected already; empty for none")
    title: str
    links: list[LinkOut]
    calendars: list[FoundCalendar]
    size: int = Field(default=0, description="how large a feed is")
    entries: int | None = Field(default=None, description="null for a feed that is too large to be looked into here")
    span: str = ""
    interval: str = ""
    coming: list[ComingOut]


class AddedOut(BaseModel):
    account_id: int
    job_id: int


class SignInIn(BaseModel):
    user: str = Field(max_length=200)
    password: str = Field(max_length=500)
    agreed: list[str] = Field(default=[], max_length=20)


class RemotesIn(BaseModel):
    remotes: list[RemoteNo] = Field(min_length=1, max_length=500)


class KeepIn(BaseModel):
    keep: Keep


class IntervalIn(BaseModel):
    every: int = Field(ge=0, le=366 * 86400)


class AddressOut(BaseModel):
    address: str


class CalendarIn(BaseModel):
    name: str = Field(max_length=200)
    own_colour: str = Field(default="", max_length=24)
    zone: str = Field(default="", max_length=80)
    description: str = Field(default="", max_length=5_000)


class NewCalendarIn(CalendarIn):
    account_id: AccountNo | None = None


class CatalogueRow(BaseModel):
    title: str
    subject: str
    description: str
    address: str
    publisher: str
    connected: str = Field("", description="the name under which it is followed already")


class TargetIn(BaseModel):
    """Where copies go: a calendar there is, or a new one on an account (or here)."""

    calendar_id: CalendarNo | None = None
    account_id: AccountNo | None = None
    name: str = Field(default="", max_length=200)
    existing: Literal["skip", "newer", "both"] = "skip"
    move: bool = False
    tell: bool = False


class PushedOut(BaseModel):
    """How what a batch had to push fared, in entries."""

    waiting: int = 0
    sending: int = 0
    pushed: int = 0
    refused: int = 0
    conflict: int = 0
    dropped: int = 0


class UnsettledOut(BaseModel):
    """A change that was refused where its calendar lives, or is in conflict with one made there."""

    id: int
    state: Literal["refused", "conflict"]
    kind: Literal["entry", "calendar"]
    what: str
    when: str
    calendar: str
    account: str
    message: str
    set_id: int
    batch: str


class RefusalsOut(BaseModel):
    """Changes that were refused for one reason, of one calendar."""

    remote_id: int
    calendar: str
    account: str
    message: str
    count: int


class UnsettledPage(BaseModel):
    total: int
    rows: list[UnsettledOut]
    refusals: list[RefusalsOut]


class AgainIn(BaseModel):
    """Which refused changes are tried again: of one calendar, for one reason; all where nothing is said."""

    remote_id: RemoteNo | None = None
    message: str | None = Field(None, max_length=2_000)


class AgainOut(BaseModel):
    count: int


class FieldOut(BaseModel):
    """One field in which both sides differ; lines as they are written."""

    name: str
    label: str
    mine: list[str]
    theirs: list[str]
    mine_in_words: list[str] = Field(description="the same as people read it; nothing where it has none")
    theirs_in_words: list[str]
    bookkeeping: bool = Field(description="what programs note for each other: it decides itself")
    both_in_words: list[str] | None = Field(
        description="made of both, part by part; null where that cannot be, or is one"
    )
    proposed: Literal["mine", "theirs", "both"] = Field(description="what the merge of the two comes to")


class PairOut(BaseModel):
    recurrence_id: str
    title: str
    mine: list[str]
    theirs: list[str]
    gone: bool = Field(description="one side took it away, and the other left it as it was")
    fields: list[FieldOut]


class ConflictOut(BaseModel):
    push: UnsettledOut
    pairs: list[PairOut]


class MergedOut(BaseModel):
    """The batch that both sides were merged in; none where all is to be as it is here."""

    set_id: int | None


class MergeIn(BaseModel):
    """Per entry of the series (by recurrence id; "" for the master) the fields taken from this side, and from both."""

    mine: dict[str, list[str]]
    both: dict[str, list[str]] = {}


class SignOnIn(BaseModel):
    """A server that is to be opened through a sign-on host.

    Attributes:
        sign_on: that host; empty for the one the server names. client, secret: how Date Bridge is known there.
    """

    address: str = Field(max_length=4_000)
    sign_on: str = Field(default="", max_length=4_000)
    client: str = Field(default="", max_length=500)
    secret: str = Field(default="", max_length=2_000)
    agreed: list[str] = []
    authority: str = Field(default="", max_length=1_000_000)
    certificate: str = Field(default="", max_length=1_000_000)


class SignOnAt(BaseModel):
    """Where somebody is to sign in, and the address to which the answer comes."""

    address: str
    redirect: str


class SignOnAnswer(BaseModel):
    """What a sign-on host has sent the browser back with (RFC 6749 §4.1.2)."""

    state: str = Field(max_length=500)
    code: str = Field(default="", max_length=10_000)
    error: str = Field(default="", max_length=500)
    error_description: str = Field(default="", max_length=5_000)
    iss: str = Field(default="", max_length=4_000)
    agreed: list[str] = []


class SignedOn(BaseModel):
    """The account that was opened; the job that looks through it, where it is a new one."""

    account_id: int
    name: str
    job_id: int | None
