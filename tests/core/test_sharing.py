"""What readers may be given: nothing passes but what the table allows, in any form; and times stay what they are."""

from __future__ import annotations

import json
from datetime import UTC, date, datetime, timedelta
from io import BytesIO
from typing import NamedTuple

import icalendar
import pytest
import recurring_ical_events
import vobject
from hypothesis import given, settings
from hypothesis import strategies as st

from datebridge.api.public.pages import Look, Offer, render
from datebridge.core.giving.almanac import Almanac
from datebridge.core.giving.forms import Cover, as_free_busy, as_ics, as_jcal, find_busy
from datebridge.core.giving.gathering import Given, gather, source_of
from datebridge.core.moments import wall_seconds_of
from datebridge.core.sharing import NESTED, PARAMETERS, PASSES, TICKED, Detail, Guarded, Terms
from datebridge.core.text.properties import KNOWN
from datebridge.core.text.reader import Reader
from datebridge.core.views.expansion import expand
from datebridge.core.zones.definition import define
from datebridge.core.zones.meaning import Zones

DAY = date(2026, 11, 24)
LOW, HIGH = wall_seconds_of(DAY), wall_seconds_of(DAY + timedelta(days=30))
COVER = Cover("Berths", 3600, "0011223344556677")


class Where(NamedTuple):
    """Where a word stands: in which nested components, in which property, in which parameter ("" for the value)."""

    nested: tuple[str, ...]
    name: str
    param: str


# ---- nothing passes but what the table allows ------------------------------------------------------------

_UNKNOWN = ("X-PILOT", "X-WR-NOTE", "HARBOUR-FEE")
_PARAMS = (*sorted(PARAMETERS[Detail.EVERYTHING] - {"TZID", "VALUE", "ENCODING"}), "X-WHO", "HARBOUR", "TZID")
_NAMES = st.sampled_from((*sorted(KNOWN - {"RECURRENCE-ID", "DTSTART", "EXDATE", "CLASS", "TRANSP"}), *_UNKNOWN))
_NEST = st.sampled_from(("VALARM", "PARTICIPANT", "VLOCATION", "VRESOURCE", "X-NEST"))
#: What may stand before a word in a value, so that it looks like what belongs there.
_BEFORE = st.sampled_from(("", "", "20261124T100000", "FREQ=DAILY;COUNT=2;X-NOTE=", "mailto:", "PT1H", "CONFIRMED,"))


@st.composite
def components(draw: st.DrawFn, damaged: bool = True) -> tuple[str, dict[str, Where]]:
    """An event with words in every place there is, and where each of them stands."""
    words: dict[str, Where] = {}

    def word(where: Where) -> str:
        words[f"zq{len(words)}x"] = where
        return f"zq{len(words) - 1}x"

    def line(nested: tuple[str, ...]) -> str:
        name = draw(_NAMES)
        params = draw(st.lists(st.sampled_from(_PARAMS), max_size=3, unique=True))
        said = "".join(f";{one}={word(Where(nested, name, one))}" for one in params)
        return f"{name}{said}:{draw(_BEFORE)}{word(Where(nested, name, ''))}"

    def inner(nested: tuple[str, ...], depth: int) -> list[str]:
        kind = draw(_NEST)
        inside = (*nested, kind)
        lines = [line(inside) for _ in range(draw(st.integers(0, 4)))]
        if kind == "VALARM":
            lines += draw(st.sampled_from((["ACTION:DISPLAY", "TRIGGER:-PT15M"], ["ACTION:EMAIL"], [])))
        if depth and draw(st.booleans()):
            lines += inner(inside, depth - 1)
        return [f"BEGIN:{kind}", *lines, f"END:{kind}"]

    lines = ["DTSTART:20261124T090000Z", *(line(()) for _ in range(draw(st.integers(0, 14))))]
    for _ in range(draw(st.integers(0, 3))):
        lines += inner((), 1)
    if damaged:
        lines += draw(
            st.lists(st.sampled_from(("not a line zq0y", "END:VALARM", ";;;zq1y", "SUMMARY zq2y")), max_size=2)
        )
    return "\n".join(["BEGIN:VEVENT", *lines, "END:VEVENT"]), words


