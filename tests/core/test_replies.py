"""Replies to invitations: what they repeat, and that they are about one person alone."""

from __future__ import annotations

import icalendar
import pytest

from datebridge.core.replies import Answer, CannotReply, invitations, is_request, reply

STAMP = "20261124T120000Z"
SERIES = """BEGIN:VEVENT
UID:watch@skerrow.example
SEQUENCE:3
DTSTART;TZID="Skerrow: local":20261124T090000
DURATION:PT1H
RRULE:FREQ=WEEKLY
SUMMARY:Watch\\, north
ORGANIZER;CN="Moe, Ida";SCHEDULE-STATUS="1.2":mailto:ida.moe@skerrow.example
ATTENDEE;CN=Owen Hale;X-DESK="4;5";RSVP=TRUE;PARTSTAT=NEEDS-ACTION:MAILTO:Owen.Hale@skerrow.example
ATTENDEE;CN=Jón Dal;PARTSTAT=ACCEPTED:mailto:jon.dal@skerrow.example
BEGIN:VALARM
ATTENDEE:mailto:owen.hale@skerrow.example
TRIGGER:-PT5M
END:VALARM
END:VEVENT"""
CHANGED = SERIES.replace("RRULE:FREQ=WEEKLY", 'RECURRENCE-ID;TZID="Skerrow: local":20261201T090000')
OTHERS = "\n".join(line for line in CHANGED.split("\n") if "Owen" not in line).replace("1201T", "1208T")


def test_a_reply_repeats_what_tells_the_organiser_what_it_answers_and_names_nobody_else() -> None:
    made = reply([CHANGED, SERIES, OTHERS], "owen.hale@skerrow.example", Answer.TENTATIVE, "If the boat is back", STAMP)
    changed, series = (icalendar.Event.from_ical(text) for text in made)
    assert "RECURRENCE-ID" not in series
    assert changed["RECURRENCE-ID"].to_ical() == b"20261201T090000"
    for one, text in zip((changed, series), made, strict=True):
        assert [str(one[name]) for name in ("UID", "SEQUENCE")] == ["watch@skerrow.example", "3"]
        assert (str(one["ORGANIZER"]), one["ORGANIZER"].params["CN"]) == ("mailto:ida.moe@skerrow.example", "Moe, Ida")
        assert one["ATTENDEE"].params == {"CN": "Owen Hale", "X-DESK": "4;5", "PARTSTAT": "TENTATIVE"}
        assert str(one["COMMENT"]) == "If the boat is back"
        assert "Jón" not in text
        assert "VALARM" not in text
        assert "RRULE" not in text


@pytest.mark.parametrize("answer", Answer)
def test_an_answer_that_is_changed_takes_the_place_of_the_one_before(answer: Answer) -> None:
    (made,) = reply([SERIES], "jon.dal@skerrow.example", answer, "", STAMP)
    assert icalendar.Event.from_ical(made)["ATTENDEE"].params["PARTSTAT"] == answer.upper()
    assert "COMMENT" not in made


def test_who_is_not_invited_cannot_answer_and_nobody_can_without_an_organiser() -> None:
    with pytest.raises(CannotReply, match="not one of the attendees"):
        reply([SERIES], "ida.moe@skerrow.example", Answer.ACCEPTED, "", STAMP)
    orphan = "\n".join(line for line in SERIES.split("\n") if not line.startswith("ORGANIZER"))
    with pytest.raises(CannotReply, match="names no organiser"):
        reply([orphan], "owen.hale@skerrow.example", Answer.ACCEPTED, "", STAMP)


def test_invitations_are_told_by_uid_with_the_people_of_all_their_parts() -> None:
    other = SERIES.replace("watch@", "crane@").replace("SUMMARY:Watch\\, north", "X-NONE:1")
    first, second = invitations([OTHERS, other, SERIES])
    assert (first.title, first.uid, second.title) == ("Watch, north", "watch@skerrow.example", "")
    assert first.texts[0] == SERIES  # the series first, though the file has it last
    assert {person.address for person in first.people} == {"Owen.Hale@skerrow.example", "jon.dal@skerrow.example"}
    assert is_request("BEGIN:VCALENDAR\nMETHOD;X-A=1: request \nEND:VCALENDAR")
    assert not is_request("BEGIN:VCALENDAR\nMETHOD:REPLY\nEND:VCALENDAR")
