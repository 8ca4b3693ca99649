"""The table of everything: filters, orders, pages, facets."""

from __future__ import annotations

from datetime import date

import pytest

from datebridge.core.language.filters import FilterError, Selection
from datebridge.store.calendars import calendars_for_filters
from datebridge.store.entries.alike import alike
from datebridge.store.entries.ledger import FACETS
from tests.conftest import Bench, calendar, event, prepared
from tests.world import World, berth

HOBART = "TZID=Australia/Hobart:20261124T150000"


@prepared
def filled(bench: Bench) -> None:
    bench.bring(
        calendar(
            event("old", "Old crane check", "20191231T090000Z", "LOCATION:Berth 3"),
            event("day", "Lamp Day", "20260106", "CATEGORIES:HOLIDAY,Lights", "CLASS:PRIVATE"),
            event(
                "call",
                "Leaders' call",
                HOBART,
                "ATTENDEE:mailto:ida@x.example",
                "ORGANIZER:mailto:bo@y.example",
                "STATUS:CANCELLED",
            ),
            event("float", "Áætlun", "20261124T080000", "BEGIN:VALARM", "ACTION:AUDIO", "TRIGGER:-PT5M", "END:VALARM"),
            event("weekly", "Safety round", "20200106T090000Z", "RRULE:FREQ=WEEKLY", "EXDATE:20261123T090000Z"),
            event("ended", "Finished course", "20180101T090000Z", "RRULE:FREQ=DAILY;COUNT=10"),
            event("long", "North Bank survey", "20261120", "DTEND;VALUE=DATE:20261201"),
            "BEGIN:VTODO\nUID:todo\nSUMMARY:Grease winch\nEND:VTODO",
        ),
        "Skerrow station",
    )
    bench.bring(calendar(event("b", "Berth 3 booked", "20261201T080000Z")), "Berths")


@pytest.mark.parametrize(
    ("filter", "titles"),
    [
        ("crane", ["Old crane check"]),
        ("berth 3", ["Old crane check", "Berth 3 booked"]),
        ('what:"berth 3"', ["Berth 3 booked"]),
        ("where:berth", ["Old crane check"]),
        ("aaetlun", []),
        ("aætlun", ["Áætlun"]),
        ("ida@x.example", ["Leaders' call"]),
        ("calendar:berths", ["Berth 3 booked"]),
        ("before:2020", ["Finished course", "Old crane check"]),
        ("after:2026-11-25", ["Berth 3 booked"]),
        ("on:2026-11-24", ["North Bank survey", "Leaders' call", "Áætlun"]),
        ("on:2026-11-23", ["North Bank survey"]),
        ("on:2026-11-23..2026-11-24", ["North Bank survey", "Leaders' call", "Áætlun"]),
        ("on:2026-11-30", ["Safety round", "North Bank survey"]),
        ("on:2018-01-10", ["Finished course"]),
        ("on:2018-01-11", []),
        ("zone:australia/hobart", ["Leaders' call"]),
        ("repeats:yes", ["Finished course", "Safety round"]),
        ("has:alarm,attendees", ["Leaders' call", "Áætlun"]),
        ("-has:title", []),
        ("has:place", ["Old crane check"]),
        ("on:6 jan 2026", ["Lamp Day"]),
        ("repeats:endless", ["Safety round"]),
        ("lasts:nothing kind:event -repeats:yes before:2020", ["Old crane check"]),
        ("lasts:10", ["North Bank survey"]),
        ("lasts:11", []),
        ("says:berth", ["Old crane check", "Berth 3 booked"]),
        ("links:berth", []),
        ("larger:0 uid:day", ["Lamp Day"]),
        ("larger:1", []),
        ("shared:yes", []),
        ("category:lights", ["Lamp Day"]),
        ("category:light", []),
        ("status:cancelled", ["Leaders' call"]),
        ("private:yes", ["Lamp Day"]),
        ("allday:yes", ["Lamp Day", "North Bank survey"]),
        ("kind:todo", ["Grease winch"]),
        ("imported:2", ["Berth 3 booked"]),
        ("uid:day", ["Lamp Day"]),
        ('-calendar:"Skerrow station"', ["Berth 3 booked"]),
        ("-before:2026 -repeats:yes -allday:yes kind:event", ["Leaders' call", "Áætlun", "Berth 3 booked"]),
        ("has:problem", []),
        ("on:2026-11 repeats:yes", ["Safety round"]),
        ("on:2018-01-04 repeats:yes", ["Finished course"]),
        ("on:2018 -course", []),
        ("berth -crane", ["Berth 3 booked"]),
        ("-berth -round kind:event -repeats:yes allday:no", ["Leaders' call", "Áætlun"]),
    ],
)
def test_a_filter_finds_what_it_says(filled: Bench, filter: str, titles: list[str]) -> None:
    assert filled.titles(filter) == titles


def test_a_filter_and_its_negation_share_everything_between_them(filled: Bench) -> None:
    everything = set(filled.titles())
    for term in ("before:2020", "on:2026-11-24", "zone:none", "has:alarm", "category:HOLIDAY", "crane", "after:2026"):
        assert set(filled.titles(term)) ^ set(filled.titles(f"-{term}")) == everything


