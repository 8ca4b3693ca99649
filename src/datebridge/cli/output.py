"""What the command line says: lines, tables, progress; Rich is there only for those who need it."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager

OK, PROBLEMS, CANNOT = 0, 1, 2


def say(text: str) -> None:
    """A line for the person."""
    print(text, flush=True)


def error(text: str) -> None:
    """A line of what went wrong; red where the terminal shows colours."""
    print(f"\x1b[31m{text}\x1b[0m" if sys.stderr.isatty() else text, file=sys.stderr)


def table(columns: Sequence[str], rows: Sequence[Sequence[str]], title: str = "") -> None:
    """Rows under their heads."""
    from rich.console import Console
    from rich.markup import escape
    from rich.table import Table

    made = Table(*columns, title=title)
    for row in rows:
        made.add_row(*map(escape, row))
    Console().print(made)


@contextmanager
def progress(what: str) -> Iterator[Callable[[int, int], None]]:
    """A bar while something long is done; the function given is told how far it is, of how much."""
    from rich.console import Console
    from rich.progress import Progress

    with Progress(console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task(what, total=None)
        yield lambda done, total: bar.update(task, completed=done, total=total)
