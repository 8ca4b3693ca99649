"""Replies to invitations as messages."""

from __future__ import annotations

from email.message import EmailMessage

import icalendar
import pytest

from datebridge.core.replies import Answer, CannotReply
from datebridge.services.imports import decide, replies
from datebridge.services.imports.decide import Decision
from datebridge.services.imports.replies import Reply
from datebridge.store.changesets.apply import apply as apply_set
from tests.conftest import Bench, calendar, event

PEOPLE = (
    "ORGANIZER;CN=Ida Moe:mailto:ida.moe@skerrow.example",
    "ATTENDEE;CN=Owen Hale;RSVP=TRUE:mailto:owen.hale@skerrow.example",
)


def asked(bench: Bench, *lines: str, method: str = "REQUEST") -> int:
    entry = event("a@skerrow.example", "Kelp\\, recovery", "TZID=Atlantic/Reykjavik:20261201T090000", *PEOPLE, *lines)
    text = calendar(entry, header=f"METHOD:{method}")
    message = EmailMessage()
    message["Subject"], message["From"] = "Invitation", "ida.moe@skerrow.example"
    message.set_content("Will you come?")
    message.add_alternative(text, subtype="calendar", params={"method": method})
    return bench.read(bytes(message), "mail.eml")


def made(bench: Bench, file: int, said: Reply) -> EmailMessage:
    return replies.message(bench.store, bench.settings, file, said)


def test_an_invitation_says_from_whom_it_is_and_is_answered_by_a_message_programs_can_read(bench: Bench) -> None:
    file = asked(bench)
    with bench.store.read() as connection:
        (found,) = replies.invited(connection, file)
    assert found.invitation.organizer is not None
    assert found.invitation.organizer.name == "Ida Moe"
    assert dict(found.facts)["Start"] == "2026-12-01 Tue 09:00 Atlantic/Reykjavik"
    message = made(bench, file, Reply("a@skerrow.example", "owen.hale@skerrow.example", Answer.ACCEPTED, "Gladly"))
    assert (message["From"], message["To"]) == (
        "Owen Hale <owen.hale@skerrow.example>",
        "Ida Moe <ida.moe@skerrow.example>",
    )
    assert message["Subject"] == "Accepted: Kelp, recovery"
    words, part = message.iter_parts()
    assert "Owen Hale accepts" in words.get_content()
    assert "Gladly" in words.get_content()
    assert (part.get_content_type(), part.get_param("method")) == ("text/calendar", "REPLY")
    parsed = icalendar.Calendar.from_ical(part.get_content())
    assert parsed["METHOD"] == "REPLY"
    assert [zone["TZID"] for zone in parsed.walk("VTIMEZONE")] == ["Atlantic/Reykjavik"]
    # Answered by somebody else's program: what it read is what was meant.
    (reply,) = parsed.walk("VEVENT")
    assert reply["ATTENDEE"].params["PARTSTAT"] == "ACCEPTED"


def test_what_does_not_invite_is_not_answered(bench: Bench) -> None:
    for method in ("CANCEL", "PUBLISH", "REPLY"):
        file = asked(bench, method=method)
        with bench.store.read() as connection:
            assert replies.invited(connection, file) == []
        with pytest.raises(CannotReply, match="no longer exists"):
            made(bench, file, Reply("a@skerrow.example", "owen.hale@skerrow.example", Answer.ACCEPTED))


@pytest.mark.parametrize(
    "line",
    [
        "ORGANIZER:http://x.example/ida",
        "ORGANIZER:mailto:ida@x.example, all@x.example",
        'ORGANIZER:mailto:"Bcc: all"@x.example',
        "ORGANIZER:mailto:ida@x.example?bcc=all@x.example",
        "ORGANIZER:mailto:ætti@x.example",
    ],
)
def test_an_organiser_who_is_no_mail_address_is_not_written_to(bench: Bench, line: str) -> None:
    who = "ATTENDEE:mailto:owen.hale@skerrow.example"
    entry = event("a@x.example", "Kelp", "20261124T080000Z", line, who)
    file = bench.read(calendar(entry, header="METHOD:REQUEST"), "invite.ics")
    with pytest.raises(CannotReply, match="not an email address"):
        made(bench, file, Reply("a@x.example", "owen.hale@skerrow.example", Answer.ACCEPTED))


def test_a_name_of_many_lines_adds_no_header(bench: Bench) -> None:
    file = asked(bench, 'ATTENDEE;CN="A^nBcc: all@x.example":mailto:b@x.example', "SUMMARY:x")
    message = made(bench, file, Reply("a@skerrow.example", "b@x.example", Answer.DECLINED, "No\nBcc: all@x.example"))
    assert message["Bcc"] is None
    assert bytes(message).count(b"\nBcc:") == 1  # the words of the comment, in the body


def test_it_can_be_answered_after_it_was_taken_in_as_well(bench: Bench) -> None:
    file = asked(bench)
    decisions = [Decision(group.id, None, "Seminars") for group in bench.parts(file)]
    apply_set(bench.store, decide.propose_import(bench.store, [file], decisions))
    said = Reply("a@skerrow.example", "owen.hale@skerrow.example", Answer.DECLINED)
    assert made(bench, file, said)["Subject"] == "Declined: Kelp, recovery"
