"""Which entries are the same meeting: measured over calendars of which that is known, and by value."""

from __future__ import annotations

import random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.index.derive import derive
from datebridge.core.matching import Alike, Group, Item, candidates, find, item_of, joined_items, joining
from datebridge.core.matching.surviving import Twin, choose
from tests.depth import tries
from tests.labelled import FEED, Labelled, labelled, measured, pairs_of
from tests.offices import offices


def _found(made: Labelled, items: list[Item[int]] | None = None) -> list[Group[int]]:
    return find(items or made.items(), lambda keys: {key: made.texts[key] for key in keys}, feeds=[FEED])


@pytest.mark.parametrize("seed", [11, 12])
def test_precision_and_recall_hold_for_all_and_for_each_kind(seed: int) -> None:
    made = labelled(60, seed)
    result = measured(made.truth, pairs_of(_found(made)))
    precision, recall = result.pop("all")
    assert precision >= 0.99
    assert recall >= 0.97
    assert not {kind: both for kind, both in result.items() if min(both) < 0.95}


@pytest.mark.parametrize("seed", [21, 22])
def test_both_hold_for_offices_too_where_people_meet_one_to_one(seed: int) -> None:
    made = offices(60, seed)
    found = measured(made.truth, pairs_of(_found(made)))
    kinds = {kind.value for kind in made.truth.values()}
    assert not {kind: both for kind, both in found.items() if kind in kinds and (both[0] < 0.98 or both[1] < 0.97)}
    assert found["all"][0] >= 0.98


@tries(4, 100)
@given(st.integers(0, 10_000))
def test_the_order_of_the_entries_does_not_matter(seed: int) -> None:
    made = labelled(10, 5)
    items = made.items()
    random.Random(seed).shuffle(items)  # noqa: S311
    assert pairs_of(_found(made, items)).keys() == pairs_of(_found(made)).keys()


def test_what_somebody_has_said_is_two_is_in_no_group_alone() -> None:
    made = labelled(10, 6)
    pairs = [group.members for group in _found(made) if len(group.members) == 2]
    texts = made.texts
    apart = {frozenset(pair) for pair in pairs}
    again = find(made.items(), lambda keys: texts, feeds=[FEED], apart=apart)
    assert not [group for group in again if frozenset(group.members) in apart]


def _entries(*texts: tuple[int, str]) -> tuple[list[Item[int]], dict[int, str]]:
    """Entries by calendar and lines, numbered from 1."""
    whole = {n: f"BEGIN:VEVENT\n{lines}\nEND:VEVENT" for n, (_, lines) in enumerate(texts, 1)}
    made = [item_of(n, texts[n - 1][0], derive("VEVENT", whole[n]), n) for n in whole]
    return joined_items(made), whole


def _groups(*texts: tuple[int, str]) -> list[Group[int]]:
    items, whole = _entries(*texts)
    return find(items, lambda keys: whole)


WEEKLY = (
    "SUMMARY:Kelp forum\nLOCATION:Wet lab\nDTSTART:20260302T090000Z\nDTEND:20260302T100000Z\nRRULE:FREQ=WEEKLY;COUNT=9"
)
ONCE = "SUMMARY:Kelp forum\nLOCATION:Wet lab\nDTSTART:202603{}Z\nDTEND:202603{}Z"


def test_reasons_can_be_checked() -> None:
    when = "DTSTART:20260302T090000Z\nDTEND:20260302T100000Z\nLOCATION:Wet lab"
    people = "ATTENDEE:mailto:{}@skerrow.example"
    first = "\n".join(["UID:a1", "SUMMARY:Crew briefing", when, *(people.format(p) for p in ("ida", "jon", "ruth"))])
    second = "\n".join(["UID:b2", "SUMMARY:FW: CREW BRIEFING", when, *(people.format(p) for p in ("ida", "jon"))])
    (group,) = _groups((1, first), (1, second))
    assert (group.kind, group.members) == (Alike.SAME_TIME, (1, 2))
    assert {"titles written differently", "same place", "2 of 3 people in common"} <= set(group.reasons)


def test_a_series_contains_what_stands_at_its_times_and_not_where_it_was_left_out() -> None:
    whole = f"UID:forum@skerrow.example\n{WEEKLY}\nEXDATE:20260316T090000Z"
    there = "UID:x1\n" + ONCE.format("09T090000", "09T100000")
    gone = "UID:x2\n" + ONCE.format("16T090000", "16T100000")
    (group,) = _groups((1, whole), (1, there), (1, gone))
    assert (group.kind, group.members) == (Alike.PARTS, (1, 2))


def test_the_original_of_a_moved_occurrence_is_found_and_the_moved_one_goes_with_its_series() -> None:
    whole = f"UID:forum@skerrow.example\n{WEEKLY}"
    moved = "UID:forum@skerrow.example\nRECURRENCE-ID:20260309T090000Z\n" + ONCE.format("09T140000", "09T150000")
    left = "UID:x1\n" + ONCE.format("09T090000", "09T100000")
    items, texts = _entries((1, whole), (1, moved), (1, left))
    assert [item.others for item in items] == [(2,), ()]
    (group,) = find(items, lambda keys: texts)
    assert (group.kind, group.members) == (Alike.CHANGED, (1, 3))


