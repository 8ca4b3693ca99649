"""How long the tests took, by folder and one by one: kept by each run of pytest, told at the end of `make test`.

``python -m tests.timing FILE…`` prints what is kept. Seconds are those of the tests, of all workers together.
"""

from __future__ import annotations

import json
import sys
from collections import Counter
from collections.abc import Iterable
from pathlib import Path

import pytest

_SLOWEST, _LONG = 20, 20.0


def kept(reporter: pytest.TerminalReporter) -> dict[str, float]:
    """Seconds by test, with what was set up and taken down for it."""
    spent: Counter[str] = Counter()
    for reports in reporter.stats.values():
        for report in reports:
            if isinstance(report, pytest.TestReport):
                spent[report.nodeid] += report.duration
    return dict(spent)


def _folder(test: str) -> str:
    parts = Path(test.partition("::")[0]).parts
    return "doctests" if parts[0] == "src" else "/".join(parts[: min(2, len(parts) - 1)])


def told(spent: dict[str, float]) -> Iterable[str]:
    """What is printed of it."""
    seconds: Counter[str] = Counter()
    for test, took in spent.items():
        seconds[_folder(test)] += took
    cases = Counter(map(_folder, spent))
    yield "== how long the tests took, of all workers together"
    yield from (f"{took:8.1f} s  {cases[folder]:5} tests  {folder}" for folder, took in seconds.most_common())
    yield f"{sum(spent.values()):8.1f} s  {len(spent):5} tests"
    yield f"== the {_SLOWEST} slowest"
    for test, took in Counter(spent).most_common(_SLOWEST):
        yield f"{took:8.1f} s  {test}" + ("  (over 20 s: look into it)" if took > _LONG else "")


if __name__ == "__main__":
    known: dict[str, float] = {}
    for name in sys.argv[1:]:
        known |= json.loads(Path(name).read_text())
    print("\n".join(told(known)))
