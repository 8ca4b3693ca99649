"""What one event, or one small file, can make the core do: bounded in steps, and linear in its size.

Steps are lines of Python run, so the test is the same on any machine. Each case is generated at two sizes: twice the
size may take little more than twice the steps, and never more than so many for each octet.
"""

from __future__ import annotations

import io
import sys
from collections.abc import Callable
from datetime import date
from types import FrameType
from typing import Any

import pytest

from datebridge.core.checks import examine
from datebridge.core.editing.fields import read_fields
from datebridge.core.editing.groups import Group, SeriesMember, fields_at
from datebridge.core.editing.series import edit
from datebridge.core.inspection import inspect
from datebridge.core.moments import wall_seconds_of
from datebridge.core.occurrences.expanding import Bounds, occurrences, timed
from datebridge.core.recurrence.days import Steps
from datebridge.core.recurrence.pattern import pattern
from datebridge.core.recurrence.rules import parse_rule
from datebridge.core.recurrence.starts import last_counted, starts
from datebridge.core.series.health import heal, series_findings
from datebridge.core.series.inferring import Single, infer
from datebridge.core.views.expansion import expand
from datebridge.core.views.overlaps import overlaps
from datebridge.core.zones.defined import defined
from datebridge.core.zones.fitting import fitted

START = "DTSTART:20260105T090000Z"
DAY = 86400
HOURS = ",".join(map(str, range(24)))
SIXTY = ",".join(map(str, range(60)))
JANUARY = wall_seconds_of(date(2026, 1, 5))


def steps_of(work: Callable[[], object]) -> int:
    """How many lines of Python it runs."""
    count = 0

    def line(_frame: FrameType, event: str, _arg: Any) -> Any:
        nonlocal count
        count += event == "line"
        return line

    before = sys.gettrace()
    sys.settrace(line)
    try:
        work()
    finally:
        sys.settrace(before)
    return count


def event(*lines: str, uid: str = "1") -> str:
    return "\n".join(["BEGIN:VEVENT", f"UID:{uid}", "DTSTAMP:20260101T000000Z", *lines, "END:VEVENT"])


def calendar(*parts: str) -> bytes:
    return "\n".join(["BEGIN:VCALENDAR", "VERSION:2.0", *parts, "END:VCALENDAR", ""]).encode()


