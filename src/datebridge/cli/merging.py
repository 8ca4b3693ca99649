"""The command that puts three files together: what two people made of one calendar."""

from __future__ import annotations

import json
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from datebridge.cli.output import OK, PROBLEMS, say, table

if TYPE_CHECKING:
    from datebridge.core.merging.files import MergedCalendar

app = typer.Typer()
#: How many rows of a table are printed.
_SHOWN = 200


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
