"""Commands about what targets keep: measuring an account or a system that only takes files, and foretelling losses."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated, Any

import typer

from datebridge.cli.accounts import Data, Json, Open
from datebridge.cli.output import OK, PROBLEMS, error, say, table

app = typer.Typer()


@app.command("probe")
def probe_account(
    account: Annotated[str, typer.Argument(help="The account's name.")] = "",
    calendar: Annotated[
        str, typer.Option(help="A calendar to measure in, where the account makes none; nothing else in it is touched.")
    ] = "",
    file: Annotated[
        Path | None, typer.Option("--file", help="Write the probe to a file, to be imported by hand.")
    ] = None,
    read: Annotated[
        Path | None, typer.Option("--read", help="Read what a system exports after that, and say what it keeps.")
    ] = None,
    data: Data = None,
    as_json: Json = False,
) -> None:
    """Measure what an account keeps, by writing and reading back. Exit code 1 if anything is lost there."""
    if file is not None:
        _write(file)
    elif read is not None:
        _show(read.name, _measured_in(read), as_json)
    elif not account:
        error("Name an account, or use --file or --read.")
        raise SystemExit(2)
    else:
        with Open(data) as opened:
            name, rows = _measured(opened, account, calendar)
        _show(name, rows, as_json)


def _write(path: Path) -> None:
    from datebridge.services.fidelity.matrices import probe_as_file

    path.write_bytes(probe_as_file())
    say(f"Written to {path}. Import it, export that calendar, then: date-bridge probe --read EXPORT")


def _measured_in(path: Path) -> list[dict[str, object]]:
    from datebridge.core.crossing.files import read_export
    from datebridge.core.keeping import entries_in

    return [one.row() for one in read_export(entries_in(path.read_bytes()))]


def _measured(opened: Open, account: str, calendar: str) -> tuple[str, list[dict[str, Any]]]:
    from datebridge.core.ids import RemoteId
    from datebridge.services.fidelity import probes
    from datebridge.store.accounts import account_named, remotes_of
    from datebridge.store.changesets.draft import CannotApply
    from datebridge.store.fidelity import matrix
    from datebridge.store.tables import demand_id

    with opened.store.read() as connection:
        number = account_named(connection, account)
    if number is None:
        raise CannotApply(f"There is no account called “{account}”.")
    remotes = [one for one in remotes_of(opened.store, number) if one.name == calendar]
    if calendar and not remotes:
        raise CannotApply(f"{account} has no calendar called “{calendar}”.")
    remote = RemoteId(demand_id(remotes[0].id)) if remotes else None
    [result] = opened.do(probes.measure(opened.store, number, remote))
    with opened.store.session() as session:
        row = matrix(session, int(str(result["matrix"])))
        return row.name, row.features


def _show(name: str, rows: list[dict[str, Any]], as_json: bool) -> None:
    from datebridge.clock import now
    from datebridge.core.crossing.catalogue import BY_NAME
    from datebridge.core.moments import from_wall_seconds

    if as_json:
        at = from_wall_seconds(now()).isoformat() + "Z"
        print(json.dumps({"account": name, "at": at, "features": rows}, ensure_ascii=False, indent=2))
    else:
        lost = [row for row in rows if row["verdict"] != "kept"]
        table(
            ("feature", "what", "verdict", ""),
            [(row["feature"], BY_NAME[row["feature"]].words, row["verdict"], row["reason"]) for row in lost],
        )
        say(f"{name} keeps {len(rows) - len(lost)} of {len(rows)} features.")
    raise SystemExit(PROBLEMS if any(row["verdict"] not in ("kept", "not tried") for row in rows) else OK)


@app.command("forecast")
def forecast_files(
    files: Annotated[list[Path], typer.Argument(help="iCalendar files.", show_default=False)],
    fidelity: Annotated[Path, typer.Option("--fidelity", help="A matrix: what probe --json printed.")],
    as_json: Json = False,
) -> None:
    """Say what entries of files would lose at a target. Exit code 1 if they lose anything."""
    from datebridge.core.crossing.catalogue import BY_NAME
    from datebridge.core.crossing.fidelity import learn
    from datebridge.core.crossing.forecast import by_harm, losses_in

    there = learn(_matrix(fidelity))
    losses: dict[tuple[str, str], list[dict[str, str]]] = {}
    for path in files:
        for loss in losses_in(there, path.read_bytes()):
            uid, recurrence_id = loss.key
            losses.setdefault((loss.feature, loss.verdict.value), []).append(
                {"uid": uid, "recurrence_id": recurrence_id}
            )
    rows = [
        {"feature": feature, "verdict": verdict, "entries": entries}
        for (feature, verdict), entries in sorted(losses.items(), key=lambda kind: by_harm(*kind[0]))
    ]
    if as_json:
        print(json.dumps({"losses": rows}, ensure_ascii=False, indent=2))
    elif not rows:
        say("Nothing would be lost.")
    else:
        table(
            ("entries", "what", "becomes"),
            [(f"{len(entries):,}", BY_NAME[kind[0]].words, kind[1]) for kind, entries in losses.items()],
        )
    raise SystemExit(PROBLEMS if rows else OK)


def _matrix(path: Path) -> list[Any]:
    from datebridge.core.crossing.fidelity import Measured, NotAMatrix

    try:
        rows = json.loads(path.read_text("utf-8"))["features"]
        return [Measured.read(row) for row in rows]
    except (ValueError, KeyError, TypeError, AttributeError) as failed:
        raise NotAMatrix(f"{path} is not a matrix, as date-bridge probe --json prints it: {failed}") from failed
