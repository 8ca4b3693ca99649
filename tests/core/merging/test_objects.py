"""Merging compared with doing both sides' edits one after the other, to a model of a series that knows no text."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.crossing.features import alike
from datebridge.core.index.derive import derive
from datebridge.core.merging.objects import MergedObject, ObjectState, merge_objects
from datebridge.core.occurrences.expanding import timed
from datebridge.core.occurrences.series import Series
from datebridge.core.text.component import Component
from tests.depth import tries

DAYS = st.integers(0, 6)
EDIT = st.one_of(
    st.tuples(st.just("title"), st.just(0), st.sampled_from(["Ebb", "Flood"])),
    st.tuples(st.just("place"), st.just(0), st.sampled_from(["Pier", "Quay"])),
    st.tuples(st.just("count"), st.just(0), st.sampled_from([4, 9])),
    st.tuples(st.just("shift"), st.just(0), st.sampled_from([11, 12])),
    st.tuples(st.just("out"), DAYS, st.just(0)),
    st.tuples(st.just("move"), DAYS, st.sampled_from([1, 5])),
    st.tuples(st.just("retitle"), DAYS, st.sampled_from(["Slack", "Surge"])),
    st.tuples(st.just("delete"), st.just(0), st.just(0)),
)
Edits = Sequence[tuple[str, int, object]]


@dataclass(frozen=True)
class Model:
    """A daily series from 1 December, by its values; changed occurrences by day, as (hours later, title)."""

    hour: int = 9
    count: int = 7
    title: str = "Tide"
    place: str = ""
    out: frozenset[int] = frozenset()
    changed: dict[int, tuple[int, str]] = field(default_factory=dict)
    gone: bool = False

    def after(self, edits: Edits) -> Model:
        model = self
        for edit in edits:
            model = model._after(*edit)
        return model

    def _after(self, what: str, day: int, value: object) -> Model:
        match what:
            case "title" | "place" | "count":
                return replace(self, **{what: value})  # type: ignore[arg-type]
            case "shift":
                return replace(self, hour=value)  # type: ignore[arg-type]
            case "delete":
                return replace(self, gone=True)
            case _ if day >= self.count or (day in self.out and what != "out"):
                return self
            case "out":
                rest = {k: one for k, one in self.changed.items() if k != day}
                return replace(self, out=self.out | {day}, changed=rest)
        hours, title = self.changed.get(day, (0, self.title))
        made = (value, title) if what == "move" else (hours, value)
        return replace(self, changed={**self.changed, day: made})  # type: ignore[dict-item]

    def texts(self) -> list[str]:
        if self.gone:
            return []
        dates = [f"EXDATE:{_at(day, self.hour)}" for day in sorted(self.out)]
        rule = f"RRULE:FREQ=DAILY;COUNT={self.count}"
        texts = [self._entry(_at(0, self.hour), self.title, rule, *dates)]
        for day, (hours, title) in sorted(self.changed.items()):
            if day < self.count:
                texts.append(self._entry(_at(day, self.hour + hours), title, f"RECURRENCE-ID:{_at(day, self.hour)}"))
        return texts

    def _entry(self, start: str, title: str, *lines: str) -> str:
        place = [f"LOCATION:{self.place}"] if self.place else []
        own = ["UID:1", f"DTSTART:{start}", "DURATION:PT1H", f"SUMMARY:{title}", *place, *lines]
        return "\n".join(["BEGIN:VEVENT", *own, "END:VEVENT"])


def _at(day: int, hour: int) -> str:
    return f"202612{day + 1:02}T{hour:02}0000Z"


def happenings(texts: Sequence[str]) -> list[tuple[int, str, str]]:
    """When an object happens, with its title and place."""
    facts = [(derive(Component(text).kind, text), text) for text in texts]
    entries = [one for number, (fact, _) in enumerate(facts) if (one := timed(fact, number)) is not None]
    if not entries:
        return []
    found = []
    for one in Series(entries).between(0, 1 << 40):
        text = facts[one.entry][1]
        place = Component(text).first("LOCATION")
        found.append((one.start, facts[one.entry][0].summary, place.value if place else ""))
    return sorted(found)


def merged(base: Model, left: Model, right: Model) -> MergedObject:
    return merge_objects(*(ObjectState(one.texts()) for one in (base, left, right)))


def independent(base: Model, left: Edits, right: Edits) -> bool:
    """Whether two sides' edits have nothing to do with each other."""
    for mine, day, value in left:
        for theirs, other, theirs_value in right:
            if "delete" in (mine, theirs) and mine != theirs:
                return False
            if (
                mine == theirs
                and (mine in ("title", "place", "count", "shift") or day == other)
                and value != theirs_value
            ):
                return False
            of_day = {"out", "move", "retitle"}
            if {mine, theirs} & {"shift"} and {mine, theirs} & {"count", *of_day}:
                return False
            if {mine, theirs} <= of_day and day == other and "out" in (mine, theirs) and mine != theirs:
                return False
            if "count" in (mine, theirs) and {mine, theirs} & of_day:
                return False
            if base.changed and "place" in (mine, theirs) and {mine, theirs} & {"count", "out", "shift"}:
                return False  # it is the place of each changed occurrence too
            if {mine, theirs} & {"title", "place"} and {mine, theirs} & {"move", "retitle"}:
                return False  # tested by itself: the words of the series are those of its occurrences
    return True


