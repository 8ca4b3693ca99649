"""What readers are given happens when its source does."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from io import BytesIO

import icalendar
import recurring_ical_events
import vobject
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.moments import wall_seconds_of
from datebridge.core.sharing.forms import Cover, as_ics
from datebridge.core.sharing.gathering import gather, source_of
from datebridge.core.sharing.page_data import PageData
from datebridge.core.sharing.terms import Detail, Guarded, Terms
from datebridge.core.text.reader import Reader
from datebridge.core.views.expansion import expand
from datebridge.core.zones.definition import define
from datebridge.core.zones.meaning import Zones
from tests.depth import tries

COVER = Cover("Berths", 3600, "0011223344556677")
_ZONES = st.sampled_from(("", "Z", "Europe/Oslo", "Australia/Hobart", "Station"))


@st.composite
def calendars(draw: st.DrawFn) -> str:
    """A calendar of lone entries, whole days, series with left-out and changed occurrences; some of them private."""
    texts = [define("Station", "America/Halifax", 2026, 2027)]
    for number in range(draw(st.integers(1, 5))):
        zone = draw(_ZONES)
        start = datetime(2026, 10, 20, draw(st.integers(4, 20))) + timedelta(days=draw(st.integers(0, 40)))
        private = draw(st.sampled_from(("", "CLASS:PRIVATE")))
        rule = draw(st.sampled_from(("", "FREQ=DAILY;COUNT=9", "FREQ=WEEKLY;BYDAY=MO,TH", "FREQ=MONTHLY;BYDAY=-1FR")))
        if rule.startswith("FREQ=WEEKLY"):
            start -= timedelta(days=start.weekday())
        if rule.startswith("FREQ=MONTHLY"):
            start = datetime(2026, 10, 30, start.hour)

        def at(moment: datetime, name: str, zone: str = zone) -> str:
            tail = "Z" if zone == "Z" else ""
            return f"{name}{f';TZID={zone}' if zone not in ('', 'Z') else ''}:{moment:%Y%m%dT%H%M%S}{tail}"

        body = [
            f"UID:u{number}",
            "DTSTAMP:20261001T000000Z",
            at(start, "DTSTART"),
            "DURATION:PT1H",
            f"SUMMARY:Entry {number}",
            *filter(None, [private]),
        ]
        if rule:
            body.append(f"RRULE:{rule}")
        texts.append("\n".join(["BEGIN:VEVENT", *body, "END:VEVENT"]))
        if rule.startswith("FREQ=DAILY") and draw(st.booleans()):
            slot = start + timedelta(days=draw(st.integers(1, 8)))
            own = draw(st.sampled_from(("", "CLASS:PRIVATE")))
            changed = [
                f"UID:u{number}",
                "DTSTAMP:20261001T000000Z",
                at(slot, "RECURRENCE-ID"),
                at(slot + timedelta(hours=2), "DTSTART"),
                "DURATION:PT2H",
                f"SUMMARY:Changed {number}",
                *filter(None, [private or own]),
            ]
            texts.append("\n".join(["BEGIN:VEVENT", *changed, "END:VEVENT"]))
    return "\n".join(["BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//x//EN", *texts, "END:VCALENDAR"])


@tries(60, 2_000)
@given(calendars(), st.sampled_from((Detail.EVERYTHING, Detail.TITLES, Detail.BUSY)), st.sampled_from(Guarded))
def test_readers_see_the_occurrences_of_what_is_given_and_no_others(
    calendar: str, detail: Detail, private: Guarded
) -> None:
    components = list(Reader(BytesIO(calendar.encode())))
    zones = Zones(("Station", one.text) for one in components if one.name == "VTIMEZONE")
    sources = [source_of("VEVENT", one.text, 1, zones) for one in components if one.name == "VEVENT"]
    found = gather(sources, {1: zones}, Terms(detail, private=private), b"secret")
    feed = b"".join(as_ics(found, COVER))
    low, high = datetime(2026, 10, 1, tzinfo=UTC), datetime(2027, 2, 1, tzinfo=UTC)
    bounds = int(low.timestamp()), int(high.timestamp())
    expected = [one for one in expand(components, *bounds, "UTC").happening if kept(one, sources, private)]
    assert starts(expand(Reader(BytesIO(feed)), *bounds, "UTC").happening) == starts(expected)
    read = icalendar.Calendar.from_ical(feed)
    seen = sorted(
        at.astimezone(UTC).isoformat() if at.tzinfo else at.isoformat()
        for at in (one.start for one in recurring_ical_events.of(read).between(low, high))
    )
    assert seen == starts(expected)
    assert len(list(vobject.readOne(feed.decode()).contents.get("vevent", []))) == len(found.entries)
    window = PageData(found, b"secret", {}).window(*bounds, "UTC")
    assert len(window.occurrences) == len(expected)


@tries(60, 2_000)
@given(calendars(), st.sampled_from((Detail.EVERYTHING, Detail.BUSY)), st.integers(-20, 60), st.integers(1, 40))
def test_readers_see_of_a_series_what_lies_in_the_span_and_nothing_else(
    calendar: str, detail: Detail, first: int, days: int
) -> None:
    components = list(Reader(BytesIO(calendar.encode())))
    zones = Zones(("Station", one.text) for one in components if one.name == "VTIMEZONE")
    sources = [source_of("VEVENT", one.text, 1, zones) for one in components if one.name == "VEVENT"]
    low = wall_seconds_of(date(2026, 11, 1)) + first * 86_400
    high = low + days * 86_400
    found = gather(sources, {1: zones}, Terms(detail, private=Guarded.AS_OTHERS), b"secret", low, high)
    feed = b"".join(as_ics(found, COVER))
    wide = low - 400 * 86_400, high + 400 * 86_400
    every = expand(components, *wide, "").happening  # each on its own clock, on which the span is meant
    given_out = expand(Reader(BytesIO(feed)), *wide, "").happening
    inside = [one for one in every if in_span(one, low, high)]
    assert not [one for one in given_out if not in_span(one, low, high)]
    seen = [one.start[:19] for one in given_out if one.start[:19] not in {x.start[:19] for x in inside}]
    assert not seen
    assert sorted(one.start[:19] for one in inside) == sorted(one.start[:19] for one in given_out)


def in_span(one: object, low: int, high: int) -> bool:
    """Whether an occurrence, on its own clock, overlaps the span."""
    begin, end = (
        int(datetime.fromisoformat(at[:19]).replace(tzinfo=UTC).timestamp())
        for at in (one.start, one.end)  # type: ignore[attr-defined]
    )
    return begin < high and end > low


def kept(one: object, sources: list[object], private: Guarded) -> bool:
    """Whether an occurrence of the source is given: all are, but for what is private where that is left out."""
    if private is not Guarded.LEAVE_OUT:
        return True
    own = [s for s in sources if s.uid == one.uid]  # type: ignore[attr-defined]
    master = next(s for s in own if not s.recurrence_id)  # type: ignore[attr-defined]
    changed = one.summary.startswith("Changed")  # type: ignore[attr-defined]
    source = next((s for s in own if s.recurrence_id), master) if changed else master  # type: ignore[attr-defined]
    return "CLASS:PRIVATE" not in {*source.text.split("\n"), *master.text.split("\n")}  # type: ignore[attr-defined]


def starts(found: list[object]) -> list[str]:
    return sorted(one.start for one in found)  # type: ignore[attr-defined]
