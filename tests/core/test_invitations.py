"""What makes a server notify people, and what keeps it from doing so."""

from __future__ import annotations

from datebridge.core.invitations import silenced, told
from tests.conftest import event


def test_silencing_touches_people_and_nothing_else() -> None:
    text = event(
        "a",
        "Meeting",
        "20261124T080000Z",
        "ORGANIZER;CN=Me:mailto:me@skerrow.example",
        "X-ODD;A=b:c",
        'ATTENDEE;SCHEDULE-AGENT=SERVER;CN="Moe, Ida":mailto:ida@skerrow.example',
    )
    quiet = silenced(text)
    before, after = text.split("\n"), quiet.split("\n")
    assert [a for a, b in zip(after, before, strict=True) if a != b] == [
        "ORGANIZER;SCHEDULE-AGENT=NONE;CN=Me:mailto:me@skerrow.example",
        'ATTENDEE;SCHEDULE-AGENT=NONE;CN="Moe, Ida":mailto:ida@skerrow.example',
    ]
    assert silenced(quiet) == quiet
    assert (told(text, ["me@skerrow.example"]), told(quiet, ["me@skerrow.example"])) == (1, 0)
    assert silenced(event("b")) == event("b")
