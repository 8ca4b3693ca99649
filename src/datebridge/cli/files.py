"""Commands about files: what is inside, another format, when things happen."""

from __future__ import annotations

import json
from datetime import datetime
from pathlib import Path
from typing import Annotated

import typer

from datebridge.cli.output import CANNOT, OK, PROBLEMS, error, say, table

app = typer.Typer()
_MOMENTS = ["%Y-%m-%d", "%Y-%m-%dT%H:%M", "%Y-%m-%dT%H:%M:%S"]


@app.command("inspect")
def inspect_files(
    files: Annotated[list[Path], typer.Argument(help="iCalendar files.", show_default=False)],
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON for machines.")] = False,
) -> None:
    """Say what is inside files and what is wrong with them. Exit code 1 if there are problems."""
    from datebridge.cli.inspect import inspect_files as run

    run(files, as_json)


@app.command()
def convert(
    source: Annotated[Path, typer.Argument(metavar="IN", help="A .ics or .json (jCal) file.", show_default=False)],
    target: Annotated[Path, typer.Argument(metavar="OUT", help="A .ics, .json or .csv file.", show_default=False)],
    zone: Annotated[str, typer.Option(help="Zone for the times in a .csv; each in its own if not given.")] = "",
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON for machines.")] = False,
) -> None:
    """Write a file in another format, chosen by the endings. Exit code 1 if the file has problems."""
    from datebridge.services.exports.convert import CannotConvert
    from datebridge.services.exports.convert import convert as run
    from datebridge.services.look.details import is_zone

    try:
        if zone and not is_zone(zone):
            raise CannotConvert(f"“{zone}” is not a time zone.")
        found = run(source, target, zone)
    except CannotConvert as failed:
        error(str(failed))
        raise SystemExit(CANNOT) from failed
    if as_json:
        print(json.dumps({"in": found.as_dict(str(source)), "out": str(target)}, ensure_ascii=False))
    else:
        say(f"{target}: {found.summary.entries:,} entries, {len(found.problems):,} problems")
    raise SystemExit(PROBLEMS if found.problems else OK)


@app.command("expand")
def expand_file(
    file: Annotated[Path, typer.Argument(help="An iCalendar file.", show_default=False)],
    begin: Annotated[datetime, typer.Option("--from", formats=_MOMENTS, help="The first day, or moment.")],
    end: Annotated[datetime, typer.Option("--to", formats=_MOMENTS, help="The day or moment it ends before.")],
    zone: Annotated[
        str, typer.Option(help="Zone for both, and for the times shown; without it UTC, and each in its own.")
    ] = "",
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON for machines.")] = False,
) -> None:
    """Say when the events of a file happen: all that overlaps the span. Exit code 1 if the file has problems."""
    from dataclasses import asdict

    from datebridge.core.inspection import inspect
    from datebridge.core.moments import Moment
    from datebridge.core.tzids import resolve
    from datebridge.core.views.expansion import expand

    if zone and resolve(zone).method != "iana":
        error(f"“{zone}” is not a time zone.")
        raise SystemExit(CANNOT)
    if end <= begin:
        error("--to lies before --from: there is nothing in between.")
        raise SystemExit(CANNOT)
    with file.open("rb") as source:
        found = inspect(source, keep=True)
    low, high = Moment(begin).wall_seconds, Moment(end).wall_seconds
    happening, cancelled, cut = expand(found.components, low, high, resolve(zone).zone if zone else "")
    if as_json:
        told = {"occurrences": [asdict(one) for one in happening], **({"cut": cut} if cut else {})}
        print(json.dumps(told, ensure_ascii=False, indent=2))
    else:
        rows = [(one.start, one.end, one.summary) for one in happening]
        table(("start", "end", "what"), rows, f"{len(happening):,} occurrences")
        if cancelled:
            say(f"  {cancelled:,} more are cancelled, so they do not happen.")
        for title in cut:
            say(f"  “{title}” happens more often than can be listed; not all of its times are here.")
        if found.problems:
            say(f"  {len(found.problems):,} problems in the file; “date-bridge inspect” lists them.")
    raise SystemExit(PROBLEMS if found.problems or cut else OK)
