"""From the bytes of a file to unfolded UTF-8, block by block, with the line numbers kept.

Lines are unfolded before anything is decoded, since real files fold in the middle of a character
(RFC 5545 §3.1 warns of it). Memory stays bounded by the block size and the longest component.
"""

from __future__ import annotations

import codecs
import io
import re
from bisect import bisect_left
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import BinaryIO

BLOCK = 1 << 20
#: What stands where an encoding was broken.
REPLACED = "\ufffd".encode()
_FOLD = re.compile(rb"\n[ \t]")
#: Where a block may end without cutting a component in two.
#: A line with a CR in it; what begins or ends a component; a property that is no text and so can hold none.
_WITH_CR = re.compile(rb"[^\n\r]*\r[^\n]*")
_FENCE = re.compile(rb"(?:BEGIN|END):[A-Za-z-]+\s*\Z")
_NO_TEXT = re.compile(
    rb"(?:DTSTART|DTEND|DTSTAMP|DUE|DURATION|RRULE|RDATE|EXDATE|RECURRENCE-ID|CREATED|LAST-MODIFIED|SEQUENCE|TRANSP|STATUS"
    rb"|CLASS|PRIORITY|TRIGGER|ACTION|VERSION|TZOFFSETFROM|TZOFFSETTO|METHOD|CALSCALE)[;:]"
)
_CUT = re.compile(rb"\nBEGIN:V(?:EVENT|TODO|JOURNAL|CALENDAR)(?=\n)")
_HIGH_WORD = re.compile(rb"[A-Za-z]*[\x80-\xff][A-Za-z\x80-\xff]*")
#: Encodings old programs wrote, tried in this order of likelihood where a file is not UTF-8.
LEGACY = [
    "cp1252",
    "cp1250",
    "cp1251",
    "cp1253",
    "cp1254",
    "cp1257",
    "iso8859_2",
    "iso8859_15",
    "koi8_r",
    "shift_jis",
    "euc_jp",
    "gb18030",
    "big5",
    "euc_kr",
]


@dataclass(slots=True)
class Block:
    """Whole logical lines, each ending in LF, and where they stood in the file."""

    data: bytes
    first_line: int
    folded: bytes
    _folds: list[int] | None = field(default=None)
    _seen: tuple[int, int] = (0, 0)

    def line_at(self, offset: int) -> int:
        """The line in the file (from 1) of an offset in `data`. Quick when asked in rising order."""
        if self._folds is None:
            self._folds = [m.start() - 2 * i for i, m in enumerate(_FOLD.finditer(self.folded))]
        at, lines = self._seen
        lines = lines + self.data.count(b"\n", at, offset) if offset >= at else self.data.count(b"\n", 0, offset)
        self._seen = (offset, lines)
        return self.first_line + lines + bisect_left(self._folds, offset)


def utf8_stream(source: BinaryIO) -> tuple[Iterator[bytes], str, bool]:
    """Chunks of `source` without its byte order mark, and in UTF-8 where it was UTF-16.

    Returns:
        the chunks; the encoding's name; whether it was declared by a byte order mark.
    """
    head = source.read(BLOCK)
    if head.startswith(codecs.BOM_UTF8):
        return _chunks(head[3:], source), "utf-8", True
    for bom, name in ((codecs.BOM_UTF16_LE, "utf-16-le"), (codecs.BOM_UTF16_BE, "utf-16-be")):
        if head.startswith(bom):
            return _recoded(_chunks(head[2:], source), name), name, True
    for start, name in ((b"B\0E\0", "utf-16-le"), (b"\0B\0E", "utf-16-be")):
        if head.startswith(start):
            return _recoded(_chunks(head, source), name), name, False
    return _chunks(head, source), "utf-8", True


def _chunks(head: bytes, source: BinaryIO) -> Iterator[bytes]:
    yield head
    while chunk := source.read(BLOCK):
        yield chunk


def _recoded(chunks: Iterator[bytes], encoding: str) -> Iterator[bytes]:
    decoder = codecs.getincrementaldecoder(encoding)("replace")
    for chunk in chunks:
        yield decoder.decode(chunk).encode()
    yield decoder.decode(b"", final=True).encode()


