"""Features of words, links, looks, states, reminders, attachments, and of what no standard knows."""

from __future__ import annotations

from datebridge.core.attachments import MARK as BY_SERVER
from datebridge.core.crossing.features import (
    DOMAIN,
    MANAGED,
    MARK,
    Feature,
    Group,
    Harm,
    event,
    line_feature,
    parameter_feature,
)
from datebridge.core.crossing.refusals import RefuseProblems
from datebridge.core.crossing.rules import (
    Another,
    LeaveOut,
    LeaveOutAlarms,
    LeaveOutInline,
    LeaveOutOfNested,
    LeaveOutParameters,
    LeaveOutUnknown,
    Rule,
)

_SAY = ("say",)


def _value(name: str, words: str, harm: Harm, line: str, group: Group = Group.STATES, kind: str = "VEVENT") -> Feature:
    """A feature that is one value of a property."""
    prop, _, value = line.partition(":")
    guesses: tuple[tuple[Rule, ...], ...] = ((LeaveOut(prop),), (Another(prop, value),))
    others = {"CLASS": ("PUBLIC", "PRIVATE", "CONFIDENTIAL"), "STATUS": ("CONFIRMED", "TENTATIVE", "CANCELLED")}
    guesses += tuple((Another(prop, value, by),) for by in others.get(prop, ()) if by != value)
    times = () if kind == "VTODO" else ("DTSTART:20260302T090000Z", "DTEND:20260302T100000Z")
    return line_feature(name, words, group, harm, line, kind=kind, times=times, guesses=guesses)


def _alarm(name: str, words: str, *lines: str, guesses: tuple[tuple[Rule, ...], ...] = ()) -> Feature:
    """A feature that is in a reminder."""
    names = {line.partition(":")[0].partition(";")[0] for line in lines} - {"ACTION", "TRIGGER", "DESCRIPTION"}
    action = next((line for line in lines if line.startswith("ACTION:")), "ACTION:DISPLAY")
    trigger = next((line for line in lines if line.startswith("TRIGGER")), "TRIGGER:-PT15M")
    rest = [line for line in lines if line not in (action, trigger)]
    text = event(name, "BEGIN:VALARM", action, f"DESCRIPTION:{name}", trigger, *rest, "END:VALARM")
    usual: tuple[tuple[Rule, ...], ...] = (
        (LeaveOut("VALARM"),),
        *((LeaveOutOfNested("VALARM", one),) for one in sorted(names)),
        tuple(LeaveOutOfNested("VALARM", one) for one in sorted(names)),
        (LeaveOutAlarms(action),),
    )
    return Feature(name, words, Group.REMINDERS, "alters", ((text,),), ("VALARM",), guesses + usual, ())


def _nested(name: str, words: str, kind: str, *lines: str) -> Feature:
    return line_feature(name, words, Group.LOOKS, "alters", f"BEGIN:{kind}", *lines, f"END:{kind}", focus=(kind,))


def _unknown_in(name: str, words: str, kind: str, *lines: str) -> Feature:
    text = event(f"unknown-in-{name}", f"BEGIN:{kind}", *lines, "X-SKERROW-BELL:2", f"END:{kind}")
    guesses: tuple[tuple[Rule, ...], ...] = ((LeaveOut(kind),), (LeaveOutUnknown(nested=True),))
    words = f"Unknown property of {words}"
    return Feature(f"unknown-in-{name}", words, Group.UNKNOWN, "untidy", ((text,),), (kind,), guesses)


