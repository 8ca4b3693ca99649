"""What is wrong with a file or an entry, said in words an administrator can act on."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

Severity = Literal["breaks", "alters", "untidy"]

#: Every code a problem can carry, with its severity and a title for lists.
#: ``breaks``: other systems will refuse or lose the entry; ``alters``: they may show it differently;
#: ``untidy``: harmless, but not as the standard has it.
CODES: dict[str, tuple[Severity, str]] = {
    "bad-date": ("breaks", "A date that does not exist"),
    "bad-duration": ("breaks", "A duration that cannot be read"),
    "bad-parameter": ("breaks", "A parameter with an open quote"),
    "bad-rule": ("breaks", "A repeat rule that is not one"),
    "bad-trigger": ("breaks", "An alarm whose time cannot be read"),
    "control-character": ("untidy", "Control characters in the text"),
    "count-and-until": ("breaks", "A repeat rule with both COUNT and UNTIL"),
    "crossed-end": ("breaks", "Components that cross each other"),
    "deep-nesting": ("untidy", "Components nested very deeply"),
    "duration-and-end": ("alters", "Both an end and a duration"),
    "encoding": ("alters", "Text that is not UTF-8"),
    "end-before-start": ("breaks", "An end before the start"),
    "exrule": ("alters", "A rule for what is left out (EXRULE)"),
    "junk-outside": ("untidy", "Text outside any calendar"),
    "loose-value": ("breaks", "Spaces or signs within a date or number"),
    "misplaced-property": ("untidy", "A property where it may not be"),
    "missing-end": ("breaks", "A component without its END line"),
    "mixed-types": ("breaks", "A day and a time together"),
    "negative-duration": ("breaks", "A duration below nothing"),
    "no-calendar": ("untidy", "An entry outside any calendar"),
    "no-dtstamp": ("untidy", "No DTSTAMP"),
    "no-start": ("breaks", "No start"),
    "no-uid": ("breaks", "No UID"),
    "no-zone-definition": ("untidy", "A time zone used but not defined"),
    "not-a-content-line": ("breaks", "A line that is not a property"),
    "not-a-calendar": ("breaks", "No calendar data in the file"),
    "odd-rule": ("alters", "A repeat rule with parts that make no sense"),
    "override-without-master": ("alters", "A changed occurrence without its series"),
    "repeated-property": ("alters", "A property that may stand once stands twice"),
    "rule-too-long": ("alters", "A repeat rule too long to be counted"),
    "several-calendars": ("untidy", "Several calendars of one name"),
    "stray-end": ("untidy", "An END line without its BEGIN"),
    "truncated": ("breaks", "The file stops in the middle"),
    "two-masters": ("alters", "Two entries with one UID"),
    "unquoted-zone": ("breaks", "A time zone name with a colon, not in quotes"),
    "until-type": ("alters", "An UNTIL of another type than the start"),
    "unresolved-zone": ("alters", "A time zone name nobody knows"),
    "value-type": ("alters", "A date that is not said to be one, or a time that is"),
    "zone-conflict": ("alters", "One zone name with two definitions"),
    "zone-contradiction": ("alters", "A zone name and its definition that differ"),
}


@dataclass(frozen=True, slots=True)
class Problem:
    """One defect, where it stands and what was done about it.

    >>> Problem("no-uid", "This event has no UID.", line=12).severity
    'breaks'

    Attributes:
        code: a key of `CODES`.
        message: one plain sentence: what is wrong.
        done: one plain sentence: what Date Bridge did with it.
        line: the line in the file, counted from 1 as a text editor does; 0 where no file is involved.
        text: the text concerned, kept whole when it is stored nowhere else.
        uid: the UID of the entry concerned, if known.
    """

    code: str
    message: str
    done: str = ""
    line: int = 0
    text: str = ""
    uid: str = ""

    @property
    def severity(self) -> Severity:
        return CODES[self.code][0]

    def at(self, line: int, uid: str) -> Problem:
        """The same problem, placed in a file."""
        return replace(self, line=line, uid=self.uid or uid)
