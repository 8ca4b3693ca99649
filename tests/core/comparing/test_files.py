"""Calendars compared, occurrence by occurrence; expansions by another library say what is right."""

from __future__ import annotations

import io
from datetime import date, datetime

import icalendar
import pytest
import recurring_ical_events
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.comparing.files import Comparison, both, compare_files
from datebridge.core.comparing.seasons import Move, explain
from datebridge.core.moments import instant_at, wall_at, wall_seconds_of
from datebridge.core.text.reader import Reader
from tests.depth import tries

LOW, HIGH = date(2026, 1, 1), date(2027, 6, 1)


def calendar(*events: str) -> str:
    return "\r\n".join(
        ["BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:x", *"\n".join(events).split("\n"), "END:VCALENDAR", ""]
    )


def event(uid: str, *lines: str, title: str = "Watch") -> str:
    return "\n".join(
        ["BEGIN:VEVENT", f"UID:{uid}", f"SUMMARY:{title}", "DTSTAMP:20260101T000000Z", *lines, "END:VEVENT"]
    )


def compared(left: str, right: str) -> Comparison:
    read = [(f"{n}.ics", list(Reader(io.BytesIO(text.encode())))) for n, text in enumerate((left, right))]
    return compare_files(both(*read), wall_seconds_of(LOW), wall_seconds_of(HIGH))


def oracle(text: str) -> dict[tuple[str, str], str]:
    """UID and slot of each occurrence, and when it begins, as another library expands it."""
    found = {}
    for one in recurring_ical_events.of(icalendar.Calendar.from_ical(text)).between(LOW, HIGH):
        start = one["DTSTART"].dt
        slot = one["RECURRENCE-ID"].dt if "RECURRENCE-ID" in one else start
        found[str(one["UID"]), f"{slot}"] = f"{start}"
    return found


HOURS = st.integers(6, 20)
SERIES = st.builds(
    lambda uid, hour, rule, gone, moved: "\n".join(
        [
            event(
                f"s{uid}",
                f"DTSTART:202601{5 + uid % 7:02d}T{hour:02d}0000Z",
                "DURATION:PT1H",
                f"RRULE:{rule}",
                *[f"EXDATE:202601{5 + uid % 7 + 7 * week:02d}T{hour:02d}0000Z" for week in gone],
            ),
            *(
                [
                    event(
                        f"s{uid}",
                        f"RECURRENCE-ID:202601{5 + uid % 7 + 14:02d}T{hour:02d}0000Z",
                        f"DTSTART:202601{5 + uid % 7 + 14:02d}T{hour:02d}3000Z",
                        "DURATION:PT1H",
                    )
                ]
                if moved
                else []
            ),
        ]
    ),
    st.integers(0, 20),
    HOURS,
    st.sampled_from(["FREQ=WEEKLY;COUNT=20", "FREQ=DAILY;COUNT=30", "FREQ=WEEKLY;UNTIL=20270101T000000Z"]),
    st.lists(st.sampled_from([0, 1]), unique=True),
    st.booleans(),
)
SINGLES = st.builds(
    lambda uid, day, hour: event(f"e{uid}", f"DTSTART:202603{day:02d}T{hour:02d}0000Z", "DURATION:PT1H"),
    st.integers(0, 20),
    st.integers(1, 28),
    HOURS,
)
CALENDAR = st.lists(st.one_of(SERIES, SINGLES), max_size=6, unique_by=lambda e: e.split("\n")[1]).map(
    lambda events: calendar(*events)
)


@tries(8, 300)
@given(CALENDAR, CALENDAR)
def test_counts_are_those_of_another_library(left: str, right: str) -> None:
    one, other = oracle(left), oracle(right)
    found = compared(left, right).summary
    assert sum(found[v] for v in ("same", "changed", "missing")) == len(one)
    assert sum(found[v] for v in ("same", "changed", "extra")) == len(other)
    both = one.keys() & other.keys()
    assert found["same"] >= sum(1 for key in both if one[key] == other[key] and _only(key, left, right))


def _only(key: tuple[str, str], left: str, right: str) -> bool:
    """Whether an occurrence has no other counterpart: its UID happens once on both sides."""
    return all(sum(1 for uid, _ in oracle(side) if uid == key[0]) == 1 for side in (left, right))


@tries(8, 300)
@given(CALENDAR)
def test_a_calendar_is_the_same_as_itself(text: str) -> None:
    found = compared(text, text.replace("DTSTAMP:2026", "DTSTAMP:2025"))
    assert found.differences == []
    assert found.summary["same"] == len(oracle(text))


WEEKLY = ("DTSTART;TZID=America/Halifax:20260105T090000", "DURATION:PT1H", "RRULE:FREQ=WEEKLY;COUNT=60")


