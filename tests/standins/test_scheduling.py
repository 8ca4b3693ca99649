"""What the servers would send: the table of RFC 6638 §3.2.1.2, and nothing where it says otherwise."""

from __future__ import annotations

import pytest

from datebridge.core.invitations import silenced
from datebridge.core.objects import CalendarObject, assemble, take_apart
from datebridge.standins.scheduling import messages
from tests.conftest import event

ME, GUEST = "me@skerrow.example", "guest@skerrow.example"


def meeting(agent: str | None, status: str = "NEEDS-ACTION") -> CalendarObject | None:
    """A meeting whose guest is scheduled by `agent`; without the guest for "", nothing at all for None."""
    if agent is None:
        return None
    guest = f"ATTENDEE;SCHEDULE-AGENT={agent};PARTSTAT={status}:mailto:{GUEST}"
    lines = [f"ORGANIZER:mailto:{ME}", f"ATTENDEE:mailto:{ME}", *([guest] if agent else [])]
    return take_apart(assemble([event("m", "Meeting", "20261124T080000Z", *lines)], []))


@pytest.mark.parametrize(
    ("before", "after", "sent"),
    [
        (None, "SERVER", ["REQUEST"]),
        (None, "NONE", []),
        ("SERVER", "SERVER", ["REQUEST"]),
        ("NONE", "NONE", []),
        ("SERVER", "", ["CANCEL"]),
        ("SERVER", "CLIENT", ["CANCEL"]),
        ("SERVER", None, ["CANCEL"]),
        ("NONE", None, []),
        ("CLIENT", "SERVER", ["REQUEST"]),
    ],
)
def test_the_organisers_writing_tells_whom_the_table_says(
    before: str | None, after: str | None, sent: list[str]
) -> None:
    assert [m.method for m in messages(ME, meeting(before), meeting(after))] == sent


def test_an_attendees_answer_goes_to_the_organiser_unless_it_is_held_back() -> None:
    invited, accepted = meeting("SERVER"), meeting("SERVER", "ACCEPTED")
    assert [(m.method, m.recipient) for m in messages(GUEST, invited, accepted)] == [("REPLY", ME)]
    assert [m.method for m in messages(GUEST, accepted, None)] == ["REPLY"]
    assert messages(GUEST, accepted, None, replies=False) == []


def test_a_silenced_meeting_tells_nobody() -> None:
    loud = meeting("SERVER")
    assert loud is not None
    quiet = take_apart(assemble([silenced(loud.entries[0][1])], []))
    assert messages(ME, None, quiet) == []
    assert messages(GUEST, None, quiet) == []
