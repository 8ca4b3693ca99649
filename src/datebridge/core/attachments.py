"""Attachments as files: those within entries, and those that a server is to keep by itself (RFC 8607).

>>> text = "BEGIN:VEVENT\\nUID:1\\nATTACH;FMTTYPE=text/plain;ENCODING=BASE64;VALUE=BINARY:VGlkZQ==\\nEND:VEVENT"
>>> [(file.name, file.media, file.data) for file in inline_files(text)]
[('f697466c2285c4ba.txt', 'text/plain', b'Tide')]

An attachment that a server is to keep is marked on its line. The entry is written without it, and it is added by a
request of its own; what the server hands out then has a link of the server's in its place.

>>> marked = handed_over(text)
>>> to_send([marked], manages=True)
['BEGIN:VEVENT\\nUID:1\\nEND:VEVENT']
>>> to_send([marked], manages=False) == [text]
True
>>> there = "BEGIN:VEVENT\\nUID:1\\nATTACH;FILENAME=f697466c2285c4ba.txt;MANAGED-ID=7;SIZE=4:https://a.example/7\\nEND:VEVENT"
>>> as_handed_over([marked], [there]) == [marked]
True
"""

from __future__ import annotations

import base64
import binascii
import hashlib
import mimetypes
import re
from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import NamedTuple

from datebridge.core.text.component import ComponentEditor
from datebridge.core.text.lines import ContentLine

#: The parameter by which an attachment is marked that a server is to keep by itself.
MARK = "X-DATE-BRIDGE-KEPT-BY"
_BY_SERVER = {MARK: "SERVER"}


class InlineFile(NamedTuple):
    """An attachment within an entry, as a file.

    Attributes:
        name: made of what is in it, so that the same file has the same name everywhere; or the one it was given.
    """

    name: str
    media: str
    data: bytes


def inline_files(text: str) -> Iterator[InlineFile]:
    """The attachments within an entry, alarms left out; what cannot be decoded is none."""
    for _, line in ComponentEditor(text).own("ATTACH"):
        file = inline_file(line)
        if file is not None:
            yield file


def is_inline(line: ContentLine) -> bool:
    """Whether an attachment is within the entry (RFC 5545 §3.8.1.1)."""
    return (line.param("ENCODING") or "").upper() == "BASE64" or (line.param("VALUE") or "").upper() == "BINARY"


def inline_file(line: ContentLine) -> InlineFile | None:
    """What a line holds as a file, by a name made of what is in it; None where it holds none."""
    if not is_inline(line):
        return None
    try:
        data = base64.b64decode("".join(line.value.split()), validate=True)
    except (binascii.Error, ValueError):
        return None
    media = (line.param("FMTTYPE") or "application/octet-stream").lower()
    ending = re.search(r"\.[A-Za-z0-9]{1,8}$", _given_name(line))
    suffix = ending[0].lower() if ending else mimetypes.guess_extension(media, strict=False) or ""
    return InlineFile(hashlib.sha256(data).hexdigest()[:16] + suffix, media, data)


# ---- kept by the server --------------------------------------------------------------------------


def is_marked(texts: Sequence[str]) -> bool:
    """Whether a server is to keep an attachment of these entries."""
    return any(MARK in text for text in texts)


def handed_over(text: str) -> str:
    """An entry with its attachments marked, so that the server keeps them; those that cannot be decoded stay."""
    lines = ComponentEditor(text)
    for at, line in list(lines.own("ATTACH")):
        if inline_file(line) is not None:
            lines.change(at, line.value, dict(_BY_SERVER))
    return lines.text


def files_of(text: str) -> list[InlineFile]:
    """The attachments of an entry that a server is to keep, by the names it gets them under."""
    return [file for file, _ in _marked_files(text)]


def to_send(texts: Sequence[str], manages: bool) -> list[str]:
    """Entries as they are written.

    Args:
        manages: the server keeps attachments by itself, so they are added afterwards; else they stay within.
    """
    return [_without(text) if manages else _unmarked(text) for text in texts]


def with_files_of(text: str, marked: str) -> str:
    """An entry with the marked attachments of another one."""
    lines = ComponentEditor(text)
    lines.add(*(raw for _, raw in _marked_files(marked)))
    return lines.text


def as_handed_over(mine: Sequence[str], theirs: Sequence[str]) -> list[str]:
    """What a server hands out, with the attachments it keeps as they were marked in what it was given.

    They are known by name and size; what is otherwise comes back as it is.
    """
    given: defaultdict[str, list[tuple[str, str]]] = defaultdict(list)
    for file, raw in (pair for text in mine for pair in _marked_files(text)):
        given[file.name].append((str(len(file.data)), raw))
    return [_seen(text, given) for text in theirs] if given else list(theirs)


def _seen(text: str, given: Mapping[str, list[tuple[str, str]]]) -> str:
    lines = ComponentEditor(text)
    for at, line in list(lines.own("ATTACH")):
        own = given.get(line.param("FILENAME") or "", []) if line.param("MANAGED-ID") is not None else []
        size = line.param("SIZE")
        pair = next((pair for pair in own if size in (None, pair[0])), None)
        if pair is not None:
            own.remove(pair)
            lines.lines[at] = pair[1]
    return lines.text


def _marked_files(text: str) -> list[tuple[InlineFile, str]]:
    """The marked attachments of an entry, by the names they are given under, each with its line."""
    lines = ComponentEditor(text)
    files = [(inline_file(line), at, line) for at, line in _marked(lines)]
    return [
        (file._replace(name=_given_name(line) or file.name), lines.lines[at])
        for file, at, line in files
        if file is not None
    ]


def _marked(lines: ComponentEditor) -> list[tuple[int, ContentLine]]:
    return [(at, line) for at, line in lines.own("ATTACH") if line.param(MARK) is not None]


def _without(text: str) -> str:
    return _edited(text, lambda lines, at, _: lines.lines.pop(at))


def _unmarked(text: str) -> str:
    return _edited(text, lambda lines, at, line: lines.change(at, line.value, {MARK: None}))


def _edited(text: str, edit: Callable[[ComponentEditor, int, ContentLine], object]) -> str:
    if MARK not in text:
        return text
    lines = ComponentEditor(text)
    for at, line in reversed(_marked(lines)):
        edit(lines, at, line)
    return lines.text


def _given_name(line: ContentLine) -> str:
    return line.param("FILENAME") or line.param("X-FILENAME") or ""
