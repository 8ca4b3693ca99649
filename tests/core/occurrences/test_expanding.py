"""When things really happen: by hand where the standard says it, against recurring-ical-events for the rest."""

from __future__ import annotations

import io
import re
from datetime import UTC, date, datetime, timedelta

import icalendar
import pytest
import recurring_ical_events
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.index.derive import derive
from datebridge.core.moments import wall_seconds_of
from datebridge.core.occurrences.expanding import timed
from datebridge.core.occurrences.series import Series
from datebridge.core.text.reader import Reader
from datebridge.core.views.expansion import Expanded, expand
from datebridge.core.zones.defined import define, defined
from tests.depth import tries

ZONE = {"H": "Australia/Hobart", "A": "America/Halifax", "R": "Atlantic/Reykjavik"}


def _file(*events: str) -> bytes:
    body = "\n".join(f"BEGIN:VEVENT\nUID:a\nDTSTAMP:20260101T000000Z\n{event}\nEND:VEVENT" for event in events)
    return f"BEGIN:VCALENDAR\nVERSION:2.0\nPRODID:x\n{body}\nEND:VCALENDAR\n".replace("\n", "\r\n").encode()


def _expand(data: bytes, first: date, days: int, zone: str = "") -> list[Expanded]:
    low = wall_seconds_of(first)
    return expand(list(Reader(io.BytesIO(data))), low, low + days * 86400, zone).happening


def _short(found: list[Expanded]) -> list[str]:
    return [f"{one.start[5:16]} {one.end[5:16]}" for one in found]


@pytest.mark.parametrize(
    ("events", "expected"),
    [
        # A time in the gap keeps the offset before it, so it is shown an hour later (§3.3.5).
        (
            [
                "DTSTART;TZID=America/Halifax:20260307T023000\nDTEND;TZID=America/Halifax:20260307T030000\n"
                "RRULE:FREQ=DAILY;COUNT=3"
            ],
            ["03-07T02:30 03-07T03:00", "03-08T03:30 03-08T04:00", "03-09T02:30 03-09T03:00"],
        ),
        # DTEND gives every occurrence the same exact length, DURATION the same nominal one (§3.8.5.3).
        (
            [
                "DTSTART;TZID=America/Halifax:20260306T120000\nDTEND;TZID=America/Halifax:20260307T120000\n"
                "RRULE:FREQ=DAILY;INTERVAL=1;COUNT=2"
            ],
            ["03-06T12:00 03-07T12:00", "03-07T12:00 03-08T13:00"],
        ),
        (
            ["DTSTART;TZID=America/Halifax:20260306T120000\nDURATION:P1D\nRRULE:FREQ=DAILY;COUNT=2"],
            ["03-06T12:00 03-07T12:00", "03-07T12:00 03-08T12:00"],
        ),
        # EXDATE as a date takes the day out, in another zone the moment it names; a PERIOD brings its own length.
        (
            [
                "DTSTART;TZID=America/Halifax:20260302T200000\nDTEND;TZID=America/Halifax:20260302T210000\n"
                "RRULE:FREQ=DAILY;COUNT=4\nEXDATE;VALUE=DATE:20260303\nEXDATE:20260305T000000Z\n"
                "RDATE;VALUE=PERIOD:20260310T120000Z/PT3H"
            ],
            ["03-02T20:00 03-02T21:00", "03-05T20:00 03-05T21:00", "03-10T09:00 03-10T12:00"],
        ),
        # An override stands where it was moved, into the window or out of it.
        (
            [
                "DTSTART:20260301T090000Z\nDTEND:20260301T100000Z\nRRULE:FREQ=WEEKLY;COUNT=2",
                "RECURRENCE-ID:20260308T090000Z\nDTSTART:20260311T110000Z\nDTEND:20260311T113000Z",
            ],
            ["03-01T09:00 03-01T10:00", "03-11T11:00 03-11T11:30"],
        ),
        # RANGE=THISANDFUTURE moves what follows by as much, and gives it its length (§3.2.13).
        (
            [
                "DTSTART:20260301T090000Z\nDTEND:20260301T100000Z\nRRULE:FREQ=DAILY;COUNT=4",
                "RECURRENCE-ID;RANGE=THISANDFUTURE:20260302T090000Z\nDTSTART:20260302T140000Z\nDTEND:20260302T143000Z",
                "RECURRENCE-ID:20260304T090000Z\nDTSTART:20260304T080000Z\nDTEND:20260304T081500Z",
            ],
            [
                "03-01T09:00 03-01T10:00",
                "03-02T14:00 03-02T14:30",
                "03-03T14:00 03-03T14:30",
                "03-04T08:00 03-04T08:15",
            ],
        ),
        # A cancelled occurrence does not happen (§3.8.1.11).
        (
            [
                "DTSTART:20260301T090000Z\nRRULE:FREQ=DAILY;COUNT=2",
                "RECURRENCE-ID:20260302T090000Z\nDTSTART:20260302T090000Z\nSTATUS:CANCELLED",
            ],
            ["03-01T09:00 03-01T09:00"],
        ),
        # Floating, over midnight; and the 31st only in months that have it.
        (
            ["DTSTART:20260131T233000\nDURATION:PT1H\nRRULE:FREQ=MONTHLY;COUNT=2"],
            ["01-31T23:30 02-01T00:30", "03-31T23:30 04-01T00:30"],
        ),
        # Several rules are one set, and what both give happens once.
        (
            ["DTSTART:20260302T090000Z\nRRULE:FREQ=WEEKLY;COUNT=2\nRRULE:FREQ=DAILY;COUNT=3"],
            [
                "03-02T09:00 03-02T09:00",
                "03-03T09:00 03-03T09:00",
                "03-04T09:00 03-04T09:00",
                "03-09T09:00 03-09T09:00",
            ],
        ),
    ],
)
def test_by_the_standard(events: list[str], expected: list[str]) -> None:
    assert _short(_expand(_file(*events), date(2026, 1, 1), 120)) == expected


