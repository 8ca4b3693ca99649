"""What can be wrong with entries: one check a file, all of them listed here.

>>> facts = examine("VEVENT", "BEGIN:VEVENT\\nUID:1\\nDTSTART:20261124T090000Z\\nDTEND:20261124T080000Z\\nEND:VEVENT")
>>> [(problem.code, problem.message) for problem in facts.problems]
[('end-before-start', 'The end is before the start.')]

To add a check: a file with a `CHECK`, and its name below. What is stored is looked at with it in the background.
What only shows among all entries of a calendar is in `census`; what only a file shows, in `core.problems`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import lru_cache
from importlib import import_module
from itertools import chain

from datebridge.core.checks.census import CENSUS
from datebridge.core.checks.check import Check, CheckFinding, noted
from datebridge.core.checks.of_series import OF_SERIES
from datebridge.core.index.derive import ENTRIES, MOST_ALIKE, Reading, and_more, read_entry
from datebridge.core.index.facts import Facts, Mark
from datebridge.core.problems import CODES, Problem, Severity
from datebridge.core.zones.meaning import NO_ZONES, Zones

#: The files of the checks of single entries.
_FILES = (
    "alarm_twice",
    "bad_address",
    "bad_date",
    "bad_duration",
    "bad_parameter",
    "bad_rule",
    "bad_trigger",
    "count_and_until",
    "damaged_text",
    "duration_and_end",
    "end_before_start",
    "exrule",
    "footer_twice",
    "incomplete_alarm",
    "inline_attachment",
    "invalid_rule_part",
    "late_alarm",
    "loose_value",
    "many_alarms",
    "markup",
    "misfit_rule",
    "misplaced_property",
    "mixed_types",
    "negative_duration",
    "no_organizer",
    "no_start",
    "no_uid",
    "not_a_content_line",
    "repeated_property",
    "rule_too_long",
    "unquoted_zone",
    "unresolved_zone",
    "until_type",
    "value_type",
    "zone_contradiction",
)
_FOUND: list[Check] = [import_module(f"{__name__}.{name}").CHECK for name in _FILES]
#: The checks of single entries, by code.
CHECKS = {check.code: check for check in _FOUND}
#: By which revision of each check an index was made; of those among all entries of a calendar, too.
REVISIONS = {check.code: check.revision for check in (*CHECKS.values(), *CENSUS, *OF_SERIES)}
#: Those that come and go with the definitions that are beside an entry.
BY_ZONE = frozenset({"unresolved-zone", "zone-contradiction", "end-before-start"})
_FINDING = [check for check in CHECKS.values() if check.find is not noted]
#: The properties that any of them is asked for.
_NEEDED = frozenset().union(*(check.needs for check in _FINDING))


def examine(component: str, text: str, zones: Zones = NO_ZONES) -> Facts:
    """Read an entry's text, with everything that is wrong with it. Never fails.

    Args:
        zones: what the calendar it is in defines.
    """
    entry = read_entry(component, text, zones)
    problems = entry.problems()
    if component in ENTRIES:
        marks = entry.facts.marks
        for needed, find, check in _concerning(_NEEDED.intersection((*entry.fields, *entry.lists))):
            if needed and not marks & needed:
                continue
            findings = iter(find(entry))
            first = next(findings, None)  # mostly there is none
            if first is not None:
                problems += _problems_of(check, entry, chain((first,), findings))
    facts = entry.facts
    facts.problems = tuple(problems)
    if problems:
        facts.marks |= Mark.PROBLEM
    return facts


@lru_cache(maxsize=4_096)
def _concerning(names: frozenset[str]) -> tuple[tuple[int, Callable[[Reading], Iterable[CheckFinding]], Check], ...]:
    """The checks that could find something in an entry with properties of these names, with the marks they need."""
    return tuple((c.marks, c.find, c) for c in _FINDING if not c.needs or not c.needs.isdisjoint(names))


def _problems_of(check: Check, entry: Reading, findings: Iterable[CheckFinding]) -> list[Problem]:
    """What a check has found; of very much that is alike, the last one told says how much more there is."""
    told: list[Problem] = []
    more = 0
    for message, done, name in findings:
        if len(told) < MOST_ALIKE:
            told.append(Problem(check.code, message, done, entry.line_of(name) if isinstance(name, str) else name))
        else:
            more += 1
    if more:
        told[-1] = and_more(told[-1], more)
    return told


def severity_of(code: str) -> Severity:
    """How bad it is."""
    return described(code)[0]


def title_of(code: str) -> str:
    """What it is called in lists."""
    return described(code)[1]


def why(code: str) -> str:
    """What comes of it, and what putting right does; "" of what only a file shows."""
    check = ALL.get(code)
    return check.why if check is not None else ""


def is_fixable(code: str) -> bool:
    """Whether it can be fixed by itself."""
    check = ALL.get(code)
    return check is not None and (check.fix is not None or check.of_series)


def described(code: str) -> tuple[Severity, str]:
    """Severity and title of a check, or of what only a file shows."""
    check = ALL.get(code)
    return (check.severity, check.title) if check is not None else CODES[code]


#: All checks, those of whole calendars too.
ALL: dict[str, Check] = {**CHECKS, **{check.code: check for check in (*CENSUS, *OF_SERIES)}}
__all__ = [
    "ALL",
    "BY_ZONE",
    "CHECKS",
    "REVISIONS",
    "Check",
    "described",
    "examine",
    "is_fixable",
    "severity_of",
    "title_of",
    "why",
]
