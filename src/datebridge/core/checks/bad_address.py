"""An organiser or attendee whose address is none (RFC 5545 §3.3.3: a URI, for people nearly always a mailto)."""

from __future__ import annotations

import re
from collections.abc import Iterator

from datebridge.core.checks.check import Check, CheckFinding
from datebridge.core.checks.fixing import rewritten
from datebridge.core.index.derive import Reading

_PLAIN = re.compile(r"[^\s@<>:;,\"]+@[^\s@<>:;,\"]+\.[^\s@<>:;,\".]+\Z")
_USUAL = re.compile(r"mailto:[^\s@<>:;,\"]+@[^\s@<>:;,\"]+\.[^\s@<>:;,\".]+\Z", re.IGNORECASE)
_SCHEME = re.compile(r"[A-Za-z][A-Za-z0-9+.-]*:\S+\Z")
_IN_BRACKETS = re.compile(r"[^<>]*<([^<>]+)>\Z")


def _wrong(value: str) -> str:
    """What is wrong with an address; "" where nothing is."""
    text = value.strip()
    if text[:7].lower() == "mailto:":
        return "" if _PLAIN.match(text[7:]) else "is not an email address"
    if _SCHEME.match(text):
        return ""
    return "lacks “mailto:”" if _PLAIN.match(text) else "is no address"


def find(entry: Reading) -> Iterator[CheckFinding]:
    people = [("ATTENDEE", value) for _, value in entry.lists.get("ATTENDEE", ())]
    if "ORGANIZER" in entry.fields:
        people.append(("ORGANIZER", entry.fields["ORGANIZER"][1]))
    for name, value in people:
        if _USUAL.match(value) is None and (what := _wrong(value)):
            yield CheckFinding(f"“{value[:60]}” {what}.", "Kept as it is.", name)


def fix(text: str) -> str | None:
    """Write addresses as they must be written, where it is plain which is meant."""

    def right(name: str, params: str, value: str) -> str | None:
        if not _wrong(value):
            return None
        address = value.strip()
        bare = address[7:].strip() if address[:7].lower() == "mailto:" else address
        inside = _IN_BRACKETS.match(bare)
        bare = (inside[1] if inside else bare).strip()
        return f"{name}{params}:mailto:{bare}" if _PLAIN.match(bare) else None

    return rewritten(text, {"ATTENDEE", "ORGANIZER"}, right)


CHECK = Check(
    "bad-address",
    "breaks",
    "Invalid attendee address",
    find,
    needs=frozenset({"ATTENDEE", "ORGANIZER"}),
    fix=fix,
    why="A server that sends invitations refuses the whole entry because of one such address. The fix "
    "corrects those whose meaning is clear.",
)
