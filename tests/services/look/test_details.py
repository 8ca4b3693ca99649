"""What is said of two states of an entry."""

from __future__ import annotations

import pytest

from datebridge.services.look.details import Differing, differing

ALARM = "BEGIN:VALARM\nACTION:DISPLAY\nTRIGGER:-PT15M\nDESCRIPTION:{}\nEND:VALARM\n"
ENTRY = "BEGIN:VEVENT\nSUMMARY:Tide\nDTSTART:20261124T080000Z\nDTSTAMP:20260105T080000Z\n{}END:VEVENT"


@pytest.mark.parametrize(
    ("left", "right", "told"),
    [
        ("", ALARM.format("Boat"), Differing("Alarms", [], ["15 min before"])),
        # rings at the same time, and says something else
        (ALARM.format("Boat"), ALARM.format("Tug"), Differing("Alarms", ["DESCRIPTION:Boat"], ["DESCRIPTION:Tug"])),
        ("CATEGORIES:A,B\n", "CATEGORIES:B\n", Differing("Categories", ["A, B"], ["B"])),
        ("BEGIN:X-MOORING\nX-D:4\nEND:X-MOORING\n", "", None),
    ],
)
def test_a_difference_is_said_in_words_or_else_by_its_lines(left: str, right: str, told: Differing | None) -> None:
    found = differing("VEVENT", ENTRY.format(left), ENTRY.format(right))
    assert len(found) == 1
    if told is not None:
        assert found == [told]
    else:
        assert "X-D:4" in found[0].left


def test_stamps_and_the_order_of_lines_are_no_difference() -> None:
    one = ENTRY.format("LOCATION:Pier\n")
    other = ENTRY.replace("20260105", "20260909").format("").replace("SUMMARY", "LOCATION:Pier\nSUMMARY")
    assert differing("VEVENT", one, other) == []
