"""A whole message somebody sent: its calendar parts are taken, and nothing else of it."""

from __future__ import annotations

import io
from datetime import date, time
from email.message import EmailMessage

import pytest

from datebridge.services.imports import messages, uploads
from datebridge.store import imports
from tests.conftest import Bench, calendar, event

INVITATION = calendar(event("a@skerrow.example", "Kelp recovery, ætti að koma"), header="METHOD:REQUEST")


def message(*parts: str, subject: str = "Invitation: Kelp recovery") -> EmailMessage:
    made = EmailMessage()
    made["Subject"], made["From"], made["To"] = subject, "ida.moe@skerrow.example", "office@skerrow.example"
    made.set_content("Will you come?")
    for part in parts:
        made.add_alternative(part, subtype="calendar", params={"method": "REQUEST"}, cte="base64")
    return made


def names(bench: Bench) -> list[str]:
    return [file.name for file in bench.files()]


def test_the_calendar_part_of_a_message_is_shown_like_any_file(bench: Bench) -> None:
    bench.read(bytes(message(INVITATION)), "mail.eml")
    assert names(bench) == ["Invitation: Kelp recovery.ics"]
    assert [row.summary for row in bench.staged()] == ["Kelp recovery, ætti að koma"]


def test_a_message_is_known_by_how_it_begins_and_a_part_sent_twice_is_taken_once(bench: Bench) -> None:
    made = message(INVITATION)
    made.make_mixed()
    made.add_attachment(INVITATION.encode(), maintype="application", subtype="ics", filename="invite.ics")
    bench.read(bytes(made), "unnamed")
    assert len(names(bench)) == 1


def test_a_message_inside_a_message_is_opened(bench: Bench) -> None:
    outer = EmailMessage()
    outer["Subject"] = "Fwd: see below"
    outer.set_content("See below.")
    outer.add_attachment(message(INVITATION))
    bench.read(bytes(outer), "fwd.eml")
    assert names(bench) == ["Fwd: see below.ics"]


def test_a_message_without_a_calendar_says_so(bench: Bench) -> None:
    with pytest.raises(uploads.NotTaken, match=r"hello\.eml is a message without a calendar part"):
        uploads.receive(bench.store, bench.settings, [("hello.eml", io.BytesIO(bytes(message())))])
    assert list(bench.settings.imports_dir.iterdir()) == []


def test_what_of_it_is_here_already_is_shown_before_it_is_taken(bench: Bench) -> None:
    bench.bring(calendar(event("a@skerrow.example", "Kelp")), calendar="Seminars")
    file = bench.read(bytes(message(INVITATION)), "mail.eml")
    with bench.store.read() as connection:
        (here,) = imports.compare(connection, file)
    assert (here.calendar, here.different) == ("Seminars", 1)


def test_a_message_without_an_invitation_becomes_an_event_with_its_people_and_times() -> None:
    made = EmailMessage()
    made["Subject"], made["From"] = "Crane:  when?", "Ida Moe <ida.moe@skerrow.example>"
    made["To"], made["Cc"] = "office@skerrow.example, Jón Dal <jon.dal@skerrow.example>", "IDA.MOE@skerrow.example"
    made.set_content("Could we meet on Tuesday 14:00-15:30, or Thu 3 Dec?\nI sat with the plans; you may choose.\n")
    made.add_attachment(b"%PDF", maintype="application", subtype="pdf", filename="plan.pdf")
    draft = messages.draft_of(bytes(made), "crane.eml", date(2026, 11, 26))
    assert (draft.fields.title, draft.fields.start) == ("Crane: when?", "")
    assert [(p.name, p.address) for p in draft.fields.attendees] == [
        ("Ida Moe", "ida.moe@skerrow.example"),
        ("", "office@skerrow.example"),
        ("Jón Dal", "jon.dal@skerrow.example"),
    ]
    assert draft.fields.notes.startswith("Could we meet")
    assert [(t.day, t.at, t.length) for t in draft.times] == [
        (date(2026, 12, 1), time(14), 90),
        (date(2026, 12, 3), None, None),
    ]
    assert [(a.name, a.size) for a in draft.attached] == [("plan.pdf", 4)]


@pytest.mark.parametrize(
    "head",
    [
        "Content-Type: text/plain; charset=nope",
        "Content-Type: text/plain; charset=idna",
        "Content-Type: text/plain; charset=hex",
        "To: " + "(" * 1_800,
        "From: " + "(" * 1_800,
        "Subject: =?nope?q?a?=",
        "Content-Type: multipart/mixed; boundary=",
        "Content-Disposition: attachment; filename*=nope''%zz",
    ],
    ids=lambda head: head[:40],
)
def test_no_header_makes_drafting_fail(head: str) -> None:
    text = f"{head}\r\nMIME-Version: 1.0\r\nCc: Ida <ida@skerrow.example>\r\n\r\nMeet on 3 December at 10:00\r\n"
    made = messages.draft_of(text.encode(), "odd.eml", date(2026, 11, 24))
    assert [one.address for one in made.fields.attendees] == ["ida@skerrow.example"]
