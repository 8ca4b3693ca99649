"""Which properties the standards know, where they may stand, and how often.

Sources: RFC 5545 §3.6 and §8.3.2, RFC 7986 §5, RFC 9073, RFC 9253, RFC 6638, RFC 7529, RFC 9074.
"""

from __future__ import annotations

_COMMON = {
    "ATTACH",
    "ATTENDEE",
    "CATEGORIES",
    "CLASS",
    "COLOR",
    "COMMENT",
    "CONCEPT",
    "CONFERENCE",
    "CONTACT",
    "CREATED",
    "DESCRIPTION",
    "DTSTAMP",
    "DTSTART",
    "EXDATE",
    "EXRULE",
    "IMAGE",
    "LAST-MODIFIED",
    "LINK",
    "ORGANIZER",
    "RDATE",
    "RECURRENCE-ID",
    "REFID",
    "RELATED-TO",
    "REQUEST-STATUS",
    "RRULE",
    "SEQUENCE",
    "SOURCE",
    "STATUS",
    "STRUCTURED-DATA",
    "STYLED-DESCRIPTION",
    "SUMMARY",
    "UID",
    "URL",
}
_PLACED = {"DURATION", "GEO", "LOCATION", "PRIORITY", "RESOURCES"}

ALLOWED: dict[str, frozenset[str]] = {
    "VEVENT": frozenset(_COMMON | _PLACED | {"DTEND", "TRANSP"}),
    "VTODO": frozenset(_COMMON | _PLACED | {"DUE", "COMPLETED", "PERCENT-COMPLETE", "ESTIMATED-DURATION"}),
    "VJOURNAL": frozenset(_COMMON),
    "VFREEBUSY": frozenset(
        {
            "ATTENDEE",
            "COMMENT",
            "CONTACT",
            "DTEND",
            "DTSTAMP",
            "DTSTART",
            "DURATION",
            "FREEBUSY",
            "ORGANIZER",
            "REQUEST-STATUS",
            "UID",
            "URL",
        }
    ),
}

_ELSEWHERE = {
    "ACTION",
    "ACKNOWLEDGED",
    "BUSYTYPE",
    "CALSCALE",
    "DTEND",
    "DUE",
    "COMPLETED",
    "DURATION",
    "FREEBUSY",
    "GEO",
    "LOCATION",
    "METHOD",
    "NAME",
    "PERCENT-COMPLETE",
    "PRIORITY",
    "PRODID",
    "PROXIMITY",
    "REFRESH-INTERVAL",
    "REPEAT",
    "RESOURCES",
    "TRANSP",
    "TRIGGER",
    "TZID",
    "TZID-ALIAS-OF",
    "TZNAME",
    "TZOFFSETFROM",
    "TZOFFSETTO",
    "TZUNTIL",
    "TZURL",
    "VERSION",
    "ESTIMATED-DURATION",
    "CALENDAR-ADDRESS",
    "LOCATION-TYPE",
    "PARTICIPANT-TYPE",
    "RESOURCE-TYPE",
}

#: Every property a standard defines. What is not in here is exported all the same.
KNOWN = frozenset(_COMMON | _PLACED | _ELSEWHERE)

#: Defined properties that may not be in a component of this kind.
MISPLACED: dict[str, frozenset[str]] = {kind: KNOWN - allowed for kind, allowed in ALLOWED.items()}

#: Properties that may stand once at most (RFC 5545 §3.6.1–3.6.4).
ONCE = frozenset(
    {
        "CLASS",
        "COLOR",
        "CREATED",
        "DTEND",
        "DTSTAMP",
        "DTSTART",
        "DUE",
        "DURATION",
        "GEO",
        "LAST-MODIFIED",
        "LOCATION",
        "ORGANIZER",
        "PERCENT-COMPLETE",
        "PRIORITY",
        "RECURRENCE-ID",
        "SEQUENCE",
        "STATUS",
        "SUMMARY",
        "TRANSP",
        "UID",
        "URL",
        "COMPLETED",
    }
)
