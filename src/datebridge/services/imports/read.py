"""Reading files: every component becomes a version, waiting for a decision where it goes."""

from __future__ import annotations

from collections import Counter, deque
from concurrent.futures import Future
from dataclasses import dataclass, field
from itertools import islice
from pathlib import PurePath

from datebridge.core.checks import BY_ZONE, examine
from datebridge.core.checks.census import Census
from datebridge.core.ids import FileId, GroupId, VersionId
from datebridge.core.index.summary import Summary
from datebridge.core.inspection import undefined_zones
from datebridge.core.job_kinds import JobKind
from datebridge.core.problems import Problem
from datebridge.core.text.headers import description_of
from datebridge.core.text.reader import RawComponent, Reader
from datebridge.core.zones.meaning import Zones
from datebridge.services.imports.deriving import Batch, Deriving, Reading, Text, batch_of
from datebridge.services.jobs.jobs import JobContext, Stopped, performs
from datebridge.store import imports
from datebridge.store.database import Connection
from datebridge.store.entries.reindex import Reindexing, stored_of
from datebridge.store.entries.rows import Row, row_of
from datebridge.store.entries.versions import VersionWriter
from datebridge.store.entries.zones import zones_of_group
from datebridge.store.findings import mark_problems
from datebridge.store.sql import chunks
from datebridge.store.tables import ImportFile, demand_id

_BATCH = 2_000


@performs(JobKind.READ)
def read_job(context: JobContext) -> dict[str, object]:
    """Read the files of a job, one after the other. Taken up again, it goes on with the first unfinished one."""
    ids = context.params["files"]
    with context.store.session() as session:
        rows = [row for i in ids if (row := session.get(ImportFile, i)) is not None]
    total = sum(row.size for row in rows)
    before = 0
    try:
        for row in rows:
            if row.state in ("queued", "reading"):
                _ReadFile(context, row, before, total).run()
            before += row.size
    except Stopped:
        _abandon(context, rows)
        raise
    context.progress(total, total, "bytes")
    return {"files": ids}


def _abandon(context: JobContext, rows: list[ImportFile]) -> None:
    """Drop the files of a stopped job that have not been read to their end, with their uploads."""
    for row in rows:
        number = FileId(demand_id(row.id))
        with context.store.write() as connection:
            finished = imports.state_of(connection, number) == "waiting"
            if not finished:
                imports.forget(connection, number)
        if not finished:
            (context.settings.imports_dir / row.path).unlink(missing_ok=True)


@dataclass(slots=True)
class _Part:
    """Some components of a file, with the groups they belong to, whose facts are being read."""

    size: int
    components: list[tuple[GroupId, RawComponent]] = field(default_factory=list)
    texts: list[Text] = field(default_factory=list)
    facts: Future[Batch] | None = None


