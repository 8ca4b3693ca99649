"""Content lines (RFC 5545 §3.1): taking one apart, putting one together, folding.

>>> line = parse_line('ATTENDEE;CN="Moe, Ida";ROLE=CHAIR:mailto:ida@skerrow.example')
>>> line.name, line.param("CN"), line.value
('ATTENDEE', 'Moe, Ida', 'mailto:ida@skerrow.example')
"""

from __future__ import annotations

import re
from dataclasses import dataclass

#: Properties whose values are dates and times, which hold no colon.
DATED = frozenset({"DTSTART", "DTEND", "DUE", "RECURRENCE-ID", "RDATE", "EXDATE"})
#: Longest physical line in octets, the line break not counted (RFC 5545 §3.1).
FOLD_AT = 75

#: One whole content line. Groups: name, parameters with their leading semicolons, value.
#: The repetitions are possessive, so that no input can make the match slow.
CONTENT_LINE = r"([A-Za-z0-9-]++)((?:;(?:[^\":\n]++|\"[^\"\n]*+\")*+)?):(.*)"
LINE = re.compile(CONTENT_LINE + r"\Z", re.DOTALL)
LINES = re.compile(r"^" + CONTENT_LINE + r"$", re.MULTILINE)
_PARAM = re.compile(r";([^=;:\"]+)=((?:\"[^\"]*\"|[^;\"])*)")
_VALUES = re.compile(r"\"[^\"]*\"|[^,\"]+")
#: One parameter as written, a value it may lack included.
_RAW_PARAM = re.compile(r";((?:[^;\"]|\"[^\"]*\")*)")
#: What would end a line, here or for whoever reads it: no value may hold it.
_BREAKS = re.compile("\r\n|[\n\r\v\f\x1c-\x1e\x85\u2028\u2029]")
_CONTROL = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f]")
_FENCE = re.compile(r"\s*(BEGIN|END)\s*(?:;[^:]*)?:(.*)\Z", re.IGNORECASE | re.DOTALL)
_FENCE_LETTERS = frozenset("BbEe")
_CARET = {"^n": "\n", "^'": '"', "^^": "^"}


@dataclass(frozen=True, slots=True)
class ContentLine:
    """A content line taken apart. `value` is as written; see `unescape_text` for TEXT values."""

    name: str
    params: tuple[tuple[str, tuple[str, ...]], ...]
    value: str

    def param(self, name: str) -> str | None:
        """The first value of a parameter, decoded (RFC 6868), or None."""
        for key, values in self.params:
            if key == name:
                return values[0] if values else ""
        return None


class NotAContentLine(ValueError):
    """The line has no name, no colon, or an open quote among its parameters."""


def parse_line(line: str) -> ContentLine:
    """Take one unfolded line apart.

    Raises:
        NotAContentLine: if it is not one.
    """
    match = LINE.match(line)
    if match is None:
        raise NotAContentLine(line)
    name, params, value = match[1].upper(), match[2], match[3]
    if ":" in value and name in DATED and "TZID=" in params.upper():  # TZID=(UTC+01:00) Somewhere:2026…
        head, _, value = value.rpartition(":")
        params = f"{params}:{head}"
    return ContentLine(name, parse_params(params), value)


def parse_params(text: str) -> tuple[tuple[str, tuple[str, ...]], ...]:
    """Parameters as written, from ``;`` on, into names (upper case) and decoded values."""
    if not text:
        return ()
    params = []
    for name, values in _PARAM.findall(text):
        decoded = tuple(_decode_param(v) for v in _VALUES.findall(values))
        if len(decoded) > 1 and name.upper() == "TZID":  # a zone has one name, though it may hold a comma unquoted
            decoded = (",".join(decoded),)
        params.append((name.upper(), decoded))
    return tuple(params)


def param_of(text: str, name: str) -> str | None:
    """One parameter of the raw parameter text, decoded, or None; quicker than taking all apart."""
    if name not in text.upper():
        return None
    for key, values in parse_params(text):
        if key == name:
            return values[0] if values else ""
    return None


def _decode_param(value: str) -> str:
    value = value.removeprefix('"').removesuffix('"')
    return re.sub(r"\^[n'^]", lambda m: _CARET[m[0]], value) if "^" in value else value


def format_param(value: str) -> str:
    """A parameter value as it is written: caret-encoded (RFC 6868) and quoted where it must be."""
    value = value.replace("\r\n", "\n").replace("\r", "\n")
    value = value.replace("^", "^^").replace("\n", "^n").replace('"', "^'")
    return f'"{value}"' if re.search(r"[:;,]", value) else value