def test_all_day_in_every_zone_is_the_same_day() -> None:
    data = _file(
        "DTSTART;VALUE=DATE:20240229\nDTEND;VALUE=DATE:20240302\nRRULE:FREQ=YEARLY\nEXDATE;VALUE=DATE:20280229"
    )
    for zone in ("", *ZONE.values()):
        found = _expand(data, date(2024, 3, 1), 3000, zone)
        assert [(one.start, one.end, one.all_day) for one in found] == [
            ("2024-02-29", "2024-03-02", True),
            ("2032-02-29", "2032-03-02", True),
        ]


def test_a_zone_nobody_knows_goes_by_its_definition() -> None:
    data = _file("DTSTART;TZID=Station:20260301T090000\nRRULE:FREQ=DAILY;COUNT=60")
    own = define("Station", "America/Halifax", 2025, 2027).encode().replace(b"\n", b"\r\n") + b"\r\n"
    data = data.replace(b"BEGIN:VEVENT", own + b"BEGIN:VEVENT", 1)
    found = _expand(data, date(2026, 3, 7), 2, "UTC")
    assert [one.start for one in found] == ["2026-03-07T13:00:00+00:00", "2026-03-08T12:00:00+00:00"]
    assert found[0].recurrence_id == found[0].start


@tries(60, 2_000)
@given(st.datetimes(datetime(1990, 1, 1), datetime(2060, 1, 1)), st.sampled_from(sorted(ZONE.values())), st.booleans())
def test_a_defined_zone_tells_the_time_of_the_zone_it_was_made_from(moment: datetime, zone: str, fold: bool) -> None:
    from zoneinfo import ZoneInfo

    made = defined(define("x", zone, 1990, 2026))
    assert made is not None
    moment = moment.replace(microsecond=0, fold=fold)
    if moment.year > 2026 and zone == "Atlantic/Reykjavik":
        return
    assert moment.replace(tzinfo=made).utcoffset() == moment.replace(tzinfo=ZoneInfo(zone)).utcoffset()
    instant = moment.replace(tzinfo=UTC)
    assert instant.astimezone(made).replace(tzinfo=None) == instant.astimezone(ZoneInfo(zone)).replace(tzinfo=None)


