"""Entries joined as wholes: what any of them says, and when it happens, is in what stays, or is said to be lost."""

from __future__ import annotations

import re
from itertools import product

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.matching import Alike, find, item_of, joined_items
from datebridge.core.matching.wholes import JoinedWhole, Whole, join_contained, join_wholes
from datebridge.core.text.component import Component
from tests.conftest import event
from tests.depth import tries

DAYS = ("01", "02", "03", "04", "05")


def series(uid: str, *extra: str, count: int = 5) -> str:
    return event(uid, "Watch", "20261201T080000Z", "DTEND:20261201T090000Z", f"RRULE:FREQ=DAILY;COUNT={count}", *extra)


def changed(uid: str, day: str, *extra: str, hour: str = "08") -> str:
    return event(
        uid,
        "Watch",
        f"202612{day}T{hour}0000Z",
        f"DTEND:202612{day}T{int(hour) + 1:02}0000Z",
        f"RECURRENCE-ID:202612{day}T080000Z",
        *extra,
    )


def single(uid: str, day: str, *extra: str) -> str:
    return event(uid, "Watch", f"202612{day}T080000Z", f"DTEND:202612{day}T090000Z", *extra)


def happens(whole: Whole) -> dict[str, str]:
    """When it happens, by a slow and obvious model: each day that is not left out, where it was moved to if it was."""
    master = Component(whole.text)
    count = int(re.search(r"COUNT=(\d+)", whole.text)[1]) if "COUNT" in whole.text else 1  # type: ignore[index]
    first = int(master.first("DTSTART").value[6:8])  # type: ignore[union-attr]
    days = [f"{first + k:02}" for k in range(count)]
    gone = {line.value[6:8] for _, line in master.properties() if line.name == "EXDATE"}
    found = {day: f"2026-12-{day} 08:00" for day in days if day not in gone}
    for text in whole.parts:
        slot, start = (Component(text).first(name).value for name in ("RECURRENCE-ID", "DTSTART"))  # type: ignore[union-attr]
        found[slot[6:8]] = f"2026-12-{start[6:8]} {start[9:11]}:00"
    return found


FIELDS = st.lists(
    st.sampled_from(
        [
            "LOCATION:Pier",
            "LOCATION:Quay",
            "DESCRIPTION:Boots",
            "DESCRIPTION:Boots and charts",
            "CATEGORIES:Lab",
            "ATTENDEE;PARTSTAT=DECLINED:mailto:ida@x.example",
            "ATTENDEE:mailto:ida@x.example",
            "X-KEY:1",
            "ATTACH:https://a.example",
            "BEGIN:VALARM\nACTION:DISPLAY\nTRIGGER:-PT5M\nEND:VALARM",
        ]
    ),
    max_size=3,
    unique_by=lambda line: line[:4],
)
LEFT = st.lists(st.sampled_from(DAYS), max_size=2, unique=True)
PARTS = st.dictionaries(st.sampled_from(DAYS), st.tuples(FIELDS, st.sampled_from(["08", "08", "11"])), max_size=2)


@st.composite
def wholes(draw: st.DrawFn, uid: str) -> Whole:
    own, left = draw(FIELDS), draw(LEFT)
    text = series(uid, *(f"EXDATE:202612{day}T080000Z" for day in left), *sorted(own, key=lambda x: x[:5] == "BEGIN"))
    parts = {day: one for day, one in draw(PARTS).items() if day not in left}
    return Whole(
        text,
        tuple(
            changed(uid, day, *sorted(lines, key=lambda x: x[:5] == "BEGIN"), hour=hour)
            for day, (lines, hour) in parts.items()
        ),
    )


def told(made: JoinedWhole) -> str:
    return "\n".join([*made.texts, *made.fresh, *made.joined.lost]).casefold()


def assert_all_is_told(made: JoinedWhole, whole: Whole) -> None:
    said = told(made)
    for text in (whole.text, *whole.parts):
        for name, value in re.findall(r"(?m)^(LOCATION|DESCRIPTION|CATEGORIES|X-KEY|ATTACH|TRIGGER):(.*)$", text):
            assert value.casefold() in said, (name, value)
        for answer in re.findall(r"PARTSTAT=\w+", text):
            assert answer.casefold() in said


