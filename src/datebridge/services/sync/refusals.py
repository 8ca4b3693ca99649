"""Why a server has not taken what it was given, in plain words: its own where it has some."""

from __future__ import annotations

from datebridge.connect import dav
from datebridge.connect.http import Answer

#: Refusals named by their precondition (RFC 4791 §5.3.2.1, RFC 4331), in plain words.
_REASONS = {
    "no-uid-conflict": "An entry with this UID is in another calendar there already.",
    "unique-scheduling-object-resource": "This meeting is in another calendar there already.",
    "same-organizer-in-all-components": "Its changed occurrences name another organiser than the series.",
    "allowed-organizer-scheduling-object-change": "The organiser of a meeting may not be changed that way.",
    "allowed-attendee-scheduling-object-change": "Only the organiser may change this meeting.",
    "organizer-allowed": "You may not be the organiser of meetings there.",
    "attendee-allowed": "You may not be an attendee of meetings there.",
    "valid-organizer": "Its organiser is unknown to this server.",
    "max-instances": "It has too many occurrences.",
    "supported-calendar-data": "It takes no entries written in this way.",
    "calendar-collection-location-ok": "A calendar is not allowed there.",
    "valid-timezone": "It does not understand its time zone.",
    "sufficient-disk-space": "There is no space left.",
    "valid-calendar-data": "It is not valid there.",
    "valid-calendar-object-resource": "It is not valid there.",
    "supported-calendar-component": "This calendar does not take entries of this kind.",
    "max-resource-size": "It is too large.",
    "need-privileges": "You may not write this calendar.",
    "quota-not-exceeded": "There is no space left.",
    "max-attendees-per-instance": "It has too many attendees.",
    "min-date-time": "It is too far in the past.",
    "max-date-time": "It is too far in the future.",
}


def refusal(host: str, answer: Answer) -> str:
    """The reason an answer gives; that it gives none, where it does not."""
    name, words = dav.condition(answer.body)
    if answer.status == 507:
        return f"{host} has no space left (507)."
    if answer.status == 413 and name not in _REASONS:
        return f"{host}: It is too large (413)."
    if answer.status in (301, 302, 303, 307, 308):
        return f"{host} sends writing on to another place ({answer.status}). Rediscover the calendars of the account."
    plain = _REASONS.get(name, "")
    text = words if words and words != plain else ""
    text = text or (f"it says “{name}”" if name and not plain else "")
    return f"{host}: {' '.join(x for x in (plain, text) if x) or 'no reason given'} ({answer.status})"
