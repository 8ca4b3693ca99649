"""Archiving: entries go to an archive file, the file is read back, and only then is deletion proposed."""

from __future__ import annotations

from collections import Counter
from pathlib import Path

from datebridge.clock import now
from datebridge.core.changes import Details, Kind
from datebridge.core.ids import SetId, VersionId
from datebridge.core.job_kinds import JobKind
from datebridge.core.language.filters import Selection
from datebridge.core.text.reader import Reader
from datebridge.services.exports.export import Export, file_name, gather, write_ics
from datebridge.services.jobs.jobs import JobContext, Refused, performs
from datebridge.store.changesets.draft import propose
from datebridge.store.database import Connection
from datebridge.store.entries.leaving import texts
from datebridge.store.entries.ledger import Ledger
from datebridge.store.private import open_private


@performs(JobKind.ARCHIVE)
def archive_job(context: JobContext) -> dict[str, object]:
    """Write the archive, prove it complete, propose the deletion.

    Raises:
        Refused: if nothing is selected, or the archive read back is not what was to be archived.
    """
    selection = Selection.read(context.params)
    store = context.store
    with store.read() as connection:
        export = gather(connection, Ledger(store), selection)
        if not export.entries:
            raise Refused("Nothing is selected, so there is nothing to archive.")
        path = _path(context)
        write_archive(context, connection, export, path)
    return _propose(context, export.ids, path)


def write_archive(context: JobContext, connection: Connection, export: Export, path: Path) -> None:
    """Write an archive and read it back; it is there only once it was found complete.

    Raises:
        Refused: if it is not.
    """
    partial = path.with_suffix(".part")
    try:
        with open_private(partial) as out:
            for piece in write_ics(connection, export):
                out.write(piece)
        prove(context, partial, Counter(texts(connection, export.ids)))
        partial.rename(path)
    finally:
        partial.unlink(missing_ok=True)


def _path(context: JobContext) -> Path:
    """Where the archive goes: the same place however often the job is begun again."""
    folder = context.settings.archive_dir
    if "archive" not in context.params:
        context.remember(archive=free_path(folder, file_name(context.params["name"], "ics")).name)
    folder.mkdir(parents=True, exist_ok=True)
    return folder / str(context.params["archive"])


def prove(context: JobContext, path: Path, meant: Counter[str]) -> None:
    """Read an archive back.

    Raises:
        Refused: if it is not complete.
    """
    total = meant.total()
    context.progress(total, 2 * total, "entries", "Written; reading back")
    kept = _read_back(context, path, total)
    missing, extra = meant - kept, kept - meant
    if missing or extra:
        raise Refused(
            f"The archive that was read back lacks {missing.total():,} entries and has {extra.total():,} it should not."
            " Nothing was deleted; the archive was discarded."
        )


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


def _propose(context: JobContext, ids: list[VersionId], path: Path) -> dict[str, object]:
    """Propose the deletion, with which the job has ended."""
    result: dict[str, object] = {}

    def conclude(connection: Connection, set_id: SetId) -> None:
        result.update(context.conclude(connection, {"set_id": set_id, "archive": path.name, "entries": len(ids)}))

    reason = context.params.get("reason") or f"Archived in {path.name}, read back and found complete."
    details = Details(archive=path.name, entries=len(ids), read_back=now())
    with propose(
        context.store,
        Kind.ARCHIVE,
        context.by,
        lambda tally: f"Archive {tally.what} from {tally.where}",
        reason,
        details=details,
    ) as draft:
        draft.delete(ids, f"Archived in {path.name}.")
        draft.afterwards(conclude)
    return result


def free_path(folder: Path, name: str) -> Path:
    """A place in a folder where there is no archive yet."""
    path, number = folder / name, 1
    while path.exists():
        number += 1
        path = folder / f"{name.removesuffix('.ics')}-{number}.ics"
    return path
