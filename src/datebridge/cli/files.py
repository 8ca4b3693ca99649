"""Commands about files: what is inside, another format, when things happen, what comes of two changed copies."""

from __future__ import annotations

import json
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from datebridge.cli.output import CANNOT, OK, PROBLEMS, error, listed, say, table

if TYPE_CHECKING:
    from datebridge.core.merging.files import MergedCalendar

app = typer.Typer()
#: How many rows of a table are printed.
_SHOWN = 200
_MOMENTS = ["%Y-%m-%d", "%Y-%m-%dT%H:%M", "%Y-%m-%dT%H:%M:%S"]


@app.command("inspect")
def inspect_files(
    files: Annotated[list[Path], typer.Argument(help="iCalendar files.", show_default=False)],
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:
    """Say what is inside files and what is wrong with them. Exit code 1 if there are problems."""
    from datebridge.cli.inspect import inspect_files as run

    run(files, as_json)


@app.command()
def convert(
    source: Annotated[Path, typer.Argument(metavar="IN", help="A .ics or .json (jCal) file.", show_default=False)],
    target: Annotated[Path, typer.Argument(metavar="OUT", help="A .ics, .json or .csv file.", show_default=False)],
    zone: Annotated[str, typer.Option(help="Zone for the times in a .csv; each in its own if not given.")] = "",
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:
    """Write a file in another format, chosen by the endings. Exit code 1 if the file has problems."""
    from datebridge.services.exports.convert import CannotConvert
    from datebridge.services.exports.convert import convert as run
    from datebridge.services.look.details import is_zone

    try:
        if zone and not is_zone(zone):
            raise CannotConvert(f"“{zone}” is not a time zone.")
        inspection = run(source, target, zone)
    except CannotConvert as failed:
        error(str(failed))
        raise SystemExit(CANNOT) from failed
    if as_json:
        print(json.dumps({"in": inspection.as_dict(str(source)), "out": str(target)}, ensure_ascii=False))
    else:
        say(f"{target}: {inspection.summary.entries:,} entries, {len(inspection.problems):,} problems")
    raise SystemExit(PROBLEMS if inspection.problems else OK)


@app.command("expand")
def expand_file(
    file: Annotated[Path, typer.Argument(help="An iCalendar file.", show_default=False)],
    begin: Annotated[datetime, typer.Option("--from", formats=_MOMENTS, help="The first day, or moment.")],
    end: Annotated[
        datetime, typer.Option("--to", formats=_MOMENTS, help="The day or moment before which the span ends.")
    ],
    zone: Annotated[
        str, typer.Option(help="Zone for both, and for the times shown; without it UTC, and each in its own.")
    ] = "",
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
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
        error("--to is before --from.")
        raise SystemExit(CANNOT)
    with file.open("rb") as source:
        inspection = inspect(source, keep=True)
    low, high = Moment(begin).wall_seconds, Moment(end).wall_seconds
    happening, cancelled, cut = expand(inspection.components, low, high, resolve(zone).zone if zone else "")
    if as_json:
        listed("occurrences", (asdict(expanded) for expanded in happening), {"cut": cut} if cut else {})
    else:
        rows = [(expanded.start, expanded.end, expanded.summary) for expanded in happening]
        table(("start", "end", "what"), rows, f"{len(happening):,} occurrences")
        if cancelled:
            say(f"  {cancelled:,} more are cancelled.")
        for title in cut:
            say(f"  “{title}” happens more often than can be listed; not all of its times are here.")
        if inspection.problems:
            say(f"  {len(inspection.problems):,} problems in the file; “date-bridge inspect” lists them.")
    raise SystemExit(PROBLEMS if inspection.problems or cut else OK)


@app.command("duplicates")
def duplicates_in_files(
    files: Annotated[list[Path], typer.Argument(help="iCalendar files.", show_default=False)],
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:
    """Say which entries are the same meeting, within files and across them. Exit code 1 if there are any."""
    from datebridge.core.language.plural import counted
    from datebridge.core.matching.files import duplicates_in
    from datebridge.core.text.reader import Reader

    read = {}
    for path in files:
        with path.open("rb") as source:
            read[str(path)] = list(Reader(source))
    groups, cut = duplicates_in(read)
    if as_json:
        told = [
            {
                "kind": group.kind.value,
                "score": group.score,
                "reasons": list(group.reasons),
                "members": [
                    {"file": member.file, "uid": member.uid, "recurrence_id": member.recurrence_id}
                    for member in group.members
                ],
            }
            for group in groups
        ]
        print(json.dumps({"groups": told, **({"cut": True} if cut else {})}, ensure_ascii=False, indent=2))
    else:
        rows = [
            (group.kind.value, f"{group.score:.2f}", group.members[0].title, str(len(group.members)), group.reasons[0])
            for group in groups[:200]
        ]
        table(("kind", "sure", "what", "entries", "because"), rows, counted(len(groups), "group"))
        if len(groups) > 200:
            say(f"  … and {len(groups) - 200:,} more; --json lists them all.")
        if cut:
            say("  Some series happen more often than can be listed; not all of their times were compared.")
    raise SystemExit(PROBLEMS if groups else OK)


@app.command("check")
def check_files(
    files: Annotated[list[Path], typer.Argument(help="iCalendar files.", show_default=False)],
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:
    """Say what the checks find in files, and whether it can be fixed. Exit code 1 if there is anything."""
    from datebridge.core.checks import is_fixable, severity_of, title_of
    from datebridge.core.inspection import inspect
    from datebridge.core.language.plural import counted

    findings = []
    for path in files:
        with path.open("rb") as source:
            inspection = inspect(source, keep=True)
        recurrence_at = inspection.recurrences()
        for problem in inspection.problems:
            told = {
                "check": problem.code,
                "severity": severity_of(problem.code),
                "file": str(path),
                "line": problem.line,
                "uid": problem.uid,
                "recurrence_id": recurrence_at(problem.line),
                "message": problem.message,
                "fixable": is_fixable(problem.code),
            }
            findings.append(told)
    if as_json:
        print(json.dumps({"findings": findings}, ensure_ascii=False, indent=2))
    else:
        counts: dict[str, int] = {}
        for one in findings:
            counts[str(one["check"])] = counts.get(str(one["check"]), 0) + 1
        rows = [
            (severity_of(code), code, title_of(code), f"{number:,}", "fixable" if is_fixable(code) else "")
            for code, number in sorted(counts.items(), key=lambda item: -item[1])
        ]
        table(("severity", "check", "what is wrong", "findings", ""), rows, counted(len(findings), "finding"))
    raise SystemExit(PROBLEMS if findings else OK)


@app.command("clean")
def clean_files(
    recipe: Annotated[Path, typer.Argument(metavar="RECIPE", help="A recipe, as Look exports it.", show_default=False)],
    files: Annotated[list[Path], typer.Argument(help="iCalendar files.", show_default=False)],
    out: Annotated[
        Path | None, typer.Option(help="Folder for the cleaned files; beside each as NAME.clean.ics if not given.")
    ] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:
    """Write files as a recipe makes them; the originals stay. Exit code 1 if some entries could not be changed so."""
    from datebridge.services.mend.clean import clean
    from datebridge.services.mend.recipes import read_file

    read = read_file(recipe.read_bytes(), recipe.name)
    cleaned = [clean(read, path, out) for path in files]
    if as_json:
        print(json.dumps({"files": [one.as_dict() for one in cleaned]}, ensure_ascii=False, indent=2))
    else:
        rows = [
            (one.path, one.out, f"{one.changed:,}", f"{one.deleted:,}", f"{one.kept:,}", f"{len(one.not_changed):,}")
            for one in cleaned
        ]
        table(("file", "written to", "changed", "deleted", "as they were", "cannot be"), rows, read.name)
        whys: dict[str, int] = {}
        for one in cleaned:
            for _, why in one.not_changed:
                whys[why] = whys.get(why, 0) + 1
        for why, number in sorted(whys.items(), key=lambda item: -item[1])[:20]:
            say(f"  {number:,} × {why}")
    raise SystemExit(PROBLEMS if any(one.not_changed for one in cleaned) else OK)


@app.command("merge")
def merge_files(
    base: Annotated[Path, typer.Argument(metavar="BASE", help="The file both began with.", show_default=False)],
    left: Annotated[Path, typer.Argument(metavar="LEFT", help="What became of it on one side.", show_default=False)],
    right: Annotated[Path, typer.Argument(metavar="RIGHT", help="What became of it on the other.", show_default=False)],
    out: Annotated[Path | None, typer.Option(help="Write the merged calendar into this file.")] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:
    """Merge two changed copies of a calendar. Exit code 1 if fields are in conflict.

    What one side changed is taken, field by field and occurrence by occurrence. A field that both changed, and not
    alike, is a conflict: in the file that is written it keeps the value of BASE.
    """
    from datebridge.core.merging.files import merge_calendars, read_calendar

    merged = merge_calendars(*(read_calendar(path.read_bytes(), str(path)) for path in (base, left, right)))
    if out is not None:
        with out.open("wb") as file:
            for piece in merged.write():
                file.write(piece)
    if as_json:
        print(json.dumps({"summary": merged.summary(), "conflicts": _conflicts(merged)}, ensure_ascii=False, indent=2))
    else:
        _tell(merged, out)
    raise SystemExit(PROBLEMS if merged.conflicts else OK)


def _conflicts(merged: MergedCalendar) -> list[dict[str, str | None]]:
    return [
        {
            "uid": uid,
            "recurrence_id": one.place[1] or None,
            "field": one.name,
            "base": "\n".join(one.base) or None,
            "left": "\n".join(one.left) or None,
            "right": "\n".join(one.right) or None,
        }
        for uid, one in merged.conflicts
    ]


def _tell(merged: MergedCalendar, out: Path | None) -> None:
    counts = merged.summary()
    say(
        f"{counts['from_left']:,} entries changed on the left, {counts['from_right']:,} on the right,"
        f" {counts['both']:,} on both sides; {counts['same']:,} unchanged."
    )
    rows = [
        (uid, one.place[1], one.name or "the whole entry", *(_short(side) for side in (one.base, one.left, one.right)))
        for uid, one in merged.conflicts[:_SHOWN]
    ]
    if rows:
        table(("uid", "occurrence", "field", "base", "left", "right"), rows, f"{len(merged.conflicts):,} in conflict")
    if len(merged.conflicts) > _SHOWN:
        say(f"  … and {len(merged.conflicts) - _SHOWN:,} more; --json lists them all.")
    if out is not None:
        say(f"Written to {out}." + (" Fields in conflict are as in the first file." if rows else ""))


def _short(lines: tuple[str, ...]) -> str:
    """A field's lines in a cell; an entry by its title."""
    titled = next((line for line in lines if line.startswith("SUMMARY")), "") if len(lines) > 1 else ""
    text = titled or " ".join(lines)
    return text[:60] + ("…" if len(text) > 60 else "")
