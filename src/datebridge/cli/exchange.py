"""Commands between here and where calendars live: refreshing, pushing, copying."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING, Annotated

import typer

from datebridge.cli.accounts import Data, Json, Open, say_pulled
from datebridge.cli.output import OK, PROBLEMS, error, say
from datebridge.core.choices import Existing
from datebridge.core.job_kinds import JobKind

if TYPE_CHECKING:
    from datebridge.core.ids import RemoteId

app = typer.Typer()


@app.command()
def pull(
    calendars: Annotated[list[str] | None, typer.Argument(help="Their names; all if none is given.")] = None,
    data: Data = None,
    as_json: Json = False,
) -> None:
    """Refresh calendars that live elsewhere. Exit code 1 if one could not be."""
    from datebridge.core.ids import RemoteId
    from datebridge.services.accounts import accounts
    from datebridge.store import remotes
    from datebridge.store.changesets.draft import CannotApply
    from datebridge.store.tables import demand_id

    with Open(data) as opened:
        with opened.store.read() as connection:
            rows = remotes.statements(connection)
        wanted = [
            RemoteId(demand_id(r.remote.id))
            for r in rows
            if r.remote.calendar_id is not None and (not calendars or r.remote.name in calendars)
        ]
        if not wanted:
            raise CannotApply("There is no such calendar that is switched on.")
        results = opened.do(*accounts.refresh_now(opened.store, wanted))
    raise SystemExit(say_pulled(results, as_json))


@app.command()
def push(
    again: Annotated[bool, typer.Option("--again", help="Also retry refused changes.")] = False,
    data: Data = None,
    as_json: Json = False,
) -> None:
    """Push what waits to where its calendars live. Exit code 1 if something was refused or is in conflict."""
    from datebridge.services.sync import conflicts, push
    from datebridge.store import pushes

    with Open(data) as opened:
        if again:
            conflicts.try_again(opened.store)
        queued = push.push_pending(opened.store)
        trouble = opened.push(queued)
        with opened.store.read() as connection:
            counts = pushes.count_by_state(connection)
    if trouble:
        error(trouble)
    if as_json:
        print(json.dumps(counts))
    else:
        before = "" if queued else "No pending changes."
        so_far = ", ".join(f"{count:,} {state}" for state, count in counts.items())
        say(" ".join(filter(None, (before, f"{'So far: ' if before else ''}{so_far}." if so_far else ""))))
    raise SystemExit(PROBLEMS if counts.get("refused") or counts.get("conflict") else OK)


def _switch_on_if_meant(opened: Open, off: RemoteId, name: str, account: str) -> None:
    """Ask whether a calendar that was left off is meant, and if so, switch it on."""
    from datebridge.services.accounts import accounts
    from datebridge.store.changesets.draft import CannotApply

    try:
        meant = typer.confirm(f"“{name}” is on {account}, and switched off. Switch it on, and copy into it?", err=True)
    except typer.Abort:  # nobody is there to say so
        meant = False
    if not meant:
        raise CannotApply(
            f"Nothing was copied. Switch “{name}” on (date-bridge accounts on '{name}'), or say --to with another name."
        )
    opened.do(*accounts.switch_on(opened.store, [off]))


@app.command()
def copy(
    filter: Annotated[str, typer.Argument(help="The entries to copy, as a filter.")],
    to: Annotated[str, typer.Option(help="The target calendar; created if no calendar has this name.")],
    account: Annotated[str, typer.Option(help="The account of the target calendar; here if not given.")] = "",
    existing: Annotated[
        Existing, typer.Option(help="What to do if an entry with the same UID exists there already.")
    ] = "skip",
    move: Annotated[bool, typer.Option("--move", help="Delete entries at the source after they arrived.")] = False,
    tell: Annotated[bool, typer.Option("--tell", help="Let the server invite the attendees.")] = False,
    apply: Annotated[bool, typer.Option("--apply", help="Apply the proposal; otherwise it is only proposed.")] = False,
    data: Data = None,
    as_json: Json = False,
) -> None:
    """Copy or move entries to a calendar. Nobody is told unless you say so. Exit code 1 if entries were refused."""
    from datebridge.core.changes import COMMAND
    from datebridge.core.language.filters import Selection
    from datebridge.core.language.plural import counted
    from datebridge.services.transfer import transfers
    from datebridge.services.transfer.copying import Target
    from datebridge.store import pushes
    from datebridge.store.accounts import account_named, calendar_named, off_named
    from datebridge.store.changesets import review
    from datebridge.store.changesets.apply import apply as apply_set
    from datebridge.store.changesets.draft import CannotApply
    from datebridge.store.entries.ledger import Ledger
    from datebridge.store.jobs import open_jobs

    with Open(data) as opened:
        store = opened.store
        with store.read() as connection:
            account_id = account_named(connection, account) if account else None
            if account and account_id is None:
                raise CannotApply(f"There is no account called “{account}”.")
            calendar = calendar_named(connection, to, account_id)
            off = off_named(connection, to, account_id) if account_id is not None and calendar is None else None
        if off is not None:
            _switch_on_if_meant(opened, off, to, account)
            with store.read() as connection:
                calendar = calendar_named(connection, to, account_id)
        target = Target(calendar, account_id, to, existing, move, tell)
        set_id = transfers.propose_transfer(store, Ledger(store), Selection(filter), target, COMMAND)
        with store.read() as connection:
            row = review.set_row(connection, set_id)
            warnings = review.warnings(connection, set_id)
        refused = ""
        if apply:
            apply_set(store, set_id)
            with store.read() as connection:
                pushing = open_jobs(connection, JobKind.PUSH)
            refused = opened.push(*pushing)
            with store.read() as connection:
                left = pushes.counts_by(connection, "set_id", set_id).get(set_id, {}).get("refused", 0)
            refused = refused or (f"{counted(left, 'change was', 'changes were')} refused." if left else "")
    if row is None:
        return
    report = {
        "set_id": set_id,
        "title": row.title,
        "reason": row.reason,
        "creates": row.creates,
        "updates": row.updates,
        "held": row.held,
        "applied": apply,
        "warnings": warnings,
        "refused": refused,
    }
    if as_json:
        print(json.dumps(report, ensure_ascii=False))
        raise SystemExit(PROBLEMS if refused else OK)
    say(f"{row.title}. {row.reason}")
    for warning in warnings:
        say(f"  {warning}")
    if refused:
        error(refused)
        raise SystemExit(PROBLEMS)
    say("Done." if apply else f"Proposal {set_id}: apply it in Mend, or again with --apply.")