@tries(80, 4_000)
@given(wholes("a"), wholes("b"), st.booleans())
def test_whatever_a_series_says_stays_or_is_said_to_be_lost(stays: Whole, goes: Whole, write: bool) -> None:
    made = join_wholes(stays, [goes], write)
    assert_all_is_told(made, stays)
    assert_all_is_told(made, goes)
    after, theirs = happens(Whole(made.joined.text, (*made.parts, *made.fresh))), happens(goes)
    assert set(made.more) == set(after.values()) - set(theirs.values())
    assert set(made.fewer) == set(theirs.values()) - set(after.values())
    assert {text.split("\n")[1] for text in made.fresh} <= {"UID:a"}
    assert write or made.texts == (stays.text, *stays.parts)
    again = join_wholes(Whole(made.joined.text, (*made.parts, *made.fresh)), [goes], write)
    assert (again.texts, again.fresh) == ((made.joined.text, *made.parts, *made.fresh), ())
    # What it said of its own it says still, but for notes that others say at more length.
    for text, kept in zip((stays.text, *stays.parts), made.texts, strict=True):
        own = {line for line in text.split("\n") if not line.startswith(("DESCRIPTION", "ATTENDEE"))}
        assert own <= set(kept.split("\n"))


@tries(40, 2_000)
@given(wholes("a"), st.lists(st.tuples(st.sampled_from(DAYS), FIELDS), min_size=1, max_size=3))
def test_what_a_single_entry_says_beside_its_series_is_said_to_be_lost(
    stays: Whole, singles: list[tuple[str, list[str]]]
) -> None:
    goes = [
        Whole(single(f"s{k}", day, *sorted(own, key=lambda x: x[:5] == "BEGIN")))
        for k, (day, own) in enumerate(singles)
    ]
    made = join_contained(stays, goes)
    for one in goes:
        assert_all_is_told(made, one)
    assert (made.texts, made.fresh) == ((stays.text, *stays.parts), ())


def test_of_what_was_cut_out_the_changed_occurrences_are_taken_over_and_its_gaps_said() -> None:
    piece = series("b", "EXDATE:20261202T080000Z", "LOCATION:Pier", count=3)
    made = join_contained(Whole(series("a")), [Whole(piece, (changed("b", "03", "LOCATION:Quay", hour="10"),))])
    assert made.fresh == (changed("a", "03", "LOCATION:Quay", hour="10"),)
    assert (made.more, made.fewer) == (("2026-12-02 08:00",), ())
    assert made.joined.lost == ("LOCATION:Pier",)


def groups(*wholes: Whole) -> list[tuple[Alike, tuple[int, ...]]]:
    texts, entries = {}, []
    for calendar, whole in enumerate(wholes):
        for text in (whole.text, *whole.parts):
            key = len(texts) + 1
            texts[key] = text
            entries.append(item_of(key, calendar, whole.facts_of(text), key))
    return [(group.kind, group.members) for group in find(joined_items(entries), lambda keys: texts)]


def test_series_whose_changed_occurrences_differ_are_not_identical() -> None:
    one, other = (changed("aaaaaaaaa", "03", f"LOCATION:{place}") for place in ("Pier", "Quay"))
    text = series("aaaaaaaaa", "LOCATION:Deck")
    assert groups(Whole(text, (one,)), Whole(text, (one,))) == [(Alike.IDENTICAL, (1, 3))]
    assert groups(Whole(text, (one,)), Whole(text, (other,))) == [(Alike.SAME_UID, (1, 3))]


@pytest.mark.parametrize(
    ("extra", "kind"),
    [
        (["EXDATE:20261203T080000Z"], Alike.SAME_TIME),
        (["RRULE:FREQ=DAILY;UNTIL=20261205T100000Z"], Alike.SAME_TIME),
        (["RRULE:FREQ=DAILY;COUNT=3"], Alike.CUT),
    ],
)
def test_a_rule_said_otherwise_or_with_one_date_less_is_the_same_series(extra: list[str], kind: Alike) -> None:
    text = series("aaaaaaaaa", "LOCATION:Deck")
    other = series("bbbbbbbbb", "LOCATION:Deck")
    for line in extra:
        lines = [x for x in other.split("\n") if not (line[:5] == "RRULE" and x[:5] == "RRULE")]
        other = "\n".join([*lines[:-1], line, lines[-1]])
    for first, second in product((text, other), repeat=2):
        if first != second:
            ((found, _),) = groups(Whole(first), Whole(second))
            assert found is kind