def may(where: Where, terms: Terms) -> bool:
    """The table, read slowly."""
    detail, ticks = terms.detail, terms if terms.detail is not Detail.BUSY else Terms(Detail.BUSY)
    known = where.name in KNOWN
    for kind in where.nested:
        if kind == "VALARM" and not ticks.alarms:
            return False
        if kind not in NESTED[detail] and not (kind == "X-NEST" and ticks.unknown and detail is Detail.EVERYTHING):
            return False
    if len(where.nested) > 1 and detail is not Detail.EVERYTHING:
        return False
    if not known:
        return ticks.unknown and not (where.nested and detail is Detail.TITLES)
    if where.name not in PASSES[detail] or not getattr(ticks, TICKED.get(where.name, ""), True):
        return False
    if detail in (Detail.TITLES, Detail.BUSY):
        if where.nested or where.name not in ("SUMMARY", "LOCATION", *TICKED):
            return False
        allowed = {"LANGUAGE"} if where.name not in TICKED else {"FMTTYPE", "DISPLAY", "FEATURE"}
        return not where.param or where.param in allowed
    if not where.param or where.param in PARAMETERS[detail]:
        return True
    return where.param not in PARAMETERS[Detail.EVERYTHING] and ticks.unknown


TICKS = st.fixed_dictionaries({name: st.booleans() for name in ("attachments", "alarms", "conferences", "unknown")})


@given(components(), st.sampled_from(Detail), TICKS)
@settings(max_examples=400)
def test_nothing_passes_but_what_the_table_allows_in_any_form(
    made: tuple[str, dict[str, Where]], detail: Detail, ticks: dict[str, bool]
) -> None:
    text, words = made
    terms = Terms(detail, private=Guarded.AS_OTHERS, confidential=Guarded.AS_OTHERS, **ticks)
    allowed = {word for word, where in words.items() if may(where, terms)}
    source = source_of("VEVENT", text, 1)
    found = gather([source], {}, terms, b"secret")
    every = {*words, "zq0y", "zq1y", "zq2y"}
    for name, said in forms(found).items():
        passed = {word for word in every if word in said}
        assert passed <= allowed, (name, {word: words.get(word) for word in passed - allowed})
        assert name != "busy" or not passed
    almanac = Almanac(found, b"secret", {})
    assert not [word for word in every - allowed if almanac.matching(word)]


def forms(found: Given) -> dict[str, str]:
    """All that readers can get."""
    almanac = Almanac(found, b"secret", {1: "Berths"})
    offer = Offer("Berths", "UTC", file=True, assets="../")
    pages = []
    for view in ("day", "week", "month", "list"):
        pages.append(render(almanac, Look(view, DAY), offer, DAY))
    window = almanac.window(LOW, HIGH, "UTC")
    for one in window.occurrences[:2]:
        pages.append(render(almanac, Look("list", DAY, opened=almanac.key(one)), offer, DAY))
    return {
        "ics": unfolded(b"".join(as_ics(found, COVER))),
        "jcal": json.dumps(json.loads(as_jcal(found, COVER)), ensure_ascii=False),
        "busy": unfolded(b"".join(as_free_busy(found, COVER, LOW, HIGH, "UTC", 0))),
        "page": "\n".join(pages),
    }


def unfolded(data: bytes) -> str:
    return data.decode().replace("\r\n ", "")


@given(components(damaged=False))
def test_what_is_given_with_everything_ticked_leaves_as_it_stands(made: tuple[str, dict[str, Where]]) -> None:
    terms = Terms(
        Detail.EVERYTHING, private=Guarded.AS_OTHERS, attachments=True, alarms=True, conferences=True, unknown=True
    )
    found = gather([source_of("VEVENT", made[0], 1)], {}, terms, b"secret").entries[0].passed.text.split("\n")
    added = [line for line in found if line.startswith("DTSTAMP:1970") or line.startswith("UID:")]
    assert [line for line in found if line not in added] == [line for line in made[0].split("\n") if line not in added]