def test_series_that_are_the_same_otherwise_written_are_one() -> None:
    found = _groups(
        (
            1,
            "UID:a1\nSUMMARY:Kelp forum\nLOCATION:Wet lab\nDTSTART:20260302T090000Z\nDTEND:20260302T100000Z\nRRULE:FREQ=WEEKLY",
        ),
        (
            2,
            "UID:b1\nSUMMARY:Kelp forum\nLOCATION:Wet lab\nDTSTART:20260302T090000Z\nDTEND:20260302T100000Z\nRRULE:FREQ=WEEKLY",
        ),
    )
    assert [(g.kind, g.members) for g in found] == [(Alike.IDENTICAL, (1, 2))]


def test_very_many_at_one_time_are_not_compared_all_with_all() -> None:
    many = [(1, f"UID:u{n}\nSUMMARY:Lunch {n % 7}\nDTSTART:20260302T120000Z") for n in range(3_000)]
    items, _ = _entries(*many)
    assert sum(1 for _ in candidates.at_one_time(items)) <= 8 * len(items)


LINES = st.lists(
    st.sampled_from(
        [
            "SUMMARY:Tide",
            "SUMMARY:FW: Tide",
            "LOCATION:Pier",
            "LOCATION:Quay",
            "CATEGORIES:LAB,ship",
            "CATEGORIES:Ship",
            "DESCRIPTION:Bring papers",
            "DESCRIPTION:Bring papers and boots",
            "ATTENDEE;CN=Ida:mailto:ida@skerrow.example",
            "ATTENDEE:MAILTO:IDA@skerrow.example",
            "ATTENDEE:mailto:jon@skerrow.example",
            "X-SKERROW-REF:7",
            "URL:https://a.example",
            "BEGIN:VALARM\nTRIGGER:-PT5M\nACTION:DISPLAY\nEND:VALARM",
            "BEGIN:VALARM\nTRIGGER:-PT9M\nACTION:DISPLAY\nEND:VALARM",
        ]
    ),
    max_size=7,
    unique=True,
)


@tries(60, 2_000)
@given(LINES, st.lists(LINES, min_size=1, max_size=3), st.booleans())
def test_joining_loses_nothing_without_saying_so(own: list[str], others: list[list[str]], write: bool) -> None:
    def text(uid: int, lines: list[str]) -> str:
        plain = [line for line in lines if not line.startswith("BEGIN")]
        return "\n".join(["BEGIN:VEVENT", f"UID:{uid}", *plain, *(x for x in lines if x not in plain), "END:VEVENT"])

    stays = text(0, own)
    found = joining.join(stays, [text(n, lines) for n, lines in enumerate(others, 1)], write)
    said = "\n".join((found.text, *found.lost)).casefold()
    for line in (line for lines in others for line in lines):
        words = line.casefold().removeprefix("attendee;cn=ida").removeprefix("attendee").split("\n")
        pieces = words[1:2] if len(words) > 1 else words[0].removeprefix("categories:").split(",")
        assert all(piece.strip(":") in said for piece in pieces), line
    # What it said itself it says still, but for notes that others say at more length.
    plain = [line.partition(":")[2] if line.startswith("ATTENDEE") else line for line in own]  # it may get a name
    assert [line for line in plain if line not in found.text and not line.startswith("DESCRIPTION")] == []
    assert write or found.text == stays
    again = joining.join(found.text, [text(n, lines) for n, lines in enumerate(others, 1)], write)
    assert again.text == found.text


@tries(60, 2_000)
@given(st.lists(st.tuples(st.booleans(), st.integers(0, 3), st.integers(0, 9)), min_size=1, max_size=5))
def test_what_can_be_written_stays_before_what_can_only_be_read(made: list[tuple[bool, int, int]]) -> None:
    twins = [Twin(n, writable, answers, modified=changed) for n, (writable, answers, changed) in enumerate(made)]
    stays, why = choose(twins)
    assert twins[stays].writable or not any(twin.writable for twin in twins)
    assert why


def test_answers_and_what_alarms_say_are_taken_over_or_said() -> None:
    alarm = ["BEGIN:VALARM", "ACTION:DISPLAY", "TRIGGER:-PT15M", "DESCRIPTION:{}", "END:VALARM"]

    def entry(*lines: str, says: str) -> str:
        return "\n".join(["BEGIN:VEVENT", "UID:1", *lines, *(line.format(says) for line in alarm), "END:VEVENT"])

    ours = entry(
        "ATTENDEE;ROLE=CHAIR:mailto:ida@x.example", "ATTENDEE;PARTSTAT=ACCEPTED:mailto:bo@x.example", says="Leave"
    )
    theirs = entry(
        "ATTENDEE;PARTSTAT=DECLINED;CN=Ida;ROLE=REQ-PARTICIPANT:mailto:IDA@x.example",
        "ATTENDEE;PARTSTAT=DECLINED:mailto:bo@x.example",
        says="Bring the charts",
    )
    found = joining.join(ours, [theirs])
    assert "ATTENDEE;ROLE=CHAIR;PARTSTAT=DECLINED;CN=Ida:mailto:ida@x.example" in found.text
    assert found.lost == (
        "ATTENDEE;ROLE=REQ-PARTICIPANT:mailto:IDA@x.example",
        "ATTENDEE;PARTSTAT=DECLINED:mailto:bo@x.example",
        "VALARM DESCRIPTION:Bring the charts",
    )
    assert joining.join(theirs, [entry(says="Bring the charts")]).lost == ()