def test_questions_to_a_series() -> None:
    text = "BEGIN:VEVENT\nUID:a\nDTSTART;TZID=Australia/Hobart:20200131T100000\nRRULE:FREQ=MONTHLY{}\nEND:VEVENT"

    def series(limit: str) -> Series:
        entry = timed(derive("VEVENT", text.format(limit)))
        assert entry is not None
        return Series([entry], "Australia/Hobart")

    counted, endless = series(";COUNT=5"), series("")
    assert (counted.count(), endless.count(), counted.is_endless(), endless.is_endless()) == (5, None, False, True)
    last, following = counted.last(), endless.next(wall_seconds_of(date(2500, 1, 31)) + 36000)
    assert endless.last() is None
    assert last is not None
    assert following is not None
    assert last.slot == wall_seconds_of(date(2020, 8, 31)) + 36000
    assert following.slot == wall_seconds_of(date(2500, 3, 31)) + 36000
    assert counted.next(last.shown_start) is None
    assert counted.first() == counted.between(0, 1 << 34)[0]


# ---- the oracle ---------------------------------------------------------------------------------------

DAYS = st.dates(date(2026, 1, 1), date(2026, 10, 30))  # before the UNTIL below: DTSTART is the first in any case
TIMES = st.integers(0, 95).map(lambda quarter: timedelta(minutes=15 * quarter))
RULES = st.sampled_from(
    [
        "",
        "FREQ=DAILY;COUNT=9",
        "FREQ=WEEKLY;BYDAY={day}",
        "FREQ=WEEKLY;INTERVAL=2;UNTIL=20261101T000000Z",
        "FREQ=MONTHLY",
        "FREQ=YEARLY",
    ]
)


@st.composite
def calendars(draw: st.DrawFn) -> bytes:
    events = []
    for number in range(draw(st.integers(1, 4))):
        zone, rule = draw(st.sampled_from(sorted(ZONE.values()))), draw(RULES)
        start = datetime.combine(draw(DAYS), datetime.min.time()) + draw(TIMES)
        rule = rule.format(day=("MO", "TU", "WE", "TH", "FR", "SA", "SU")[start.weekday()])
        minutes = draw(st.sampled_from([0, 45, 600, 1500]))
        lines = [f"DTSTART;TZID={zone}:{start:%Y%m%dT%H%M%S}", f"DURATION:PT{minutes}M", f"SUMMARY:{number}"]
        if rule:
            lines.append(f"RRULE:{rule}")
            if draw(st.booleans()) and "WEEKLY" in rule:
                lines.append(f"EXDATE;TZID={zone}:{start + timedelta(days=14):%Y%m%dT%H%M%S}")
        events.append("\n".join(lines))
        if "COUNT" in rule and draw(st.booleans()):
            at, moved = start + timedelta(days=3), start + timedelta(days=draw(st.integers(-40, 40)), hours=2)
            events.append(
                f"RECURRENCE-ID;TZID={zone}:{at:%Y%m%dT%H%M%S}\nDTSTART;TZID={zone}:{moved:%Y%m%dT%H%M%S}\n"
                f"DURATION:PT30M\nSUMMARY:{number}"
            )
    data = _file(*events)  # each number is one UID
    return re.sub(rb"UID:a((?:(?!END:VEVENT).)*?SUMMARY:(\d))", rb"UID:\2\1", data, flags=re.DOTALL)


@tries(60, 2_000)
@given(calendars(), st.dates(date(2026, 2, 1), date(2027, 3, 1)))
def test_agreement_with_recurring_ical_events(data: bytes, first: date) -> None:
    ours = {(one.summary, one.start, one.end) for one in _expand(data, first, 31, "UTC")}
    low = datetime.combine(first, datetime.min.time(), UTC)
    theirs = set()
    for event in recurring_ical_events.of(icalendar.Calendar.from_ical(data)).between(low, low + timedelta(days=31)):
        begin, end = event.start.astimezone(UTC), event.end.astimezone(UTC)
        if event.start.replace(fold=0).utcoffset() == _settled(event.start) == _settled(event.end):
            theirs.add((str(event["SUMMARY"]), begin.isoformat(), end.isoformat()))
        else:  # where the clocks skip or repeat a time, it keeps wall time instead of what §3.3.5 says
            near = (str(event["SUMMARY"]), begin.date().isoformat())
            ours = {one for one in ours if (one[0], one[1][:10]) != near}
    assert ours == theirs


def _settled(moment: datetime) -> timedelta | None:
    """The offset if it is the same a day before and after, so that no clock change is near."""
    around = {(moment + timedelta(days=k)).utcoffset() for k in (-2, 0, 2)}
    return around.pop() if len(around) == 1 else None