#: Files by name, as functions of how large they are.
FILES: dict[str, Callable[[int], bytes]] = {
    "junk lines": lambda n: calendar(event(START, *[f"junk {k}" for k in range(n)])),
    "titles": lambda n: calendar(event(START, *[f"SUMMARY:{k}" for k in range(n)])),
    "extra dates": lambda n: calendar(
        event(START, *[f"RDATE:2026{k % 12 + 1:02d}01T{k % 24:02d}0000Z" for k in range(n)])
    ),
    "rules": lambda n: calendar(event(START, *[f"RRULE:FREQ=DAILY;INTERVAL={k + 1}" for k in range(n)])),
    "counted rules": lambda n: calendar(
        event(START, *[f"RRULE:FREQ=MONTHLY;BYMONTHDAY={k % 28 + 1};COUNT={k + 9999}" for k in range(n)])
    ),
    "stamps": lambda n: calendar(event(START, *["DTSTAMP:20260101T000000Z"] * n)),
    "bad left-out dates": lambda n: calendar(event(START, "RRULE:FREQ=DAILY", "EXDATE:" + ",".join(["x"] * n * 4))),
    "one UID": lambda n: calendar(*[event(START) for _ in range(n // 5)]),
    "unknown zones": lambda n: calendar(event(START, *[f"EXDATE;TZID=Nowhere {k}:20260105T090000" for k in range(n)])),
    "many unknown zones": lambda n: calendar(
        *[event(f"DTSTART;TZID=Nowhere {k}:20260105T090000", uid=str(k)) for k in range(n // 5)]
    ),
    "nested": lambda n: calendar("BEGIN:X\n" * (n // 2) + "END:X\n" * (n // 2)),
    "never ended": lambda n: calendar("BEGIN:VEVENT\nUID:1\n" * (n // 2)),
    "ended far away": lambda n: calendar("BEGIN:VEVENT\nBEGIN:VTODO\nEND:VTODO\n" * (n // 3), "END:VEVENT"),
    "folds": lambda n: b"BEGIN:VCALENDAR\nX-A:" + b"\n " * n * 4 + b"\nEND:VCALENDAR\n",
    "observances never ended": lambda n: calendar(
        "BEGIN:VTIMEZONE\nTZID:x\n" + "BEGIN:STANDARD\n" * n + "END:VTIMEZONE"
    ),
    "definitions": lambda n: calendar(
        *[
            f"BEGIN:VTIMEZONE\nTZID:Zone {k}\nBEGIN:STANDARD\nDTSTART:19700101T000000\nRRULE:FREQ=SECONDLY\n"
            "TZOFFSETFROM:+0100\nTZOFFSETTO:+0200\nEND:STANDARD\nEND:VTIMEZONE"
            for k in range(n // 10)
        ]
    ),
    "parameters": lambda n: calendar(event(START + ";X=1" * 0, "ATTENDEE" + ";X=1" * n + ":mailto:a@x.example")),
    "quotes": lambda n: calendar(event(START, 'ATTENDEE;CN="' + '""' * n + ":x")),
    "categories": lambda n: calendar(event(START, "CATEGORIES:" + "a\\," * n)),
    "rule parts": lambda n: calendar(event(START, "RRULE:FREQ=DAILY" + ";BYDAY=MO" * n)),
    "rule values": lambda n: calendar(event(START, "RRULE:FREQ=YEARLY;BYSETPOS=" + ",".join(["1", "-1", "366"] * n))),
}
#: Rules that are small and ask for a great deal.
RULES = [
    "FREQ=SECONDLY;INTERVAL=60;BYSECOND=1;COUNT=2",
    "FREQ=SECONDLY;BYSETPOS=2;BYHOUR=9;COUNT=2",
    f"FREQ=YEARLY;BYHOUR={HOURS};BYMINUTE={SIXTY};BYSECOND={SIXTY};BYSETPOS=366;COUNT=9",
    "FREQ=SECONDLY;INTERVAL=4",
    "FREQ=SECONDLY",
    "FREQ=MINUTELY",
    "FREQ=DAILY;BYDAY=MO,TU;COUNT=10000000",
    "FREQ=DAILY;INTERVAL=999999999999;BYDAY=MO",
    "FREQ=WEEKLY;BYDAY=MO;BYSETPOS=2;COUNT=9",
    "FREQ=MONTHLY;BYMONTHDAY=31;BYMONTH=2",
    "FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=29;INTERVAL=3;COUNT=500",
    "FREQ=HOURLY;INTERVAL=7;BYDAY=MO;BYMONTHDAY=13;COUNT=700",
    "FREQ=MINUTELY;INTERVAL=1441;BYHOUR=9;COUNT=900000",
    "FREQ=SECONDLY;INTERVAL=86399;BYSECOND=0;BYMONTH=2;BYMONTHDAY=30",
    "FREQ=WEEKLY;INTERVAL=53;BYMONTH=2;COUNT=99999",
    f"FREQ=DAILY;BYHOUR={HOURS};BYMINUTE={SIXTY};BYSETPOS=-1,1;COUNT=123456",
    "FREQ=YEARLY;BYWEEKNO=53;BYDAY=MO;COUNT=4000",
    "FREQ=YEARLY;BYYEARDAY=366;BYDAY=1MO",
]


@pytest.mark.parametrize("name", FILES)
def test_a_file_costs_no_more_than_its_size(name: str) -> None:
    def cost(size: int) -> tuple[int, int]:
        data = FILES[name](size)
        components = inspect(io.BytesIO(data), keep=True).components
        work = steps_of(lambda: (inspect(io.BytesIO(data)), expand(components, JANUARY, JANUARY + 31 * DAY)))
        return work, len(data)

    cost(200)
    (small, _), (large, octets) = cost(1_000), cost(2_000)
    assert large < 2.6 * small + 20_000
    assert large < 60 * octets + 300_000  # 300,000: what one series may come to in a window, however small it is


@pytest.mark.parametrize("rule", RULES)
@pytest.mark.parametrize("days", [1, 31, 366])
def test_an_event_costs_no_more_than_a_bound(rule: str, days: int) -> None:
    text = event(START, f"RRULE:{rule}", "DTEND:99991231T000000Z")

    def work() -> None:
        entry = timed(examine("VEVENT", text), 1)
        assert entry is not None
        for low in (JANUARY, JANUARY + 20_000 * DAY):
            list(occurrences([entry], low, low + days * DAY))

    assert steps_of(work) < 2_500_000


@pytest.mark.parametrize("rule", RULES)
def test_an_edit_costs_no_more_than_a_bound(rule: str) -> None:
    text = event(START, f"RRULE:{rule}", "SUMMARY:x")
    slot = examine("VEVENT", text).start_wall

    def work() -> None:
        fields = fields_at(text, slot)
        fields.title = "another"
        edit(Group([SeriesMember(1, text)], "UTC"), 1, slot, "all", fields, "20260101T000000Z", "b")
        read_fields(text)

    assert steps_of(work) < 500_000


def test_a_bound_that_is_reached_is_said() -> None:
    entry = timed(examine("VEVENT", event(START, "RRULE:FREQ=MINUTELY")), 7)
    assert entry is not None
    bounds = Bounds()
    assert len(list(occurrences([entry], JANUARY, JANUARY + 31 * DAY, bounds=bounds))) == 20_000
    assert bounds.cut == {7}
    bounds = Bounds()
    assert len(list(occurrences([entry], JANUARY + 5 * DAY, JANUARY + 6 * DAY, bounds=bounds))) == 1440
    assert not bounds.cut
    every = timed(examine("VEVENT", event(START, "RRULE:FREQ=SECONDLY;INTERVAL=4")), 8)
    assert every is not None
    assert len(list(occurrences([every], JANUARY + 9 * DAY, JANUARY + 9 * DAY + 3600))) == 900


def test_many_hostile_series_share_one_bound_and_harmless_ones_are_whole() -> None:
    quick = [timed(examine("VEVENT", event(START, "RRULE:FREQ=SECONDLY", uid=str(k))), k) for k in range(9)]
    daily = timed(examine("VEVENT", event(START, "RRULE:FREQ=DAILY", uid="d")), 99)
    assert daily is not None
    bounds = Bounds(left=50_000)
    found = list(occurrences([*filter(None, quick), daily], JANUARY, JANUARY + 31 * DAY, bounds=bounds))
    assert len(found) < 80_000
    assert sum(one.entry == 99 for one in found) == 31
    assert 99 not in bounds.cut


@pytest.mark.parametrize(("bounds", "most"), [(Bounds, 140_000), (Bounds.drawn, 45_000)])
def test_an_answer_is_bounded_as_a_whole(bounds: Callable[[], Bounds], most: int) -> None:
    quick = [timed(examine("VEVENT", event(START, "RRULE:FREQ=MINUTELY", uid=str(k))), k) for k in range(40)]
    found = list(occurrences(list(filter(None, quick)), JANUARY, JANUARY + 31 * DAY, bounds=bounds()))
    assert len(found) < most
    assert {one.entry for one in found} == set(range(40))


@pytest.mark.parametrize(
    ("rule", "last"),
    [
        ("FREQ=DAILY;BYDAY=MO,TU,WE,TH,FR;COUNT=20000", "2102-09-01"),
        ("FREQ=MONTHLY;BYMONTHDAY=1,15;COUNT=24001", "3026-01-05"),
        ("FREQ=SECONDLY;INTERVAL=60;BYSECOND=1;COUNT=2", "2026-01-05"),
        ("FREQ=HOURLY;INTERVAL=5;COUNT=100001;BYMINUTE=0", "2083-01-20"),
    ],
)
def test_long_counts_are_counted_to_their_end(rule: str, last: str) -> None:
    begin = JANUARY + 9 * 3600
    found, known = last_counted(parse_rule(rule), begin)
    assert known
    assert found is not None
    assert abs(found - wall_seconds_of(date.fromisoformat(last))) <= 10 * DAY
    number = parse_rule(rule).count
    if number and number < 25_000 and found > begin:
        assert sum(1 for _ in starts(parse_rule(rule), begin, begin, found + 1)) in (number, number - 1)


def test_what_is_not_counted_to_its_end_is_named() -> None:
    found = examine("VEVENT", event(START, "RRULE:FREQ=HOURLY;INTERVAL=7;BYDAY=MO;BYMONTHDAY=13;COUNT=99999"))
    assert [p.code for p in found.problems] == ["rule-too-long"]


def test_a_wide_interval_is_followed() -> None:
    begin = JANUARY + 9 * 3600
    text = "FREQ=SECONDLY;INTERVAL=2000000"
    assert pattern(text).slots(begin, begin, begin + 5_000_000) == [begin, begin + 2_000_000, begin + 4_000_000]


def test_collisions_of_everything_at_once_end() -> None:
    steps = Steps(50_000)
    assert sum(1 for _ in overlaps([(0, 60)] * 5_000, 1, steps)) < 60_000
    assert steps.spent


def test_a_definition_that_changes_all_the_time_is_cut_short() -> None:
    text = "BEGIN:VTIMEZONE\nTZID:x\nBEGIN:STANDARD\nDTSTART:19700101T000000\nRRULE:FREQ=SECONDLY\nTZOFFSETFROM:+0100\nTZOFFSETTO:+0200\nEND:STANDARD\nEND:VTIMEZONE"
    assert steps_of(lambda: defined(text)) < 100_000


#: Series that are small and could have very much looked for, as functions of how large they are.
ILL: dict[str, Callable[[int], list[str]]] = {
    "left-out dates that mean none": lambda n: [
        event(
            START,
            "RRULE:FREQ=SECONDLY;INTERVAL=7;BYMONTH=2;BYMONTHDAY=29",
            *[f"EXDATE:2026{k % 12 + 1:02d}{k % 28 + 1:02d}T{k % 24:02d}0001Z" for k in range(n)],
        )
    ],
    "changes outside": lambda n: [
        event(START, "RRULE:FREQ=MONTHLY;BYDAY=MO;BYSETPOS=5"),
        *[event(f"RECURRENCE-ID:2026{k % 12 + 1:02d}{k % 28 + 1:02d}T{k % 24:02d}0700Z", START) for k in range(n // 4)],
    ],
    "rules that never happen": lambda n: [event(START, *["RRULE:FREQ=MINUTELY;BYMONTH=2;BYMONTHDAY=30"] * n)],
}


@pytest.mark.parametrize("name", ILL)
def test_looking_for_ailments_costs_no_more_than_the_size(name: str) -> None:
    def cost(size: int) -> tuple[int, int]:
        texts = ILL[name](size)
        group = Group([SeriesMember(k, text) for k, text in enumerate(texts)], "UTC")
        return steps_of(lambda: heal(group, {one.code for one in series_findings(group)}, "20260101T000000Z")), sum(
            map(len, texts)
        )

    cost(50)
    (small, _), (large, octets) = cost(100), cost(200)
    assert large < 3 * small + 100_000
    assert large < 3_000 * octets + 3_000_000


def test_inferring_costs_little_more_for_twice_as_many() -> None:
    def cost(size: int) -> int:
        # Days that fit many rules a little, and none well.
        singles = [Single(k, (20_000 + k * k % 9_973) * DAY + 3600, 3600, ("Watch",)) for k in range(size)]
        return steps_of(lambda: infer(singles))

    cost(100)
    assert cost(600) < 3 * cost(300) + 50_000


def test_a_definition_is_fitted_in_bounded_steps() -> None:
    rules = [
        f"BEGIN:STANDARD\nDTSTART:1970{m:02d}01T000000\nRRULE:FREQ=DAILY;INTERVAL={m}\nTZOFFSETFROM:+0100\n"
        f"TZOFFSETTO:+{m:02d}00\nEND:STANDARD"
        for m in range(1, 13)
    ]
    own = defined("\n".join(["BEGIN:VTIMEZONE", "TZID:x", *rules, "END:VTIMEZONE"]))
    assert own is not None
    assert steps_of(lambda: fitted(own, 1900, 9999)) < 3_000_000
