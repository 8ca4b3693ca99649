"""What a server does not keep of the entries it is given: one table a server, with switches.

>>> losses = Losses(drops=("COLOR",), attachments=1)
>>> losses.of_entry("BEGIN:VEVENT\\nCOLOR:red\\nATTACH:a\\nATTACH:b\\nEND:VEVENT").split("\\n")[1:-1]
['ATTACH:a']
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from hashlib import blake2b
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from datebridge.core.objects import CalendarObject
from datebridge.core.text.properties import KNOWN
from datebridge.core.text.writer import complete_header, write_calendar

_FENCE = re.compile(r"^(BEGIN|END):", re.IGNORECASE)
_SPLIT = re.compile(r"(?:\\.|[^,\\])+", re.DOTALL)
_ZONED = re.compile(r";TZID=([^;:]+)", re.IGNORECASE)
_INLINE = re.compile(r"^ATTACH[^:]*;(?:VALUE=BINARY|ENCODING=BASE64)", re.IGNORECASE)
_UNKNOWN_PARAMETER = re.compile(r';X-[A-Za-z0-9-]+=(?:"[^"]*"|[^;":]*)', re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class Losses:
    """What is lost, and what is refused.

    Attributes:
        drops: properties and nested components of an entry that are left out.
        unknown: properties that no standard knows are left out, wherever they stand.
        unknown_parameters: so are parameters.
        parameters: parameters that are left out, wherever they stand.
        inline: attachments within entries are left out.
        alarms, attachments: so many are kept, the first; `categories`: so many values.
        alarm_actions: reminders of these kinds are left out.
        notes: descriptions are cut after so many bytes; `title`: titles after so many characters.
        confidential: what CONFIDENTIAL becomes.
        utc: times in zones are kept in UTC.
        new_uids: entries get UIDs of the server's own.
        masters: changed occurrences of a series are left out.
        stamps: lines that entries get where they have none of that name; where they have one, too, if `restamps`.
        invites: attendees are said to have been invited, whoever was to do that (RFC 6638 §7.3).
        kinds: kinds of components that are refused; `attendees`: more of them are refused.
        rules: parts of repeat rules that are refused; so are rules without an end unless `endless`.
    """

    drops: tuple[str, ...] = ()
    unknown: bool = False
    unknown_parameters: bool = False
    parameters: tuple[str, ...] = ()
    inline: bool = False
    alarms: int | None = None
    alarm_actions: tuple[str, ...] = ()
    attachments: int | None = None
    categories: int | None = None
    notes: int | None = None
    title: int | None = None
    confidential: str = ""
    utc: bool = False
    new_uids: bool = False
    masters: bool = False
    invites: bool = False
    stamps: tuple[str, ...] = ()
    restamps: bool = False
    kinds: tuple[str, ...] = ()
    rules: tuple[str, ...] = ()
    endless: bool = True
    attendees: int | None = None

    def refusal(self, parsed: CalendarObject) -> str:
        """Why an object is not taken; "" where it is."""
        kinds = {facts.component for facts, _ in parsed.entries}
        if refused := kinds.intersection(self.kinds):
            return f"No {min(refused)} is kept here."
        rules = [rule for _, text in parsed.entries for rule in re.findall(r"(?m)^RRULE:(.*)$", text)]
        if refused_parts := [part for part in self.rules for rule in rules if part in rule]:
            return f"{refused_parts[0]} is not understood here."
        if not self.endless and any("COUNT=" not in rule and "UNTIL=" not in rule for rule in rules):
            return "A series has to end."
        most = max((facts.attendees for facts, _ in parsed.entries), default=0)
        if self.attendees is not None and most > self.attendees:
            return f"At most {self.attendees:,} attendees are kept here, and these are {most:,}."
        return ""

    def of_object(self, data: bytes, parsed: CalendarObject) -> bytes:
        """What is kept of an object; its bytes as they are where that is all of it."""
        sent = [text for _, text in parsed.entries]
        kept = [text for text in sent if not (self.masters and len(sent) > 1 and "\nRECURRENCE-ID" in text)] or sent
        kept = [self.of_entry(text) for text in kept]
        if kept == sent:
            return data
        header = complete_header("BEGIN:VCALENDAR\nEND:VCALENDAR")
        return b"".join(write_calendar(header, [text for _, text in parsed.zones], kept))

    def of_entry(self, text: str) -> str:
        """What is kept of an entry."""
        lines: list[str] = []
        if self.stamps:
            text = self._stamped(text)
        counts = {"VALARM": 0, "ATTACH": 0, "CATEGORIES": 0}
        for block in _blocks(text.split("\n")):
            kind = block[0].partition(":")[2].upper() if len(block) > 1 else _name(block[0])
            if kind in self.drops or (kind == "VALARM" and not self._rings(block)):
                continue
            if self._unknown(kind, block) or (self.inline and kind == "ATTACH" and _INLINE.search(block[0])):
                continue
            counts[kind] = counts.get(kind, 0) + 1
            most = {"VALARM": self.alarms, "ATTACH": self.attachments}.get(kind)
            if most is None or counts[kind] <= most:
                lines += [line for raw in block if (line := self._line(raw, len(block) > 1))]
        return "\n".join(self._few_categories(lines) if self.categories is not None else lines)

    def _stamped(self, text: str) -> str:
        for stamp in self.stamps:
            name = _name(stamp)
            there = re.search(rf"(?m)^{name}[:;].*$", text)
            if there is None:
                text = text.replace("\nEND:", f"\n{stamp}\nEND:", 1) if "\nBEGIN:" not in text else _first(text, stamp)
            elif self.restamps:
                text = text[: there.start()] + stamp + text[there.end() :]
        return text

    def _rings(self, block: list[str]) -> bool:
        actions = {raw.partition(":")[2].upper() for raw in block if raw.upper().startswith("ACTION:")}
        return not actions.intersection(self.alarm_actions)

    def _unknown(self, name: str, block: list[str]) -> bool:
        return self.unknown and len(block) == 1 and name not in KNOWN and not _FENCE.match(block[0])

    def _line(self, raw: str, nested: bool) -> str:
        """What is kept of a line; "" for nothing."""
        name = _name(raw)
        if _FENCE.match(raw):
            return raw
        if nested and self.unknown and name not in KNOWN:
            return ""
        if name == "UID" and not nested and self.new_uids:
            return f"UID:{new_uid(raw.partition(':')[2])}"
        for param in self.parameters:
            raw = re.sub(rf';{param}=(?:"[^"]*"|[^;":]*)', "", raw, count=1)
        if self.unknown_parameters:
            raw = _UNKNOWN_PARAMETER.sub("", raw)
        if name == "ATTENDEE" and self.invites and not nested:
            raw = f"{raw[:8]};SCHEDULE-STATUS=1.2{raw[8:]}"
        if name == "CLASS" and self.confidential and raw.upper() == "CLASS:CONFIDENTIAL":
            return f"CLASS:{self.confidential}"
        if name == "DESCRIPTION" and not nested and self.notes is not None:
            return _cut(raw, lambda value: value.encode()[: self.notes].decode("utf-8", "ignore"))
        if name == "SUMMARY" and not nested and self.title is not None:
            return _cut(raw, lambda value: value[: self.title])
        return _in_utc(raw) if self.utc and ";TZID=" in raw.upper() else raw

    def _few_categories(self, lines: list[str]) -> list[str]:
        left, kept = self.categories or 0, []
        for raw in lines:
            if _name(raw) == "CATEGORIES":
                head, _, value = raw.partition(":")
                values = _SPLIT.findall(value)[:left]
                left -= len(values)
                if values:
                    kept.append(f"{head}:{','.join(values)}")
            else:
                kept.append(raw)
        return kept


def new_uid(uid: str) -> str:
    """The UID that a server gives for another; one that it gave stays."""
    own = "@kept.halyard.example"
    return uid if uid.endswith(own) else f"{blake2b(uid.encode(), digest_size=8).hexdigest()}{own}"


def _first(text: str, line: str) -> str:
    """An entry with a line right after its beginning."""
    head, _, rest = text.partition("\n")
    return f"{head}\n{line}\n{rest}"


def _name(raw: str) -> str:
    return re.split(r"[:;]", raw, maxsplit=1)[0].upper()


def _blocks(lines: list[str]) -> list[list[str]]:
    """The lines of an entry, nested components each as one."""
    blocks: list[list[str]] = [[lines[0]]]
    depth = 0
    for raw in lines[1:-1]:
        begins = raw.upper().startswith("BEGIN:")
        if depth:
            blocks[-1].append(raw)
        else:
            blocks.append([raw])
        depth += begins - raw.upper().startswith("END:")
    return [*blocks, [lines[-1]]]


def _cut(raw: str, shorten: Callable[[str], str]) -> str:
    head, _, value = raw.partition(":")
    says = re.sub(r"\\([\\;,nN])", lambda found: "\n" if found[1] in "nN" else found[1], value)
    short = shorten(says)
    if short == says:
        return raw
    return head + ":" + short.replace("\\", "\\\\").replace(";", "\\;").replace(",", "\\,").replace("\n", "\\n")


def _in_utc(raw: str) -> str:
    """A line's times in UTC, where the name of their zone is one of the database."""
    head, _, value = raw.partition(":")
    match = _ZONED.search(head)
    try:
        zone = ZoneInfo(match[1].strip('"')) if match else None
    except (ZoneInfoNotFoundError, ValueError):
        return raw
    if match is None or zone is None:
        return raw

    def moment(text: str) -> str:
        if not re.fullmatch(r"\d{8}T\d{6}", text):
            return text
        return datetime.fromisoformat(text).replace(tzinfo=zone).astimezone(UTC).strftime("%Y%m%dT%H%M%SZ")

    moments = ",".join("/".join(map(moment, one.split("/"))) for one in value.split(","))
    return f"{head.replace(match[0], '', 1)}:{moments}"


#: Lantern has no place for these.
OF_LANTERN = Losses(drops=("COLOR", "IMAGE", "STYLED-DESCRIPTION", "CONTACT"), unknown=True, alarms=1, attachments=2)
#: Halyard keeps one category, the beginning of long notes, UTC, UIDs of its own, and attachments only beside entries.
OF_HALYARD = Losses(utc=True, notes=8_192, new_uids=True, categories=1, inline=True)
