"""Limits: how large, how long, how many. What a probe writes of each, and how much of it came back."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

from datebridge.core.crossing.features import DOMAIN, TITLE, Feature, Group, Harm, Limit, event
from datebridge.core.crossing.refusals import RefuseLarger, RefuseLonger, RefuseMany
from datebridge.core.crossing.rules import Cut, Most, MostValues, Rule, Unit, size_of
from datebridge.core.objects import assemble
from datebridge.core.text.component import Component
from datebridge.core.text.lines import split_text_list, unescape_text
from datebridge.core.text.nesting import nested_in

_ALARM = "BEGIN:VALARM\nACTION:DISPLAY\nDESCRIPTION:{n}\nTRIGGER:-PT{n}M\nEND:VALARM"

#: How many bytes a line has at most that is not folded, its end included; and one that only says COMMENT.
_LINE, _LEAST = 76, 10


class Measure(NamedTuple):
    """How a limit is measured.

    Attributes:
        lines: those of an entry that has so many, or so much; of letters that are one byte each, or two.
        kept: what of it an entry has: each piece in order.
        cuts: the rule where a target keeps the first (or last) of it; `unit` for texts.
        refuses: the rule where it takes no more.
    """

    lines: Callable[[int, bool], list[str]]
    kept: Callable[[str], Sequence[object]]
    cuts: Callable[[int, Unit, bool], Rule] | None
    refuses: Callable[[int, Unit], Rule]


def _value(text: str, name: str) -> str:
    line = Component(text).first(name)
    return unescape_text(line.value) if line else ""


def _text(name: str, first: str = "") -> Measure:
    def lines(size: int, wide: bool) -> list[str]:
        return [f"{name}:{first}{('ø' if wide else 'o') * (size - len(first))}"]

    return Measure(
        lines,
        lambda text: _value(text, name),
        lambda most, unit, _: Cut(name, most, unit),
        lambda most, unit: RefuseLonger(name, most, unit),
    )


def _several(name: str, line: str) -> Measure:
    def kept(text: str) -> Sequence[object]:
        values: list[object] = [own.value for own in Component(text).all(name)]
        lines = text.split("\n")
        return values + [tuple(lines[first : last + 1]) for kind, first, last in nested_in(lines) if kind == name]

    return Measure(
        lambda size, _: [line.format(n=n) for n in range(1, size + 1)],
        kept,
        lambda most, _, last: Most(name, most, last),
        lambda most, _: RefuseMany(name, most),
    )


def _categories(size: int, _: bool) -> list[str]:
    return ["CATEGORIES:" + ",".join(f"Lab {n}" for n in range(1, size + 1))]


def _of_size(size: int) -> list[str]:
    """Lines by which an object comes to exactly so many bytes, none of them folded; at least a few."""
    room = size - len(assemble([event("limit-size")], []))
    whole = max(0, room // _LINE - 1)
    rest = max(_LEAST, room - whole * _LINE)
    pieces = [_LINE] * whole + ([rest] if rest <= _LINE else [rest // 2, rest - rest // 2])
    return [f"COMMENT:{'o' * (piece - _LEAST)}" for piece in pieces]


MEASURES: Mapping[str, Measure] = {
    "limit-size": Measure(
        lambda size, _: _of_size(size),
        lambda text: [line.value for line in Component(text).all("COMMENT")],
        None,
        lambda most, _: RefuseLarger(most),
    ),
    "limit-title": _text("SUMMARY", f"{TITLE} limit-title "),
    "limit-notes": _text("DESCRIPTION"),
    "limit-place": _text("LOCATION"),
    "limit-attendees": _several(
        "ATTENDEE", f"ATTENDEE;SCHEDULE-AGENT=CLIENT;PARTSTAT=ACCEPTED:mailto:person-{{n}}@{DOMAIN}"
    ),
    "limit-attachments": _several("ATTACH", f"ATTACH:https://files.{DOMAIN}/{{n}}.pdf"),
    "limit-alarms": _several("VALARM", _ALARM),
    "limit-comments": _several("COMMENT", "COMMENT:Comment {n}"),
    "limit-categories": Measure(
        _categories,
        lambda text: [value for line in Component(text).all("CATEGORIES") for value in split_text_list(line.value)],
        lambda most, _, __: MostValues("CATEGORIES", most),
        lambda most, _: RefuseMany("CATEGORIES", most),
    ),
}


def written(name: str, size: int, wide: bool = False) -> list[str]:
    """The entries that a probe writes of a limit: so many, or so much."""
    lines = [part for line in MEASURES[name].lines(size, wide) for part in line.split("\n")]
    if name == "limit-attendees":
        lines.insert(0, f"ORGANIZER;SCHEDULE-AGENT=CLIENT:mailto:organiser@{DOMAIN}")
    if name == "limit-title":
        text = event(name)
        return [text.replace(f"SUMMARY:{TITLE} {name}", lines[0])]
    return [event(name, *lines)]


def how_much(name: str, texts: Sequence[str], unit: Unit) -> int:
    """How many, or how much, is in an entry."""
    kept = [MEASURES[name].kept(text) for text in texts]
    return sum(size_of(part, unit) if isinstance(part, str) else len(part) for part in kept)


def pieces(name: str, texts: Sequence[str]) -> list[object]:
    """What of it is in entries, piece by piece."""
    return [piece for text in texts for piece in MEASURES[name].kept(text)]


def is_text(name: str) -> bool:
    """Whether a limit is about the length of a text."""
    return name in ("limit-title", "limit-notes", "limit-place")


def kept_last(name: str, sent: Sequence[str], got: Sequence[str]) -> bool:
    """Whether of several the last are kept, and not the first."""
    kept = pieces(name, got)
    return bool(kept) and kept != pieces(name, sent)[: len(kept)]


def _limit(name: str, words: str, harm: Harm, most: int, unit: str, focus: str, *remedies: str) -> Feature:
    return Feature(
        name, words, Group.LIMITS, harm, (tuple(written(name, 1)),), (focus,), (), remedies, (), Limit(most, unit)
    )


#: Of the whole entry: it explains much of what is refused.
_APART = ("keep-by-server", "link-attachments")
SIZE = _limit("limit-size", "Size of an entry", "breaks", 2_000_000, "bytes", "COMMENT", *_APART)
#: What can be done about attachments that are not kept.
_FILES = (*_APART, "say")
FEATURES = (
    _limit("limit-title", "Length of a title", "alters", 10_000, "characters", "SUMMARY"),
    _limit("limit-notes", "Length of notes", "alters", 1_000_000, "bytes", "DESCRIPTION", "say"),
    _limit("limit-place", "Length of a place", "alters", 10_000, "characters", "LOCATION"),
    _limit("limit-attendees", "Number of attendees", "breaks", 500, "attendees", "ATTENDEE"),
    _limit("limit-attachments", "Number of attachments", "alters", 50, "attachments", "ATTACH", *_FILES),
    _limit("limit-alarms", "Number of reminders", "alters", 20, "reminders", "VALARM", "one-alarm"),
    _limit("limit-comments", "Number of comments", "alters", 20, "comments", "COMMENT", "say"),
    _limit("limit-categories", "Number of categories", "alters", 50, "categories", "CATEGORIES", "category-in-title"),
)
