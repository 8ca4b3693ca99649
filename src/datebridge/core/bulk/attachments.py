"""Attachments on their way: those inline that become links, and links that become attachments inline.

>>> text = "BEGIN:VEVENT\\nUID:1\\nATTACH;FMTTYPE=text/plain;ENCODING=BASE64;VALUE=BINARY:VGlkZQ==\\nEND:VEVENT"
>>> [(file.name, file.media, file.data) for file in inline_files(text)]
[('f697466c2285c4ba.txt', 'text/plain', b'Tide')]
>>> lines = ComponentEditor(text)
>>> link_attachments(lines, LinkAttachments("https://files.skerrow.example/", 0))
>>> lines.lines[2]
'ATTACH;FMTTYPE=text/plain:https://files.skerrow.example/f697466c2285c4ba.txt'
"""

from __future__ import annotations

import base64
import binascii
import hashlib
import mimetypes
import re
from collections.abc import Iterator
from typing import NamedTuple
from urllib.parse import unquote, urlsplit

from datebridge.core.bulk.steps import FetchLinks, LinkAttachments
from datebridge.core.bulk.subject import CannotChange, Subject
from datebridge.core.text.component import ComponentEditor
from datebridge.core.text.lines import ContentLine

#: What said how an attachment was kept elsewhere, and does not hold any more (RFC 5545 §3.2.7, RFC 8607 §4).
_OF_STORAGE = dict.fromkeys(("ENCODING", "VALUE", "MANAGED-ID", "SIZE"))


class InlineFile(NamedTuple):
    """An attachment within an entry, as a file.

    Attributes:
        name: made of what is in it, so that the same file has the same name everywhere.
    """

    name: str
    media: str
    data: bytes


def inline_files(text: str) -> Iterator[InlineFile]:
    """The attachments within an entry, alarms left out; what cannot be decoded is none."""
    for _, line in ComponentEditor(text).own("ATTACH"):
        file = _file(line)
        if file is not None:
            yield file


def link_attachments(lines: ComponentEditor, step: LinkAttachments) -> None:
    """Say where attachments lie, instead of carrying them within the entry.

    Raises:
        CannotChange: if one cannot be decoded.
    """
    for at, line in reversed(list(lines.own("ATTACH"))):
        if not is_inline(line):
            continue
        file = _file(line)
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


def links_in(text: str) -> Iterator[str]:
    """The web addresses an entry has attached."""
    for _, line in ComponentEditor(text).own("ATTACH"):
        if not is_inline(line) and line.value.strip().lower().startswith(("https://", "http://")):
            yield line.value.strip()


def is_inline(line: ContentLine) -> bool:
    """Whether an attachment is within the entry (RFC 5545 §3.8.1.1)."""
    return (line.param("ENCODING") or "").upper() == "BASE64" or (line.param("VALUE") or "").upper() == "BINARY"


def _file(line: ContentLine) -> InlineFile | None:
    if not is_inline(line):
        return None
    try:
        data = base64.b64decode("".join(line.value.split()), validate=True)
    except (binascii.Error, ValueError):
        return None
    media = (line.param("FMTTYPE") or "application/octet-stream").lower()
    given = line.param("FILENAME") or line.param("X-FILENAME") or ""
    ending = re.search(r"\.[A-Za-z0-9]{1,8}$", given)
    suffix = ending[0].lower() if ending else mimetypes.guess_extension(media, strict=False) or ""
    return InlineFile(hashlib.sha256(data).hexdigest()[:16] + suffix, media, data)


def _name_in(url: str) -> str:
    name = unquote(urlsplit(url.strip()).path.rsplit("/", 1)[-1])
    return re.sub(r'[\x00-\x1f"\x7f/\\]+', "-", name)[:120] or "attachment"
