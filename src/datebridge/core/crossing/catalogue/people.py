"""Features of organisers and attendees. Nobody is invited: addresses end in ``.invalid``, and the client schedules."""

from __future__ import annotations

from datebridge.core.crossing.features import DOMAIN, Feature, Group, line_feature, parameter_feature
from datebridge.core.crossing.refusals import RefuseWith
from datebridge.core.crossing.rules import LeaveOut, LeaveOutParameters

ORGANISER = f"ORGANIZER;SCHEDULE-AGENT=CLIENT:mailto:organiser@{DOMAIN}"
#: A second one, so that a meeting is one also where somebody is left out.
_SECOND = f"ATTENDEE;SCHEDULE-AGENT=CLIENT:mailto:second@{DOMAIN}"


def _parameter(name: str, words: str, param: str, value: str, harm: str = "alters") -> Feature:
    line = f"ATTENDEE;SCHEDULE-AGENT=CLIENT;{param}={value}:mailto:first@{DOMAIN}"
    return parameter_feature(
        f"attendee-{name}",
        words,
        Group.PEOPLE,
        "breaks" if harm == "breaks" else "alters",
        param,
        line,
        ORGANISER,
        _SECOND,
    )


FEATURES = (
    line_feature("organiser", "Organiser without attendees", Group.PEOPLE, "alters", ORGANISER),
    line_feature(
        "attendees",
        "Organiser and attendees",
        Group.PEOPLE,
        "breaks",
        ORGANISER,
        _SECOND,
        guesses=(
            (RefuseWith("ATTENDEE"),),
            (LeaveOutParameters("SCHEDULE-AGENT"),),
            (LeaveOut("ATTENDEE"), LeaveOut("ORGANIZER")),
            (LeaveOut("ATTENDEE"),),
        ),
    ),
    _parameter("answer", "Answer of an attendee", "PARTSTAT", "ACCEPTED", "breaks"),
    _parameter("name", "Name of an attendee", "CN", '"Moe, Ida"'),
    _parameter("role", "Role of an attendee", "ROLE", "CHAIR"),
    _parameter("rsvp", "Request for an answer", "RSVP", "TRUE"),
    _parameter("kind", "Kind of an attendee", "CUTYPE", "ROOM"),
    _parameter("member", "Group of an attendee", "MEMBER", f'"mailto:crew@{DOMAIN}"'),
    _parameter("delegated-to", "Delegate of an attendee", "DELEGATED-TO", f'"mailto:third@{DOMAIN}"'),
    _parameter("delegated-from", "Whose delegate an attendee is", "DELEGATED-FROM", f'"mailto:third@{DOMAIN}"'),
    _parameter("sent-by", "Who answered for an attendee", "SENT-BY", f'"mailto:third@{DOMAIN}"'),
    _parameter("directory", "Directory entry of an attendee", "DIR", f'"ldap://{DOMAIN}/cn=Ida"'),
    _parameter("language", "Language of an attendee", "LANGUAGE", "nb"),
    _parameter("email", "Mail address of an attendee (RFC 7986)", "EMAIL", f"ida@{DOMAIN}"),
    _parameter("unknown", "Unknown parameter of an attendee", "X-SKERROW-CABIN", "4"),
    parameter_feature(
        "organiser-name",
        "Name of an organiser elsewhere",
        Group.PEOPLE,
        "alters",
        "CN",
        f"ORGANIZER;SCHEDULE-AGENT=CLIENT;CN=Ruth Kittow:mailto:elsewhere@{DOMAIN}",
        _SECOND,
    ),
)
