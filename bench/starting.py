"""How much processor time the command line takes to start, beside importing icalendar."""

from __future__ import annotations

import resource
import statistics
import subprocess
import sys
from collections.abc import Sequence
from pathlib import Path

from bench import generate

_RUNS = 7
_OURS = "from datebridge.cli.main import main; main()"


def _spent(arguments: Sequence[str]) -> float:
    """Seconds of processor time of a process of its own."""
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    subprocess.run([sys.executable, *arguments], stdout=subprocess.DEVNULL, check=False)
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    return after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime


def command_line(folder: Path) -> dict[str, tuple[float, float]]:
    """Of each command its processor time, and that of importing icalendar, in turns in one run."""
    path = folder / "small.ics"
    generate.write(path, 20)
    commands = {"--help": [_OURS, "--help"], "inspect of a small file": [_OURS, "inspect", str(path)]}
    spent: dict[str, list[tuple[float, float]]] = {name: [] for name in commands}
    for _ in range(_RUNS):
        for name, arguments in commands.items():
            spent[name].append((_spent(["-c", *arguments]), _spent(["-c", "import icalendar"])))
    return {
        name: (statistics.median(ours for ours, _ in pairs), statistics.median(theirs for _, theirs in pairs))
        for name, pairs in spent.items()
    }
