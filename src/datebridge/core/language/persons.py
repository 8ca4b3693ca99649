"""Names and addresses as words by which people alone are found."""

from __future__ import annotations

import re

_ALPHANUMERIC = re.compile(r"[^\W_]+")
#: Put before each word of a name or address, so that people are found among all that is said of an entry. A character
#: for private use: the full-text index takes it for a letter, and nobody types it.
_PERSON = "\ue000"


def as_person(text: str) -> str:
    """A name or an address as words by which people alone are found.

    >>> as_person("Ida ida@x.example").encode("ascii", "xmlcharrefreplace").decode()
    '&#57344;Ida &#57344;ida &#57344;x &#57344;example'
    """
    return " ".join(f"{_PERSON}{word}" for word in words_in(text))


def words_in(text: str) -> list[str]:
    """The words of a text, as the full-text index tells them apart."""
    return _ALPHANUMERIC.findall(text)
