"""Titles and places as people compare them: without case, accents, punctuation, and what forwarding puts before them.

>>> words("FW: Crew briefing – Réykjavík!") == words("crew briefing, reykjavik")
True
>>> compare(words("Crew briefing"), words("Crew breifing")), compare(words("Berth 3"), words("Berth 4"))
('typo', 'other')
"""

from __future__ import annotations

import re
import unicodedata
from functools import lru_cache
from typing import Literal

from rapidfuzz.distance import OSA

Words = tuple[str, ...]
Likeness = Literal["same", "typo", "other"]

#: What programs put before a title when they forward, answer, copy or cancel it.
_BEFORE = re.compile(
    r"\s*(?:copy\s+of\s+|(?:fwd?|re|aw|wg|tr|rv|vs|sv|copy|copy of|cancell?ed|invitation|updated invitation|updated"
    r"|accepted|declined|tentative)\s*:|\[(?:ext|external|fwd?|cancell?ed)\])\s*",
    re.IGNORECASE,
)
_AFTER = re.compile(r"\s*\((?:copy|cancell?ed)\)\s*$", re.IGNORECASE)
_WORD = re.compile(r"[^\W_]+")
#: Shorter words are never typing errors of each other: "Moe" and "Mae" are two people.
_LEAST = 5
_LONGEST = 400


@lru_cache(maxsize=65_536)
def words(text: str) -> Words:
    """The words of a title, as they are compared."""
    text = text[:_LONGEST]
    for _ in range(4):  # FW: RE: FW:
        match = _BEFORE.match(text)
        if match is None or match.end() == len(text):
            break
        text = text[match.end() :]
    text = _AFTER.sub("", text)
    if not text.isascii():
        text = "".join(c for c in unicodedata.normalize("NFKD", text) if not unicodedata.combining(c))
    return tuple(_WORD.findall(text.casefold()))


def is_slip(one: str, other: str) -> bool:
    """Whether two words differ by one letter put wrong; never in numbers or short words."""
    if one[:1] != other[:1] or min(len(one), len(other)) < _LEAST - 1 or max(len(one), len(other)) < _LEAST:
        return False
    return one.isalpha() and other.isalpha() and OSA.distance(one, other, score_cutoff=1) <= 1


@lru_cache(maxsize=65_536)
def compare(one: Words, other: Words) -> Likeness:
    """Whether two titles are the same, differ by typing errors, or are two."""
    if one == other:
        return "same"
    if not one or not other:
        return "other"
    if "".join(one) == "".join(other):  # "wet lab", "wetlab"
        return "same"
    if len(one) != len(other):
        return "other"
    unlike = [(a, b) for a, b in zip(one, other, strict=True) if a != b]
    if len(unlike) <= max(1, len(one) // 4) and all(is_slip(a, b) for a, b in unlike):
        return "typo"
    return "other"


def places(one: str, other: str) -> Literal["same", "near", "unsaid", "other"]:
    """How two places compare: one may say more than the other ("Wet lab", "Wet lab, Skerrow")."""
    first, second = words(one), words(other)
    if not first or not second:
        return "unsaid" if first != second else "same"
    if compare(first, second) != "other":
        return "same"
    small, large = sorted((set(first), set(second)), key=len)
    return "near" if small <= large else "other"