def blocks(chunks: Iterator[bytes]) -> Iterator[Block]:
    """Unfolded blocks, cut between components wherever that is possible."""
    raw = b""
    line = 1
    wanted = BLOCK
    lone: bool | None = None
    for chunk in chunks:
        raw += chunk
        if len(raw) < wanted:
            continue
        if lone is None:
            lone = b"\n" not in raw
        # A CR at the very end may be half of a CRLF: leave it for the next round.
        held = len(raw) - len(raw.rstrip(b"\r"))
        folded = _line_feeds(raw[: len(raw) - held], lone)
        cut = _cut_at(folded)
        if cut == 0:
            wanted = 2 * len(raw)  # one line without end: looked at again only when it has grown by as much
            continue
        wanted = BLOCK
        yield _block(folded[:cut], line)
        line += folded.count(b"\n", 0, cut)
        raw = folded[cut:] + raw[len(raw) - held :]
    folded = _line_feeds(raw, b"\n" not in raw if lone is None else lone).rstrip(b"\r")  # cut within a CRLF
    if folded:
        yield _block(folded if folded.endswith(b"\n") else folded + b"\n", line)


def _line_feeds(raw: bytes, lone: bool) -> bytes:
    """CRLF as LF; CR CR LF, which careless transfers leave behind, is one break.

    A CR alone breaks a line where the file has no other breaks (`lone`). In one that has, somebody's text could make
    lines: there it does only beside what is no text, see `_apart`.
    """
    if b"\r" not in raw:
        return raw
    if b"\r\r\n" in raw:
        raw = raw.replace(b"\r\r\n", b"\n")
    raw = raw.replace(b"\r\n", b"\n")
    if lone or b"\r" not in raw:
        return raw.replace(b"\r", b"\n")
    return _WITH_CR.sub(_apart, raw)


def _apart(match: re.Match[bytes]) -> bytes:
    """A line with CRs in it, taken apart where there is a fence among them, or after what is no text.

    So pieces of files that were combined are read, whatever their lines end with; text that holds a CR stays text.
    """
    first, *others = match[0].split(b"\r")
    fenced = any(_FENCE.match(piece) for piece in (first, *others))
    lines = [[first]]
    for piece in others:
        if fenced or _NO_TEXT.match(lines[-1][0]):
            lines.append([piece])
        else:
            lines[-1].append(piece)
    return b"\n".join(b"\r".join(line) for line in lines)


def _cut_at(folded: bytes) -> int:
    """Where to end a block: before the last component, else after the last whole logical line."""
    best = 0
    for match in _CUT.finditer(folded, max(0, len(folded) - BLOCK // 4)):
        best = match.start() + 1
    if best:
        return best
    at = len(folded)
    while (at := folded.rfind(b"\n", 0, at)) >= 0:
        if at + 1 < len(folded) and folded[at + 1] not in b" \t":
            return at + 1
    return 0


def _block(folded: bytes, line: int) -> Block:
    return Block(_FOLD.sub(b"", folded) if b"\n " in folded or b"\n\t" in folded else folded, line, folded)


class Decoder:
    """Decodes unfolded lines: UTF-8, and where a line is not, the encoding that fits the file best.

    The legacy encoding is settled at the first line that needs it and stays for the whole file.
    """

    def __init__(self) -> None:
        self.legacy: str | None = None

    def decode(self, data: bytes) -> tuple[str, bool]:
        """The text, and whether all of it was UTF-8."""
        try:
            return data.decode(), True
        except UnicodeDecodeError:
            return "\n".join(self._line(line, data) for line in data.split(b"\n")), False

    def _line(self, line: bytes, context: bytes) -> str:
        try:
            return line.decode()
        except UnicodeDecodeError:
            if self.legacy is None:
                self.legacy = _guess(context)
            try:
                return line.decode(self.legacy)
            except UnicodeDecodeError:
                return line.decode("latin-1")  # maps every octet to a character: nothing is dropped


def _guess(sample: bytes) -> str:
    """The encoding of text that is not UTF-8.

    Where words are ASCII letters with a few others among them the text is Western; statistics on
    so little would only mislead. Only where whole words are of other letters are they asked.
    """
    high, plain = 0, 0
    for word in _HIGH_WORD.findall(sample):
        high += sum(octet > 0x7F for octet in word)
        plain += sum(octet <= 0x7F for octet in word)
    if plain >= high:
        return "cp1252"
    from charset_normalizer import from_bytes

    best = from_bytes(sample[:20_000], cp_isolation=LEGACY).best()
    return best.encoding if best is not None else "cp1252"


def open_bytes(data: bytes) -> BinaryIO:
    """What is in memory, to be read like a file."""
    return io.BytesIO(data)
