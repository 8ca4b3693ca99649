"""A crossing to files: for systems that only import. One file a lane, or several, in a zip; and a list of what is left.

What is done on the way is as along any lane. What the system keeps is what it was measured to keep by a file
(`services.fidelity.matrices.from_export`), so that ways out of losses are taken here too.
"""

from __future__ import annotations

import csv
import io
import zipfile
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

from datebridge.core.changes import PERSON, By
from datebridge.core.crossing.fidelity import Fidelity
from datebridge.core.ids import CrossingId, JobId, VersionId
from datebridge.core.index.derive import derive
from datebridge.core.invitations import silenced
from datebridge.core.job_kinds import JobKind
from datebridge.core.objects import missing_definitions, span_of
from datebridge.core.text.component import Component, ComponentEditor
from datebridge.core.text.headers import Description, described, description_of
from datebridge.core.text.lines import unescape_text
from datebridge.core.text.writer import tzids_in, write_calendar
from datebridge.core.views.sheet import defuse
from datebridge.core.zones.meaning import NO_ZONES, Zones
from datebridge.services.crossing.lanes import WorkingLane, going, units, working_lanes
from datebridge.services.exports.export import file_name
from datebridge.services.fidelity.forecasts import fidelity_of
from datebridge.services.jobs import jobs
from datebridge.services.jobs.jobs import JobContext, Refused, performs
from datebridge.settings import Settings
from datebridge.store import crossings
from datebridge.store.calendars import header_of
from datebridge.store.database import Store
from datebridge.store.entries.present import texts_of
from datebridge.store.fidelity import matrix

LEFT = "left-behind.csv"


def file_of(settings: Settings, crossing: CrossingId) -> Path:
    """Where the files of a crossing are, once they were written."""
    return settings.data_dir / "crossings" / f"crossing-{int(crossing)}.zip"


def write_files(
    store: Store, crossing: CrossingId, number: int = 0, entries: int = 0, octets: int = 0, by: By = PERSON
) -> JobId:
    """Queue writing a crossing as files.

    Args:
        number: the matrix of the system they are for; 0 where nobody knows what it keeps.
        entries, octets: how much a file holds at most; 0 for no bound. What belongs to one UID is never parted.

    Raises:
        NoCrossing, NotMeasured: if there is no such crossing, or no such matrix.
    """
    with store.session() as session:
        name = crossings.crossing(session, crossing).name
        if number:
            matrix(session, number)
    params = {"crossing": crossing, "matrix": number, "entries": entries, "octets": octets}
    return jobs.enqueue(store, JobKind.CROSS_FILES, f"Writing {name} as files", params, crossing, by)


@performs(JobKind.CROSS_FILES)
def files_job(context: JobContext) -> dict[str, object]:
    """Write every lane as files, whole or not at all."""
    store, crossing = context.store, CrossingId(context.params["crossing"])
    lanes = working_lanes(store, crossing)
    if not lanes:
        raise Refused("This crossing has no lanes that are going. Add some first.")
    fidelity: Fidelity | None = None
    name = ""
    if context.params["matrix"]:
        with store.session() as session:
            row = matrix(session, context.params["matrix"])
        fidelity, name = fidelity_of(row), row.name
    path = file_of(context.settings, crossing)
    path.parent.mkdir(parents=True, exist_ok=True)
    partial = path.with_suffix(".part")
    left: list[tuple[str, str, str, str]] = []
    names: set[str] = set()
    written = 0
    try:
        with zipfile.ZipFile(partial, "w", zipfile.ZIP_DEFLATED) as packed:
            for done, lane in enumerate(lanes):
                context.progress(done, len(lanes), "lanes", lane.target_name)
                way = replace(lane.way, fidelity=fidelity, target=name or lane.way.target)
                for part in _parts(context, replace(lane, way=way), left):
                    with packed.open(_unused(file_name(lane.target_name, "ics"), names), "w") as file:
                        file.writelines(part.pieces(_header(store, lane)))
                    written += len(part.texts)
            packed.writestr(LEFT, _sheet(left))
        partial.replace(path)
    finally:
        partial.unlink(missing_ok=True)
    with store.write() as connection:
        result: dict[str, object] = {"files": len(names), "entries": written, "left": len(left)}
        return context.conclude(connection, result)


@dataclass
class _Part:
    """What goes into one file."""

    zones: Zones = NO_ZONES
    texts: list[str] = field(default_factory=list)
    size: int = 0

    def add(self, texts: Sequence[str]) -> None:
        self.texts += texts
        self.size += sum(len(text.encode()) for text in texts)

    def pieces(self, header: str) -> Iterator[bytes]:
        """The file, with a definition for each zone it speaks of."""
        used = {tzid for text in self.texts for tzid in tzids_in(text)}
        defined = {tzid: text for tzid, text in self.zones.items() if tzid in used}
        facts = (derive(Component(text).kind, text, self.zones) for text in self.texts) if used else ()
        made = missing_definitions(used - {"UTC"}, defined, *span_of(facts), self.zones.rulings)
        yield from write_calendar(header, [*defined.values(), *made], self.texts)


def _parts(context: JobContext, lane: WorkingLane, left: list[tuple[str, str, str, str]]) -> Iterator[_Part]:
    """A lane in parts, each as large as it may be; what is left behind goes to `left`."""
    most, most_octets = int(context.params["entries"]), int(context.params["octets"])
    ways = going(context.store, lane)
    with context.store.read() as connection:
        behind = texts_of(connection, ways.behind)
    left += [_left(lane, behind[version], why) for version, why in ways.behind.items() if version in behind]
    part = _Part()
    for some in units(context.store, lane, ways.ids):
        context.check()
        for unit in some:
            planned = lane.way.planned(unit.members, unit.zones, unit.sound)
            originals = dict(unit.members)
            left += [
                _left(lane, originals[VersionId(one.key)], "; ".join(one.reasons) or "It goes another way.")
                for one in planned
                if one.text is None
            ]
            texts = [one.text if lane.way.tell else silenced(one.text) for one in planned if one.text is not None]
            size = sum(len(text.encode()) for text in texts)
            full = (most and len(part.texts) + len(texts) > most) or (most_octets and part.size + size > most_octets)
            if part.texts and full:
                yield part
                part = _Part()
            part.zones = unit.zones
            part.add(texts)
    if part.texts:
        yield part


def _left(lane: WorkingLane, text: str, why: str) -> tuple[str, str, str, str]:
    lines = ComponentEditor(text)
    return lane.target_name, lines.value("UID"), unescape_text(lines.value("SUMMARY")), why


def _sheet(left: Sequence[tuple[str, str, str, str]]) -> str:
    """What was left behind, as a table; no cell is a formula."""
    out = io.StringIO()
    sheet = csv.writer(out)
    sheet.writerow(["calendar", "uid", "title", "why"])
    sheet.writerows([defuse(cell) for cell in row] for row in left)
    return out.getvalue()


def _header(store: Store, lane: WorkingLane) -> str:
    """What the calendar says of itself, under the name it is to have."""
    with store.read() as connection:
        header = (header_of(connection, lane.source) or (None, ""))[1]
    was = description_of(header)
    return described(header, Description(lane.target_name, was.own_colour, was.zone, was.text))


def _unused(name: str, used: set[str]) -> str:
    stem, number, candidate = name.removesuffix(".ics"), 1, name
    while candidate.lower() in used:
        number += 1
        candidate = f"{stem}-{number}.ics"
    used.add(candidate.lower())
    return candidate
