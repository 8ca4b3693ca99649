r"""What readers may be given of an entry: defined by what may pass, property by property, and by nothing else.

>>> sorted(PASSES[Detail.TITLES] - PASSES[Detail.BUSY] - TICKED.keys())
['LOCATION', 'SEQUENCE', 'SUMMARY', 'TRANSP']

| detail | properties | their parameters | their values |
|---|---|---|---|
| everything | all that the standards define | all that the standards define | as written |
| without people | those that say nothing of people | those that say nothing of people | as written |
| titles | times, title, place, state | of title and place their language | times and states rewritten |
| busy | times, and one title of one's own | none | rewritten |

Attachments, conference addresses, alarms and what no standard defines pass only where ticked, and never with busy
times. A line that is no content line never passes. See `PASSES`, `PARAMETERS`, `NESTED`;
`core.redaction` does what they say.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from datebridge.core.choices import Detail, Guarded
from datebridge.core.text.properties import KNOWN

__all__ = ["KINDS", "NESTED", "PARAMETERS", "PASSES", "TICKED", "WITHHELD", "Detail", "Guarded", "Terms"]


@dataclass(frozen=True, slots=True)
class Terms:
    """What is given of the entries of a share.

    Attributes:
        busy_title: what busy times are called; "" for no title.
        attachments, alarms, conferences, unknown: what passes besides, where ticked; with busy times none of it does.
        back, ahead: how many days of the past and of what is to come are given; None for all.
    """

    detail: Detail = Detail.BUSY
    busy_title: str = "Busy"
    private: Guarded = Guarded.LEAVE_OUT
    confidential: Guarded = Guarded.LEAVE_OUT
    attachments: bool = False
    alarms: bool = False
    conferences: bool = False
    unknown: bool = False
    todos: bool = False
    back: int | None = None
    ahead: int | None = None

    @property
    def as_busy(self) -> Terms:
        """The same where an entry is given as busy."""
        return replace(self, detail=Detail.BUSY)


_TIMES = frozenset(
    {
        "DTSTART",
        "DTEND",
        "DUE",
        "DURATION",
        "RECURRENCE-ID",
        "RRULE",
        "EXRULE",
        "RDATE",
        "EXDATE",
    }
)
#: What every entry has to have (RFC 5545 §3.6.1).
NEEDED = frozenset({"UID", "DTSTAMP"})
_TITLED = NEEDED | _TIMES | {"SUMMARY", "LOCATION", "STATUS", "TRANSP", "SEQUENCE"}
_ABOUT = _TITLED | {
    "CATEGORIES",
    "CLASS",
    "COLOR",
    "COMPLETED",
    "CONCEPT",
    "CREATED",
    "DESCRIPTION",
    "ESTIMATED-DURATION",
    "GEO",
    "LAST-MODIFIED",
    "PERCENT-COMPLETE",
    "PRIORITY",
    "REFID",
    "RELATED-TO",
    "RESOURCES",
    "STYLED-DESCRIPTION",
    "URL",
    "FREEBUSY",
    "BUSYTYPE",
    "NAME",
    "LOCATION-TYPE",
    "RESOURCE-TYPE",
}
#: The properties that may pass, by detail; those in `TICKED` only where ticked.
PASSES: dict[Detail, frozenset[str]] = {
    Detail.EVERYTHING: KNOWN,
    Detail.WITHOUT_PEOPLE: _ABOUT | {"ATTACH", "IMAGE", "CONFERENCE"},
    Detail.TITLES: _TITLED | {"ATTACH", "IMAGE", "CONFERENCE"},
    Detail.BUSY: NEEDED | _TIMES | {"STATUS"},
}
#: What passes only where it is ticked, by the field of `Terms` that says so.
TICKED = {"ATTACH": "attachments", "IMAGE": "attachments", "CONFERENCE": "conferences"}
_PLAIN = frozenset({"VALUE", "TZID", "RANGE", "LANGUAGE", "FMTTYPE", "ENCODING", "FBTYPE", "RELATED", "RELTYPE"})
_SHOWN = _PLAIN | {"DISPLAY", "FEATURE", "LABEL", "FILENAME", "SIZE", "MANAGED-ID", "GAP", "DERIVED", "ORDER"}
#: The parameters that may pass (RFC 5545 §3.2, 6638, 7986, 8607, 9073, 9253), by detail.
PARAMETERS: dict[Detail, frozenset[str]] = {
    Detail.EVERYTHING: _SHOWN
    | {
        "ALTREP",
        "CN",
        "CUTYPE",
        "DELEGATED-FROM",
        "DELEGATED-TO",
        "DIR",
        "EMAIL",
        "LINKREL",
        "MEMBER",
        "PARTSTAT",
        "ROLE",
        "RSVP",
        "SCHEDULE-AGENT",
        "SCHEDULE-FORCE-SEND",
        "SCHEDULE-STATUS",
        "SCHEMA",
        "SENT-BY",
    },
    Detail.WITHOUT_PEOPLE: _SHOWN,
    Detail.TITLES: frozenset({"LANGUAGE"}),
    Detail.BUSY: frozenset(),
}
#: What an attachment or a conference address needs to be of use, where it is ticked beside titles.
OF_TICKED = frozenset({"VALUE", "FMTTYPE", "ENCODING", "DISPLAY", "FEATURE"})
#: The nested components that may pass, by detail; alarms only where ticked, others only beside what no standard knows.
NESTED: dict[Detail, frozenset[str]] = {
    Detail.EVERYTHING: frozenset({"VALARM", "PARTICIPANT", "VLOCATION", "VRESOURCE"}),
    Detail.WITHOUT_PEOPLE: frozenset({"VALARM", "VLOCATION", "VRESOURCE"}),
    Detail.TITLES: frozenset({"VALARM"}),
    Detail.BUSY: frozenset(),
}
#: Which kinds of entries are given at all; to-dos only where they are wanted.
KINDS: dict[Detail, frozenset[str]] = {
    Detail.EVERYTHING: frozenset({"VEVENT", "VTODO", "VJOURNAL", "VFREEBUSY"}),
    Detail.WITHOUT_PEOPLE: frozenset({"VEVENT", "VTODO", "VJOURNAL"}),
    Detail.TITLES: frozenset({"VEVENT", "VTODO"}),
    Detail.BUSY: frozenset({"VEVENT"}),
}
#: What a property that is not given is called, to count it by.
CALLED = {
    **dict.fromkeys(("ATTENDEE", "ORGANIZER", "CONTACT", "COMMENT", "REQUEST-STATUS", "PARTICIPANT"), "people"),
    **dict.fromkeys(("DESCRIPTION", "STYLED-DESCRIPTION", "STRUCTURED-DATA"), "notes"),
    **dict.fromkeys(("LOCATION", "GEO", "VLOCATION"), "places"),
    "SUMMARY": "titles",
    "CATEGORIES": "categories",
    **dict.fromkeys(("ATTACH", "IMAGE"), "attachments"),
    **dict.fromkeys(("URL", "LINK", "SOURCE"), "links"),
    "CONFERENCE": "conference addresses",
    "VALARM": "alarms",
}
#: In what order it is said what is not given.
WITHHELD = (
    "people",
    "titles",
    "places",
    "notes",
    "categories",
    "links",
    "attachments",
    "conference addresses",
    "alarms",
    "unknown properties",
    "damaged lines",
    "other properties",
)
