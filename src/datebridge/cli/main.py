"""The command line starts here: a look into a file at once, everything else by its commands."""

from __future__ import annotations

import sys

from datebridge.cli.output import CANNOT, error
from datebridge.core.errors import CannotDo


def main() -> None:
    """Entry point: errors in words, exit code 2 where something could not be done."""
    command, *rest = sys.argv[1:] or [""]
    files = [argument for argument in rest if argument != "--json"]
    try:
        if command == "inspect" and files and not any(name.startswith("-") for name in files):
            # Taking options apart takes longer than looking into a small file; here there is nothing to take apart.
            from pathlib import Path

            from datebridge.cli.inspect import inspect_files

            inspect_files([Path(name) for name in files], "--json" in rest)
        else:
            from datebridge.cli.commands import app

            app()
    except Exception as failed:
        words = _words(failed)
        if words is None:
            raise
        error(words)
        raise SystemExit(CANNOT) from failed


def _words(failed: Exception) -> str | None:
    """What could not be done, in a sentence; None for what nobody foresaw."""
    if type(failed).__module__.startswith("sql"):
        from datebridge.store.database import is_full
        from datebridge.store.soundness import DAMAGED, is_damage

        if is_damage(failed):
            return DAMAGED
        return "The disk is full. Make room, and start again." if is_full(failed) else None
    if isinstance(failed, OSError):
        return f"{failed.filename}: {failed.strerror or failed}" if failed.filename else str(failed)
    return str(failed) if isinstance(failed, CannotDo) else None
