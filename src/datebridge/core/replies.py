"""Invitations somebody sent as a file or in a message, and the replies to them (RFC 5546 §3.2.2, §3.2.3).

>>> people = "ORGANIZER:mailto:ida@x.example\\nATTENDEE;RSVP=TRUE:mailto:owen@x.example"
>>> asked = f"BEGIN:VEVENT\\nUID:1\\n{people}\\nEND:VEVENT"
>>> print(reply([asked], "owen@x.example", Answer.DECLINED, "", "20261124T120000Z")[0])
BEGIN:VEVENT
UID:1
DTSTAMP:20261124T120000Z
ORGANIZER:mailto:ida@x.example
ATTENDEE;PARTSTAT=DECLINED:mailto:owen@x.example
REQUEST-STATUS:2.0;Success
END:VEVENT
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum

from datebridge.core.editing.fields import Person, person_of
from datebridge.core.errors import CannotDo
from datebridge.core.invitations import address_of
from datebridge.core.text.component import Component
from datebridge.core.text.lines import escape_text, format_line, rewritten_line, unescape_text

#: What the reply repeats of the invitation as it is written, in this order.
_KEPT = ("UID", "RECURRENCE-ID", "SEQUENCE", "DTSTART", "DTEND", "DURATION", "SUMMARY", "LOCATION")
#: Parameters that belong to the way an invitation is sent, not to the person (RFC 5545 §3.2.17, RFC 6638 §7).
_SENDING: dict[str, str | None] = {
    "RSVP": None,
    "SCHEDULE-AGENT": None,
    "SCHEDULE-STATUS": None,
    "SCHEDULE-FORCE-SEND": None,
}
#: No invitation holds more changed occurrences than this; a file can.
MOST = 200


class Answer(StrEnum):
    """What an attendee can answer (PARTSTAT, RFC 5545 §3.2.12)."""

    ACCEPTED = "accepted"
    TENTATIVE = "tentative"
    DECLINED = "declined"


class CannotReply(CannotDo):
    """An invitation cannot be answered; the message says why."""

    code, title, status = "cannot-reply", "No reply can be made", 409


@dataclass(frozen=True, slots=True)
class Invitation:
    """One event somebody is invited to, with its changed occurrences.

    Attributes:
        organizer: who invites; None where the file does not say.
        people: the attendees of all its components, each once, with what they have answered.
    """

    uid: str
    title: str
    organizer: Person | None
    people: tuple[Person, ...]
    texts: tuple[str, ...]


def is_request(header: str) -> bool:
    """Whether a calendar's own lines say that it invites (METHOD:REQUEST)."""
    method = Component(header).first("METHOD")
    return method is not None and method.value.strip().upper() == "REQUEST"


def invitations(texts: Iterable[str]) -> list[Invitation]:
    """The invitations in the events of a calendar that invites, by UID, in the order of the file."""
    by_uid: dict[str, list[str]] = {}
    for text in texts:
        uid = Component(text).first("UID")
        if uid is not None:
            by_uid.setdefault(uid.value, []).append(text)
    return [_invitation(uid, own) for uid, own in by_uid.items()]


def _invitation(uid: str, texts: list[str]) -> Invitation:
    # The series stands before its changed occurrences, wherever the file has it.
    texts = sorted(texts, key=lambda text: Component(text).first("RECURRENCE-ID") is not None)
    head = Component(texts[0])
    title, organizer = head.first("SUMMARY"), head.first("ORGANIZER")
    people = {address_of(line): person_of(line) for text in texts[::-1] for line in Component(text).all("ATTENDEE")}
    return Invitation(
        uid,
        unescape_text(title.value) if title else "",
        person_of(organizer) if organizer else None,
        tuple(people.values()),
        tuple(texts),
    )


def reply(texts: Iterable[str], address: str, answer: Answer, comment: str, stamp: str) -> list[str]:
    """The components of a REPLY: one for each component that invites the attendee, with nobody else in it.

    UID, RECURRENCE-ID and SEQUENCE are repeated as they are written, since by them the organiser knows what is
    answered.

    Args:
        address: whose answer it is, as in `address_of`.
        stamp: now, as a UTC date-time.

    Raises:
        CannotReply: if the address is not invited, or no organiser is named.
    """
    made = [text for one in texts if (text := _answered(Component(one), address.lower(), answer, comment, stamp))]
    if not made:
        raise CannotReply(f"{address} is not one of the attendees of this invitation.")
    return made


def _answered(asked: Component, address: str, answer: Answer, comment: str, stamp: str) -> str:
    """One component of the reply; "" where it does not invite them."""
    own = list(asked.properties())
    raw = asked.text.split("\n")
    mine = next(((i, line) for i, line in own if line.name == "ATTENDEE" and address_of(line) == address), None)
    if mine is None:
        return ""
    organizer = next(((i, line) for i, line in own if line.name == "ORGANIZER"), None)
    if organizer is None:
        raise CannotReply("The invitation names no organiser, so there is nobody to reply to.")
    places = {line.name: i for i, line in reversed(own)}  # the first of each name
    lines = [f"BEGIN:{asked.kind}", *(raw[places[name]] for name in _KEPT if name in places), f"DTSTAMP:{stamp}"]
    lines.append(rewritten_line(raw[organizer[0]], organizer[1].value, _SENDING))
    lines.append(rewritten_line(raw[mine[0]], mine[1].value, {**_SENDING, "PARTSTAT": answer.upper()}))
    if comment.strip():
        lines.append(format_line("COMMENT", escape_text(comment.strip())))
    return "\n".join([*lines, "REQUEST-STATUS:2.0;Success", f"END:{asked.kind}"])
