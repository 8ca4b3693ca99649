"""Commands about crossings: planned, rehearsed, run, verified, reported; fit for a timer."""

from __future__ import annotations

import json
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from datebridge.cli.accounts import Data, Json, Open
from datebridge.cli.output import OK, PROBLEMS, error, say, table

if TYPE_CHECKING:
    from datebridge.core.ids import CalendarId, CrossingId
    from datebridge.services.crossing.plans import LaneView

app = typer.Typer(help="Plan a move, rehearse it, carry it out, prove it.", no_args_is_help=True)
Name = Annotated[str, typer.Argument(help="The crossing's name.", show_default=False)]


@app.command("plan")
def plan(
    name: Name,
    to: Annotated[str, typer.Option(help="The account it goes to; only for a new crossing.")] = "",
    source: Annotated[
        list[str] | None, typer.Option("--from", help="An account, or a calendar, that moves; several times.")
    ] = None,
    sheet: Annotated[Path | None, typer.Option(help="Put the lanes of this sheet in place of those there are.")] = None,
    out: Annotated[Path | None, typer.Option(help="Write the lanes as a sheet.")] = None,
    data: Data = None,
    as_json: Json = False,
) -> None:
    """Plan a crossing, or show and change the lanes of one. Exit code 1 if a lane is blocked or a row is unreadable."""
    from datebridge.services.crossing import plan_sheets, plans

    with Open(data) as opened:
        number = _found(opened, name) if not source else _made(opened, name, to, source)
        if sheet is not None:
            unreadable = plan_sheets.from_sheet(opened.store, number, sheet.read_text("utf-8-sig"))
            for row in unreadable:
                error(str(row))
            if unreadable:
                raise SystemExit(PROBLEMS)
        if out is not None:
            out.write_text(plan_sheets.as_sheet(opened.store, number), "utf-8", newline="")
        _, views = plans.lane_views(opened.store, number)
        _show(views, as_json)
        raise SystemExit(PROBLEMS if any(view.blocks for view in views) else OK)


@app.command("rehearse")
def rehearse(name: Name, data: Data = None, as_json: Json = False) -> None:
    """Propose everything that would be carried; nothing is. Exit code 1 if a lane cannot be carried."""
    from datebridge.services.crossing import plans, running

    with Open(data) as opened:
        number = _found(opened, name)
        opened.do(running.rehearse(opened.store, number))
        _, views = plans.lane_views(opened.store, number)
        _show(views, as_json)
        raise SystemExit(PROBLEMS if _trouble(views) else OK)


@app.command("run")
def run(
    name: Name,
    delete_many: Annotated[
        bool, typer.Option("--delete-many", help="Very many deletions at the source were looked at, and are meant.")
    ] = False,
    data: Data = None,
    as_json: Json = False,
) -> None:
    """Carry what is new, changed or gone. Exit code 1 if something was not carried or waits for a decision."""
    from datebridge.services.crossing import deciding, plans, running

    with Open(data) as opened:
        number = _found(opened, name)
        opened.do(running.run(opened.store, number, delete_many=delete_many))
        _, views = plans.lane_views(opened.store, number)
        waiting = len(deciding.undecided(opened.store, number))
        _show(views, as_json, waiting)
        raise SystemExit(PROBLEMS if waiting or _trouble(views) else OK)


@app.command("verify")
def verify(name: Name, data: Data = None, as_json: Json = False) -> None:
    """Compare both ends. Exit code 1 if a difference is left that nobody can explain."""
    from datebridge.services.crossing import plans, verifying

    with Open(data) as opened:
        number = _found(opened, name)
        opened.do(verifying.verify_lanes(opened.store, number))
        _, views = plans.lane_views(opened.store, number)
        _show(views, as_json)
        raise SystemExit(PROBLEMS if any(view.row.verified.get("unexplained", 0) for view in views) else OK)


@app.command("report")
def report(
    name: Name,
    out: Annotated[Path, typer.Option(help="Where to write it: a page, or JSON where its name ends so.")],
    data: Data = None,
) -> None:
    """Write the signed report."""
    from datebridge.core.crossing.report_page import as_page
    from datebridge.services.crossing import reports

    with Open(data) as opened:
        document = reports.make(opened.store, opened.settings, _found(opened, name))
        text = json.dumps(document, ensure_ascii=False, indent=1) if out.suffix == ".json" else as_page(document)
        out.write_text(text, "utf-8", newline="")
        say(f"Written: {out}")


