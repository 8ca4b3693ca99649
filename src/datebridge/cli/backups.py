"""Commands for bad days: a backup of the data, putting one back, and what can still be read of damaged data."""

from __future__ import annotations

# What a command needs is imported when it runs, so that --help and a look into a file start at once.
import json
from pathlib import Path
from typing import Annotated

import typer

from datebridge.cli.output import OK, PROBLEMS, error, say
from datebridge.cli.serving import DataDir, settings_of

app = typer.Typer()
Json = Annotated[bool, typer.Option("--json", help="Print JSON.")]


@app.command()
def backup(
    to: Annotated[Path, typer.Argument(help="The file to write.", show_default=False)],
    data: DataDir = None,
    as_json: Json = False,
) -> None:
    """Write a backup of the data to one file, also while the application runs. Passwords need secret.key besides."""
    from datebridge.store.soundness import CannotOpen, back_up

    settings = settings_of(data)
    if not settings.database.is_file():
        raise CannotOpen(f"There is no data in {settings.data_dir}.")
    back_up(settings.database, to)
    size = to.stat().st_size
    print(json.dumps({"backup": str(to), "bytes": size})) if as_json else say(f"{to} has {size:,} bytes.")


@app.command()
def restore(
    backup: Annotated[Path, typer.Argument(help="A file that “backup” wrote.", show_default=False)],
    data: DataDir = None,
    as_json: Json = False,
) -> None:
    """Put a backup in the place of the data. What was there before is kept beside it."""
    from datebridge.services.instance_lock import instance_lock
    from datebridge.store.soundness import put_back

    settings = settings_of(data)
    with instance_lock(settings):
        aside = put_back(backup, settings.database)
    if as_json:
        print(json.dumps({"restored": str(settings.database), "before": str(aside or "")}))
    else:
        say(f"{settings.database} is as the backup has it." + (f" What was there before is {aside}." if aside else ""))


@app.command()
def rescue(
    folder: Annotated[Path, typer.Argument(help="Where the files go.", show_default=False)],
    data: DataDir = None,
    as_json: Json = False,
) -> None:
    """Write what can still be read of damaged data to .ics files, a calendar each. Exit code 1 if anything is lost."""
    from datebridge.core.text.writer import write_calendar
    from datebridge.store.private import make_private, open_private
    from datebridge.store.soundness import rescue as read_rest

    settings = settings_of(data)
    make_private(folder)
    lost: list[int] = []
    written: list[dict[str, object]] = []
    for number, (name, texts) in enumerate(read_rest(settings.database, lost.append), 1):
        own = [text for text in texts[:1] if text.startswith("BEGIN:VCALENDAR")]
        path = folder / f"{number} {''.join(c if c.isalnum() or c in ' -_' else '_' for c in name)[:80].strip()}.ics"
        with open_private(path) as out:
            out.writelines(write_calendar(own[0] if own else "BEGIN:VCALENDAR\nEND:VCALENDAR", [], texts[len(own) :]))
        written.append({"path": str(path), "calendar": name, "entries": len(texts) - len(own)})
    if as_json:
        print(json.dumps({"files": written, "unreadable": sum(lost)}, ensure_ascii=False))
    else:
        for one in written:
            say(f"{one['path']}: {one['entries']:,} entries")
        if sum(lost):
            error(f"{sum(lost):,} entries could not be read.")
    raise SystemExit(PROBLEMS if sum(lost) or not written else OK)
