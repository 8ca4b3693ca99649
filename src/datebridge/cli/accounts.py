"""The command line for accounts: the same services as the browser's, with the jobs done here and now."""

from __future__ import annotations

import json
import os
from contextlib import AbstractContextManager, suppress
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from datebridge.cli.output import CANNOT, OK, PROBLEMS, error, progress, say, table
from datebridge.core.choices import Keep

if TYPE_CHECKING:
    from datebridge.core.ids import JobId, RemoteId
    from datebridge.store.tables import Job

app = typer.Typer(
    help="Accounts on servers and feeds: list them, add one, switch calendars on and off.", rich_markup_mode=None
)

Data = Annotated[
    Path | None, typer.Option("--data", help="Where the data is kept.", show_default="the user's data folder")
]
Json = Annotated[bool, typer.Option("--json", help="Print JSON.")]


class Open:
    """Settings and store of a command; what cannot be done ends it with exit code 2."""

    def __init__(self, data: Path | None) -> None:
        from datebridge.settings import Settings

        self.settings = Settings() if data is None else Settings(data_dir=data)
        if (self.settings.data_dir / "standins" / "ready").is_file():  # the sample scenario's own servers
            from datebridge.demo.setup import with_standins

            self.settings = with_standins(self.settings)

    def __enter__(self) -> Open:
        from datebridge.services.instance_lock import AlreadyRunning, instance_lock
        from datebridge.services.logs import set_up
        from datebridge.store.database import Store
        from datebridge.store.soundness import demand_whole

        os.umask(0o077)
        set_up()
        self._alone: AbstractContextManager[None] | None = instance_lock(self.settings)
        try:
            self._alone.__enter__()
        except AlreadyRunning:  # that one does the jobs
            self._alone = None
        else:
            demand_whole(self.settings.database)
        self.store = Store(self.settings.database)
        return self

    def __exit__(self, kind: object, failed: BaseException | None, _: object) -> None:
        from datebridge.core.errors import CannotDo

        self.store.close()
        if self._alone is not None:
            self._alone.__exit__(None, None, None)
        if isinstance(failed, CannotDo):
            wanted = failed.members().get("origin", "")
            error(f"{failed} Say --agree {wanted} if that is meant." if wanted else str(failed))
            raise SystemExit(CANNOT) from failed

    def do(self, *queued: JobId | None) -> list[dict[str, object]]:
        """Have jobs done, here or by the program that is running; their results. All failed: CannotApply."""
        from datebridge.services.running import worker
        from datebridge.store.changesets.draft import CannotApply

        wanted = [job for job in queued if job is not None]
        with progress("Working"):
            if self._alone is not None:
                worker.drain(self.store, self.settings)
            jobs_ended = [self._ended(job) for job in wanted]
        if jobs_ended and all(job.state != "done" for job in jobs_ended):
            raise CannotApply(jobs_ended[0].message or f"It is {jobs_ended[0].state}.")
        return [
            job.result
            if job.state == "done"
            else {"results": [{"name": job.title, "outcome": job.message or job.state, "failed": True}]}
            for job in jobs_ended
        ]

    def push(self, *queued: JobId | None) -> str:
        """Have pushes done; why entries were refused, where that is all that came of it."""
        from datebridge.store import pushes
        from datebridge.store.changesets.draft import CannotApply

        try:
            self.do(*queued)
        except CannotApply as failed:
            with self.store.read() as connection:
                if not pushes.count_by_state(connection).get("refused"):
                    raise
            return str(failed)
        return ""

    def _ended(self, number: JobId) -> Job:
        """A job, once it has ended."""
        import time

        from datebridge.services.jobs import jobs
        from datebridge.store.changesets.draft import CannotApply

        while True:
            job = jobs.get(self.store, number)
            if job is None:
                raise CannotApply(f"There is no job {number}.")
            if job.state not in ("queued", "running"):
                return job
            time.sleep(0.2)


@app.callback(invoke_without_command=True)
def listed(context: typer.Context, data: Data = None, as_json: Json = False) -> None:
    """List accounts with their calendars, switched on or left off."""
    if context.invoked_subcommand is not None:
        return
    from datebridge.core.ids import CalendarId
    from datebridge.services.accounts import statements
    from datebridge.store import remotes
    from datebridge.store.calendars import facts_of

    with Open(data) as opened, opened.store.read() as connection:
        rows = remotes.statements(connection)
        copies = (facts_of(connection, CalendarId(r.remote.calendar_id)) for r in rows if r.remote.calendar_id)
        now = {int(facts.id): facts.entries for facts in copies if facts is not None}
    accounts = [
        {
            "account": r.account_name,
            "host": r.host,
            "kind": r.account_kind,
            "calendar": r.remote.name,
            "on": r.remote.calendar_id is not None,
            "writable": r.remote.writable,
            "owner": r.remote.owner,
            "entries": now.get(r.remote.calendar_id or 0, r.remote.entries),
            "span": statements.span(r.remote.first, r.remote.last, r.remote.endless),
            "outcome": r.remote.outcome,
            "trouble": r.remote.trouble,
        }
        for r in rows
    ]
    if as_json:
        print(json.dumps({"calendars": accounts}, ensure_ascii=False, indent=2))
        return
    if not accounts:
        say("No accounts yet. Add one: date-bridge accounts add ADDRESS")
        return
    lines = [
        (
            r.account_name,
            r.host,
            r.remote.name,
            "on" if r.remote.calendar_id is not None else "off",
            "writable" if r.remote.writable else "read only",
            r.remote.trouble or r.remote.outcome,
        )
        for r in rows
    ]
    table(("account", "where", "calendar", "", "may", "last refresh"), lines)


