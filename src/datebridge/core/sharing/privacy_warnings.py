"""What free text that is given seems to hold although the detail leaves it out: numbers, addresses, links, names.

>>> [warning.what for warning in warnings_in("Call Ida Moe, +354 555 0101", Terms(Detail.TITLES), ["Ida Moe"])]
['telephone numbers', 'names of people']
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator
from dataclasses import dataclass

from datebridge.core.sharing.gathering import SharedContent
from datebridge.core.sharing.terms import Detail, Terms
from datebridge.core.text.component import Component
from datebridge.core.text.lines import unescape_text

#: Seven digits or more that begin like a number one calls; no dates, no hours, no measures.
_NUMBER = re.compile(r"(?<![\w.:/-])(?:\+|00|0|\()\d[\d ()/.-]{5,20}\d(?![\w:])", re.ASCII)
_DATE = re.compile(r"\d{2,4}[-./]\d{1,2}[-./]\d{2,4}", re.ASCII)
_MAIL = re.compile(r"[\w.+-]{1,64}@[\w-]{1,63}(?:\.[\w-]{1,63}){1,8}")
_LINK = re.compile(r"(?:https?://|www\.)[^\s<>\"]{3,300}", re.IGNORECASE)
#: Words by which an address of a conference can be told.
_MEETING = re.compile(r"meet|conf|call|join|webinar|video|room|talk|stream|dial", re.IGNORECASE)
_TITLES = ("SUMMARY", "LOCATION")
_TEXTS = (*_TITLES, "DESCRIPTION", "STYLED-DESCRIPTION", "RESOURCES", "CATEGORIES")
#: Longer texts are not looked through to their ends.
_LONGEST = 20_000


@dataclass(frozen=True, slots=True)
class Doubt:
    """Something that seems to be in a text; `found` is the piece of it."""

    what: str
    found: str


@dataclass(frozen=True, slots=True)
class PrivacyWarning:
    """What seems to be in how many entries, with an example: its title and the piece found."""

    what: str
    entries: int
    title: str
    found: str


def warnings_in(text: str, terms: Terms, people: Collection[str] = ()) -> Iterator[Doubt]:
    """What a text seems to hold that is not meant to be given."""
    text = text[:_LONGEST]
    without = terms.detail is not Detail.EVERYTHING
    if without:
        number = next((match[0] for match in _NUMBER.finditer(text) if _calls(match[0])), "")
        if number:
            yield Doubt("telephone numbers", number)
        if mail := _MAIL.search(text):
            yield Doubt("mail addresses", mail[0])
    for link in _LINK.finditer(text):
        if not terms.conferences and _MEETING.search(link[0]):
            yield Doubt("conference addresses", link[0])
            break
        if terms.detail is Detail.TITLES:
            yield Doubt("links", link[0])
            break
    if without:
        folded = text.casefold()
        name = next((person for person in people if person.casefold() in folded), "")
        if name:
            yield Doubt("names of people", name)


def _calls(number: str) -> bool:
    return sum(digit.isdigit() for digit in number) >= 7 and not _DATE.search(number)


def privacy_warnings(given: SharedContent, most_names: int = 2_000) -> list[PrivacyWarning]:
    """What the texts that are given seem to hold, the most frequent first."""
    if given.terms.detail is Detail.BUSY:
        return []
    people = _people(given)[:most_names]
    counts: dict[str, list[int]] = {}
    first: dict[str, tuple[str, str]] = {}
    wanted = _TITLES if given.terms.detail is Detail.TITLES else _TEXTS
    pattern = re.compile("|".join(map(re.escape, people)), re.IGNORECASE) if people else None
    for entry in given.entries:
        if entry.as_busy:
            continue
        text = "\n".join(
            unescape_text(line.value) for _, line in Component(entry.redacted.text).properties() if line.name in wanted
        )
        named = pattern.search(text[:_LONGEST]) if pattern is not None else None
        for warning in warnings_in(text, given.terms, (named[0],) if named else ()):
            counts.setdefault(warning.what, [0])[0] += 1
            first.setdefault(warning.what, (entry.redacted.title, warning.found))
    warnings = [PrivacyWarning(what, number[0], *first[what]) for what, number in counts.items()]
    return sorted(warnings, key=lambda warning: -warning.entries)


def _people(given: SharedContent) -> list[str]:
    """Names of those who are invited anywhere among the entries, where people are left out."""
    people: dict[str, None] = {}
    for entry in given.entries:
        if "ATTENDEE" not in entry.source.text and "ORGANIZER" not in entry.source.text:
            continue
        for _, line in Component(entry.source.text).properties():
            name = (line.param("CN") or "").strip() if line.name in ("ATTENDEE", "ORGANIZER") else ""
            if len(name) >= 5 and " " in name:
                people[name] = None
    return list(people)
