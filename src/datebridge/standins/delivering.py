"""Scheduling messages on their way: into the inboxes of people of this server (RFC 6638 §4), and the mail drop."""

from __future__ import annotations

from datebridge.core.objects import CalendarObject, take_apart
from datebridge.core.text.component import Component, with_property
from datebridge.core.text.lines import rewritten_line
from datebridge.core.text.writer import new_header, write_calendar
from datebridge.standins.asking import Ask
from datebridge.standins.records import Collection
from datebridge.standins.scheduling import Outgoing, messages

_DEFAULT = "VEVENT"


def deliver(ask: Ask, before: CalendarObject | None, after: CalendarObject | None) -> None:
    """Send what a server sends when an object is written or deleted."""
    person = ask.records.person(ask.person)
    assert person is not None  # noqa: S101
    replies = ask.request.headers.get("schedule-reply", "T").upper() != "F"
    for sent in messages(person[3], before, after, replies):
        body = (ask.body or b"").decode("utf-8", "replace") if after else ""
        ask.drop.keep(ask.traits.name, sent.method, sent.sender, sent.recipient, sent.subject, sent.uid, body)
        recipient = ask.records.person_at(sent.recipient)
        parsed = after or before
        if recipient and recipient != ask.person and parsed is not None:
            ask.records.leave(recipient, _object(parsed, sent.method))
            _process(ask, recipient, sent, parsed)


def _object(parsed: CalendarObject, method: str, texts: list[str] | None = None) -> bytes:
    """The entries of an object as a message (RFC 5546), or as an object where there is no method."""
    header = new_header("").split("\n")
    lines = [line for line in header if not line.startswith(("NAME:", "X-WR-CALNAME:"))]
    lines.insert(1, f"METHOD:{method}") if method else None
    own = [text for _, text in parsed.entries] if texts is None else texts
    return b"".join(write_calendar("\n".join(lines), [text for _, text in parsed.zones], own))


def _process(ask: Ask, recipient: str, sent: Outgoing, parsed: CalendarObject) -> None:
    """What a message does to the recipient's own calendar, without his doing anything (RFC 6638 §4.1 to §4.3)."""
    own = next(iter(ask.records.where_uid(recipient, sent.uid)), None)
    if sent.method == "REQUEST":
        into = own[0] if own else _default(ask, recipient)
        if into is not None:
            name = own[1] if own else f"{sent.uid.replace('/', '-')}.ics"
            ask.records.put(into, name, _object(parsed, ""), sent.uid, parsed.entries[0][0].component)
        return
    if own is None:
        return
    stored = ask.records.object(*own)
    if stored is None:
        return
    held = take_apart(stored.data)
    if sent.method == "CANCEL":
        texts = [with_property(text, "STATUS", "CANCELLED") for _, text in held.entries]
    else:
        texts = [_answered(text, sent.sender, _answer(parsed, sent.sender)) for _, text in held.entries]
    ask.records.put(own[0], own[1], _object(held, "", texts), stored.uid, stored.component)


def _default(ask: Ask, person: str) -> Collection | None:
    """The first calendar of somebody's own that takes events."""
    every = ask.records.calendars_of(person)
    return next((c for c, access in every if access == "own" and _DEFAULT in c.components.split(",")), None)


def _answer(parsed: CalendarObject, attendee: str) -> str:
    for _, text in parsed.entries:
        for line in Component(text).all("ATTENDEE"):
            if line.value.lower().removeprefix("mailto:") == attendee:
                return line.param("PARTSTAT") or "NEEDS-ACTION"
    return "DECLINED"


def _answered(text: str, attendee: str, answer: str) -> str:
    """An entry with the answer of one of its attendees."""
    component = Component(text)
    lines = text.split("\n")
    for index, line in component.properties():
        if line.name == "ATTENDEE" and line.value.lower().removeprefix("mailto:") == attendee:
            lines[index] = rewritten_line(lines[index], line.value, {"PARTSTAT": answer})
    return "\n".join(lines)
