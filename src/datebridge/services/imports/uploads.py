"""Files to be imported: uploads and archives, bounded, kept until they have been read and decided on."""

from __future__ import annotations

import lzma
import re
import struct
import uuid
import zipfile
import zlib
from collections.abc import Callable, Iterator
from email import policy
from email.errors import MessageError
from email.message import EmailMessage
from email.parser import BytesParser
from itertools import islice
from pathlib import Path, PurePosixPath
from typing import BinaryIO

from datebridge.clock import now
from datebridge.connect.feed import is_calendar
from datebridge.core.errors import CannotDo
from datebridge.core.job_kinds import JobKind
from datebridge.core.text.storable import storable
from datebridge.settings import Settings
from datebridge.store import imports
from datebridge.store.changesets.draft import CannotApply
from datebridge.store.database import Store, is_full
from datebridge.store.jobs import add_job
from datebridge.store.private import open_private
from datebridge.store.tables import ImportFile, demand_id

_COPY = 1 << 20
_HEAD = 1 << 16
MOST_PARTS = 500
_HEADERS = re.compile(rb"(?:[A-Za-z][A-Za-z0-9-]*:[^\r\n]*\r?\n(?:[ \t][^\r\n]*\r?\n)*){2,}")
#: A message is taken apart as a whole, in memory.
_MOST_MESSAGE = 64 << 20
#: As the parser of messages has it.
UNPARSED = (ValueError, LookupError, TypeError, AttributeError, RecursionError, MessageError)
#: What comes of archives that are damaged, or lie about themselves.
_DAMAGED = (
    zipfile.BadZipFile,
    RuntimeError,
    NotImplementedError,
    zlib.error,
    lzma.LZMAError,
    EOFError,
    struct.error,
    ValueError,
    OverflowError,
    OSError,
)
_LOCKED = 1  # of the flags of a file in an archive
_CALENDAR_TYPES = frozenset({"text/calendar", "application/ics"})


class NotTaken(CannotDo):
    """The file is not accepted; the message says why and what to do."""

    code, title, status = "not-taken", "The file is not accepted", 413


class NoCalendarPart(NotTaken):
    """A message holds no invitation; an event can be made of it all the same."""

    code = "no-calendar-part"


def receive(store: Store, settings: Settings, files: list[tuple[str, BinaryIO]]) -> int:
    """Keep the given files (name, content), unpack archives, and queue them to be read.

    Returns:
        the id of the job that reads them.

    Raises:
        NotTaken: if a file or archive goes beyond the bounds, or there is nothing to read.
    """
    kept: list[tuple[str, Path]] = []
    try:
        for name, content in files:
            path = settings.imports_dir / uuid.uuid4().hex
            _copy(content, path, settings.max_file, name)
            stays = False
            try:
                open_it = _opener(name, path)
                stays = open_it is None
                kept += open_it(path, name, settings) if open_it else [(PurePosixPath(name).name, path)]
            finally:
                if not stays:
                    path.unlink()
        if not kept:
            raise NotTaken("The archive contains no calendar file. Calendar files end in .ics.")
    except BaseException:
        for _, path in kept:
            path.unlink(missing_ok=True)
        raise
    with store.writing_session() as session:
        rows = [
            ImportFile(name=storable(name), path=path.name, size=path.stat().st_size, created_at=now())
            for name, path in kept
        ]
        session.add_all(rows)
        session.flush()
        title = f"Reading {rows[0].name}" if len(rows) == 1 else f"Reading {len(rows)} files"
        params = {"files": [demand_id(row.id) for row in rows]}
        return add_job(session.connection(), JobKind.READ, title, params)


def can_be_read_again(settings: Settings, state: str, path: str) -> bool:
    """Whether a file's reading was broken off: one that was read to its end is not kept."""
    return state == "refused" and (settings.imports_dir / path).is_file()


def read_again(store: Store, settings: Settings, file_id: int) -> int:
    """Read a file again whose reading was broken off; returns the job.

    Raises:
        CannotApply: if it is not there any more, or was read to its end.
    """
    with store.writing_session() as session:
        row = session.get(ImportFile, file_id)
        if row is None or not can_be_read_again(settings, row.state, row.path):
            raise CannotApply("This file cannot be read again. Import it again.")
        row.state, row.message = "queued", ""
        session.flush()
        return add_job(session.connection(), JobKind.READ, f"Reading {row.name}", {"files": [file_id]})


def _opener(name: str, path: Path) -> Callable[[Path, str, Settings], list[tuple[str, Path]]] | None:
    """How to get at the calendars inside a file; None where it is to be read as it is.

    Raises:
        NotTaken: if it is two things at once, so that nobody can say which of them was meant.
    """
    with path.open("rb") as opened:
        head = opened.read(_HEAD)
    if zipfile.is_zipfile(path):
        # An archive is known by its end, so anything may stand before it.
        if not head.startswith(b"PK"):
            what = "a calendar" if is_calendar(head) else "another file"
            raise NotTaken(
                f"{name} is two things at once: {what}, with an archive behind it. Nothing was imported. "
                "Save the one you need as a separate file."
            )
        return _unpack
    return _open_message if is_message(name, head) else None


