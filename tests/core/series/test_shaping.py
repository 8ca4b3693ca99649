"""Series gathered, joined, taken apart, and put right: what happened before happens after, but for what was asked."""

from __future__ import annotations

from datetime import datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.editing.groups import Group, Plan, SeriesMember
from datebridge.core.index.derive import derive
from datebridge.core.moments import Moment
from datebridge.core.series.health import heal, series_findings
from datebridge.core.series.inferring import Single, infer
from datebridge.core.series.phrasing import phrase
from datebridge.core.series.proving import NotTheSame, differences, must_be_same
from datebridge.core.series.shaping import attach_override, detach, explode, gather, join
from tests.core.editing.series_model import expand
from tests.depth import tries
from tests.scattered import found_of, scattered

STAMP = "20261101T000000Z"
ZONE = "Australia/Hobart"


def entry(*lines: str, uid: str = "a") -> str:
    return "\n".join(["BEGIN:VEVENT", f"UID:{uid}", "SUMMARY:Watch", *lines, "END:VEVENT"])


def master(*lines: str, uid: str = "a", start: str = "20261102T090000") -> str:
    return entry(f"DTSTART;TZID={ZONE}:{start}", "DURATION:PT1H", *lines, uid=uid)


def change(slot: str, start: str, *lines: str, uid: str = "a") -> str:
    return entry(f"RECURRENCE-ID;TZID={ZONE}:{slot}", f"DTSTART;TZID={ZONE}:{start}", "DURATION:PT1H", *lines, uid=uid)


def group(*texts: str) -> Group:
    return Group([SeriesMember(number, text) for number, text in enumerate(texts)], ZONE)


def after(plan: Plan, *texts: str) -> list[str]:
    """All texts as a plan leaves them."""
    left: dict[int, str | None] = dict(enumerate(texts))
    left |= {edit.id: edit.text for edit in plan.edits if edit.id is not None}
    return [text for text in (*left.values(), *(e.text for e in plan.edits if e.id is None)) if text is not None]


def times(texts: list[str]) -> list[tuple[datetime, datetime, str]]:
    return [(one.begin, one.end, one.title) for one in expand(texts)]


# ---- a rule for times -------------------------------------------------------------------------------------


@tries(60, 2_000)
@given(
    st.lists(st.integers(0, 120), min_size=5, max_size=40, unique=True), st.sampled_from(["FREQ=DAILY", "FREQ=WEEKLY"])
)
def test_a_phrase_says_exactly_the_times(days: list[int], rule: str) -> None:
    wanted = sorted(20_780 * 86_400 + day * 86_400 + 32_400 for day in days)
    said = phrase(rule, wanted)
    if said is not None:
        assert sorted((*said.hits, *said.extra)) == wanted
        assert not set(said.left_out) & set(wanted)


def test_hidden_series_are_found_and_nothing_else() -> None:
    made = scattered(60, 3_000, seed=11)
    part, false = found_of(made, infer(made.singles))
    assert part >= 0.95
    assert false == 0


def test_few_entries_and_chance_make_no_series() -> None:
    at = 20_780 * 86_400
    few = [Single(n, at + n * 7 * 86_400, 3600, ("Watch",)) for n in range(4)]
    odd = [
        Single(n, at + day * 86_400, 3600, ("Lunch",)) for n, day in enumerate([0, 1, 5, 11, 12, 30, 31, 47, 64, 80])
    ]
    assert infer([*few, *odd]) == []


def test_gaps_on_holidays_are_explained() -> None:
    at = 20_780 * 86_400
    singles = [Single(n, at + n * 7 * 86_400, 3600, ("Watch",)) for n in range(12) if n not in (5, 6, 7, 8)]
    assert [len(one.keys) for one in infer(singles)] == [5]
    [found] = infer(singles, free=[20_780 + 7 * n for n in (5, 6, 7, 8)])
    assert (found.explained, len(found.left_out)) == (4, 4)


# ---- gathered, taken apart, joined ------------------------------------------------------------------------


def singles(series: str, **changed: str) -> dict[int, str]:
    """A series as single entries, some of them otherwise."""
    found = {}
    for number, one in enumerate(expand([series])):
        lines = [
            f"DTSTART;TZID={ZONE}:{one.wall:%Y%m%dT%H%M%S}",
            "DURATION:PT1H",
            *changed.get(f"n{number}", "").split(),
        ]
        found[number] = entry(*lines, uid=f"s{number}")
    return found


