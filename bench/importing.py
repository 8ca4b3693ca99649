"""Importing as the application does it, here and in a process of its own."""

from __future__ import annotations

from pathlib import Path

from datebridge.services.imports import decide, uploads
from datebridge.services.imports.decide import Decision
from datebridge.services.running import worker
from datebridge.settings import Settings
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.database import Store


def take_in(store: Store, settings: Settings, path: Path) -> None:
    """Everything from a file on disk to entries that can be found."""
    uploads.receive_paths(store, settings, [path])
    worker.drain(store, settings)
    with store.read() as connection:
        incoming, group = connection.exec_driver_sql(
            "SELECT file_id, id FROM import_group ORDER BY id DESC LIMIT 1"
        ).one()
    set_id = decide.propose_import(store, [incoming], [Decision(group, None, path.stem)])
    apply_set(store, set_id)


def fresh(folder: Path) -> tuple[Store, Settings]:
    settings = Settings(data_dir=folder)
    return Store(settings.database), settings


def memory_of_import(path: Path, folder: Path) -> int:
    """Octets of memory that importing a file took at its peak, beyond what the process had before."""
    before = _peak()
    store, settings = fresh(folder)
    take_in(store, settings, path)
    return _peak() - before


def _peak() -> int:
    """The most memory this program has had, in bytes; unlike getrusage it forgets the parent's."""
    line = next(x for x in Path("/proc/self/status").read_text().splitlines() if x.startswith("VmHWM"))
    return int(line.split()[1]) * 1024