class _ReadFile:
    """The reading of one file, in transactions of a few thousand components each.

    Nothing of it is in any calendar until it is imported, so that a file half read does no harm.
    """

    def __init__(self, context: JobContext, row: ImportFile, before: int, total: int) -> None:
        self.context, self.row, self.before, self.total = context, row, before, total
        self.file = FileId(demand_id(row.id))
        self.groups: dict[str, GroupId] = {}
        self.summaries: dict[GroupId, Summary] = {}
        self.censuses: dict[GroupId, Census[VersionId]] = {}
        self.headers: dict[GroupId, str] = {}
        self.merged: dict[GroupId, list[str]] = {}
        self.ordinals: dict[int, GroupId] = {}
        self.zones: dict[GroupId, Zones] = {}
        self.lines: dict[str, int] = {}
        self.waiting: list[tuple[VersionId, GroupId, int]] = []

    def run(self) -> None:
        store = self.context.store
        with store.write() as connection:
            imports.begin_reading(connection, self.file)
        path = self.context.settings.imports_dir / self.row.path
        with path.open("rb") as source, Deriving(self.row.size) as other:
            reader = Reader(source)
            components = iter(reader)
            under_way: deque[_Part] = deque()
            while batch := list(islice(components, _BATCH)):
                with store.write() as connection:
                    under_way.append(self._begin(connection, reader, batch, other))
                if len(under_way) > other.ahead:
                    self._next(under_way)
            while under_way:
                self._next(under_way)
        with store.write() as connection:
            self._conclude(connection, reader)
        # Every line of it is stored or reported now, so the upload is not needed again.
        path.unlink(missing_ok=True)

    def _group_of(self, connection: Connection, reader: Reader, component: RawComponent) -> GroupId:
        """The group for a component: VCALENDARs of one name, or without one, are one calendar."""
        group = self.ordinals.get(component.calendar)
        if group is None:
            name = description_of(reader.header(component.calendar)).name
            if name not in self.groups:
                self.groups[name] = imports.add_group(connection, self.file, name or PurePath(self.row.name).stem)
            group = self.ordinals[component.calendar] = self.groups[name]
            self.summaries.setdefault(group, Summary())
            self.censuses.setdefault(group, Census())
            self.zones.setdefault(group, zones_of_group(connection, group))
        return group

    def _begin(self, connection: Connection, reader: Reader, batch: list[RawComponent], other: Deriving) -> _Part:
        """Sort out where components belong, and have their facts read."""
        part = _Part(min(reader.size, self.row.size))
        for component in batch:
            group = self._group_of(connection, reader, component)
            if component.name == "VTIMEZONE":
                facts = examine("VTIMEZONE", component.text)
                self.zones[group].add(facts.uid, component.text)
            part.components.append((group, component))
            if component.name != "VCALENDAR":
                part.texts.append(Text(group, component.name, component.text))
        part.facts = other.begin(Reading(part.texts), self.zones)
        return part

    def _next(self, under_way: deque[_Part]) -> None:
        """Finish the first part; while it is being read elsewhere, read others here that nobody has begun."""
        first = under_way[0]
        for part in reversed(under_way):
            if first.facts is not None and first.facts.done():
                break
            if part.facts is not None and part.facts.cancel():
                part.facts = Future()
                part.facts.set_result(batch_of(part.texts, self.zones))
        self._finish(under_way.popleft())

    def _finish(self, part: _Part) -> None:
        """Store what a part of the file came to."""
        assert part.facts is not None  # noqa: S101
        batch = part.facts.result()
        with self.context.store.write() as connection:
            writer = VersionWriter(connection, file_id=self.file)
            rows = iter(enumerate(batch.rows))
            for group, component in part.components:
                if component.name == "VCALENDAR":
                    self._header(group, component, writer)
                else:
                    place, row = next(rows)
                    self._one(writer, group, component, row, place in batch.late)
            writer.flush()
        for group, summary in batch.summaries.items():
            self.summaries[group].merge(summary)
        self.context.progress(self.before + part.size, self.total, "bytes", self.row.name)

    def _one(self, writer: VersionWriter, group: GroupId, component: RawComponent, row: Row, late: bool) -> None:
        if row.problems:
            problems = (p for p in row.problems if not (late and p.code in BY_ZONE))
            row = row._replace(problems=tuple(p.at(component.line_of(p.line), row.uid) for p in problems))
        writer.group_id = group
        version = writer.add_row(row, component.text, component.line, component.problems)
        if component.name == "VTIMEZONE":
            return
        for tzid in row.tzids:
            self.lines.setdefault(tzid, component.line)
        self.censuses[group].add(component.name, row.uid, row.recurrence_id, version, component.line)
        if late:  # its definition may still come
            self.waiting.append((version, group, component.line))

    def _settle(self, connection: Connection) -> None:
        """Read the facts of entries again whose zones may have been defined after them."""
        for chunk in chunks(self.waiting):
            by_version = {version: (group, line) for version, group, line in chunk}
            reindexing = Reindexing(connection)
            for stored in stored_of(connection, by_version):
                group, line = by_version[stored.id]
                facts = examine(stored.component, stored.text, self.zones[group])
                facts.problems = tuple(p.at(line + p.line, facts.uid) for p in facts.problems)
                reindexing.add(stored, row_of(facts), self.file)
                self.summaries[group].add(facts)
            reindexing.flush()

    def _header(self, group: GroupId, component: RawComponent, writer: VersionWriter) -> None:
        for problem in component.problems:
            writer.problem(problem)
        for problem in examine("VCALENDAR", component.text).problems:
            writer.problem(problem.at(component.line_of(problem.line), ""))
        if group not in self.headers:
            self.headers[group] = component.text
            return
        lines = set(self.headers[group].split("\n"))
        self.merged.setdefault(group, []).extend(line for line in component.text.split("\n") if line not in lines)

    def _conclude(self, connection: Connection, reader: Reader) -> None:
        self._settle(connection)
        writer = VersionWriter(connection, file_id=self.file)
        for problem in reader.problems:
            writer.problem(problem)
        for group, lines in self.merged.items():
            count = sum(1 for g in self.ordinals.values() if g == group)
            writer.problem(
                Problem(
                    "several-calendars",
                    f"The file holds {count:,} calendars of one name.",
                    "Taken as one calendar with the lines of the first; the other lines are kept here.",
                    1,
                    "\n".join(dict.fromkeys(lines)),
                )
            )
        used: Counter[str] = sum((summary.zones for summary in self.summaries.values()), Counter())
        defined = {tzid for zones in self.zones.values() for tzid in zones}
        for problem in undefined_zones(used, defined, lambda tzid: self.lines.get(tzid, 1)):
            writer.problem(problem)
        for group, census in self.censuses.items():
            problems = list(census.problems())
            for version, problem in problems:
                writer.finding(problem, version)
            self.summaries[group].problems += mark_problems(connection, [version for version, _ in problems])
        writer.flush()
        read = [(group, self.headers.get(group, ""), summary) for group, summary in self.summaries.items()]
        message = "" if read else "There is no calendar data in this file."
        imports.end_reading(connection, self.file, reader.encoding, read, message)
