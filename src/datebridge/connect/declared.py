"""What a calendar server says of itself: limits and kinds of a calendar (RFC 4791 §5.2), and what it can do besides."""

from __future__ import annotations

from dataclasses import dataclass

from datebridge.connect import dav
from datebridge.connect.caldav import CalDavServer
from datebridge.connect.homes import FLAT

_LIMITS = (
    "C:max-resource-size",
    "C:min-date-time",
    "C:max-date-time",
    "C:max-instances",
    "C:max-attendees-per-instance",
    "C:supported-calendar-component-set",
    "C:supported-calendar-data",
    "D:quota-available-bytes",
)


@dataclass(frozen=True, slots=True)
class Declared:
    """What a server declares of a calendar; 0, "" and nothing where it does not say.

    Attributes:
        schedules, manages: it sends invitations by itself (RFC 6638), it keeps attachments by itself (RFC 8607).
        room: bytes that may still be written (RFC 4331).
    """

    max_size: int = 0
    first: str = ""
    last: str = ""
    max_instances: int = 0
    max_attendees: int = 0
    kinds: tuple[str, ...] = ()
    room: int = 0
    schedules: bool = False
    manages: bool = False


def declared_by(server: CalDavServer, url: str) -> Declared:
    """What a server declares of a calendar.

    Raises:
        Unreachable: if it cannot be asked.
    """
    answer = server.web.request("PROPFIND", url, dav.propfind(_LIMITS), FLAT)
    responses, _ = dav.multistatus(answer.body, server.host) if answer.status == 207 else ([], "")
    offers = server.web.request("OPTIONS", url).header("dav")
    schedules, manages = "calendar-auto-schedule" in offers, "calendar-managed-attachments" in offers
    if not responses:
        return Declared(schedules=schedules, manages=manages)
    own = responses[0]
    components = own.properties.get("supported-calendar-component-set")
    return Declared(
        _number(own.text("max-resource-size")),
        own.text("min-date-time").strip(),
        own.text("max-date-time").strip(),
        _number(own.text("max-instances")),
        _number(own.text("max-attendees-per-instance")),
        tuple(str(one.get("name", "")) for one in components) if components is not None else (),
        _number(own.text("quota-available-bytes")),
        schedules,
        manages,
    )


def _number(text: str) -> int:
    text = text.strip()
    return int(text) if text.isascii() and text.isdigit() and len(text) < 16 else 0
