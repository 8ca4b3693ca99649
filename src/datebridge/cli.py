"""The command line: the same engine without the browser."""

from __future__ import annotations

import json
import socket
import time
from dataclasses import asdict
from datetime import datetime
from pathlib import Path
from typing import Annotated

import typer
from rich.console import Console
from rich.markup import escape
from rich.progress import Progress
from rich.table import Table

from datebridge import cli_accounts
from datebridge.core.expansion import expand
from datebridge.core.inspection import Inspection, inspect
from datebridge.core.moments import Moment
from datebridge.core.zones.names import resolve
from datebridge.settings import Settings

app = typer.Typer(
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
    help="Date Bridge: brings calendar data from where it is to where it must be.",
)
app.add_typer(cli_accounts.app, name="accounts")
for command in (cli_accounts.pull, cli_accounts.push, cli_accounts.copy):
    app.command()(command)
out = Console()
err = Console(stderr=True)

OK, PROBLEMS, CANNOT = 0, 1, 2
_MOMENTS = ["%Y-%m-%d", "%Y-%m-%dT%H:%M", "%Y-%m-%dT%H:%M:%S"]
DataDir = Annotated[
    Path | None, typer.Option("--data", help="Where the data is kept.", show_default="the user's data folder")
]
Port = Annotated[int | None, typer.Option(help="The port to listen on.", show_default="8137, or the next free one")]
Host = Annotated[str | None, typer.Option(help="The address to listen on.", show_default="127.0.0.1")]


def main() -> None:
    """Entry point: errors in words, exit code 2 where something could not be done."""
    try:
        app()
    except OSError as error:
        err.print(f"[red]{escape(str(error.filename or ''))}: {escape(str(error.strerror or error))}[/]")
        raise SystemExit(CANNOT) from error


@app.command("inspect")
def inspect_files(
    files: Annotated[list[Path], typer.Argument(help="iCalendar files.", show_default=False)],
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON for machines.")] = False,
) -> None:
    """Say what is inside files and what is wrong with them. Exit code 1 if there are problems."""
    found: list[tuple[Path, Inspection]] = []
    for path in files:
        with path.open("rb") as source:
            found.append((path, inspect(source)))
    if as_json:
        print(json.dumps({"files": [one.as_dict(str(path)) for path, one in found]}, ensure_ascii=False, indent=2))
    else:
        for path, one in found:
            _show(path, one)
    raise SystemExit(PROBLEMS if any(one.problems for _, one in found) else OK)


def _show(path: Path, one: Inspection) -> None:
    s = one.summary.as_dict()
    out.print(f"[bold]{escape(str(path))}[/]  {one.octets:,} octets, {one.encoding}, calendars: {one.calendars}")
    out.print(
        f"  {s['events']:,} events ({s['series']:,} series, {s['overrides']:,} overrides), {s['todos']:,} to-dos,"
        f" {s['journals']:,} journal entries; {s['first'] or '–'} to {s['last'] or '–'}"
    )
    for zone in s["zones"]:
        meaning = zone["zone"] or "unknown"
        out.print(f"  zone {escape(zone['tzid'])} = {meaning} ({zone['method']}), {zone['events']:,} entries")
    for name, count in s["features"].items():
        out.print(f"  {name}: {count:,}")
    if one.problems:
        table = Table("line", "severity", "what is wrong", "what was done", title=f"{len(one.problems):,} problems")
        for problem in one.problems[:200]:
            table.add_row(str(problem.line), problem.severity, escape(problem.message), escape(problem.done))
        out.print(table)
        if len(one.problems) > 200:
            out.print(f"  … and {len(one.problems) - 200:,} more; --json lists them all.")


@app.command()
def convert(
    source: Annotated[Path, typer.Argument(metavar="IN", help="A .ics or .json (jCal) file.", show_default=False)],
    target: Annotated[Path, typer.Argument(metavar="OUT", help="A .ics, .json or .csv file.", show_default=False)],
    zone: Annotated[str, typer.Option(help="Zone for the times in a .csv; each in its own if not given.")] = "",
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON for machines.")] = False,
) -> None:
    """Write a file in another format, chosen by the endings. Exit code 1 if the file has problems."""
    from datebridge.services.converting import CannotConvert
    from datebridge.services.converting import convert as run
    from datebridge.services.details import is_zone

    try:
        if zone and not is_zone(zone):
            raise CannotConvert(f"“{zone}” is not a time zone.")
        found = run(source, target, zone)
    except CannotConvert as error:
        err.print(f"[red]{escape(str(error))}[/]")
        raise SystemExit(CANNOT) from error
    if as_json:
        print(json.dumps({"in": found.as_dict(str(source)), "out": str(target)}, ensure_ascii=False))
    else:
        out.print(f"{escape(str(target))}: {found.summary.entries:,} entries, {len(found.problems):,} problems")
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
    if zone and resolve(zone).method != "iana":
        err.print(f"[red]“{escape(zone)}” is not a time zone.[/]")
        raise SystemExit(CANNOT)
    if end <= begin:
        err.print("[red]--to lies before --from: there is nothing in between.[/]")
        raise SystemExit(CANNOT)
    with file.open("rb") as source:
        found = inspect(source, keep=True)
    low, high = Moment(begin).wall_seconds, Moment(end).wall_seconds
    happening, cancelled = expand(found.components, low, high, resolve(zone).zone if zone else "")
    if as_json:
        print(json.dumps({"occurrences": [asdict(one) for one in happening]}, ensure_ascii=False, indent=2))
    else:
        table = Table("start", "end", "what", title=f"{len(happening):,} occurrences")
        for one in happening:
            table.add_row(one.start, one.end, escape(one.summary))
        out.print(table)
        if cancelled:
            out.print(f"  {cancelled:,} more are cancelled, so they do not happen.")
        if found.problems:
            out.print(f"  {len(found.problems):,} problems in the file; “date-bridge inspect” lists them.")
    raise SystemExit(PROBLEMS if found.problems else OK)


