"""Large embedded attachment itself (RFC 5545 §3.8.1.1, ENCODING=BASE64)."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.check import Check, CheckFinding
from datebridge.core.index.derive import Reading
from datebridge.core.text.lines import LINE, param_of

#: From so many bytes on it is large.
LARGE = 32_768


def find(entry: Reading) -> Iterator[CheckFinding]:
    if len(entry.text) < LARGE:
        return
    for raw in entry.text.split("\n"):
        match = LINE.match(raw) if raw[:6].upper() == "ATTACH" and len(raw) > LARGE else None
        if match is not None and (param_of(match[2], "ENCODING") or "").upper() == "BASE64":
            name = param_of(match[2], "FILENAME") or param_of(match[2], "FMTTYPE") or "An attachment"
            yield CheckFinding(
                f"{name[:60]} is {len(match[3]) * 3 // 4 // 1000:,} kB inside the entry.", "Kept.", "ATTACH"
            )


CHECK = Check(
    "inline-attachment",
    "breaks",
    "Large embedded attachment",
    find,
    needs=frozenset({"ATTACH"}),
    why="Servers limit the size of an entry and refuse it; others drop the attachment.",
)
