"""Putting away: entries go to an archive file, the file is read back, and only then is deletion proposed."""

from __future__ import annotations

from collections import Counter
from pathlib import Path
from typing import Any

from datebridge.core.text.reader import Reader
from datebridge.services.exports.export import file_name, gather, texts, write_ics
from datebridge.services.jobs.jobs import JobContext, Refused
from datebridge.services.mend.deletion import hold_what_can_only_be_read, name_after_calendar
from datebridge.store.changesets.logbook import Proposal, add_deletions, close_set, open_set
from datebridge.store.database import now
from datebridge.store.entries.ledger import Ledger, Selection
from datebridge.store.private import open_private


def put_away_job(context: JobContext) -> dict[str, Any]:
    """Write the archive, prove it complete, propose the deletion.

    Raises:
        Refused: if nothing is selected, or the archive read back is not what was to be put away.
    """
    only = context.params.get("only")
    selection = Selection(
        context.params["filter"], tuple(context.params.get("excluded", ())), tuple(only) if only is not None else None
    )
    store = context.store
    with store.read() as connection:
        handout = gather(connection, Ledger(store), selection)
        if not handout.entries:
            raise Refused("Nothing is selected, so there is nothing to put away.")
        ids = sorted(i for group in handout.entries.values() for i in group)
        path = _path(context)
        partial = path.with_suffix(".part")
        try:
            with open_private(partial) as out:
                for piece in write_ics(connection, handout):
                    out.write(piece)
            context.progress(len(ids), 2 * len(ids), "entries", "Written; reading back")
            kept = _read_back(context, partial, len(ids))
            meant = Counter(texts(connection, ids))
            missing, extra = meant - kept, kept - meant
            if missing or extra:
                raise Refused(
                    f"The archive read back lacks {missing.total():,} entries and has {extra.total():,} it should not."
                    " Nothing was deleted; the archive was thrown away."
                )
            partial.rename(path)
        finally:
            partial.unlink(missing_ok=True)
    return _propose(context, ids, path)


def _path(context: JobContext) -> Path:
    """Where the archive goes: the same place however often the job is begun again."""
    folder = context.settings.archive_dir
    if "archive" not in context.params:
        context.remember(archive=_free_path(folder, file_name(context.params["name"], "ics")).name)
    folder.mkdir(parents=True, exist_ok=True)
    return folder / str(context.params["archive"])


def _read_back(context: JobContext, path: Path, total: int) -> Counter[str]:
    """The texts an archive really holds."""
    kept: Counter[str] = Counter()
    done = 0
    with path.open("rb") as source:
        for component in Reader(source):
            if component.name not in ("VCALENDAR", "VTIMEZONE"):
                kept[component.text] += 1
                done += 1
                if done % 500 == 0:
                    context.progress(total + done, 2 * total, "entries", "Reading back")
    return kept


def _propose(context: JobContext, ids: list[int], path: Path) -> dict[str, Any]:
    """Propose the deletion, with which the job has ended."""
    with context.store.write() as connection:
        proposal = Proposal(
            f"Put away {len(ids):,} entries",
            "put-away",
            context.params.get("reason") or f"Kept in the archive {path.name}, read back and found complete.",
            details={"archive": path.name, "entries": len(ids), "read_back": now()},
        )
        set_id = open_set(connection, proposal)
        add_deletions(connection, set_id, ids, f"Put away in {path.name}.")
        hold_what_can_only_be_read(connection, set_id)
        close_set(connection, set_id)
        name_after_calendar(connection, set_id, f"Put away {len(ids):,}")
        return context.conclude(connection, {"set_id": set_id, "archive": path.name, "entries": len(ids)})


def _free_path(folder: Path, name: str) -> Path:
    path, number = folder / name, 1
    while path.exists():
        number += 1
        path = folder / f"{name.removesuffix('.ics')}-{number}.ics"
    return path
