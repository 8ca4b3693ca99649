r"""Who may see an entry, by its text: whatever in it could mean private is private (RFC 5545 §3.8.1.3).

A CLASS counts wherever it stands, also in what is nested or broken, and any value but PUBLIC is a private one. What is
no content line counts as soon as it speaks of a class, and a word for private counts where it is all a property says
that no standard knows.

>>> sorted(classes_in("BEGIN:VEVENT\nCLASS:PUBLIC\nSUMMARY:Yoga class: beginners\nEND:VEVENT"))
[]
>>> for line in ("CLASS :PRIVATE", "CLASS PRIVATE", 'CLASS;X="a:PRIVATE":PUBLIC', "CLASS:X-CREW", "CLA\nSS:PRIVATE"):
...     print(*classes_in(f"BEGIN:VEVENT\n{line}\nEND:VEVENT"))
PRIVATE
PRIVATE
PRIVATE
PRIVATE
PRIVATE
>>> classes_in("BEGIN:VEVENT\nSUMMARY:DentistCLASS:CONFIDENTIAL\nEND:VEVENT")
frozenset({'CONFIDENTIAL'})
"""

from __future__ import annotations

import re
import unicodedata

from datebridge.core.text.lines import LINE
from datebridge.core.text.nesting import depths
from datebridge.core.text.properties import KNOWN, ONCE

__all__ = ["CONFIDENTIAL", "PRIVATE", "classes_in", "classes_of_calendar", "is_damaged", "is_tangled", "uids_in"]

#: The two ways of being private that the standard knows.
PRIVATE, CONFIDENTIAL = "PRIVATE", "CONFIDENTIAL"
_NOTHING: frozenset[str] = frozenset()
#: A text whose lines all begin as content lines do, with nothing in them that could end a line for somebody.
_HIDDEN = r"\x00-\x08\x0b-\x1f\x7f\x85\u2028\u2029"
_PLAIN = re.compile(rf"(?:[A-Za-z0-9-]++[;:][^\n{_HIDDEN}]*+(?:\n|\Z))++\Z")
_UNSEEN = re.compile(f"[{_HIDDEN}]")
_OTHERS = re.compile(r"[^A-Z0-9]+")
#: A class that ran into another property, since a line break was lost or a fold was added.
_RUN_IN = re.compile(
    r"CLASS(?:;[^:\n]{0,200})?:(PRIVATE|CONFIDENTIAL)"
    r"|(?-i:CLASS\W{0,3}(PRIVATE|CONFIDENTIAL)|CLASS(?:;[^:\n]{0,200})?:(?!PUBLIC$)[A-Z0-9-]*$)",
    re.IGNORECASE,
)
_UID = re.compile(r"^UID(?:;[^:\n]*)?:(.*)$", re.MULTILINE | re.IGNORECASE)
#: Letters of other scripts that look as those of the words do.
_ALIKE = str.maketrans("АВСЕІКМНОРЅТΑΒΕΙΚΜΝΟΡΤϹ", "ABCEIKMHOPSTABEIKMNOPTC")


def classes_in(text: str) -> frozenset[str]:
    """The ways in which an entry could be private: PRIVATE, CONFIDENTIAL, both; none where it is public.

    Args:
        text: a component, its lines joined by LF.
    """
    if not _speaks(text) and _PLAIN.match(text) is not None:
        return _NOTHING
    classes: set[str] = set()
    broken = ""
    for raw in text.split("\n"):
        match = LINE.match(raw)
        if match is None:
            broken += _squeezed(raw)
            continue
        if broken:
            classes |= _broken_classes(broken + _squeezed(match[1]))
            broken = ""
        classes |= _said_by(match[1].upper(), match[2].upper(), match[3], raw)
    return frozenset(classes | _broken_classes(broken))


def _speaks(text: str) -> bool:
    """Whether a word for it stands anywhere in a text."""
    upper = text.upper().replace("-", "")
    return "CLASS" in upper or PRIVATE in upper or CONFIDENTIAL in upper


def _said_by(name: str, params: str, value: str, raw: str) -> set[str]:
    """What a content line says of it."""
    if name.replace("-", "") == "CLASS":
        if value.strip().upper() != "PUBLIC" or ":" in params:  # not all readers know what quotes are for
            return {CONFIDENTIAL if CONFIDENTIAL in _squeezed(raw) else PRIVATE}
        return {word for word in (PRIVATE, CONFIDENTIAL) if word in params}
    classes = {(match[1] or match[2] or PRIVATE).upper() for match in _RUN_IN.finditer(raw)}
    if name not in KNOWN and (word := _squeezed(value)) in (PRIVATE, CONFIDENTIAL):
        classes.add(word)
    if _UNSEEN.search(raw):  # somebody may see more than one line in it
        classes |= _broken_classes(_squeezed(value))
    return classes


def _broken_classes(squeezed: str) -> set[str]:
    """What broken lines could say."""
    if CONFIDENTIAL in squeezed:
        return {CONFIDENTIAL}
    return {PRIVATE} if "CLASS" in squeezed or PRIVATE in squeezed else set()


def _squeezed(text: str) -> str:
    """The letters and digits of the standard alone, upper case, and what looks like them."""
    plain = text.upper()
    if not plain.isascii():
        plain = unicodedata.normalize("NFKC", plain).translate(_ALIKE)
    return _OTHERS.sub("", plain)


def classes_of_calendar(header: str) -> frozenset[str]:
    r"""The same for all entries of a calendar, by its own lines: what stood in an entry that broke may be among them.

    >>> classes_of_calendar("BEGIN:VCALENDAR\nX-WR-CALNAME:Private\nEND:VCALENDAR")
    frozenset()
    """
    return classes_in("\n".join(line for line in header.split("\n") if "CLASS" in _squeezed(line)))


def is_damaged(text: str) -> bool:
    """Whether any line of a component is no content line."""
    doubtful = '"' in text or _PLAIN.match(text) is None
    return doubtful and any(LINE.match(raw) is None for raw in text.split("\n"))


def is_tangled(text: str) -> bool:
    """Whether there may be lines of another entry in one: it is damaged, or says twice what is said once."""
    if is_damaged(text):
        return True
    seen: set[str] = set()
    lines = text.split("\n")
    for raw, depth in zip(lines, depths(lines), strict=True):
        if depth == 1 and (name := re.split("[;:]", raw, maxsplit=1)[0].upper()) in ONCE:
            if name in seen:
                return True
            seen.add(name)
    return False


def uids_in(text: str) -> set[str]:
    """All UIDs an entry has, as those compare them who do so loosely: most have one."""
    return {value.strip().casefold() for value in _UID.findall(text)} - {""}
