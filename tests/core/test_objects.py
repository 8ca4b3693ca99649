"""Objects as servers keep them: put together and taken apart."""

from __future__ import annotations

import icalendar

from datebridge.core.objects import assemble, missing_definitions, take_apart
from tests.conftest import event


def test_an_object_holds_its_entries_and_the_zones_they_need() -> None:
    text = event("a", "Tide", "TZID=Australia/Hobart:20261124T080000")
    data = assemble([text], [("Mars/Base", "BEGIN:VTIMEZONE\nTZID:Mars/Base\nEND:VTIMEZONE")])
    found = take_apart(data)
    assert [entry for _, entry in found.entries] == [text]
    assert [facts.uid for facts, _ in found.zones] == ["Australia/Hobart"]
    assert len(icalendar.Calendar.from_ical(data).walk("VEVENT")) == 1


def test_objects_that_are_none_are_taken_apart_all_the_same() -> None:
    assert take_apart(b"\xff\xfe nothing").entries == ()
    assert take_apart(b"").uid == ""


def test_definitions_are_made_only_for_names_that_have_none_and_mean_something() -> None:
    made = missing_definitions({"America/Halifax", "Harbour clock", "Europe/Oslo"}, {"Europe/Oslo"}, 0, 86400)
    assert [text.split("\n")[1] for text in made] == ["TZID:America/Halifax"]