def of_text(key: int, text: str) -> Single[int]:
    facts = derive("VEVENT", text)
    assert facts.start_wall is not None
    assert facts.end_wall is not None
    return Single(key, facts.start_wall, facts.end_wall - facts.start_wall, ("Watch",))


@tries(60, 2_000)
@given(
    st.sampled_from(["FREQ=WEEKLY;COUNT=20", "FREQ=MONTHLY;BYDAY=1MO;COUNT=9", "FREQ=WEEKLY;BYDAY=MO,TH;COUNT=20"]),
    st.sets(st.integers(1, 7), max_size=1),
    st.sets(st.integers(1, 7), max_size=1),
)
def test_singles_gathered_happen_as_they_did(rule: str, gone: set[int], otherwise: set[int]) -> None:
    texts = singles(master(f"RRULE:{rule}"), **{f"n{n}": "LOCATION:Pier" for n in otherwise})
    texts = {key: text for key, text in texts.items() if key not in gone}
    [found] = infer([of_text(key, text) for key, text in texts.items()])
    made = after(gather(texts, found, STAMP), *[""] * 0)
    assert times(made) == times(list(texts.values()))
    assert len(made) == 1 + len(otherwise - gone)
    assert differences(list(texts.values()), made) == []


def test_a_series_taken_apart_is_gathered_again() -> None:
    texts = [
        master("RRULE:FREQ=WEEKLY;COUNT=9", f"EXDATE;TZID={ZONE}:20261116T090000"),
        change("20261123T090000", "20261124T100000", "LOCATION:Pier"),
    ]
    apart = after(explode(group(*texts), STAMP), *texts)
    assert len(apart) == 8
    assert times(apart) == times(texts)
    [found] = infer([of_text(key, text) for key, text in enumerate(apart)])
    again = after(gather(dict(enumerate(apart)), found, STAMP))
    assert times(again) == times(texts)
    assert len(again) == 2


def test_pieces_joined_happen_as_they_did() -> None:
    one = master("RRULE:FREQ=WEEKLY;COUNT=6")
    other = master("RRULE:FREQ=WEEKLY;COUNT=5", start="20261221T090000", uid="b")
    changed = change("20261228T090000", "20261229T090000", uid="b")
    plan = join(
        [Group([SeriesMember(1, other), SeriesMember(2, changed)], ZONE), Group([SeriesMember(0, one)], ZONE)], STAMP
    )
    made = [edit.text for edit in plan.edits if edit.text is not None]
    assert times(made) == times([one, other, changed])
    assert {derive("VEVENT", text).uid for text in made} == {"a"}
    assert f"EXDATE;TZID={ZONE}:20261214T090000" in made[0]


def test_pieces_that_say_something_else_are_not_joined() -> None:
    one = master("RRULE:FREQ=WEEKLY;COUNT=6")
    other = master("RRULE:FREQ=WEEKLY;COUNT=5", "LOCATION:Pier", start="20261221T090000", uid="b")
    with pytest.raises(NotTheSame):
        join([Group([SeriesMember(0, one)], ZONE), Group([SeriesMember(1, other)], ZONE)], STAMP)


def test_an_orphan_is_adopted_or_stands_alone() -> None:
    orphan = change("20261116T090000", "20261117T110000", uid="lost")
    series = group(master("RRULE:FREQ=WEEKLY;COUNT=9"))
    own = attach_override(orphan, series, Moment(datetime(2026, 11, 16, 9)).wall_seconds, STAMP)
    assert derive("VEVENT", own).uid == "a"
    found = times([series.members[0].text, own])
    assert len(found) == 9
    assert found[2][0] - found[1][0] == timedelta(days=8, hours=2)
    assert "RECURRENCE-ID" not in detach(orphan, STAMP)
    assert times([detach(orphan, STAMP)]) == times([orphan])


# ---- put right --------------------------------------------------------------------------------------------

