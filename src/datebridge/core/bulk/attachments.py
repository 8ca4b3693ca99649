"""Attachments on their way: those inline that become links or are kept by the server, and links that become inline.

>>> text = "BEGIN:VEVENT\\nUID:1\\nATTACH;FMTTYPE=text/plain;ENCODING=BASE64;VALUE=BINARY:VGlkZQ==\\nEND:VEVENT"
>>> lines = ComponentEditor(text)
>>> link_attachments(lines, LinkAttachments("https://files.skerrow.example/", 0))
>>> lines.lines[2]
'ATTACH;FMTTYPE=text/plain:https://files.skerrow.example/f697466c2285c4ba.txt'
"""

from __future__ import annotations

import base64
import re
from collections.abc import Iterator
from urllib.parse import unquote, urlsplit

from datebridge.core.attachments import MARK, handed_over, inline_file, is_inline
from datebridge.core.bulk.steps import FetchLinks, LinkAttachments
from datebridge.core.bulk.subject import CannotChange, Subject
from datebridge.core.text.component import ComponentEditor

#: What said how an attachment was kept elsewhere, and does not hold any more (RFC 5545 §3.2.7, RFC 8607 §4).
_OF_STORAGE = dict.fromkeys(("ENCODING", "VALUE", "MANAGED-ID", "SIZE", MARK))


def link_attachments(lines: ComponentEditor, step: LinkAttachments) -> None:
    """Say where attachments lie, instead of carrying them within the entry.

    Raises:
        CannotChange: if one cannot be decoded.
    """
    for at, line in reversed(list(lines.own("ATTACH"))):
        if not is_inline(line):
            continue
        file = inline_file(line)
        if file is None:
            raise CannotChange("An attachment cannot be decoded.")
        if len(file.data) > step.most * 1000:
            lines.change(at, f"{step.under.rstrip('/')}/{file.name}", _OF_STORAGE)


def fetch_links(lines: ComponentEditor, step: FetchLinks, subject: Subject) -> None:
    """Carry within the entry what its links lead to, as far as it was fetched (`Subject.files`).

    Raises:
        CannotChange: if one could not be fetched.
    """
    for at, line in reversed(list(lines.own("ATTACH"))):
        if is_inline(line):
            continue
        if subject.files is None:
            raise CannotChange("Links are fetched only for entries of an account's calendars.")
        file = subject.files.get(line.value.strip())
        if isinstance(file, str):
            raise CannotChange(file)
        if file is None:
            continue
        name = line.param("FILENAME") or _name_in(line.value)
        stored = {"FMTTYPE": file.media, "FILENAME": name, "ENCODING": "BASE64", "VALUE": "BINARY"}
        lines.change(at, base64.b64encode(file.data).decode("ascii"), {**_OF_STORAGE, **stored})


def keep_by_server(lines: ComponentEditor) -> None:
    """Mark attachments within an entry, so that its server keeps them.

    Raises:
        CannotChange: if one cannot be decoded.
    """
    if any(is_inline(line) and inline_file(line) is None for _, line in lines.own("ATTACH")):
        raise CannotChange("An attachment cannot be decoded.")
    lines.lines = handed_over(lines.text).split("\n")


def links_in(text: str) -> Iterator[str]:
    """The web addresses an entry has attached."""
    for _, line in ComponentEditor(text).own("ATTACH"):
        if not is_inline(line) and line.value.strip().lower().startswith(("https://", "http://")):
            yield line.value.strip()


def _name_in(url: str) -> str:
    name = unquote(urlsplit(url.strip()).path.rsplit("/", 1)[-1])
    return re.sub(r'[\x00-\x1f"\x7f/\\]+', "-", name)[:120] or "attachment"
