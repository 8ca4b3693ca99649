"""What a row of a table makes of an entry: what was edited, and nothing beside it."""

from __future__ import annotations

import pytest

from datebridge.core.checks import examine
from datebridge.core.editing.writing import rewritten
from datebridge.core.index.facts import Mark
from datebridge.core.views.brought import BadCell, here, wanted_of
from datebridge.core.views.sheet import Row, cells_of
from datebridge.core.views.tables import SheetRow
from tests.conftest import event

STAMP = "20261130T000000Z"
BOOKKEEPING = ("DTSTAMP", "LAST-MODIFIED", "SEQUENCE")


def brought(text: str, zone: str = "", **cells: str) -> list[str]:
    """The lines of an entry once a row with other cells was brought back."""
    now = cells_of(Row("", "VEVENT", text))
    shown = cells_of(Row("", "VEVENT", text), zone) if zone else now
    facts = examine("VEVENT", text)
    clock = None if facts.marks & (Mark.ALL_DAY | Mark.FLOATING) else facts.zone
    wanted = wanted_of(SheetRow(2, {**shown, **cells}), here(text, now, shown, clock))
    made = rewritten(text, wanted.fields, STAMP, exact=wanted.exact)
    return [line for line in made.split("\n") if not line.startswith(BOOKKEEPING)]


def alarm(trigger: str, action: str = "EMAIL") -> str:
    return f"BEGIN:VALARM\nACTION:{action}\nTRIGGER{trigger}\nDESCRIPTION:Pack\nATTENDEE:mailto:a@x.example\nX-B:1\nEND:VALARM"


ALARMED = event(
    "a",
    "Tide",
    "20261124T090000Z",
    "DTEND:20261124T100000Z",
    alarm(";RELATED=END:-PT5M"),
    alarm(":-PT30S", "AUDIO"),
    alarm(";VALUE=DATE-TIME:20261124T080000Z"),
)


@pytest.mark.parametrize(
    ("cell", "old", "new"),
    [
        ("-PT10M; -PT30S; 20261124T080000Z", "TRIGGER;RELATED=END:-PT5M", "TRIGGER;RELATED=END:-PT10M"),
        ("-PT5M; -PT45S; 20261124T080000Z", "TRIGGER:-PT30S", "TRIGGER:-PT45S"),
        ("-PT5M; -PT30S; 20261124T083000Z", "DATE-TIME:20261124T080000Z", "DATE-TIME:20261124T083000Z"),
        (
            "-PT30S; 20261124T080000Z; -PT5M; PT1H",
            "\nEND:VEVENT",
            "\nBEGIN:VALARM\nACTION:DISPLAY\nDESCRIPTION:Tide\nTRIGGER:PT1H\nEND:VALARM\nEND:VEVENT",
        ),
        ("-PT30S; 20261124T080000Z", alarm(";RELATED=END:-PT5M") + "\n", ""),
    ],
)
def test_one_alarm_is_edited_and_the_others_keep_every_line(cell: str, old: str, new: str) -> None:
    assert "\n".join(brought(ALARMED, alarms=cell)) == ALARMED.replace(old, new)


ENDS = event("b", "Watch", "TZID=America/Halifax:20261031T233000", "DURATION:PT2H")
SECONDS = event("c", "Count", "20261124T090030Z", "DTEND:20261124T101530Z")
#: 04:30Z and 05:30Z are 01:30 in Halifax, before and after the clocks went back.
TWICE = event("d", "Night", "20261101T053000Z", "DTEND:20261101T063000Z")


@pytest.mark.parametrize(
    ("text", "zone", "cells", "times"),
    [
        (SECONDS, "", {"start": "2026-11-24 08:00"}, ["DTSTART:20261124T080000Z", "DTEND:20261124T101530Z"]),
        (SECONDS, "", {"end": "2026-11-24 11:00"}, ["DTSTART:20261124T090030Z", "DTEND:20261124T110000Z"]),
        (
            SECONDS,
            "America/Halifax",
            {"end": "2026-11-24 06:45:10"},
            ["DTSTART:20261124T090030Z", "DTEND:20261124T104510Z"],
        ),
        (TWICE, "America/Halifax", {"end": "2026-11-01 02:45"}, ["DTSTART:20261101T053000Z", "DTEND:20261101T064500Z"]),
        (
            TWICE,
            "America/Halifax",
            {"start": "2026-11-01 01:15"},
            ["DTSTART:20261101T051500Z", "DTEND:20261101T063000Z"],
        ),
        (ENDS, "", {"start": "2026-10-31 23:15"}, ["DTSTART;TZID=America/Halifax:20261031T231500", "DURATION:PT2H15M"]),
        (ENDS, "", {"end": "2026-11-01 02:00"}, ["DTSTART;TZID=America/Halifax:20261031T233000", "DURATION:PT3H30M"]),
    ],
)
def test_a_time_that_was_not_edited_stays_to_the_second_whatever_clocks_do(
    text: str, zone: str, cells: dict[str, str], times: list[str]
) -> None:
    made = brought(text, zone, **cells)
    assert [line for line in made if line.startswith(("DTSTART", "DTEND", "DURATION"))] == times
    assert len(made) == len(text.split("\n"))


PEOPLE = event(
    "e",
    "Meeting",
    "20261124T090000Z",
    "ATTENDEE;CN=One:mailto:same@x.example",
    "ATTENDEE;CN=Two:MAILTO:same@x.example",
    "ATTENDEE;X-P=1:tel:+3545551",
    "CATEGORIES:Lab\\; wet,Tide\\,s",
)


def test_a_list_of_which_one_is_edited_keeps_the_others_as_they_are() -> None:
    now = cells_of(Row("", "VEVENT", PEOPLE))
    made = brought(PEOPLE, attendees=f"{now['attendees']}; new@x.example", categories=f"{now['categories']}; Dry")
    kept = [line for line in PEOPLE.split("\n") if not line.startswith("CATEGORIES")]
    assert [line for line in made if line in kept] == kept
    assert set(made) - set(kept) == {"ATTENDEE:mailto:new@x.example", "CATEGORIES:Lab\\; wet,Tide\\,s,Dry"}
    fewer = brought(PEOPLE, attendees="tel:+3545551; same@x.example")
    assert [line for line in fewer if line.startswith("ATTENDEE")] == [
        "ATTENDEE;CN=One:mailto:same@x.example",
        "ATTENDEE;X-P=1:tel:+3545551",
    ]


def test_an_alarm_that_cannot_be_read_is_not_taken_out_in_silence() -> None:
    odd = event("f", "Odd", "20261124T090000Z", alarm(":soon"), alarm(":-PT5M"))
    assert brought(odd, alarms="soon; -PT10M") == odd.replace("-PT5M", "-PT10M").split("\n")
    with pytest.raises(BadCell, match="cannot be read, and stays"):
        brought(odd, alarms="-PT5M")