ONE_SIDE = st.lists(EDIT, max_size=3)


@tries(300, 20_000)
@given(ONE_SIDE, ONE_SIDE, ONE_SIDE)
def test_independent_edits_come_to_what_they_come_to_one_after_the_other(
    before: Edits, mine: Edits, theirs: Edits
) -> None:
    base = Model().after([edit for edit in before if edit[0] != "delete"])
    left, right = base.after(mine), base.after(theirs)
    if not independent(base, mine, theirs):
        return
    both = merged(base, left, right)
    assert both.conflicts == ()
    assert happenings(both.texts) == happenings(left.after(theirs).texts())


@tries(300, 20_000)
@given(ONE_SIDE, ONE_SIDE, ONE_SIDE)
def test_merging_is_commutative_and_one_side_alone_is_what_comes_of_it(
    before: Edits, mine: Edits, theirs: Edits
) -> None:
    base = Model().after([edit for edit in before if edit[0] != "delete"])
    left, right = base.after(mine), base.after(theirs)
    one, other = merged(base, left, right), merged(base, right, left)
    assert alike(one.texts, other.texts)
    mirrored = {(c.place, c.name, c.base, c.right, c.left) for c in other.conflicts}
    assert {(c.place, c.name, c.base, c.left, c.right) for c in one.conflicts} == mirrored
    for alone in (merged(base, left, base), merged(base, base, left), merged(base, left, left)):
        assert alone.conflicts == ()
        assert alike(alone.texts, left.texts())
    again = merge_objects(ObjectState(base.texts()), ObjectState(one.texts), ObjectState(right.texts()))
    if not one.conflicts:
        assert alike(again.texts, one.texts)
        assert again.conflicts == ()


@tries(300, 20_000)
@given(ONE_SIDE, ONE_SIDE, ONE_SIDE)
def test_whatever_somebody_wrote_is_in_the_result_or_in_a_conflict(before: Edits, mine: Edits, theirs: Edits) -> None:
    base = Model().after([edit for edit in before if edit[0] != "delete"])
    left, right = base.after(mine), base.after(theirs)
    both = merged(base, left, right)
    was = {line for text in base.texts() for line in text.split("\n")}
    said = {line for text in both.texts for line in text.split("\n")}
    waiting = {line for one in both.conflicts for lines in (one.left, one.right) for line in lines}
    for side in (left, right):
        wrote = {line for text in side.texts() for line in text.split("\n") if _is_written(line, text)} - was
        if side.gone or (left.gone and right.gone):
            continue
        assert wrote <= said | waiting, (mine, theirs)


def _is_written(line: str, text: str) -> bool:
    """Whether a line says something by itself: no start that is the occurrence's own, nor that one is left out, which a
    conflict tells by there being nothing of it."""
    own = line.startswith("DTSTART:") and line.replace("DTSTART", "RECURRENCE-ID") in text
    return not own and not line.startswith("EXDATE")