def format_line(name: str, value: str, params: dict[str, str] | None = None) -> str:
    """An unfolded content line; `value` is taken as it is (see `escape_text`), but stays on one line."""
    return name + "".join(f";{k}={format_param(v)}" for k, v in (params or {}).items()) + ":" + one_line(value)


def rewritten_line(raw: str, value: str, params: dict[str, str | None] | None = None) -> str:
    """A content line with another value and some parameters set (or taken out, where None).

    Its name and all its other parameters keep their bytes, also those without a value.

    >>> rewritten_line("DTSTART;X-SEEN;TZID=Europe/Oslo:20261124T090000", "20261125", {"VALUE": "DATE", "TZID": None})
    'DTSTART;X-SEEN;VALUE=DATE:20261125'

    Raises:
        NotAContentLine: if it is not one.
    """
    match = LINE.match(raw)
    if match is None:
        raise NotAContentLine(raw)
    written, left, kept_head = [], dict(params or {}), match[2]
    if ":" in match[3] and match[1].upper() in DATED and "TZID=" in kept_head.upper():
        kept_head += ":" + match[3].rpartition(":")[0]
    for token in _RAW_PARAM.findall(kept_head):
        name = token.partition("=")[0].strip().upper()
        if name not in (params or {}):
            written.append(token)
        elif (new := left.pop(name, None)) is not None:
            written.append(f"{name}={format_param(new)}")
    written += [f"{name}={format_param(new)}" for name, new in left.items() if new is not None]
    return match[1] + "".join(f";{token}" for token in written) + ":" + one_line(value)


def fence_of(raw: str) -> tuple[str, str] | None:
    """Whether a line could begin or end a component, however it is written: BEGIN or END, and the name, upper case.

    >>> fence_of("begin;X=1: x-note "), fence_of("BEGINNING:1")
    (('BEGIN', 'X-NOTE'), None)
    """
    match = _FENCE.match(raw) if raw.lstrip()[:1] in _FENCE_LETTERS else None
    return None if match is None else (match[1].upper(), match[2].strip().upper())


def one_line(value: str) -> str:
    """A value that stays on one line, whatever it holds."""
    return _CONTROL.sub("", _BREAKS.sub(" ", value))


def escape_text(value: str) -> str:
    """A TEXT value as it is written (RFC 5545 §3.3.11). Whatever breaks a line is an escaped line break in it."""
    value = value.replace("\\", "\\\\").replace(";", "\\;").replace(",", "\\,")
    return value.replace("\r\n", "\\n").replace("\n", "\\n").replace("\r", "\\n")


def unescape_text(value: str) -> str:
    """What a TEXT value says. A backslash before any other character is kept with it."""
    if "\\" not in value:
        return value
    if "\\\\" not in value:  # no escaped backslash: plain replacing is right, and much quicker
        value = value.replace("\\n", "\n").replace("\\N", "\n")
        return value.replace("\\,", ",").replace("\\;", ";")
    return re.sub(r"\\([\\;,nN])", lambda m: "\n" if m[1] in "nN" else m[1], value)


def split_text_list(value: str) -> list[str]:
    """The values of a TEXT list such as CATEGORIES, unescaped, empty ones left out."""
    if "\\" not in value:
        return [part for part in value.split(",") if part]
    parts = re.findall(r"(?:\\.|[^,\\])+", value, re.DOTALL)
    return [unescape_text(part) for part in parts]


def _fold_long(line: bytes) -> bytes:
    pieces = []
    start, room = 0, FOLD_AT
    while len(line) - start > room:
        cut = start + room
        while line[cut] & 0xC0 == 0x80:  # never inside a character: step back to its first octet
            cut -= 1
            if cut == start:  # not UTF-8 after all; there is no better place
                cut = start + room
                break
        pieces.append(line[start:cut])
        start, room = cut, FOLD_AT - 1
    pieces.append(line[start:])
    return b"\r\n ".join(pieces)


def fold(text: str) -> bytes:
    """Unfolded lines joined by LF, as UTF-8 with CRLF and lines of at most 75 octets."""
    if "\r" in text:  # a lone CR within a line would be a line of its own for whoever reads it
        text = text.replace("\r", "\\n")
    lines = text.encode("utf-8", "replace").split(b"\n")
    return b"\r\n".join([line if len(line) <= FOLD_AT else _fold_long(line) for line in lines])