def _copy(content: BinaryIO, path: Path, most: int, name: str) -> int:
    size = 0
    try:
        with open_private(path) as out:
            while chunk := content.read(_COPY):
                size += len(chunk)
                if size > most:
                    raise NotTaken(f"{name} is larger than {most >> 20} MB, the largest file that is accepted.")
                out.write(chunk)
    except BaseException:
        path.unlink(missing_ok=True)
        raise
    return size


def _unpack(archive: Path, name: str, settings: Settings) -> list[tuple[str, Path]]:
    """The calendar files of an archive. Archives inside archives are not opened."""
    kept: list[tuple[str, Path]] = []
    try:
        with zipfile.ZipFile(archive) as packed:
            members = [
                m for m in packed.infolist() if not m.is_dir() and m.filename.lower().endswith((".ics", ".ical"))
            ]
            if len(members) > settings.max_archive_files:
                raise NotTaken(f"{name} holds more than {settings.max_archive_files:,} files. Split it first.")
            room = settings.max_archive_octets
            for member in members:
                if member.flag_bits & _LOCKED:
                    raise NotTaken(f"{name} is locked with a password. Unlock the archive, and add its files instead.")
                path = settings.imports_dir / uuid.uuid4().hex
                most = min(room, settings.max_file, max(_COPY, member.compress_size * settings.max_archive_ratio))
                with packed.open(member) as content:
                    room -= _copy(content, path, most, f"{member.filename} in {name}")  # type: ignore[arg-type]
                kept.append((PurePosixPath(member.filename).name, path))
    except _DAMAGED as error:
        _drop(kept)
        if is_full(error):
            raise
        raise NotTaken(f"{name} cannot be unpacked: the archive is damaged. Ask for it to be sent again.") from error
    except BaseException:
        _drop(kept)
        raise
    if not kept:
        raise NotTaken(f"There is no .ics file in {name}.")
    return kept


def is_message(name: str, head: bytes) -> bool:
    """Whether a file is a whole message (RFC 5322), by its name or by how it begins."""
    if name.lower().endswith(".eml"):
        return True
    return bool(_HEADERS.match(head)) and b"\nMIME-Version:" in head.replace(b"\r", b"")


def _open_message(path: Path, name: str, settings: Settings) -> list[tuple[str, Path]]:
    """The calendar parts of a message, also of messages inside it; the same part sent twice is taken once.

    Raises:
        NotTaken: if it holds none.
    """
    if path.stat().st_size > _MOST_MESSAGE:
        raise NotTaken(f"{name} is a message of more than {_MOST_MESSAGE >> 20} MB. Save its calendar part as a file.")
    kept: list[tuple[str, Path]] = []
    try:
        message = parse_message(path.read_bytes(), name)
        subject = str(message.get("subject", "")).strip() or PurePosixPath(name).stem
        parts = list(_calendar_parts(message))
    except UNPARSED as error:
        raise _not_taken_apart(name) from error
    for content in dict.fromkeys(parts):
        target = settings.imports_dir / uuid.uuid4().hex
        with open_private(target) as out:
            out.write(content)
        kept.append((f"{subject[:80]}{f' {len(kept) + 1}' if kept else ''}.ics", target))
    if not kept:
        raise NoCalendarPart(f"{name} is a message without a calendar part. The invitation may be in another message.")
    return kept


def parse_message(content: bytes, name: str) -> EmailMessage:
    """A message taken apart.

    Raises:
        NotTaken: if it cannot be.
    """
    if len(content) > _MOST_MESSAGE:
        raise NotTaken(f"{name} is a message of more than {_MOST_MESSAGE >> 20} MB. Save its calendar part as a file.")
    try:
        return BytesParser(policy=policy.default).parsebytes(content)
    except UNPARSED as error:
        raise _not_taken_apart(name) from error


def _not_taken_apart(name: str) -> NotTaken:
    return NotTaken(f"{name} is a message that cannot be read. Save its calendar part as a separate file.")


def forget_strays(store: Store, settings: Settings) -> None:
    """After a start: throw away what a killed process had begun to keep, and nobody knows of."""
    with store.read() as connection:
        paths = imports.paths(connection)
    for folder, pattern in ((settings.imports_dir, "*"), (settings.archive_dir, "*.part")):
        for path in folder.glob(pattern) if folder.is_dir() else ():
            if path.name not in paths:
                path.unlink(missing_ok=True)


def _calendar_parts(message: EmailMessage) -> Iterator[bytes]:
    for part in islice(message.walk(), MOST_PARTS):
        file = part.get_filename() or ""
        if part.get_content_type() not in _CALENDAR_TYPES and not file.lower().endswith((".ics", ".ical")):
            continue
        content = part.get_payload(decode=True)
        if isinstance(content, bytes) and content.strip():
            yield content


def _drop(kept: list[tuple[str, Path]]) -> None:
    for _, path in kept:
        path.unlink(missing_ok=True)


def receive_paths(store: Store, settings: Settings, paths: list[Path]) -> int:
    """The same for files on this machine."""
    opened = [(path.name, path.open("rb")) for path in paths]
    try:
        return receive(store, settings, list(opened))
    finally:
        for _, content in opened:
            content.close()


def forget_upload(settings: Settings, path: str) -> None:
    (settings.imports_dir / path).unlink(missing_ok=True)
