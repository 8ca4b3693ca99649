"""Attachments that a server keeps by itself: added to an object that is there, by requests of their own (RFC 8607)."""

from __future__ import annotations

import re
from urllib.parse import quote

from datebridge.connect.caldav import CalDavServer
from datebridge.connect.http import Answer
from datebridge.core.attachments import InlineFile

#: A media type as it may stand in a header (RFC 9110 §8.3.1).
_MEDIA = re.compile(r"[a-z0-9!#$&^_.+-]+/[a-z0-9!#$&^_.+-]+")


def manages_attachments(server: CalDavServer, url: str) -> bool:
    """Whether a calendar's server says that it keeps attachments by itself (RFC 8607 §2).

    Raises:
        Unreachable: if it cannot be asked.
    """
    return "calendar-managed-attachments" in server.web.request("OPTIONS", url).header("dav")


def add_attachment(server: CalDavServer, url: str, file: InlineFile, occurrence: str) -> Answer:
    """Add an attachment to an object (RFC 8607 §3.4): never tried again by itself, since it would be there twice.

    Args:
        occurrence: which changed occurrence it belongs to, by its RECURRENCE-ID in UTC; "" for all of a series.

    Raises:
        Unreachable: if its end is not known.
    """
    plain = re.sub(r"[^A-Za-z0-9 ._-]", "_", file.name)
    media = file.media if _MEDIA.fullmatch(file.media) else "application/octet-stream"
    named = f"attachment; filename=\"{plain}\"; filename*=UTF-8''{quote(file.name, safe='')}"
    headers = {"Content-Type": media, "Content-Disposition": named, "Prefer": "return=minimal"}
    of = f"&rid={quote(occurrence, safe='')}" if occurrence else ""
    return server.web.request("POST", f"{url}?action=attachment-add{of}", file.data, headers)
