"""Definitions made of the zone data."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo, available_timezones

import icalendar
import pytest

from datebridge.core.checks import examine
from datebridge.core.moments import wall_at
from datebridge.core.objects import missing_definitions, span_of
from datebridge.core.text.writer import new_header, write_calendar
from datebridge.core.zones.across import changes
from datebridge.core.zones.defined import defined
from datebridge.core.zones.definition import define


@pytest.mark.parametrize(
    "zone", ["Australia/Hobart", "Atlantic/Reykjavik", "America/Halifax", "Africa/Casablanca", "Europe/Dublin"]
)
def test_a_made_definition_tells_the_same_time_as_the_zone_data(zone: str) -> None:
    text = define(zone, zone, 2019, 2026)
    data = b"".join(write_calendar(new_header("x"), [text], []))
    tz = icalendar.Calendar.from_ical(data).walk("VTIMEZONE")[0].to_tz()
    info = ZoneInfo(zone)
    for month in range(8 * 12):
        moment = datetime(2019 + month // 12, month % 12 + 1, 15, 12, tzinfo=UTC)
        local = moment.astimezone(info).replace(tzinfo=None)
        assert local.replace(tzinfo=tz).utcoffset() == local.replace(tzinfo=info).utcoffset(), moment


def test_a_made_definition_goes_on_after_its_last_year() -> None:
    assert define("Australia/Hobart", "Australia/Hobart", 2024, 2026).count("RRULE:FREQ=YEARLY") == 2


def event(*lines: str, uid: str = "a") -> str:
    return "\n".join(["BEGIN:VEVENT", f"UID:{uid}", "DTSTAMP:20260101T000000Z", *lines, "END:VEVENT"])


# ---- made definitions -----------------------------------------------------------------------------------


def _seconds(moment: datetime) -> int:
    return int((moment - datetime(1970, 1, 1, tzinfo=UTC)) / timedelta(seconds=1))


@lru_cache(maxsize=1)
def _names() -> list[list[str]]:
    """All names, those that share their data together; the data is told apart by its changes."""
    groups: dict[tuple[object, ...], list[str]] = {}
    for name in sorted(available_timezones()):
        info = ZoneInfo(name)
        probe = tuple(
            datetime(year, month, 1, tzinfo=UTC).astimezone(info).utcoffset()
            for year in range(2020, 2088, 3)
            for month in (1, 4, 7, 10)
        )
        groups.setdefault(probe, []).append(name)
    return list(groups.values())


@pytest.mark.parametrize("last", [2026, 2100], ids=["ten years past the last use", "to 2100"])
def test_every_zone_is_defined_as_the_zone_data_has_it(last: int) -> None:
    """Names that were alike at every probe are checked one by one only where their changes differ."""
    until = min(last + 10, 2100)
    for group in _names():
        for zone in group if last == 2026 else group[:1]:
            own = defined(define("x", zone, 2022, last))
            assert own is not None
            moments = {_seconds(c.instant) for c in changes(zone, 2022, until)} | set(own.instants)
            low, high = _seconds(datetime(2022, 1, 1, tzinfo=UTC)), _seconds(datetime(until + 1, 1, 1, tzinfo=UTC))
            for moment in moments:
                for at in (moment - 1, moment):
                    assert not low <= at < high or own.offset_at(at) == wall_at(at, zone) - at, (zone, at)


def test_two_changes_within_a_week_are_both_seen() -> None:
    found = changes("Africa/Casablanca", 2012, 2012)
    assert len(found) == 4  # the fast of that summer fell between two others


def test_a_series_without_end_gets_a_definition_to_2100() -> None:
    facts = [examine("VEVENT", event("DTSTART;TZID=America/Nuuk:20260301T090000", "RRULE:FREQ=DAILY"))]
    (made,) = missing_definitions({"America/Nuuk"}, (), *span_of(facts))
    own = defined(made)
    assert own is not None
    far = _seconds(datetime(2095, 7, 1, tzinfo=UTC))
    assert own.offset_at(far) == wall_at(far, "America/Nuuk") - far