@app.command()
def reindex(
    data: DataDir = None, as_json: Annotated[bool, typer.Option("--json", help="Print JSON for machines.")] = False
) -> None:
    """Make the index columns anew from the entries' texts. Exit code 1 if any of them differed."""
    from datebridge.store.database import Store
    from datebridge.store.versions import reindex as run

    settings = _settings(data)
    if not settings.database.is_file():
        err.print(f"[red]There is no data in {escape(str(settings.data_dir))}.[/]")
        raise SystemExit(CANNOT)
    store = Store(settings.database)
    with Progress(console=err, transient=True) as progress, store.write() as connection:
        task = progress.add_task("Reindexing")
        changed = run(connection, lambda done, total: progress.update(task, completed=done, total=total))
    if as_json:
        print(json.dumps({"changed": changed}))
    else:
        out.print(f"{changed:,} entries had another index before." if changed else "The index was as it should be.")
    raise SystemExit(PROBLEMS if changed else OK)


@app.command()
def serve(data: DataDir = None, host: Host = None, port: Port = None) -> None:
    """Start the application."""
    _serve(_settings(data, host, port), "Date Bridge")


@app.command()
def demo(
    data: DataDir = None,
    host: Host = None,
    port: Port = None,
    fresh: Annotated[bool, typer.Option("--fresh", help="Begin again with untouched sample data.")] = False,
) -> None:
    """Start the application with the sample scenario: the Skerrow Marine Observatory."""
    from datebridge.demo.setup import standins as simulated
    from datebridge.demo.setup import with_standins

    settings = _demo_settings(data, host, port)
    _prepare(settings, fresh)
    with simulated(settings) as addresses:
        _serve(
            with_standins(settings),
            f"Date Bridge with sample data (files in {settings.data_dir / 'sample-files'})",
            _say_standins(addresses),
        )


@app.command("standins")
def run_standins(
    data: DataDir = None,
    fresh: Annotated[bool, typer.Option("--fresh", help="Begin again with untouched sample data.")] = False,
) -> None:
    """Run the simulated servers of the sample scenario alone, for other programs to connect to."""
    from datebridge.demo.setup import standins as simulated

    settings = _demo_settings(data)
    _prepare(settings, fresh)
    with simulated(settings) as addresses:
        out.print(_say_standins(addresses), soft_wrap=True, highlight=False)
        out.print("Ctrl+C stops them.")
        try:
            while True:
                time.sleep(3600)
        except KeyboardInterrupt:
            return


def _say_standins(addresses: dict[str, str]) -> str:
    from datebridge.demo.scenario import OFFICE
    from datebridge.demo.world import PASSWORD

    rows = [f"  {name:12} {address}/" for name, address in addresses.items()]
    return "\n".join([f"Simulated servers (user {OFFICE}, password {PASSWORD}):", *rows])


def _demo_settings(data: Path | None, host: str | None = None, port: int | None = None) -> Settings:
    settings = _settings(data, host, port)
    return settings if data is not None else settings.model_copy(update={"data_dir": settings.data_dir / "demo"})


def _prepare(settings: Settings, fresh: bool) -> None:
    from datebridge.demo.setup import prepare

    with Progress(console=err, transient=True) as progress:
        task = progress.add_task("Preparing the sample scenario", total=None)

        def report(done: int, total: int) -> None:
            progress.update(task, completed=done, total=total)

        prepare(settings, fresh, report)


def _settings(data: Path | None, host: str | None = None, port: int | None = None) -> Settings:
    given = {"data_dir": data, "host": host, "port": port}
    return Settings(**{name: value for name, value in given.items() if value is not None})  # type: ignore[arg-type]


def _serve(settings: Settings, what: str, besides: str = "") -> None:
    import uvicorn

    from datebridge.api.application import WEB, create_app

    if not (WEB / "index.html").is_file():
        err.print("[yellow]The pages are not built; only the programming interface answers. Run “make build”.[/]")
    listener = _listener(settings)
    address = f"http://{settings.host}:{listener.getsockname()[1]}/"
    out.print(f"{escape(what)} is at [bold]{address}[/]  (Ctrl+C stops it)", highlight=False, soft_wrap=True)
    if besides:
        out.print(escape(besides), highlight=False, soft_wrap=True)
    server = uvicorn.Server(uvicorn.Config(create_app(settings), log_level="warning", server_header=False))
    server.run(sockets=[listener])


def _listener(settings: Settings) -> socket.socket:
    """A socket on the wanted port, or on the next free one if that port is taken."""
    for port in (settings.port, *range(settings.port + 1, settings.port + 20), 0):
        # Said to be TCP, or asyncio leaves Nagle's algorithm on and every answer waits 40 ms for an acknowledgement.
        family = socket.AF_INET6 if ":" in settings.host else socket.AF_INET
        listener = socket.socket(family, socket.SOCK_STREAM, socket.IPPROTO_TCP)
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind((settings.host, port))
            listener.listen(128)  # so that who reads the address can connect at once
        except OSError:
            listener.close()
            continue
        return listener
    raise OSError(f"no port is free on {settings.host}")