WEEKLY = "RRULE:FREQ=WEEKLY;COUNT=9"
ILL = {
    "start off rule": (["start-off-rule"], [master("RRULE:FREQ=WEEKLY;BYDAY=TU;COUNT=9")], True),
    "rule that ends before it begins": (["empty-rule"], [master("RRULE:FREQ=WEEKLY;UNTIL=20250101T000000Z")], True),
    "parts that contradict": (["empty-rule"], [master("RRULE:FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30")], True),
    "left-out date in UTC of another clock": (["exdate-misses"], [master(WEEKLY, "EXDATE:20261116T090000Z")], False),
    "left-out date that means none": (["exdate-misses"], [master(WEEKLY, f"EXDATE;TZID={ZONE}:20261118T220000")], True),
    "change outside": (["override-outside"], [master(WEEKLY), change("20261116T100000", "20261116T120000")], False),
    "change told in UTC": (
        ["override-id-form"],
        [
            master(WEEKLY),
            entry("RECURRENCE-ID:20261115T220000Z", f"DTSTART;TZID={ZONE}:20261116T120000", "DURATION:PT1H"),
        ],
        True,
    ),
    "change of nothing": (["override-same"], [master(WEEKLY), change("20261116T090000", "20261116T090000")], True),
    "two changes of one": (
        ["override-twice"],
        [
            master(WEEKLY),
            change("20261116T090000", "20261116T120000"),
            change("20261116T090000", "20261116T140000", "SEQUENCE:2"),
        ],
        False,
    ),
}


@pytest.mark.parametrize(("codes", "texts", "as_before"), ILL.values(), ids=ILL)
def test_what_is_wrong_is_found_and_put_right(codes: list[str], texts: list[str], as_before: bool) -> None:
    ill = group(*texts)
    assert [one.code for one in series_findings(ill)] == codes
    healed = after(heal(ill, codes, STAMP), *texts)
    assert series_findings(group(*healed)) == []
    if as_before:
        assert differences(texts, healed) == []
    else:
        assert len(differences(texts, healed)) <= 2


def test_what_is_meant_is_told() -> None:
    found = series_findings(group(master(WEEKLY), change("20261116T100000", "20261116T120000")))
    assert found[0].message == (
        "It stands for 2026-11-16 10:00, at which its series does not happen; 2026-11-16 09:00 may be meant."
    )


def test_an_occurrence_put_back_after_a_change_for_all_that_follow_is_no_change_of_nothing() -> None:
    onward = entry(
        f"RECURRENCE-ID;TZID={ZONE};RANGE=THISANDFUTURE:20261116T090000",
        f"DTSTART;TZID={ZONE}:20261116T110000",
        "DURATION:PT1H",
    )
    texts = [master(WEEKLY), onward, change("20261123T090000", "20261123T090000")]
    assert "override-same" not in [one.code for one in series_findings(group(*texts))]
    before = [master(WEEKLY), onward, change("20261109T090000", "20261109T090000")]
    assert "override-same" in [one.code for one in series_findings(group(*before))]


def test_a_healthy_series_has_nothing() -> None:
    texts = [
        master(
            "RRULE:FREQ=WEEKLY;BYDAY=MO,TH", f"EXDATE;TZID={ZONE}:20261116T090000", f"RDATE;TZID={ZONE}:20261114T090000"
        ),
        change("20261119T090000", "20261119T110000"),
    ]
    assert series_findings(group(*texts)) == []


@pytest.mark.parametrize(
    ("rule", "code", "right"),
    [
        ("FREQ=WEEKLY;UNTIL=20261220", "until-type", "FREQ=WEEKLY;UNTIL=20261220T125959Z"),
        ("FREQ=WEEKLY;UNTIL=20261220T090000", "until-type", "FREQ=WEEKLY;UNTIL=20261219T220000Z"),
        ("FREQ=WEEKLY;COUNT=3;UNTIL=20261220T000000Z", "count-and-until", "FREQ=WEEKLY;COUNT=3"),
        ("FREQ=WEEKLY;COUNT=30;UNTIL=20261220T000000Z", "count-and-until", "FREQ=WEEKLY;UNTIL=20261220T000000Z"),
        ("FREQ=WEEKLY;COUNT=3;BYSETPOS=0", "invalid-rule-part", "FREQ=WEEKLY;COUNT=3"),
    ],
)
def test_rules_are_written_as_they_are_meant(rule: str, code: str, right: str) -> None:
    ill = master(f"RRULE:{rule}")
    [text] = after(heal(group(ill), [code], STAMP), ill)
    assert f"RRULE:{right}" in text.split("\n")
    must_be_same([ill], [text])