@app.command()
def add(
    address: Annotated[
        str, typer.Argument(help="Of a server, a feed, or a page that links to one; or a domain or e-mail address.")
    ],
    user: Annotated[str, typer.Option(help="User name; the password is asked for, or DATE_BRIDGE_PASSWORD.")] = "",
    name: Annotated[str, typer.Option(help="What to call it.")] = "",
    agree: Annotated[
        list[str] | None,
        typer.Option(help="An origin the password may go to, although it is elsewhere or without encryption."),
    ] = None,
    authority: Annotated[
        Path | None, typer.Option(help="Certificates (PEM) of an authority that vouches for this server.")
    ] = None,
    certificate: Annotated[
        Path | None, typer.Option(help="Your own certificate with its key (PEM), for servers that ask for one.")
    ] = None,
    data: Data = None,
    as_json: Json = False,
) -> None:
    """Add a server with all calendars left off, or subscribe to a feed. Exit code 1 if it cannot be read yet."""
    from datebridge.connect.trust import Trust
    from datebridge.services.accounts import accounts
    from datebridge.store.accounts import remotes_of
    from datebridge.store.changesets.draft import CannotApply

    password = os.environ.get("DATE_BRIDGE_PASSWORD", "")
    if user and not password:
        password = typer.prompt("Password", hide_input=True, err=True)
    trust = Trust(*(path.read_text("utf-8") if path is not None else "" for path in (authority, certificate)))
    with Open(data) as opened:
        account, job = accounts.add(
            opened.store, opened.settings, address, user, password, name, agreed=agree or (), trust=trust
        )
        trouble = ""
        try:
            opened.do(job)
        except CannotApply as failed:
            trouble = str(failed)
        names = [r.name for r in remotes_of(opened.store, account)]
    if as_json:
        print(json.dumps({"account": account, "calendars": names, "trouble": trouble}, ensure_ascii=False))
    else:
        say(f"Added, with {', '.join(names) or 'no calendars'}.")
    if trouble:
        error(f"Their contents could not be read yet: {trouble} They are read when they are switched on or pulled.")
        raise SystemExit(PROBLEMS)


@app.command("import")
def import_sheet(
    sheet: Annotated[Path, typer.Argument(help="CSV: name, address, user, and password or token.", show_default=False)],
    agree: Annotated[
        list[str] | None,
        typer.Option(help="An origin the passwords may go to, although it is elsewhere or without encryption."),
    ] = None,
    data: Data = None,
    as_json: Json = False,
) -> None:
    """Add accounts by a sheet, each checked. The sheet is not kept. Exit code 1 if one could not be added."""
    from datebridge.core.account_sheet import read_sheet
    from datebridge.core.errors import CannotDo
    from datebridge.services.accounts import accounts
    from datebridge.store.changesets.draft import CannotApply

    read = read_sheet(sheet.read_text("utf-8-sig", "replace"))
    results: list[dict[str, Any]] = [
        {"row": one.row, "name": "", "added": False, "why": f"{one.column}: {one.why}"} for one in read.unreadable
    ]
    with Open(data) as opened:
        queued = []
        for row in read.rows:
            said = {"row": row.number, "name": row.name or row.address, "added": True, "why": ""}
            try:
                _, job = accounts.add(
                    opened.store, opened.settings, row.address, row.user, row.password, row.name, agreed=agree or ()
                )
                queued.append(job)
            except CannotDo as failed:
                said |= {"added": False, "why": str(failed)}
            results.append(said)
        with suppress(CannotApply):  # what cannot be counted now is counted when it is refreshed
            opened.do(*queued)
    results.sort(key=lambda one: one["row"])
    if as_json:
        print(json.dumps({"rows": results}, ensure_ascii=False, indent=2))
    else:
        table(
            ("row", "account", ""),
            [(str(one["row"]), str(one["name"]), "added" if one["added"] else str(one["why"])) for one in results],
        )
    raise SystemExit(OK if all(one["added"] for one in results) else PROBLEMS)


def _switched(opened: Open, names: list[str], on: bool) -> list[RemoteId]:
    from datebridge.core.ids import RemoteId
    from datebridge.store import remotes
    from datebridge.store.changesets.draft import CannotApply
    from datebridge.store.tables import demand_id

    with opened.store.read() as connection:
        rows = remotes.statements(connection)
    switched = [
        RemoteId(demand_id(r.remote.id))
        for r in rows
        if r.remote.name in names and (r.remote.calendar_id is not None) is not on
    ]
    if not switched:
        raise CannotApply(f"There is no calendar of that name that is switched {'off' if on else 'on'}.")
    return switched


@app.command()
def on(calendars: Annotated[list[str], typer.Argument(help="Their names.")], data: Data = None) -> None:
    """Switch calendars on, and fetch them."""
    from datebridge.services.accounts import accounts

    with Open(data) as opened:
        results = opened.do(*accounts.switch_on(opened.store, _switched(opened, calendars, True)))
    say_pulled(results, False)


@app.command()
def off(
    calendar: Annotated[str, typer.Argument(help="Its name.")],
    keep: Annotated[Keep, typer.Option(help="What is kept here.")] = "snapshot",
    data: Data = None,
) -> None:
    """Switch a calendar off. Nothing is deleted on the server."""
    from datebridge.services.accounts import leaving

    with Open(data) as opened:
        set_id = leaving.switch_off(opened.store, _switched(opened, [calendar], False)[0], keep)
    say(f"Switched off in batch {set_id}.")


def say_pulled(pulls: list[dict[str, Any]], as_json: bool) -> int:
    results = [one for result in pulls for one in result["results"]]
    if as_json:
        print(json.dumps({"results": results}, ensure_ascii=False))
    else:
        for r in results:
            say(f"{r['name']}: {r['outcome']}")
    return PROBLEMS if any(r["failed"] for r in results) else OK