def series(*lines: str, rule: str = "FREQ=WEEKLY;COUNT=8", at: str = "TZID=Europe/Oslo:20261202T090000") -> str:
    own = ["UID:1", f"DTSTART;{at}", "DURATION:PT1H", f"RRULE:{rule}", "SUMMARY:Round", *lines]
    return "\n".join(["BEGIN:VEVENT", *own, "END:VEVENT"])


def occurrence(week: str, *lines: str, start: str = "") -> str:
    own = [
        "UID:1",
        f"RECURRENCE-ID;TZID=Europe/Oslo:2026{week}T090000",
        f"DTSTART;TZID=Europe/Oslo:{start or f'2026{week}T090000'}",
    ]
    return "\n".join(["BEGIN:VEVENT", *own, "DURATION:PT1H", "SUMMARY:Round", *lines, "END:VEVENT"])


def put_together(base: list[str], left: list[str], right: list[str]) -> tuple[tuple[str, ...], list[tuple[str, str]]]:
    both = merge_objects(ObjectState(base), ObjectState(left), ObjectState(right))
    return both.texts, [(one.place[1], one.name) for one in both.conflicts]


def test_dates_left_out_on_both_sides_are_left_out_in_whatever_spelling() -> None:
    left = series("EXDATE;TZID=Europe/Oslo:20261209T090000")
    right = series("EXDATE:20261216T080000Z", "EXDATE;TZID=Europe/Oslo:20261209T090000,20261223T090000")
    texts, conflicts = put_together([series()], [left], [right])
    assert conflicts == []
    assert len(happenings(texts)) == 5


def test_words_of_the_series_reach_an_occurrence_that_the_other_side_has_moved() -> None:
    moved = occurrence("1209", start="20261209T110000")
    texts, conflicts = put_together([series()], [series().replace("Round", "Patrol")], [series(), moved])
    assert conflicts == []
    assert [title for _, title, _ in happenings(texts)] == ["Patrol"] * 8


def test_an_occurrence_moved_otherwise_on_both_sides_waits_by_itself() -> None:
    mine = [series("LOCATION:Pier"), occurrence("1209", start="20261209T110000")]
    theirs = [series(), occurrence("1209", start="20261210T090000")]
    texts, conflicts = put_together([series()], mine, theirs)
    assert conflicts == [("20261209T080000Z", "DTSTART")]
    assert "LOCATION:Pier" in texts[0]


@pytest.mark.parametrize(
    "ended", [series(rule="FREQ=WEEKLY;UNTIL=20261208T080000Z"), series("EXDATE;TZID=Europe/Oslo:20261209T090000")]
)
def test_an_occurrence_that_one_side_took_away_and_the_other_moved_waits_and_the_rest_travels(ended: str) -> None:
    moved = occurrence("1209", start="20261209T110000")
    texts, conflicts = put_together([series()], [ended], [series("LOCATION:Pier"), moved])
    assert conflicts == [("20261209T080000Z", "")]
    assert "LOCATION:Pier" in texts[0]


def test_a_series_ended_here_and_continued_there_is_a_conflict_of_its_rule_alone() -> None:
    ended = series(rule="FREQ=WEEKLY;UNTIL=20261216T080000Z").replace("Round", "Patrol")
    texts, conflicts = put_together([series()], [ended], [series(rule="FREQ=WEEKLY;COUNT=20")])
    assert conflicts == [("", "RRULE")]
    assert texts == (series().replace("Round", "Patrol"),)


def test_a_series_moved_here_with_an_occurrence_changed_there_keeps_its_times_until_somebody_decides() -> None:
    later = series(at="TZID=Europe/Oslo:20261202T100000").replace("Round", "Patrol")
    changed = occurrence("1209", "LOCATION:Quay")
    texts, conflicts = put_together([series()], [later], [series(), changed])
    assert ("", "DTSTART") in conflicts
    assert ("20261209T080000Z", "") in conflicts
    assert texts == (series().replace("Round", "Patrol"),)


def test_deleted_here_and_changed_there_waits_and_deleted_there_too_is_gone() -> None:
    assert put_together([series()], [], [series("LOCATION:Pier")]) == ((series(),), [("", "")])
    assert put_together([series()], [], [series()]) == ((), [])
    assert put_together([series()], [], []) == ((), [])
    assert put_together([], [series()], []) == ((series(),), [])
