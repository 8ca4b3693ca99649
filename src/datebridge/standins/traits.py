"""How the simulated servers differ from one another."""

from __future__ import annotations

from dataclasses import dataclass, field

from datebridge.standins.losses import OF_HALYARD, OF_LANTERN, Losses

#: Whether a calendar's events block time (RFC 6638 §9.1), and the reminders they get by default.
_BLOCKING = "schedule-calendar-transp"
_REMINDERS = ("default-alarm-vevent-datetime", "default-alarm-vevent-date")


@dataclass(frozen=True, slots=True)
class Traits:
    """How a server differs from another.

    Attributes:
        sync: knows sync-collection (RFC 6578); otherwise a client compares tags and ETags.
        strict: refuses what is not valid and a UID that stands elsewhere in the home.
        whole_depth: answers a PROPFIND of all depths; otherwise it refuses it (RFC 4918 §9.1).
        mkcol: makes calendars by extended MKCOL too (RFC 5689), and says so.
        token_life: how many changes back a sync token reaches.
        most_bytes: the largest object taken.
        room: bytes that it says may still be written (RFC 4331); 0 for no word of it.
        pace: requests a second before it says 429; 0 for no limit.
        hourly: how many requests it answers in an hour, and then says 429 until that is over; 0 for no limit.
        page: how many changes sync-collection tells at once (RFC 6578 §3.6); 0 for all.
        latency: seconds added to every answer.
        acl: its owners say who else may read and write a calendar (RFC 3744 §8.1).
        settings: properties of CalDAV that owners set for a calendar, besides those of RFC 4791.
        manages: keeps attachments by itself (RFC 8607), `most_attached` bytes each.
        tokens: lets one in by access tokens too (RFC 6750).
        losses: what it does not keep of entries.
        principals_at: the origin at which people are said to be; "" for its own.
    """

    name: str
    sync: bool = False
    strict: bool = False
    whole_depth: bool = False
    mkcol: bool = False
    token_life: int = 50_000
    most_bytes: int = 1 << 20
    room: int = 0
    pace: int = 0
    hourly: int = 0
    page: int = 0
    latency: float = 0.0
    principals_at: str = ""
    acl: bool = False
    settings: tuple[str, ...] = (_BLOCKING,)
    manages: bool = False
    most_attached: int = 10_000_000
    tokens: bool = False
    losses: Losses = field(default_factory=Losses)


TIDEWRACK = Traits("Tidewrack", whole_depth=True, settings=(_BLOCKING, *_REMINDERS))
LANTERN = Traits("Lantern", acl=True, sync=True, strict=True, mkcol=True, most_bytes=200_000, losses=OF_LANTERN)
HALYARD = Traits(
    "Halyard", sync=True, mkcol=True, manages=True, tokens=True, hourly=20_000, page=500, losses=OF_HALYARD
)
