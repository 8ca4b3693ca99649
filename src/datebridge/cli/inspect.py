"""``date-bridge inspect``: what is inside files and what is wrong with them."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path

from datebridge.cli.output import OK, PROBLEMS, say, table
from datebridge.core.checks import severity_of
from datebridge.core.inspection import Inspection, inspect


def inspect_files(files: Sequence[Path], as_json: bool) -> None:
    """Print what is in the files and end with the exit code: 1 if there are problems.

    Raises:
        OSError: if a file cannot be read.
    """
    inspections: list[tuple[Path, Inspection]] = []
    for path in files:
        with path.open("rb") as source:
            inspections.append((path, inspect(source)))
    if as_json:
        print(
            json.dumps(
                {"files": [inspection.as_dict(str(path)) for path, inspection in inspections]},
                ensure_ascii=False,
                indent=2,
            )
        )
    else:
        for path, inspection in inspections:
            _show(path, inspection)
    raise SystemExit(PROBLEMS if any(inspection.problems for _, inspection in inspections) else OK)


def _show(path: Path, inspection: Inspection) -> None:
    s = inspection.summary.as_dict()
    say(f"{path}  {inspection.size:,} bytes, {inspection.encoding}, calendars: {inspection.calendars}")
    say(
        f"  {s['events']:,} events ({s['series']:,} series, {s['overrides']:,} overrides), {s['todos']:,} to-dos,"
        f" {s['journals']:,} journal entries; {s['first'] or '–'} to {s['last'] or '–'}"
    )
    for zone in s["zones"]:
        meaning = zone["zone"] or ("as the file defines it" if zone["method"] == "defined" else "unknown")
        say(f"  zone {zone['tzid']} = {meaning} ({zone['method']}), {zone['events']:,} entries")
    for name, count in s["features"].items():
        say(f"  {name}: {count:,}")
    if inspection.problems:
        rows = [(str(p.line), severity_of(p.code), p.message, p.done) for p in inspection.problems[:200]]
        table(("line", "severity", "what is wrong", "what was done"), rows, f"{len(inspection.problems):,} problems")
        if len(inspection.problems) > 200:
            say(f"  … and {len(inspection.problems) - 200:,} more; --json lists them all.")