def test_a_date_that_does_not_exist_is_a_plain_error(filled: Bench) -> None:
    with pytest.raises(FilterError, match="is not a date"):
        filled.titles("before:soon")
    with pytest.raises(FilterError, match="no word"):
        filled.titles("berth ***")


@pytest.mark.parametrize("sort", ["when", "what", "where", "calendar", "repeats", "zone", "marks", "status"])
def test_every_column_sorts_both_ways_and_pages_are_parts_of_the_whole(filled: Bench, sort: str) -> None:
    _, up = filled.ledger.page(sort=sort)
    total, down = filled.ledger.page(sort=sort, descending=True)
    assert sorted(r.id for r in up) == sorted(r.id for r in down)
    assert total == 9
    pages = [filled.ledger.page(sort=sort, offset=k, limit=4)[1] for k in (0, 4, 8)]
    assert [r.id for page in pages for r in page] == [r.id for r in up]


def test_titles_sort_without_case_or_accents(filled: Bench) -> None:
    assert filled.titles(sort="what")[0] == "Áætlun"


def test_facets_count_what_matches(filled: Bench) -> None:
    facets = {by: filled.ledger.facets(by, "-kind:todo") for by in FACETS}
    with filled.store.read() as connection:
        named = {str(number): one.label for number, one in calendars_for_filters(connection).items()}
    assert {named[number]: n for number, n in facets["calendar"]} == {"Skerrow station": 7, "Berths": 1}
    assert dict(facets["year"])["2026"] == 5
    assert dict(facets["kind"]) == {"event": 8}
    assert dict(facets["zone"]) == {"UTC": 4, "none": 3, "Australia/Hobart": 1}
    assert dict(facets["status"]) == {"none": 7, "cancelled": 1}
    assert dict(facets["category"]) == {"HOLIDAY": 1, "Lights": 1}
    assert dict(facets["marks"]) == {
        "series": 2,
        "all day": 2,
        "alarm": 1,
        "attendees": 1,
        "answer: none": 1,
        "private": 1,
    }


def test_a_selection_is_a_filter_with_exceptions_or_a_list(filled: Bench) -> None:
    with filled.store.read() as connection:
        every = list(filled.ledger.ids(connection, Selection("before:2020")))
        assert list(filled.ledger.ids(connection, Selection("before:2020", (every[0],)))) == every[1:]
        assert list(filled.ledger.ids(connection, Selection(only=(every[0], 10_000)))) == every[:1]


def test_today_is_found_among_the_rows(filled: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("datebridge.store.entries.ledger.this_day", lambda: date(2026, 11, 24))
    assert filled.titles()[filled.ledger.row_of_today()] == "Leaders' call"


def test_people_are_found_by_name_and_by_what_they_answered(bench: Bench) -> None:
    ida = "ATTENDEE;CN=Ida Moe;PARTSTAT={}:mailto:ida.moe@skerrow.example".format
    jon = "ATTENDEE;CN=Jón Dal:mailto:jon.dal@skerrow.example"
    asks = ("DESCRIPTION:Ask Ida Moe first", "ORGANIZER;CN=Jón Dal:mailto:j@x.example")
    bench.bring(
        calendar(
            event("a", "Kelp", "20261124T080000Z", ida("ACCEPTED"), jon),
            event("b", "Ice", "20261124T090000Z", ida("DECLINED")),
            event("c", "Radar", "20261124T100000Z", *asks),
        )
    )
    assert bench.titles("person:ida") == bench.titles('person:"Ida Moe"') == ["Kelp", "Ice"]
    assert bench.titles("person:jon") == ["Kelp", "Radar"]
    assert bench.titles("person:jon.dal@skerrow.example") == ["Kelp"]
    assert bench.titles("ida") == ["Kelp", "Ice", "Radar"]
    assert bench.titles("answer:accepted") == ["Kelp"]
    assert bench.titles("answer:declined,none") == ["Kelp", "Ice"]
    assert bench.titles("-answer:none person:ida") == ["Ice"]
    assert bench.titles("answer:tentative") == bench.titles("person:person") == []


def test_calendars_of_one_name_are_told_apart_by_their_account(world: World) -> None:
    world.put("lantern", "berths", berth(1))
    world.connect("lantern")
    world.bring(calendar(event("here", "Here")), calendar="Berths")
    with world.store.read() as connection:
        found = calendars_for_filters(connection).values()
    assert [(one.label, world.titles(one.term("calendar"))) for one in found] == [
        ("Berths · Lantern", ["Launch 1 alongside"]),
        ("Berths · here", ["Here"]),
    ]


def test_calendars_that_share_uids_look_alike_before_those_that_share_titles(bench: Bench) -> None:
    bench.bring(calendar(event("a", "Tide"), event("b", "Ebb")), "One")
    bench.bring(calendar(event("a", "High tide"), event("b", "Ebb"), event("c", "Flow")), "Two")
    bench.bring(calendar(event("d", "Tide"), event("e", "Ebb")), "Three")
    with bench.store.read() as connection:
        assert [(pair.left, pair.right, pair.uids, pair.titles) for pair in alike(connection)] == [
            (1, 2, 2, 1),
            (1, 3, 0, 2),
            (2, 3, 0, 1),
        ]