@pytest.mark.parametrize("detail", Detail)
def test_names_of_zones_say_nothing_where_times_are_written_anew(detail: Detail) -> None:
    zones = Zones([("Ida's clock", define("Ida's clock", "America/Halifax", 2026, 2026))])
    zones.add("Owen's", "BEGIN:VTIMEZONE\nTZID:Owen's\nX-NOTE:sick\nBEGIN:STANDARD\nDTSTART:19700101T000000\n"
              "TZOFFSETFROM:+0130\nTZOFFSETTO:+0130\nTZNAME:Owen\nCOMMENT:sick\nEND:STANDARD\nEND:VTIMEZONE")  # fmt: skip
    texts = [f"BEGIN:VEVENT\nUID:{name}\nDTSTART;TZID={name}:20261124T090000\nEND:VEVENT" for name in zones]
    found = gather([source_of("VEVENT", text, 1, zones) for text in texts], {1: zones}, Terms(detail), b"secret")
    said = unfolded(b"".join(as_ics(found, COVER)))
    if detail in (Detail.TITLES, Detail.BUSY):
        assert not [word for word in ("Ida", "Owen", "sick") if word in said]
    assert "sick" not in said
    assert starts(expand(Reader(BytesIO(b"".join(as_ics(found, COVER)))), LOW, HIGH, "UTC").happening) == [
        "2026-11-24T07:30:00+00:00", "2026-11-24T13:00:00+00:00",
    ]  # fmt: skip


# ---- what becomes of entries -----------------------------------------------------------------------------


def entry(uid: str, *lines: str, start: str = "20261124T090000Z", kind: str = "VEVENT") -> str:
    return "\n".join([f"BEGIN:{kind}", f"UID:{uid}", f"DTSTART:{start}", *lines, f"END:{kind}"])


def given_of(*texts: str, **terms: object) -> Given:
    sources = [source_of(text.partition("\n")[0][6:], text, 1) for text in texts]
    return gather(sources, {}, Terms(**terms), b"secret")  # type: ignore[arg-type]


def test_private_and_confidential_entries_are_decided_on_their_own() -> None:
    texts = entry("a"), entry("b", "CLASS:PRIVATE", "SUMMARY:Dentist"), entry("c", "CLASS:CONFIDENTIAL")
    odd = entry("d", "CLASS:X-CREW")
    found = given_of(*texts, odd, detail=Detail.TITLES, private=Guarded.BUSY, confidential=Guarded.LEAVE_OUT)
    assert [one.as_busy for one in found.entries] == [False, True, True]
    assert found.left_out == {"confidential": 1}
    assert found.said == "3 of 4 entries; 2 private as busy; 1 left out (1 confidential)"


def test_the_strictest_of_two_classes_counts() -> None:
    assert not given_of(entry("a", "CLASS:PUBLIC", "CLASS:PRIVATE"), detail=Detail.EVERYTHING).entries


def test_a_changed_occurrence_is_as_private_as_its_series() -> None:
    master = entry("a", "RRULE:FREQ=DAILY;COUNT=3", "CLASS:PRIVATE")
    changed = entry("a", "RECURRENCE-ID:20261125T090000Z", start="20261125T100000Z")
    assert not given_of(master, changed, detail=Detail.EVERYTHING).entries


def test_an_occurrence_that_is_left_out_does_not_show_what_its_series_says() -> None:
    master = entry("a", "RRULE:FREQ=DAILY;COUNT=3", "SUMMARY:Watch")
    changed = entry("a", "RECURRENCE-ID:20261125T090000Z", "CLASS:PRIVATE", start="20261125T100000Z")
    found = given_of(master, changed, detail=Detail.TITLES)
    days = starts(expand(Reader(BytesIO(b"".join(as_ics(found, COVER)))), LOW, HIGH).happening)
    assert [day[:10] for day in days] == ["2026-11-24", "2026-11-26"]
    almanac = Almanac(found, b"secret", {})
    assert len(almanac.window(LOW, HIGH, "UTC").occurrences) == 2


def test_free_and_cancelled_entries_are_no_busy_times() -> None:
    texts = (
        entry("a", "TRANSP:TRANSPARENT"),
        entry("b", "STATUS:CANCELLED"),
        entry("c", "STATUS:TENTATIVE", "DURATION:PT1H"),
    )
    found = given_of(*texts, detail=Detail.BUSY)
    assert (len(found.entries), found.left_out) == (1, {"that take no time": 2})
    assert [period.tentative for period in find_busy(found, LOW, HIGH, "UTC")] == [True]


