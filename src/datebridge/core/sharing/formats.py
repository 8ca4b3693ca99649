"""The formats in which a share can be read. A row of `FORMATS` says everything about one; nothing else lists them.

>>> FORMATS[Form.BUSY].path, by_path("feed.json")
('busy.ifb', <Form.JCAL: 'jcal'>)
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from datebridge.core.choices import Form
from datebridge.core.moments import instant_at
from datebridge.core.sharing.forms import Cover, as_free_busy, as_ics, as_jcal, busy_bounds
from datebridge.core.sharing.gathering import SharedContent

#: Writes a share: what it gives, what is said on top, the zone of its clock, and midnight of today in wall seconds.
Maker = Callable[[SharedContent, Cover, str, int], bytes]


@dataclass(frozen=True, slots=True)
class Format:
    """A format of shares.

    Attributes:
        path: under the address of a reader.
        name: in a list of them; `title` and `description` where one is chosen.
        make: writes it; None for the page, which the readers' door draws.
        hosted: whether it can be published to a web host.
    """

    form: Form
    path: str
    media: str
    name: str
    title: str
    description: str
    make: Maker | None
    hosted: bool = False


def _calendar(content: SharedContent, cover: Cover, zone: str, midnight: int) -> bytes:
    return b"".join(as_ics(content, cover))


def _jcal(content: SharedContent, cover: Cover, zone: str, midnight: int) -> bytes:
    return as_jcal(content, cover)


def _busy(content: SharedContent, cover: Cover, zone: str, midnight: int) -> bytes:
    low, high = busy_bounds(content.terms, midnight)
    return b"".join(as_free_busy(content, cover, low, high, zone, instant_at(midnight, zone)))


_ICS = "text/calendar; charset=utf-8"
FORMATS = {
    one.form: one
    for one in (
        Format(Form.FEED, "feed.ics", _ICS, "feed", "Feed", "to subscribe to in a calendar program", _calendar, True),
        Format(Form.PAGE, "", "text/html; charset=utf-8", "page", "Page", "for a browser, or inside a web site", None),
        Format(
            Form.BUSY,
            "busy.ifb",
            f"{_ICS}; component=VFREEBUSY",
            "busy times",
            "Busy times",
            "free-busy, for programs that look for a free time",
            _busy,
            True,
        ),
        Format(
            Form.JCAL,
            "feed.json",
            "application/calendar+json",
            "jCal",
            "jCal",
            "the feed as JSON, for programs",
            _jcal,
            True,
        ),
        Format(Form.FILE, "file.ics", _ICS, "file", "File", "to download once, whole or one entry", _calendar),
    )
}


def by_path(path: str) -> Form | None:
    """The format at a path under a reader's address; None for a path that is none's."""
    return next((one.form for one in FORMATS.values() if one.path == path), None)
