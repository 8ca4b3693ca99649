"""What the header of a calendar says of it."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.text.headers import Description, described, description_of
from datebridge.core.text.writer import new_header
from tests.depth import tries

TEXT = st.text(st.characters(codec="utf-8", exclude_categories=["Cc", "Cs", "Zl", "Zp"]), max_size=30).map(str.strip)


@tries(60, 2_000)
@given(
    TEXT.filter(bool), st.sampled_from(["", "#16684a", "teal"]), st.sampled_from(["", "UTC", "Australia/Hobart"]), TEXT
)
def test_a_header_says_what_it_was_told_to_say(name: str, own_colour: str, zone: str, text: str) -> None:
    wanted = Description(name, own_colour, zone, text)
    header = described("BEGIN:VCALENDAR\nX-KEEP:me\nX-WR-CALNAME:Old\nCOLOR:red\nEND:VCALENDAR", wanted)
    assert description_of(header) == wanted
    assert described(header, wanted) == header
    assert "X-KEEP:me" in header


def test_a_fresh_header_can_be_described() -> None:
    assert description_of(described("", Description("Tides"))) == description_of(new_header("Tides"))
