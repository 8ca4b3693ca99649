"""What becomes of entries that are given to readers."""

from __future__ import annotations

import json
from datetime import date, timedelta
from io import BytesIO

from datebridge.core.moments import wall_seconds_of
from datebridge.core.sharing.forms import Cover, as_ics, as_jcal, find_busy
from datebridge.core.sharing.gathering import SharedContent, gather, source_of
from datebridge.core.sharing.page_data import PageData
from datebridge.core.sharing.terms import Detail, Guarded, Terms
from datebridge.core.text.reader import Reader
from datebridge.core.views.expansion import expand
from datebridge.core.zones.definition import define
from datebridge.core.zones.meaning import Zones

DAY = date(2026, 11, 24)
LOW, HIGH = wall_seconds_of(DAY), wall_seconds_of(DAY + timedelta(days=30))
COVER = Cover("Berths", 3600, "0011223344556677")


# ---- what becomes of entries -----------------------------------------------------------------------------


def entry(uid: str, *lines: str, start: str = "20261124T090000Z", kind: str = "VEVENT") -> str:
    return "\n".join([f"BEGIN:{kind}", f"UID:{uid}", f"DTSTART:{start}", *lines, f"END:{kind}"])


def given_of(*texts: str, **terms: object) -> SharedContent:
    sources = [source_of(text.partition("\n")[0][6:], text, 1) for text in texts]
    return gather(sources, {}, Terms(**terms), b"secret")  # type: ignore[arg-type]


def test_private_and_confidential_entries_are_decided_on_their_own() -> None:
    texts = entry("a"), entry("b", "CLASS:PRIVATE", "SUMMARY:Dentist"), entry("c", "CLASS:CONFIDENTIAL")
    odd = entry("d", "CLASS:X-CREW")
    found = given_of(*texts, odd, detail=Detail.TITLES, private=Guarded.BUSY, confidential=Guarded.LEAVE_OUT)
    assert [one.as_busy for one in found.entries] == [False, True, True]
    assert found.left_out == {"confidential": 1}
    assert found.in_words == "3 of 4 entries; 2 private as busy; 1 left out (1 confidential)"


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
    page_data = PageData(found, b"secret", {})
    assert len(page_data.window(LOW, HIGH, "UTC").occurrences) == 2


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
    zones = {
        n: Zones([("Station", define("Station", name, 2026, 2026))])
        for n, name in ((1, "America/Halifax"), (2, "Australia/Hobart"))
    }
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
    assert "UID:same" not in found.entries[1].redacted.text


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
    assert 40 < found.entries[0].redacted.text.count("BEGIN:X-NEST") <= 50
    assert json.loads(as_jcal(found, COVER))[2][0][0] == "vevent"


def starts(found: list[object]) -> list[str]:
    return sorted(one.start for one in found)  # type: ignore[attr-defined]