def verify_report(
    file: Annotated[Path, typer.Argument(help="A report: its page, or its JSON.", show_default=False)],
    sides: Annotated[bool, typer.Option("--sides", help="Compare it with both ends, as they are known here.")] = False,
    data: Data = None,
    as_json: Json = False,
) -> None:
    """Check whether a report of a crossing is as it was signed. Exit code 1 if it tells of unexplained differences."""
    from datebridge.core.errors import CannotDo
    from datebridge.services.crossing import reports

    try:
        if sides:
            with Open(data) as opened:
                checked = reports.check(file.read_bytes(), opened.store, opened.settings)
        else:
            checked = reports.check(file.read_bytes())
    except (OSError, CannotDo) as failed:
        error(str(failed))
        raise SystemExit(2) from failed
    if as_json:
        print(json.dumps(checked.as_dict(), ensure_ascii=False, indent=2))
    else:
        say(f"{checked.name}, made {checked.made}: as it was signed, with the key {checked.key}.")
        say(f"{checked.lanes:,} lanes, {checked.unexplained:,} differences that nobody can explain.")
        for side in checked.sides:
            say(f"{side['lane']}: the source is {side['source']}, the target {side['target']}.")
    changed = any("changed since" in side.values() for side in checked.sides)
    raise SystemExit(PROBLEMS if checked.unexplained or changed else OK)


def _found(opened: Open, name: str) -> CrossingId:
    from datebridge.core.ids import CrossingId
    from datebridge.store.crossings import crossing_named
    from datebridge.store.tables import demand_id

    with opened.store.session() as session:
        return CrossingId(demand_id(crossing_named(session, name).id))


def _made(opened: Open, name: str, to: str, sources: list[str]) -> CrossingId:
    from datebridge.core.crossing.options import NoPlan
    from datebridge.services.crossing import plans
    from datebridge.store.accounts import account_named
    from datebridge.store.calendars import all_facts

    with opened.store.read() as connection:
        account = account_named(connection, to) if to else None
        every = list(all_facts(connection).values())
    if to and account is None:
        raise NoPlan(f"There is no account called “{to}”.")
    chosen: list[CalendarId] = []
    for source in sources:
        fitting = [one.id for one in every if source.lower() in (one.name.lower(), one.account.lower())]
        if not fitting:
            raise NoPlan(f"There is no account or calendar called “{source}”.")
        chosen += fitting
    return plans.make(opened.store, name, chosen, account)


def _trouble(views: list[LaneView]) -> bool:
    return any(view.row.going and (view.row.state == "failed" or view.blocks or view.refusals) for view in views)


def _show(views: list[LaneView], as_json: bool, waiting: int = 0) -> None:
    rows = [_row(view) for view in views]
    if as_json:
        print(json.dumps({"lanes": rows, "decisions": waiting}, ensure_ascii=False, indent=2))
        return
    heads = ("source", "target", "entries", "would carry", "unexplained", "state", "message")
    table(heads, [[_cell(row[head]) for head in heads] for row in rows])
    if waiting:
        say(f"{waiting:,} entries wait for a decision.")


def _cell(value: object) -> str:
    return f"{value:,}" if isinstance(value, int) else str(value)


def _row(view: LaneView) -> dict[str, object]:
    row, proposal = view.row, view.proposal
    carried = proposal.creates + proposal.updates + proposal.deletes if proposal is not None else 0
    message = "; ".join(filter(None, (*view.blocks, row.message, *(one.reason for one in view.refusals))))
    return {
        "source": view.source.name if view.source is not None else "",
        "target": view.target.name if view.target is not None else row.target_name,
        "going": row.going,
        "entries": view.contents.entries,
        "shared": view.shared,
        "would carry": carried,
        "verified": row.verified,
        "unexplained": row.verified.get("unexplained", 0),
        "state": row.state or ("planned" if row.going else "left out"),
        "message": message,
    }
