"""What is wrong with a file or an entry, said in words an administrator can act on."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

Severity = Literal["breaks", "alters", "untidy"]

#: What only a file shows, with its severity and a title for lists; what an entry shows by itself: `core.checks`.
#: ``breaks``: other systems will refuse or lose the entry; ``alters``: they may show it differently;
#: ``untidy``: harmless, but not as the standard has it.
CODES: dict[str, tuple[Severity, str]] = {
    "control-character": ("untidy", "Control characters in the text"),
    "crossed-end": ("breaks", "Components that cross each other"),
    "deep-nesting": ("untidy", "Components nested very deeply"),
    "encoding": ("alters", "Text that is not UTF-8"),
    "junk-outside": ("untidy", "Text outside any calendar"),
    "missing-end": ("breaks", "Component without its END line"),
    "nested-entry": ("breaks", "Entry inside another entry"),
    "no-calendar": ("untidy", "Entry outside any calendar"),
    "no-dtstamp": ("untidy", "No DTSTAMP"),
    "no-zone-definition": ("untidy", "Time zone used but not defined"),
    "not-a-calendar": ("breaks", "No calendar data in the file"),
    "irregular-fence": ("breaks", "Irregular BEGIN or END line"),
    "several-calendars": ("untidy", "Several calendars with one name"),
    "stray-end": ("untidy", "END line without its BEGIN"),
    "truncated": ("breaks", "Incomplete file"),
    "zone-conflict": ("alters", "One zone name with two definitions"),
}


@dataclass(frozen=True, slots=True)
class Problem:
    """One defect, where it stands and what was done about it.

    >>> Problem("encoding", "This text is not UTF-8.", line=12).at(13, "tide").line
    13

    Attributes:
        code: of a check, or a key of `CODES`.
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

    def at(self, line: int, uid: str) -> Problem:
        """The same problem, placed in a file."""
        return replace(self, line=line, uid=self.uid or uid)
