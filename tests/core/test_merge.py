"""Three-way merging against the rule, field by field; and what stands several times."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.merge import STAMPS, TIMES, combined, differing, merge_sides
from datebridge.core.text.nesting import fields_of
from tests.conftest import event
from tests.depth import tries

#: Fields that may stand once, some of them unknown; none means that it is not there.
SINGLE = ("SUMMARY", "LOCATION", "DESCRIPTION", "X-BERTH", "STATUS")
states = st.fixed_dictionaries({name: st.sampled_from([None, "a", "b", "c"]) for name in SINGLE})
people = st.sets(st.sampled_from(["ida", "ruth", "olan"]))


def fields(text: str) -> dict[str, list[str]]:
    """The lines of an entry by field."""
    return {name: [line for part in parts for line in part] for name, parts in fields_of(text).items()}


def entry(state: dict[str, str | None], attendees: set[str] = frozenset(), *extra: str) -> str:  # type: ignore[assignment]
    lines = [f"{name}:{value}" for name, value in state.items() if value is not None]
    lines += [f"ATTENDEE:mailto:{one}@skerrow.example" for one in sorted(attendees)]
    return "\n".join(["BEGIN:VEVENT", "UID:1", *lines, *extra, "END:VEVENT"])


def said(text: str | None) -> dict[str, list[str]]:
    assert text is not None
    return {name: sorted(lines) for name, lines in fields(text).items()}


@tries(60, 2_000)
@given(states, states, states, people, people, people)
def test_each_field_is_as_the_side_that_changed_it_has_it(base, left, right, p0, p1, p2) -> None:  # type: ignore[no-untyped-def]
    merged = merge_sides(entry(base, p0), entry(left, p1), entry(right, p2))
    result = said(merged.text)
    torn = set()
    for name in SINGLE:
        was, one, other = base[name], left[name], right[name]
        if one == other or other == was:
            expected = one
        elif one == was:
            expected = other
        else:
            expected = was
            torn.add(name)
        assert result.get(name, []) == ([] if expected is None else [f"{name}:{expected}"])
    assert {conflict.name for conflict in merged.conflicts} == torn
    invited = {line.partition("mailto:")[2].partition("@")[0] for line in result.get("ATTENDEE", [])}
    assert invited == (p1 & p2) | (p1 - p0) | (p2 - p0), "who was added is there, who was taken away is not"


@tries(60, 2_000)
@given(states, states, states)
def test_which_side_is_left_makes_no_difference(base, left, right) -> None:  # type: ignore[no-untyped-def]
    one, other = (
        merge_sides(entry(base), entry(left), entry(right)),
        merge_sides(entry(base), entry(right), entry(left)),
    )
    assert said(one.text) == said(other.text)
    assert {c.name for c in one.conflicts} == {c.name for c in other.conflicts}


@tries(60, 2_000)
@given(states, states)
def test_a_side_that_left_it_as_it_was_yields(base, changed) -> None:  # type: ignore[no-untyped-def]
    before, after = entry(base), entry(changed)
    assert said(merge_sides(before, before, after).text) == said(merge_sides(before, after, before).text) == said(after)
    assert said(merge_sides(before, after, after).text) == said(after)
    assert not merge_sides(before, after, after).conflicts


@tries(60, 2_000)
@given(states, states)
def test_taking_all_of_mine_is_mine_and_none_of_it_is_theirs(mine, theirs) -> None:  # type: ignore[no-untyped-def]
    here, there = entry(mine), entry(theirs)
    names = {one.name for one in differing(here, there)}
    assert said(combined(here, there, names)) == said(here)
    assert said(combined(here, there, ())) == said(there)


ALARM = ("BEGIN:VALARM", "UID:{}", "TRIGGER:-PT{}M", "END:VALARM")


def alarms(*which: tuple[str, int]) -> tuple[str, ...]:
    return tuple(
        line.format(uid) if "UID" in line else line.format(minutes) for uid, minutes in which for line in ALARM
    )


def test_alarms_are_merged_one_by_one() -> None:
    base = entry({}, set(), *alarms(("p", 5), ("q", 10)))
    left = entry({}, set(), *alarms(("p", 15), ("q", 10)))
    right = entry({}, set(), *alarms(("p", 5), ("r", 30)))
    merged = merge_sides(base, left, right)
    assert merged.text == entry({}, set(), *alarms(("p", 15), ("r", 30)))
    assert not merged.conflicts
    torn = merge_sides(base, left, entry({}, set(), *alarms(("p", 20), ("q", 10))))
    assert [conflict.name for conflict in torn.conflicts] == ["VALARM"]


def test_who_answered_here_and_was_renamed_there_is_asked_about() -> None:
    person = "ATTENDEE;PARTSTAT={};CN={}:mailto:Ida@skerrow.example"
    base, left, right = (
        entry({}, set(), person.format(*one))
        for one in (("NEEDS-ACTION", "Ida"), ("ACCEPTED", "Ida"), ("NEEDS-ACTION", "Ida Moe"))
    )
    merged = merge_sides(base, left, right)
    assert merged.text == base
    assert [conflict.name for conflict in merged.conflicts] == ["ATTENDEE"]


@pytest.mark.parametrize(
    ("left", "right", "torn"),
    [
        (("20261124T090000Z", "PT1H"), ("20261124T080000Z", "PT2H"), True),  # one moved it, one made it longer
        (("20261124T090000Z", "PT1H"), ("20261124T080000Z", "PT1H"), False),
        (("20261124T090000Z", "PT1H"), ("20261124T090000Z", "PT1H"), False),
    ],
)
def test_times_go_together(left: tuple[str, str], right: tuple[str, str], torn: bool) -> None:
    at = lambda start, length: entry({}, set(), f"DTSTART:{start}", f"DURATION:{length}")  # noqa: E731
    merged = merge_sides(at("20261124T080000Z", "PT1H"), at(*left), at(*right))
    assert {conflict.name for conflict in merged.conflicts} <= TIMES
    assert bool(merged.conflicts) == torn
    assert merged.text == at(*(("20261124T080000Z", "PT1H") if torn else left))


def test_a_deletion_meets_an_edit() -> None:
    base, edited = entry({"SUMMARY": "a"}), entry({"SUMMARY": "b"})
    assert merge_sides(base, None, base).text is None
    assert not merge_sides(base, None, base).conflicts
    for left, right in ((None, edited), (edited, None)):
        whole = merge_sides(base, left, right)
        assert whole.text == base
        assert [conflict.name for conflict in whole.conflicts] == [""]
    assert merge_sides(None, edited, None).text == edited
    assert merge_sides(base, None, None).text is None


def test_without_a_base_whatever_differs_is_in_conflict() -> None:
    merged = merge_sides(None, entry({"SUMMARY": "a", "STATUS": "x"}), entry({"SUMMARY": "b", "STATUS": "x"}))
    assert [conflict.name for conflict in merged.conflicts] == ["SUMMARY"]
    assert "STATUS" in said(merged.text)


@pytest.mark.parametrize("stamp", sorted(STAMPS))
def test_stamps_are_no_difference(stamp: str) -> None:
    early, late = (entry({"SUMMARY": "a"}, set(), f"{stamp}:2026112{day}T000000Z") for day in (4, 5))
    assert differing(early, late) == []
    assert merge_sides(early, early, late).text == late


NAMES = st.sampled_from(["SUMMARY", "LOCATION", "DESCRIPTION", "X-KEEP", "CATEGORIES"])
LINES = st.dictionaries(NAMES, st.lists(st.sampled_from(["a", "b", "c;d", "e:f"]), min_size=1, max_size=2))
REMINDER = ["BEGIN:VREMINDER", "TRIGGER:-PT5M", "END:VREMINDER"]


@st.composite
def entries(draw: st.DrawFn) -> str:
    found = draw(LINES)
    lines = [f"{name}:{value}" for name, values in found.items() for value in values]
    return "\n".join(
        ["BEGIN:VEVENT", "UID:1", *lines, *draw(st.sampled_from([[], REMINDER, REMINDER * 2])), "END:VEVENT"]
    )


@tries(60, 2_000)
@given(entries(), entries())
def test_taking_every_field_of_one_side_makes_that_side(mine: str, theirs: str) -> None:
    names = {field.name for field in differing(mine, theirs)}
    assert fields(combined(mine, theirs, names)) == fields(mine) or differing(combined(mine, theirs, names), mine) == []
    assert differing(combined(mine, theirs, set()), theirs) == []


@tries(60, 2_000)
@given(entries(), entries(), st.sets(NAMES))
def test_a_merge_has_each_field_whole_from_one_side_or_the_other(mine: str, theirs: str, take: set[str]) -> None:
    made, left, right = fields(combined(mine, theirs, take)), fields(mine), fields(theirs)
    for name in {*left, *right} - STAMPS:
        assert made.get(name, []) == (left if name in take else right).get(name, [])


def test_stamps_alone_are_no_difference() -> None:
    one = event("a", "Tide", "20261124T080000Z", "DTSTAMP:20260101T000000Z")
    assert differing(one, one.replace("DTSTAMP:2026", "DTSTAMP:2025")) == []


ELEMENTS = st.lists(st.sampled_from("ABCDE"), unique=True, max_size=4)


@st.composite
def spread(draw: st.DrawFn) -> tuple[set[str], str]:
    """A list, and an entry in which it stands in one line or in several."""
    elements, lines = draw(ELEMENTS), []
    left = list(elements)
    while left:
        some = draw(st.integers(1, len(left)))
        lines.append("CATEGORIES:" + ",".join(left[:some]))
        left = left[some:]
    return set(elements), "\n".join(["BEGIN:VEVENT", "UID:1", *lines, "END:VEVENT"])


@tries(100, 20_000)
@given(spread(), spread(), spread())
def test_lists_are_merged_element_by_element(base, left, right) -> None:  # type: ignore[no-untyped-def]
    merged = merge_sides(base[1], left[1], right[1])
    found = [one for line in fields(merged.text).get("CATEGORIES", ()) for one in line.partition(":")[2].split(",")]
    wanted = {
        one
        for one in base[0] | left[0] | right[0]
        if ((one in left[0]) + (one in right[0]) == 2) or (one not in base[0] and one in left[0] | right[0])
    }
    assert (merged.conflicts, sorted(found)) == ((), sorted(wanted))


@pytest.mark.parametrize("name", ["COMMENT", "CONTACT", "ATTACH", "alarm"])
@pytest.mark.parametrize(("left", "right"), [("mine", "theirs"), (None, "theirs"), ("mine", None)])
def test_what_both_sides_changed_and_nothing_tells_apart_is_a_conflict(
    name: str, left: str | None, right: str | None
) -> None:
    def entry(said: str | None) -> str:
        alarm = ["BEGIN:VALARM", "ACTION:DISPLAY", "TRIGGER:-PT5M", f"DESCRIPTION:{said}", "END:VALARM"]
        lines = [] if said is None else alarm if name == "alarm" else [f"{name}:{said}"]
        return "\n".join(["BEGIN:VEVENT", "UID:1", *lines, "END:VEVENT"])

    merged = merge_sides(entry("was"), entry(left), entry(right))
    assert [one.name for one in merged.conflicts] == ["VALARM" if name == "alarm" else name]
    assert merge_sides(entry("was"), entry("new"), entry("new")).conflicts == ()
    assert merge_sides(entry("was"), entry("was"), entry(right)).conflicts == ()


def test_occurrences_left_out_on_both_sides_are_no_conflict() -> None:
    series = "BEGIN:VEVENT\nDTSTART:20261201T090000Z\nRRULE:FREQ=DAILY\n{}END:VEVENT".format
    left, right = "EXDATE:20261202T090000Z\n", "EXDATE:20261203T090000Z,20261204T090000Z\n"
    merged = merge_sides(series(""), series(left), series(right))
    assert merged.conflicts == ()
    assert merged.text is not None
    assert {line for line in merged.text.split("\n") if line.startswith("EXDATE")} == {
        "EXDATE:20261202T090000Z",
        "EXDATE:20261203T090000Z",
        "EXDATE:20261204T090000Z",
    }
    moved = series(left).replace("T090000Z\nRRULE", "T100000Z\nRRULE")
    assert {one.name for one in merge_sides(series(""), moved, series(right)).conflicts} == {"DTSTART", "EXDATE"}
