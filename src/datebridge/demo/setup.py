"""Preparing the demo: the sample files on disk, most of them taken in, one waiting for a decision."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from datetime import date

from datebridge.demo.scenario import SampleFile, sample_files
from datebridge.services import receiving, taking, worker
from datebridge.services.taking import Decision
from datebridge.settings import Settings
from datebridge.store.database import Store
from datebridge.store.logbook import apply_set


def prepare(settings: Settings, fresh: bool = False, report: Callable[[int, int], None] | None = None) -> None:
    """Fill an empty data folder with the scenario; leave a filled one alone unless `fresh`."""
    if fresh and settings.database.is_file():  # only what is ours: the folder may hold other things
        for path in settings.data_dir.glob(settings.database.name + "*"):
            path.unlink()
        for folder in (settings.incoming_dir, settings.archive_dir, settings.data_dir / "sample-files"):
            shutil.rmtree(folder, ignore_errors=True)
    if settings.database.is_file():
        return
    files = sample_files(date.today())  # noqa: DTZ011
    folder = settings.data_dir / "sample-files"
    folder.mkdir(parents=True, exist_ok=True)
    store = Store(settings.database)
    for done, file in enumerate(files):
        path = folder / file.name
        path.write_bytes(file.content)
        receiving.receive_paths(store, settings, [path])
        worker.drain(store, settings)
        if file.calendar:
            _take(store, file)
        if report:
            report(done + 1, len(files))
    store.close()


def _take(store: Store, file: SampleFile) -> None:
    with store.read() as connection:
        incoming, group = connection.exec_driver_sql(
            "SELECT incoming_id, id FROM incoming_group ORDER BY id DESC LIMIT 1"
        ).one()
        there = connection.exec_driver_sql("SELECT id FROM calendar WHERE live AND name = ?", (file.calendar,)).scalar()
    set_id = taking.propose_taking(store, [incoming], [Decision(group, there, file.calendar)])
    apply_set(store, set_id)
