"""The same alarm twice in one entry: two programs have each put theirs in."""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.checks.alarms import alarms_of, is_alone
from datebridge.core.checks.check import Check, CheckFinding
from datebridge.core.index.derive import Reading
from datebridge.core.index.facts import Mark


def find(entry: Reading) -> Iterator[CheckFinding]:
    texts = [] if is_alone(entry.text) else [alarm.says for alarm in alarms_of(entry.text)]
    if more := len(texts) - len(set(texts)):
        yield CheckFinding(
            "An alarm exists twice." if more == 1 else f"{more + 1} alarms are the same.", "All ring.", "BEGIN"
        )


def fix(text: str) -> str | None:
    """Leave the first of each."""
    seen: set[tuple[str, ...]] = set()
    gone: set[int] = set()
    for alarm in alarms_of(text):
        if alarm.says in seen:
            gone.update(range(alarm.first, alarm.last + 1))
        seen.add(alarm.says)
    return "\n".join(raw for at, raw in enumerate(text.split("\n")) if at not in gone) if gone else None


CHECK = Check(
    "alarm-twice",
    "untidy",
    "The same alarm twice",
    find,
    marks=Mark.ALARM,
    fix=fix,
    why="It rings twice at the same time. The fix keeps one of each.",
)
