"""What a lane leaves behind since it is over, written into an archive and read back, where the plan wants that."""

from __future__ import annotations

from datebridge.core.keeping import fingerprint
from datebridge.core.language.filters import Selection
from datebridge.services.crossing.lanes import WorkingLane, going
from datebridge.services.exports.archive import free_path, write_archive
from datebridge.services.exports.export import file_name, gather
from datebridge.services.jobs.jobs import JobContext
from datebridge.store import crossings
from datebridge.store.calendars import names
from datebridge.store.entries.ledger import Ledger
from datebridge.store.entries.present import texts_of


def archive_past(context: JobContext, lane: WorkingLane) -> None:
    """Write what is over before a lane begins into an archive, unless all of it is in one already.

    Raises:
        CannotDo: if the archive that was read back is not complete.
    """
    if lane.options.past != "archive" or not lane.options.since:
        return
    over = lane.options.over
    ids = tuple(sorted(version for version, why in going(context.store, lane).behind.items() if why == over))
    with context.store.session() as session:
        known = crossings.lane(session, lane.id).archive
    with context.store.read() as connection:
        mark = fingerprint(texts_of(connection, ids).values())
        if not ids or known.get("mark") == mark:
            return
        folder = context.settings.archive_dir
        folder.mkdir(parents=True, exist_ok=True)
        written = dict(context.params.get("archives", {}))
        if str(lane.id) not in written:
            name = names(connection).get(lane.source, "Calendar")
            called = file_name(f"{name} before {lane.options.since}", "ics")
            written[str(lane.id)] = free_path(folder, called).name
            context.params["archives"] = written
            context.remember(archives=written)  # begun again, the job writes the same file
        path = folder / written[str(lane.id)]
        write_archive(context, connection, gather(connection, Ledger(context.store), Selection(only=ids)), path)
    with context.store.write() as connection:
        archive = {"name": path.name, "entries": len(ids), "mark": mark}
        crossings.change_lanes(connection, [lane.id], archive=archive)
