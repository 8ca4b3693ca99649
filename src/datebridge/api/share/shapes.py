"""What is sent and said about shares."""

from __future__ import annotations

from typing import Annotated, Literal

from annotated_types import Ge, Le
from pydantic import BaseModel, Field

from datebridge.api.kinds import CalendarNo, Day
from datebridge.core.choices import Form
from datebridge.core.sharing.terms import Detail, Guarded

ShareNo = Annotated[int, Ge(1), Le(2**63 - 1)]
ReaderNo = Annotated[int, Ge(1), Le(2**63 - 1)]
HostNo = Annotated[int, Ge(1), Le(2**63 - 1)]
Days = Annotated[int, Ge(0), Le(36_600)]


class TermsIO(BaseModel):
    """What is given of each entry."""

    detail: Detail = Detail.BUSY
    busy_title: str = Field(default="Busy", max_length=200)
    private: Guarded = Guarded.LEAVE_OUT
    confidential: Guarded = Guarded.LEAVE_OUT
    attachments: bool = False
    alarms: bool = False
    conferences: bool = False
    unknown: bool = False
    todos: bool = False
    back: Days | None = Field(default=None, description="so many days of the past; none for all")
    ahead: Days | None = Field(default=None, description="so many days to come; none for all")


class WantedIn(BaseModel):
    """A share as it is wanted."""

    title: str = Field(max_length=500)
    owner: str = Field(max_length=200)
    contact: str = Field("", max_length=500)
    calendars: list[CalendarNo] = Field(default=[], max_length=1_000)
    filter: str = Field("", max_length=5_000)
    terms: TermsIO = TermsIO()
    forms: list[Form] = Field(default=[Form.FEED, Form.PAGE], max_length=10)
    zone: str = Field("UTC", max_length=100)
    interval: int = Field(3600, description="in seconds")
    fixed: bool = False
    until: Day | None = Field(default=None, description="the last day on which it is given")
    sites: list[str] = Field(default=[], max_length=50)
    indexed: bool = False


class FormUse(BaseModel):
    """How a form was used in 90 days."""

    form: str
    fetched: int
    unchanged: int
    size: int


class ReaderOut(BaseModel):
    """Somebody a share is given to."""

    id: int
    name: str = Field(description="empty for everybody who has the address")
    mail: str
    password: bool = Field(description="whether programs have to give one")
    state: Literal["reads", "never read", "inactive", "revoked", "redirected"]
    last: str = Field(description="when it was last fetched; empty for never")
    a_day: float = Field(description="how often a day, over the days since it was first fetched")
    refused: int
    size: int
    bars: list[int] = Field(description="how often on each of the last 90 days")


class HostOut(BaseModel):
    """A web host a share is handed out to."""

    id: int
    host: str
    user: str
    form: Form
    always: bool
    outcome: str
    trouble: str
    last: str


class ShareOut(BaseModel):
    """A share with its readers, and how it is used."""

    id: int
    title: str
    owner: str
    contact: str
    calendars: list[CalendarNo]
    names: list[str]
    filter: str
    terms: TermsIO
    forms: list[Form]
    zone: str
    interval: int
    fixed_at: str
    until: str
    over: bool = Field(description="the day until which it was given is over")
    sites: list[str]
    indexed: bool
    made: str
    says: str = Field(description="what is given, in words")
    readers: list[ReaderOut]
    hosts: list[HostOut]
    bars: list[int]
    uses: list[FormUse]
    fetched: int
    size: int
    refused: int
    unread: bool = Field(description="nobody has read it for 30 days, though it could be")


class FormatOut(BaseModel):
    """A format in which a share can be read: under which path of a reader's address, and what it is called."""

    form: Form
    path: str
    name: str
    title: str
    description: str
    hosted: bool


class SharesOut(BaseModel):
    formats: list[FormatOut]
    shares: list[ShareOut]
    door: str = Field(description="where readers come in; empty where they have no door")
    mail: bool = Field(description="whether a mail server is set up")
    fetched: int = Field(description="what was given out of all shares in 90 days")
    size: int
    refused: int
    unknown: int = Field(description="tries with addresses nobody knows")


class RoleOut(BaseModel):
    name: str
    contact: str


class ShareMade(BaseModel):
    id: int


class OwnerIn(BaseModel):
    owner: str = Field(max_length=200)
    contact: str = Field("", max_length=500)


class SeenIn(BaseModel):
    wanted: WantedIn
    share: ShareNo | None = Field(default=None, description="the share it is of, where there is one already")
    which: Literal["all", "given", "busy", "left out"] = "all"
    offset: int = Field(0, ge=0, le=2**40)
    limit: int = Field(50, ge=1, le=200)


class LineOut(BaseModel):
    """A line of an entry, and what readers get of it."""

    source: str = Field(description="empty for what only readers have")
    given: list[str]


class SeenRow(BaseModel):
    title: str
    given_title: str
    when: str
    calendar: str
    fate: str
    as_busy: bool
    lines: list[LineOut]


class PrivacyWarningOut(BaseModel):
    what: str
    entries: int
    title: str
    found: str


class SeenOut(BaseModel):
    """A share through its readers' eyes."""

    says: str
    considered: int
    given: int
    as_busy: int
    left_out: int
    warnings: list[PrivacyWarningOut]
    total: int
    rows: list[SeenRow]


class ReaderIn(BaseModel):
    name: str = Field("", max_length=200)
    mail: str = Field("", max_length=300)
    password: str = Field("", max_length=200)


class ToldOut(BaseModel):
    """An address, told this once: only a digest of it is kept."""

    reader: int
    address: str
    feed: str
    webcal: str


class PasswordIn(BaseModel):
    password: str = Field("", max_length=200)


class SendOnIn(BaseModel):
    target: str = Field("", max_length=2_000)


class InvitationOut(BaseModel):
    subject: str
    text: str


class InvitationIn(BaseModel):
    """A message to a reader; their address has to be given again, since it is not kept."""

    address: str = Field(max_length=2_000)
    subject: str = Field(max_length=500)
    text: str = Field(max_length=20_000)
    attach: bool = False


class HostIn(BaseModel):
    address: str = Field(max_length=2_000)
    user: str = Field("", max_length=200)
    password: str = Field("", max_length=500)
    form: Form = Form.FEED
    always: bool = True


class HandOutIn(BaseModel):
    over: bool = Field(False, description="also where somebody else has changed it there meanwhile")
