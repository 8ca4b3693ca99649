"""Attachments that a server keeps by itself, added once the entries are there, and each only once."""

from __future__ import annotations

from collections.abc import Sequence

from datebridge.connect.attachments import add_attachment
from datebridge.connect.caldav import CalDavServer
from datebridge.connect.http import Answer
from datebridge.core.attachments import as_handed_over, files_of
from datebridge.core.index.derive import derive
from datebridge.core.keeping import entries_in
from datebridge.core.text.component import Component
from datebridge.core.zones.meaning import Zones

_ADDED = (200, 201, 204)


def add_missing(server: CalDavServer, url: str, texts: Sequence[str], zones: Zones) -> Answer | None:
    """Add those attachments of entries that the object does not have yet.

    Returns:
        what the server said where it did not take one of them; None where all of them are there.

    Raises:
        Unreachable: if the object cannot be read, or the end of a request is not known.
    """
    there = server.get(url)
    present = [file for text in as_handed_over(texts, entries_in(there.data or b"")) for file in files_of(text)]
    for text in texts:
        for file in files_of(text):
            if file in present:
                present.remove(file)
                continue
            answer = add_attachment(server, url, file, _occurrence(text, zones) if len(texts) > 1 else "")
            if answer.status not in _ADDED:
                return answer
    return None


def _occurrence(text: str, zones: Zones) -> str:
    """Which occurrence of a series an entry stands for, as RFC 8607 §3.3.3 writes it; ``M`` for the series itself."""
    return derive(Component(text).kind, text, zones).recurrence_id or "M"
