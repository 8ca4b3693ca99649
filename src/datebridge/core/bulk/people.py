"""Steps about people and alarms: other addresses, people that have left, alarms.

>>> text = "BEGIN:VEVENT\\nORGANIZER;SENT-BY=\\"mailto:b@old.example\\":mailto:a@old.example\\nEND:VEVENT"
>>> lines = ComponentEditor(text)
>>> map_address(lines, MapAddress("@old.example", "@new.example"))
>>> lines.lines[1]
'ORGANIZER;SENT-BY="mailto:b@new.example":mailto:a@new.example'
"""

from __future__ import annotations

import re
from functools import lru_cache

from datebridge.core.bulk.steps import Alarms, DropPeople, MapAddress
from datebridge.core.bulk.subject import CannotChange, Subject, SubjectMember, called, kind_of
from datebridge.core.editing.fields import Alarm
from datebridge.core.editing.writing import trigger_of
from datebridge.core.invitations import address_of
from datebridge.core.text.component import ComponentEditor, parsed
from datebridge.core.text.lines import escape_text, unescape_text

_LOCAL = r"[\w.!#$%&'*+/?^`{|}~=-]+"
_ADDRESS = re.compile(rf"{_LOCAL}@[\w-]+(?:\.[\w-]+)*\Z")
_DOMAIN = re.compile(r"@[\w-]+(?:\.[\w-]+)*\Z")
_PERSON = re.compile(r"(?:ATTENDEE|ORGANIZER)[;:]", re.IGNORECASE)


def check_address(step: MapAddress) -> None:
    """Refuse what maps no address.

    Raises:
    CannotChange: if one of the two is no address, or only one of them a domain.
    """
    kinds = []
    for one in (step.old.strip(), step.new.strip()):
        if not _DOMAIN.match(one) and not _ADDRESS.match(one):
            raise CannotChange(
                f"“{one[:60]}” is not an address. Write ida@old.example, or @old.example for all of a domain."
            )
        kinds.append(one.startswith("@"))
    if kinds[0] != kinds[1]:
        raise CannotChange("Enter two addresses, or two domains that start with @.")


@lru_cache(maxsize=64)
def _pattern(old: str) -> re.Pattern[str]:
    local = rf"({_LOCAL})" if old.startswith("@") else r"(?<![\w.+-])()"
    return re.compile(rf"{local}{re.escape(old)}(?![\w-]|\.\w)", re.IGNORECASE)


def map_address(lines: ComponentEditor, step: MapAddress) -> None:
    """Write other addresses, in alarms too. Of two lines for one person then, the one with an answer stays."""
    old, new = step.old.strip(), step.new.strip()
    pattern, changed = _pattern(old), False
    for index, raw in enumerate(lines.lines):
        if "@" in raw and _PERSON.match(raw):
            made = pattern.sub(lambda match: (match[1] or "") + new, raw)
            changed = changed or made != raw
            lines.lines[index] = made
    if changed:
        _once(lines)


def _once(lines: ComponentEditor) -> None:
    seen: dict[str, tuple[int, bool]] = {}
    gone = set()
    for index, line in lines.own("ATTENDEE"):
        address = address_of(line)
        answered = (line.param("PARTSTAT") or "").upper() not in ("", "NEEDS-ACTION")
        if address in seen and answered and not seen[address][1]:
            gone.add(seen[address][0])
            seen[address] = (index, answered)
        elif address in seen:
            gone.add(index)
        else:
            seen[address] = (index, answered)
    if gone:
        lines.lines = [raw for index, raw in enumerate(lines.lines) if index not in gone]


def is_among(address: str, who: list[str]) -> bool:
    """Whether an address is one of these, or of one of these domains."""
    domain = "@" + address.rpartition("@")[2]
    return any(one.strip().lower() in (address, domain) for one in who)


def drop_people(lines: ComponentEditor, step: DropPeople, subject: Subject, member: SubjectMember) -> None:
    """Take attendees out."""
    lines.drop("ATTENDEE", lambda line: is_among(address_of(line), step.who))
    organizer = next(lines.own("ORGANIZER"), None)
    if organizer is not None and is_among(address_of(organizer[1]), step.who):
        if next(lines.own("ATTENDEE"), None) is None:
            lines.drop("ORGANIZER")  # nobody is left to whom it would be one
        else:
            subject.note(member, "Its organiser left, but stays because others are invited.")


# ---- alarms -------------------------------------------------------------------------------------------


def alarms(lines: ComponentEditor, step: Alarms) -> None:
    """Set, add or take out alarms; one that is there already stays as it is."""
    if step.mode != "strip" and kind_of(lines.text) not in ("VEVENT", "VTODO"):
        raise CannotChange(f"{called(lines.text)} has no alarms.")
    blocks = lines.blocks("VALARM")
    trigger = trigger_of(Alarm(step.related, step.minutes))
    alike = [block for block in blocks if step.mode != "strip" and _triggers(lines, block) == trigger]
    if step.mode != "add":
        for begin, end in reversed([block for block in blocks if block not in alike[:1]]):
            del lines.lines[begin : end + 1]
    if step.mode != "strip" and not alike:
        title = escape_text(unescape_text(lines.value("SUMMARY")).strip() or "Alarm")
        lines.add_block(["BEGIN:VALARM", "ACTION:DISPLAY", f"DESCRIPTION:{title}", trigger, "END:VALARM"])


def _triggers(lines: ComponentEditor, block: tuple[int, int]) -> str:
    """The TRIGGER of an alarm without what it says needlessly; "" of one that does more than show something."""
    parsed_lines = [line for raw in lines.lines[block[0] : block[1]] if (line := parsed(raw)) is not None]
    by_name = {line.name: line for line in parsed_lines}
    if "TRIGGER" not in by_name or "ACTION" not in by_name or by_name["ACTION"].value.strip().upper() != "DISPLAY":
        return ""
    if "REPEAT" in by_name:
        return ""
    trigger = by_name["TRIGGER"]
    related = ";RELATED=END" if (trigger.param("RELATED") or "").upper() == "END" else ""
    return f"TRIGGER{related}:{trigger.value.strip().upper()}"
