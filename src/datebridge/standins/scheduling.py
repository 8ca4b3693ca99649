"""Implicit scheduling as RFC 6638 has it: writing a meeting sends messages, unless it says otherwise.

>>> messages("ida@skerrow.example", "", meeting, replies=True)[0].method  # doctest: +SKIP
'REQUEST'
"""

from __future__ import annotations

from dataclasses import dataclass

from datebridge.core.objects import CalendarObject
from datebridge.core.text.component import Component
from datebridge.core.text.lines import ContentLine, unescape_text


@dataclass(frozen=True, slots=True)
class Outgoing:
    """A message the server sends."""

    method: str
    sender: str
    recipient: str
    subject: str
    uid: str


@dataclass(frozen=True, slots=True)
class _Meeting:
    """Who takes part in one entry: address → who schedules them (SERVER, CLIENT, NONE), with their answer."""

    organizer: str
    agent: str
    attendees: dict[str, tuple[str, str]]
    summary: str
    uid: str


def _address(line: ContentLine) -> str:
    return line.value.lower().removeprefix("mailto:")


def _meetings(parsed: CalendarObject | None) -> dict[str, _Meeting]:
    meetings: dict[str, _Meeting] = {}
    for facts, text in parsed.entries if parsed else ():
        component = Component(text)
        organizer = component.first("ORGANIZER")
        if organizer is None:
            continue
        attendees = {
            _address(line): ((line.param("SCHEDULE-AGENT") or "SERVER").upper(), (line.param("PARTSTAT") or "").upper())
            for line in component.all("ATTENDEE")
        }
        summary = component.first("SUMMARY")
        agent = (organizer.param("SCHEDULE-AGENT") or "SERVER").upper()
        meetings[facts.recurrence_id] = _Meeting(
            _address(organizer), agent, attendees, unescape_text(summary.value) if summary else "", facts.uid
        )
    return meetings


def messages(
    address: str, before: CalendarObject | None, after: CalendarObject | None, replies: bool = True
) -> list[Outgoing]:
    """What a server sends when the person at `address` writes or deletes an object.

    The organiser's writing invites (RFC 6638 §3.2.1.1), updates (§3.2.1.2) and cancels (§3.2.1.3); an
    attendee's tells the organiser the answer (§3.2.2). `replies` is false where the request said
    ``Schedule-Reply: F`` (§8.1).
    """
    address = address.lower()
    old, new = _meetings(before), _meetings(after)
    sent: dict[tuple[str, str], Outgoing] = {}
    for key in {**old, **new}:
        was, now = old.get(key), new.get(key)
        meeting = now or was
        assert meeting is not None  # noqa: S101
        if meeting.organizer == address:
            for attendee in {**(was.attendees if was else {}), **(now.attendees if now else {})}:
                method = _method(was, now, attendee)
                if method and attendee != address:
                    sent[attendee, method] = Outgoing(method, address, attendee, meeting.summary, meeting.uid)
        elif address in meeting.attendees and meeting.agent == "SERVER" and replies:
            answer = now.attendees.get(address, ("", ""))[1] if now else "DECLINED"
            earlier = was.attendees.get(address, ("", ""))[1] if was else "NEEDS-ACTION"
            if answer and answer != earlier:
                sent[meeting.organizer, "REPLY"] = Outgoing(
                    "REPLY", address, meeting.organizer, f"{meeting.summary} ({answer.lower()})", meeting.uid
                )
    return list(sent.values())


def _method(was: _Meeting | None, now: _Meeting | None, attendee: str) -> str:
    """The table of RFC 6638 §3.2.1.2: who schedules an attendee before and after."""
    before = was.attendees[attendee][0] if was and attendee in was.attendees else ""
    after = now.attendees[attendee][0] if now and attendee in now.attendees else ""
    if after == "SERVER":
        return "REQUEST"
    return "CANCEL" if before == "SERVER" else ""
