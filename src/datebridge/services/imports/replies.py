"""Invitations among files that wait: who invites whom, and replies as messages, sent or kept as files (RFC 6047)."""

from __future__ import annotations

import re
from dataclasses import dataclass
from email.message import EmailMessage

from datebridge.connect.mail import new_message, one_line, send
from datebridge.core.ids import FileId
from datebridge.core.replies import MOST, Answer, CannotReply, Invitation, invitations, is_request, reply
from datebridge.core.text.writer import PRODID, tzids_in, write_calendar
from datebridge.core.tzids import resolve
from datebridge.core.zones.meaning import Zones, define
from datebridge.services.editing.edits import stamp
from datebridge.services.look.details import facts
from datebridge.settings import Settings
from datebridge.store import imports
from datebridge.store.accounts import own_addresses
from datebridge.store.database import Connection, Store
from datebridge.store.entries.zones import zones_of_group

_HEADER = f"BEGIN:VCALENDAR\nVERSION:2.0\nPRODID:{PRODID}\nMETHOD:REPLY\nEND:VCALENDAR"
#: What is said of when an event is.
_SHOWN = frozenset({"Start", "End", "Duration", "Rule"})
_SUBJECTS = {Answer.ACCEPTED: "Accepted", Answer.TENTATIVE: "Tentative", Answer.DECLINED: "Declined"}
_SAYS = {Answer.ACCEPTED: "accepts", Answer.TENTATIVE: "accepts tentatively", Answer.DECLINED: "declines"}
_ADDRESS = re.compile(r"[!-?A-~]+@[A-Za-z0-9.-]+")
_YEAR = re.compile(r"^(?:DTSTART|DTEND|RECURRENCE-ID)[^\n]*:(\d{4})\d{4}T", re.MULTILINE)
_SOME = 2000
_NOT_IN_ADDRESSES = frozenset('<>()[]",;:\\')


@dataclass(frozen=True, slots=True)
class Invited:
    """An invitation as a person reads it.

    Attributes:
        facts: when it is, label and value.
        own: the addresses of its attendees that connected accounts have.
    """

    invitation: Invitation
    facts: tuple[tuple[str, str], ...]
    own: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Reply:
    """What is answered: by whom, what, with which words.

    Attributes:
        uid: which of the file's invitations.
        address: the attendee who answers.
    """

    uid: str
    address: str
    answer: Answer
    comment: str = ""


def invited(connection: Connection, file: FileId) -> list[Invited]:
    """The invitations in a file, if it says of itself that it invites (METHOD:REQUEST)."""
    own = own_addresses(connection)
    invitations: list[Invited] = []
    for one, zones in _invitations(connection, file):
        shown = tuple((label, value) for label, value in facts("VEVENT", one.texts[0], zones) if label in _SHOWN)
        mine = tuple(person.address for person in one.people if person.address.lower() in own)
        invitations.append(Invited(one, shown, mine))
    return invitations


def _invitations(connection: Connection, file: FileId) -> list[tuple[Invitation, Zones]]:
    return [
        (invitation, zones)
        for group in imports.groups_of(connection, file)
        if is_request(group.header)
        for zones in [zones_of_group(connection, group.id)]
        for invitation in invitations(imports.texts_in(connection, group.id, "VEVENT", MOST))
    ]


def message(store: Store, settings: Settings, file: FileId, wanted: Reply) -> EmailMessage:
    """The reply as a message to the organiser, with the calendar part that programs read.

    Raises:
        CannotReply: if there is no such invitation any more, they are not invited, or the organiser has no address.
    """
    with store.read() as connection:
        invitation = next(((i, z) for i, z in _invitations(connection, file) if i.uid == wanted.uid), None)
    if invitation is None:
        raise CannotReply("This invitation no longer exists. Import the message again.")
    one, zones = invitation
    entries = reply(one.texts, wanted.address, wanted.answer, wanted.comment, stamp())
    organizer = one.organizer
    if organizer is None or not _mailable(organizer.address):
        who = organizer.address if organizer else "nobody"
        raise CannotReply(f"The organiser is {who}, which is not an email address. Reply in another way.")
    me = next(person for person in one.people if person.address.lower() == wanted.address.lower())
    if not _mailable(me.address):
        raise CannotReply(f"{me.address} is not an email address, so it cannot send a message.")
    data = b"".join(write_calendar(_HEADER, _definitions(entries, zones), entries))
    subject = f"{_SUBJECTS[wanted.answer]}: {one.title}"
    made = new_message((me.name, me.address), (organizer.name, organizer.address), subject)
    if settings.mail_from and settings.mail_from.lower() != me.address.lower():
        made["Sender"] = settings.mail_from
    words = f"{one_line(me.name) or me.address} {_SAYS[wanted.answer]}: {one_line(one.title)}\n"
    made.set_content(words + (f"\n{wanted.comment.strip()}\n" if wanted.comment.strip() else ""))
    made.add_alternative(data.decode(), subtype="calendar", params={"method": "REPLY"})
    return made


def send_reply(store: Store, settings: Settings, file: FileId, wanted: Reply) -> None:
    """Send it to the organiser.

    Raises:
        CannotReply: where no mail server is set up, or as in `message`.
        Unreachable: if the mail server does not take it.
    """
    if not settings.mail_server:
        raise CannotReply("No mail server is set up. Save the reply as a file, or set DATE_BRIDGE_MAIL_SERVER.")
    made = message(store, settings, file, wanted)
    send(settings.mail_server, settings.mail_user, settings.mail_password, made)


def _definitions(entries: list[str], zones: Zones) -> list[str]:
    """The zones the reply's times are in: as the invitation defines them, else as the zone database does."""
    made: list[str] = []
    for tzid in sorted({name for text in entries for name in tzids_in(text)}):
        text, zone = zones.text(tzid), resolve(tzid).zone
        if text:
            made.append(text)
        elif zone:
            years = [int(year) for text in entries for year in _YEAR.findall(text)]
            made.append(define(tzid, zone, min(years, default=_SOME), max(years, default=_SOME)))
    return made


def _mailable(address: str) -> bool:
    return len(address) <= 254 and bool(_ADDRESS.fullmatch(address)) and not _NOT_IN_ADDRESSES & set(address)
