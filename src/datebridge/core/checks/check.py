"""What a check is. Each has a file of its own, named by what it finds, and a line in `core.checks`."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import NamedTuple

from datebridge.core.index.derive import Reading
from datebridge.core.problems import Severity


class CheckFinding(NamedTuple):
    """What is wrong, in one plain sentence; what Date Bridge did with it; and at which property, or line, it stands."""

    message: str
    done: str
    name: str | int = ""


def noted(entry: Reading) -> Iterable[CheckFinding]:
    """What is noted while an entry is read is not looked for once more."""
    return ()


@dataclass(frozen=True, slots=True)
class Check:
    """Something that can be wrong with an entry.

    Attributes:
        code: by which it is known everywhere; it never changes.
        severity: ``breaks``: other systems will refuse or lose the entry; ``alters``: they may show it differently;
            ``untidy``: harmless, but not as the standard has it.
        title: for lists.
        why: what comes of it, and what putting right does; a sentence or two.
        find: says what of this is wrong with an entry.
        needs: it is asked only of entries with one of these properties; of all where there are none.
        marks: it is asked only of entries with one of these marks; of all where there are none.
        fix: the entry's text without it, where it can be right; None where there is nothing to fix.
        of_series: it is found, and fixed, with all entries of a UID (`core.series.health`).
        revision: raised whenever it finds something else than before: what is stored is checked again then.
    """

    code: str
    severity: Severity
    title: str
    find: Callable[[Reading], Iterable[CheckFinding]] = noted
    needs: frozenset[str] = frozenset()
    marks: int = 0
    fix: Callable[[str], str | None] | None = None
    of_series: bool = False
    revision: int = 1
    why: str = ""