def test_two_calendars_that_mean_different_things_by_one_zone_name_are_told_apart() -> None:
    zones = {n: Zones([("Station", define("Station", name, 2026, 2026))]) for n, name in
             ((1, "America/Halifax"), (2, "Australia/Hobart"))}  # fmt: skip
    text = "BEGIN:VEVENT\nUID:{}\nDTSTART;TZID=Station:20261124T090000\nEND:VEVENT"
    sources = [source_of("VEVENT", text.format(n), n, zones[n]) for n in (1, 2)]
    for detail in (Detail.EVERYTHING, Detail.BUSY):
        found = gather(sources, zones, Terms(detail), b"secret")
        said = expand(Reader(BytesIO(b"".join(as_ics(found, COVER)))), LOW - 86400, HIGH, "UTC").happening
        assert starts(said) == ["2026-11-23T22:00:00+00:00", "2026-11-24T13:00:00+00:00"]


def test_one_uid_in_two_calendars_is_two_entries_for_readers() -> None:
    sources = [source_of("VEVENT", entry("same", f"SUMMARY:{n}"), n) for n in (1, 2)]
    found = gather(sources, {}, Terms(Detail.EVERYTHING), b"secret")
    assert [one.uid == "" for one in found.entries] == [True, False]
    assert "UID:same" not in found.entries[1].passed.text


def test_the_span_is_held_and_a_series_that_reaches_into_it_is_given() -> None:
    texts = [entry(f"d{n}", start=f"202611{n}T090000Z") for n in (20, 24, 28)]
    texts.append(entry("old", "RRULE:FREQ=WEEKLY", start="20200101T090000Z"))
    sources = [source_of("VEVENT", text, 1) for text in texts]
    low, high = wall_seconds_of(date(2026, 11, 23)), wall_seconds_of(date(2026, 11, 26))
    found = gather(sources, {}, Terms(Detail.EVERYTHING), b"secret", low, high)
    assert [one.source.uid for one in found.entries] == ["d24", "old"]
    assert found.left_out == {"outside the span": 2}


def test_what_nests_endlessly_ends() -> None:
    text = "\n".join(["BEGIN:VEVENT", "UID:a", *["BEGIN:X-NEST"] * 5_000, *["END:X-NEST"] * 5_000, "END:VEVENT"])
    found = given_of(text, detail=Detail.EVERYTHING, unknown=True)
    assert 40 < found.entries[0].passed.text.count("BEGIN:X-NEST") <= 50
    assert json.loads(as_jcal(found, COVER))[2][0][0] == "vevent"


# ---- occurrences are those of the source -----------------------------------------------------------------

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

        body = [f"UID:u{number}", "DTSTAMP:20261001T000000Z", at(start, "DTSTART"), "DURATION:PT1H",
                f"SUMMARY:Entry {number}", *filter(None, [private])]  # fmt: skip
        if rule:
            body.append(f"RRULE:{rule}")
        texts.append("\n".join(["BEGIN:VEVENT", *body, "END:VEVENT"]))
        if rule.startswith("FREQ=DAILY") and draw(st.booleans()):
            slot = start + timedelta(days=draw(st.integers(1, 8)))
            own = draw(st.sampled_from(("", "CLASS:PRIVATE")))
            changed = [f"UID:u{number}", "DTSTAMP:20261001T000000Z", at(slot, "RECURRENCE-ID"),
                       at(slot + timedelta(hours=2), "DTSTART"), "DURATION:PT2H", f"SUMMARY:Changed {number}",
                       *filter(None, [private or own])]  # fmt: skip
            texts.append("\n".join(["BEGIN:VEVENT", *changed, "END:VEVENT"]))
    return "\n".join(["BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//x//EN", *texts, "END:VCALENDAR"])


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
    window = Almanac(found, b"secret", {}).window(*bounds, "UTC")
    assert len(window.occurrences) == len(expected)


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
    return source.privacy != "PRIVATE"  # type: ignore[attr-defined]


def starts(found: list[object]) -> list[str]:
    return sorted(one.start for one in found)  # type: ignore[attr-defined]
