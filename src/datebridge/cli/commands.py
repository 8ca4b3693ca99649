"""The commands of the command line: the same engine without the browser. One module a group of them."""

from __future__ import annotations

import typer

from datebridge.cli import accounts, backups, crossing, exchange, fidelity, files, serving, sharing, times

app = typer.Typer(
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
    help="Date Bridge: migrate and synchronise calendar data.",
    epilog="More: docs/cli.md (commands), docs/filters.md (filters), docs/operating.md (settings, operation). The"
    " running application shows them under /help/cli, /help/filters and /help/operating.",
)
for group in (files, times, exchange, fidelity, serving, backups):
    app.registered_commands += group.app.registered_commands
app.add_typer(accounts.app, name="accounts")
app.add_typer(crossing.app, name="cross")
app.add_typer(sharing.app, name="share")
app.command("verify-report")(crossing.verify_report)