@pytest.mark.parametrize(
    ("change", "told"),
    [
        (lambda e: e.replace("SUMMARY:Watch", "SUMMARY:Night watch"), {("changed", 0, ("title",))}),
        (lambda e: e.replace("T090000", "T100000"), {("changed", 3600, ())}),
        (lambda e: e.replace("PT1H", "PT2H"), {("changed", 0, ("length",))}),
        (lambda e: e.replace("COUNT=60", "COUNT=59"), {("missing", 0, ())}),
        (lambda e: e.replace("COUNT=60", "COUNT=61"), {("extra", 0, ())}),
        (
            lambda e: e.replace(
                "\nEND:VEVENT", "\nBEGIN:VALARM\nTRIGGER:-PT5M\nACTION:DISPLAY\nEND:VALARM\nEND:VEVENT"
            ),
            {("changed", 0, ("alarms",))},
        ),
        (lambda e: e.replace("UID:a", "UID:b").replace("COUNT=60", "COUNT=59"), {("missing", 0, ())}),
    ],
    ids=["title", "an hour later", "longer", "one less", "one more", "an alarm", "another UID and one less"],
)
def test_what_was_changed_is_what_is_told(change, told) -> None:  # type: ignore[no-untyped-def]
    text = event("a", *WEEKLY)
    found = compared(calendar(text), calendar(change(text)))
    assert {(one.verdict, one.moved_by, one.fields) for one in found.differences} == told


@pytest.mark.parametrize("kept", [True, False])
@pytest.mark.parametrize("written_out", [True, False])
def test_the_same_occurrences_cut_differently_are_the_same(kept: bool, written_out: bool) -> None:
    daily = ("DURATION:PT1H", "LOCATION:Quay", "CATEGORIES:A,B")
    whole = event("a", "DTSTART:20260105T090000Z", *daily, "RRULE:FREQ=DAILY;COUNT=10")
    other = ("DURATION:PT1H", "LOCATION:Quay", "CATEGORIES:B", "CATEGORIES:A")
    first = event("a" if kept else "b", "DTSTART:20260105T090000Z", *other, "RRULE:FREQ=DAILY;COUNT=5")
    rest = [event("c", "DTSTART:20260110T090000Z", *other, "RRULE:FREQ=DAILY;COUNT=5")]
    if written_out:
        rest = [event(f"c{k}", f"DTSTART:202601{k}T090000Z", *other) for k in range(10, 15)]
    for sides in ((whole, [first, *rest]), ("\n".join([first, *rest]), [whole])):
        found = compared(calendar(sides[0]), calendar(*sides[1]))
        assert (found.summary["same"], found.differences) == (10, [])
    less = compared(calendar(whole), calendar(first, *rest[1:] or [rest[0].replace("COUNT=5", "COUNT=4")]))
    assert (less.summary["missing"], less.summary["extra"]) != (0, 0)


def test_what_is_cancelled_on_one_side_and_left_out_on_the_other_happens_on_neither() -> None:
    text = event("a", *WEEKLY)
    cancelled = event(
        "a",
        WEEKLY[0].replace("0105", "0112"),
        WEEKLY[1],
        "STATUS:CANCELLED",
        "RECURRENCE-ID;TZID=America/Halifax:20260112T090000",
    )
    left = text.replace("\nEND:VEVENT", "\nEXDATE;TZID=America/Halifax:20260112T090000\nEND:VEVENT")
    for sides in ((left, f"{text}\n{cancelled}"), (f"{text}\n{cancelled}", left)):
        assert compared(*map(calendar, sides)).differences == []


def test_a_series_off_in_winter_only_has_its_zones_named() -> None:
    other = event("a", *WEEKLY).replace("America/Halifax:", "America/Puerto_Rico:")
    found = compared(calendar(event("a", *WEEKLY)), calendar(other))
    assert {one.moved_by for one in found.differences} == {3600}
    assert found.summary["same"] > 20
    moves = [
        Move(at, instant_at(wall_at(at, "America/Halifax"), "America/Puerto_Rico") - at)
        for at in range(1_767_600_000, 1_790_000_000, 604_800)
    ]
    misreading = explain(moves, "America/Halifax", "", ["America/Puerto_Rico"])
    assert misreading is not None
    assert (misreading.right, misreading.wrong, misreading.moved > 0, misreading.still > 0) == (
        "America/Halifax",
        "America/Puerto_Rico",
        True,
        True,
    )


def test_moves_that_no_two_zones_explain_are_not_explained() -> None:
    begin = int(datetime(2026, 1, 5, 9).timestamp())
    assert explain([Move(begin, 3600), Move(begin + 86_400, 0)], "America/Halifax", "") is None