_MAIL = ("ACTION:EMAIL", "SUMMARY:Reminder", f"ATTENDEE:mailto:reminded@{DOMAIN}")
FEATURES = (
    # ---- what no standard knows comes first: it explains much of what follows
    Feature(
        "unknown-properties",
        "Properties of unknown names",
        Group.UNKNOWN,
        "alters",
        ((event("unknown-properties", "X-SKERROW-TIDE:2.4 m", "X-BERTH-NO:7", "SKERROW-PILOT:Ida"),),),
        ("X-SKERROW-TIDE", "X-BERTH-NO", "SKERROW-PILOT"),
        ((LeaveOutUnknown(),), (LeaveOut("SKERROW-PILOT"),)),
        _SAY,
    ),
    Feature(
        "unknown-parameters",
        "Parameters of unknown names",
        Group.UNKNOWN,
        "untidy",
        ((event("unknown-parameters").replace("SUMMARY:", "SUMMARY;X-SKERROW-DEPTH=12:"),),),
        ("SUMMARY;X-SKERROW-DEPTH",),
        ((LeaveOutParameters(),),),
    ),
    line_feature(
        "travel-time", "Travel time", Group.UNKNOWN, "alters", "X-TRAVEL-MINUTES;VALUE=DURATION:PT30M", remedies=_SAY
    ),
    line_feature(
        "busy-state", "Busy state of an unknown name", Group.UNKNOWN, "alters", "X-BUSY-STATE:AWAY", remedies=_SAY
    ),
    line_feature(
        "formatted-notes",
        "Formatted notes",
        Group.UNKNOWN,
        "alters",
        "X-NOTES-HTML;FMTTYPE=text/html:<b>Berth</b> 3",
        remedies=("plain-notes",),
    ),
    _unknown_in("reminder", "a reminder", "VALARM", "ACTION:DISPLAY", "DESCRIPTION:x", "TRIGGER:-PT15M"),
    _unknown_in("place", "a structured place", "VLOCATION", f"UID:{MARK}unknown-place@{DOMAIN}", "NAME:Pier 3"),
    _unknown_in("participant", "a participant", "PARTICIPANT", f"UID:{MARK}x@{DOMAIN}", "PARTICIPANT-TYPE:SPEAKER"),
    # ---- words and links
    line_feature(
        "title-wide",
        "Title with characters beyond the basic plane",
        Group.WORDS,
        "alters",
        "COMMENT:🦭 𝔖 seal",
        focus=("COMMENT",),
    ),
    line_feature(
        "notes",
        "Notes with line breaks, commas and backslashes",
        Group.WORDS,
        "alters",
        r"DESCRIPTION:One\, two\;\nthree \\ four",
    ),
    line_feature("place", "Place", Group.WORDS, "alters", "LOCATION:Pier 3", remedies=_SAY),
    parameter_feature(
        "place-link",
        "Place with a link",
        Group.WORDS,
        "untidy",
        "ALTREP",
        f'LOCATION;ALTREP="https://{DOMAIN}/3":Pier 3',
    ),
    parameter_feature(
        "language", "Language of a place", Group.WORDS, "untidy", "LANGUAGE", "LOCATION;LANGUAGE=nb:Brygge 3"
    ),
    parameter_feature(
        "notes-language", "Language of notes", Group.WORDS, "untidy", "LANGUAGE", "DESCRIPTION;LANGUAGE=nb:Brygge 3"
    ),
    line_feature(
        "styled-notes",
        "Styled description (RFC 9073)",
        Group.WORDS,
        "alters",
        "STYLED-DESCRIPTION;VALUE=TEXT;FMTTYPE=text/html:<b>Berth</b>",
        remedies=("plain-notes",),
    ),
    line_feature("category", "Category", Group.WORDS, "alters", "CATEGORIES:Lab", remedies=("category-in-title",)),
    line_feature("category-comma", "Category with a comma", Group.WORDS, "untidy", r"CATEGORIES:Lab\, wet"),
    line_feature("url", "Link", Group.WORDS, "alters", f"URL:https://{DOMAIN}/berths", remedies=_SAY),
    line_feature(
        "link",
        "Typed link (RFC 9253)",
        Group.WORDS,
        "untidy",
        f"LINK;LINKREL=SOURCE;VALUE=URI:https://{DOMAIN}/s",
        remedies=_SAY,
    ),
    line_feature("concept", "Concept (RFC 9253)", Group.WORDS, "untidy", f"CONCEPT:https://{DOMAIN}/concepts/berth"),
    line_feature("refid", "Group reference (RFC 9253)", Group.WORDS, "untidy", "REFID:skerrow-expedition"),
    line_feature("related", "Relation to another entry", Group.WORDS, "alters", f"RELATED-TO:{MARK}plain@{DOMAIN}"),
    line_feature(
        "related-child", "Relation to a child", Group.WORDS, "untidy", f"RELATED-TO;RELTYPE=CHILD:{MARK}plain@{DOMAIN}"
    ),
    line_feature(
        "related-sibling",
        "Relation to a sibling",
        Group.WORDS,
        "untidy",
        f"RELATED-TO;RELTYPE=SIBLING:{MARK}plain@{DOMAIN}",
    ),
    parameter_feature(
        "related-kind",
        "Kind of a relation",
        Group.WORDS,
        "alters",
        "RELTYPE",
        f"RELATED-TO;RELTYPE=CHILD:{MARK}uid@{DOMAIN}",
    ),
    line_feature("comment", "Comment", Group.WORDS, "alters", "COMMENT:Mind the swell", remedies=_SAY),
    line_feature("contact", "Contact", Group.WORDS, "alters", "CONTACT:Harbour office", remedies=_SAY),
    line_feature("resources", "Resources", Group.WORDS, "alters", "RESOURCES:Crane,Winch", remedies=_SAY),
    line_feature("request-status", "Request status", Group.WORDS, "untidy", "REQUEST-STATUS:2.0;Success"),
    line_feature(
        "conference",
        "Conference address (RFC 7986)",
        Group.WORDS,
        "alters",
        f"CONFERENCE;VALUE=URI:https://meet.{DOMAIN}/7",
        remedies=_SAY,
    ),
    # ---- colours, images, places
    line_feature("colour", "Colour", Group.LOOKS, "untidy", "COLOR:teal"),
    line_feature(
        "image",
        "Image",
        Group.LOOKS,
        "untidy",
        f"IMAGE;VALUE=URI;DISPLAY=BADGE:https://{DOMAIN}/seal.png",
        remedies=_SAY,
    ),
    line_feature("geo", "Position", Group.LOOKS, "alters", "GEO:60.1282;1.0423", remedies=_SAY),
    _nested("structured-place", "Structured place (RFC 9073)", "VLOCATION", f"UID:{MARK}place@{DOMAIN}", "NAME:Pier 3"),
    _nested(
        "participant",
        "Structured participant (RFC 9073)",
        "PARTICIPANT",
        f"UID:{MARK}p@{DOMAIN}",
        "PARTICIPANT-TYPE:SPEAKER",
    ),
    _nested(
        "structured-resource", "Structured resource (RFC 9073)", "VRESOURCE", f"UID:{MARK}r@{DOMAIN}", "NAME:Crane"
    ),
    line_feature(
        "structured-data",
        "Structured data (RFC 9073)",
        Group.LOOKS,
        "untidy",
        "STRUCTURED-DATA;VALUE=TEXT;FMTTYPE=application/json:{}",
    ),
    # ---- states
    _value("opaque", "Busy", "alters", "TRANSP:OPAQUE"),
    _value("transparent", "Free", "breaks", "TRANSP:TRANSPARENT"),
    _value("class-public", "Public", "untidy", "CLASS:PUBLIC"),
    _value("class-private", "Private", "breaks", "CLASS:PRIVATE"),
    _value("class-confidential", "Confidential", "breaks", "CLASS:CONFIDENTIAL"),
    _value("status-confirmed", "Confirmed", "untidy", "STATUS:CONFIRMED"),
    _value("status-tentative", "Tentative", "alters", "STATUS:TENTATIVE"),
    _value("status-cancelled", "Cancelled", "breaks", "STATUS:CANCELLED"),
    _value("status-in-process", "To-do in process", "alters", "STATUS:IN-PROCESS", Group.KINDS, "VTODO"),
    _value("status-needs-action", "To-do that needs action", "alters", "STATUS:NEEDS-ACTION", Group.KINDS, "VTODO"),
    _value("priority-high", "High priority", "alters", "PRIORITY:1"),
    _value("priority-middle", "Middle priority", "untidy", "PRIORITY:5"),
    _value("priority-low", "Low priority", "alters", "PRIORITY:9"),
    # ---- reminders
    _alarm("alarm", "Reminder on the screen"),
    _alarm(
        "alarm-end",
        "Reminder before the end",
        "TRIGGER;RELATED=END:-PT5M",
        guesses=((LeaveOutAlarms("TRIGGER;RELATED=END"),),),
    ),
    _alarm("alarm-after", "Reminder after the start", "TRIGGER:PT5M"),
    _alarm(
        "alarm-at",
        "Reminder at a fixed time",
        "TRIGGER;VALUE=DATE-TIME:20260301T080000Z",
        guesses=((LeaveOutAlarms("TRIGGER;VALUE=DATE-TIME"),),),
    ),
    _alarm("alarm-mail", "Reminder by mail", *_MAIL, guesses=((LeaveOutAlarms("ACTION:EMAIL"),),)),
    _alarm("alarm-sound", "Reminder by sound", "ACTION:AUDIO", guesses=((LeaveOutAlarms("ACTION:AUDIO"),),)),
    _alarm("alarm-repeated", "Repeated reminder", "REPEAT:3", "DURATION:PT5M"),
    _alarm("alarm-uid", "UID of a reminder (RFC 9074)", f"UID:{MARK}alarm@{DOMAIN}"),
    _alarm("alarm-acknowledged", "Reminder that was dismissed (RFC 9074)", "ACKNOWLEDGED:20260301T080000Z"),
    _alarm("alarm-proximity", "Reminder by place (RFC 9074)", "PROXIMITY:ARRIVE"),
    line_feature(
        "alarm-todo",
        "Reminder of a to-do",
        Group.REMINDERS,
        "alters",
        *("BEGIN:VALARM", "ACTION:DISPLAY", "DESCRIPTION:x", "TRIGGER;RELATED=END:-PT15M", "END:VALARM"),
        kind="VTODO",
        times=("DTSTART:20260302T090000Z", "DUE:20260302T100000Z"),
        focus=("VALARM",),
    ),
    # ---- attachments
    line_feature(
        "attachment-link",
        "Attachment by link",
        Group.ATTACHMENTS,
        "alters",
        f"ATTACH:https://files.{DOMAIN}/plan.pdf",
        remedies=(*_SAY, "fetch-links"),
    ),
    line_feature(
        "attachment-inline",
        "Attachment within the entry",
        Group.ATTACHMENTS,
        "alters",
        "ATTACH;FMTTYPE=text/plain;ENCODING=BASE64;VALUE=BINARY:" + "VGlkZSB0YWJsZXM=",
        remedies=("keep-by-server", "link-attachments", "say"),
        guesses=((LeaveOutInline(),),),
    ),
    line_feature(
        "attachment-large",
        "Attachment of 50 kB within the entry",
        Group.ATTACHMENTS,
        "alters",
        "ATTACH;FMTTYPE=text/plain;ENCODING=BASE64;VALUE=BINARY:" + "VGlk" * 17_000,
        remedies=("keep-by-server", "link-attachments", "say"),
        guesses=((LeaveOutInline(),), (RefuseProblems(frozenset({"inline-attachment"})),)),
    ),
    parameter_feature(
        "attachment-type",
        "Type of an attachment",
        Group.ATTACHMENTS,
        "untidy",
        "FMTTYPE",
        f"ATTACH;FMTTYPE=application/pdf:https://files.{DOMAIN}/a.pdf",
    ),
    parameter_feature(
        "attachment-name",
        "Name of an attachment (RFC 8607)",
        Group.ATTACHMENTS,
        "untidy",
        "FILENAME",
        f"ATTACH;FILENAME=plan.pdf:https://files.{DOMAIN}/b.pdf",
    ),
    parameter_feature(
        "attachment-size",
        "Size of an attachment (RFC 8607)",
        Group.ATTACHMENTS,
        "untidy",
        "SIZE",
        f"ATTACH;SIZE=1024:https://files.{DOMAIN}/c.pdf",
    ),
    line_feature(
        MANAGED,
        "Attachment that the server keeps by itself (RFC 8607)",
        Group.ATTACHMENTS,
        "alters",
        f"ATTACH;{BY_SERVER}=SERVER;FILENAME=plan.txt;FMTTYPE=text/plain;ENCODING=BASE64;VALUE=BINARY:VGlkZSB0YWJsZXM=",
        remedies=("link-attachments", "say"),
    ),
)
