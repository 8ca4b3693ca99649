"""Notes with leftovers of mark-up: a DESCRIPTION is plain text (RFC 5545 §3.8.1.5), and is shown as it is."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.check import Check, CheckFinding
from datebridge.core.checks.fixing import rewritten
from datebridge.core.index.derive import Reading
from datebridge.core.text.lines import escape_text, unescape_text


def find(entry: Reading) -> Iterator[CheckFinding]:
    value = entry.value("DESCRIPTION")
    if "<" not in value and "&" not in value:
        return
    from datebridge.core.text.markup import entity_in, tags_in  # with a parser, for the few that may have some

    tags = tags_in(unescape_text(value))
    entity = entity_in(value)
    if tags or entity:
        tag = tags[0][0] if tags else entity
        yield CheckFinding(f"The notes contain HTML: “{tag[:40]}”.", "Shown as it is written.", "DESCRIPTION")


def fix(text: str) -> str | None:
    """Write the notes as the text a reader of the mark-up would see."""
    from datebridge.core.text.markup import entity_in, plain, tags_in

    def without(name: str, params: str, value: str) -> str | None:
        notes = unescape_text(value)
        if not tags_in(notes) and not entity_in(notes):
            return None
        made = plain(notes)
        return f"{name}{params}:{escape_text(made)}" if made != notes and not tags_in(made) else None

    return rewritten(text, {"DESCRIPTION"}, without)


CHECK = Check(
    "markup",
    "alters",
    "HTML in the notes",
    find,
    needs=frozenset({"DESCRIPTION"}),
    fix=fix,
    revision=2,
    why="Notes are plain text: other systems show the tags. The fix keeps the visible text and the addresses of links.",
)
