"""The table of everything: pages, facets, completion, one entry, exporting."""

from __future__ import annotations

from functools import partial
from typing import Annotated, Literal
from urllib.parse import quote as encode

from fastapi import Body
from fastapi.responses import StreamingResponse

from datebridge.api import present
from datebridge.api.connect.shapes import CalendarOut
from datebridge.api.context import AppDep, selection, zone_of
from datebridge.api.kinds import CalendarNo, EntryNo, Limit, Offset
from datebridge.api.routing import new_router
from datebridge.api.shapes import (
    ArchiveIn,
    CompletionOut,
    EntryDetail,
    EntryPage,
    ExportCheck,
    FacetValue,
    FactOut,
    FilterCheck,
    JobQueued,
    PutAwayIn,
    SelectionCheck,
    SelectionIn,
    SetMade,
    SheetIn,
    TermCount,
    TermOut,
)
from datebridge.clock import this_day
from datebridge.core.checks import examine
from datebridge.core.errors import NotFound, NotValid
from datebridge.core.ids import CalendarId
from datebridge.core.job_kinds import JobKind
from datebridge.core.language.filters import FilterError, complete, condition_in_words, quote, resolve_filter
from datebridge.services.accounts import statements
from datebridge.services.exports import export
from datebridge.services.jobs import jobs
from datebridge.services.look import details
from datebridge.services.mend import deletion
from datebridge.store import findings
from datebridge.store.calendars import calendars_for_filters, own_lines
from datebridge.store.entries import details as stored
from datebridge.store.entries.ledger import rows_of
from datebridge.store.entries.zones import zones_beside
from datebridge.store.findings import Finding
from datebridge.store.tables import VERSIONS

router = new_router("/api", "entries")
Sort = Literal["when", "what", "where", "calendar", "repeats", "zone", "marks", "status"]
Facet = Literal["calendar", "year", "kind", "zone", "category", "status", "marks"]
_MEDIA = {
    "ics": "text/calendar; charset=utf-8",
    "zip": "application/zip",
    "csv": "text/csv; charset=utf-8",
    "tsv": "text/tab-separated-values; charset=utf-8",
    "files": "application/zip",
}
_MEDIA_TYPES = sorted({kind.partition(";")[0] for kind in _MEDIA.values()})
_FACET_TERMS = {"kind": "kind", "zone": "zone", "status": "status", "category": "category"}
#: How many terms of a filter line are counted one by one.
_MOST_COUNTED = 12
_MARK_TERMS = {"series": "repeats:yes", "all day": "allday:yes", "private": "private:yes", "override": "override:yes"}


@router.get("/calendars")
def calendars(app: AppDep) -> list[CalendarOut]:
    """The calendars, with what each says about itself."""
    rows = app.ledger.calendars()
    with app.store.read() as connection:
        own = own_lines(connection)
        rows = [row for row in rows if row.id in own]
        named = {row.id: (row.name, own[row.id].writable) for row in rows}
        texts = statements.of_calendars(connection, app.settings, named)
    return [present.calendar(row, own[row.id], texts[row.id]) for row in rows]


@router.get("/entries")
def entries(
    app: AppDep,
    filter: str = "",
    sort: Sort = "when",
    descending: bool = False,
    offset: Offset = 0,
    limit: Limit = 100,
    zone: str = "",
) -> EntryPage:
    """A page of what matches the filter; times on the clock of a zone, or each on its own where none is given."""
    clock = zone_of(zone) if zone else ""
    total, rows = app.ledger.page(filter, sort, descending, offset, limit)
    return EntryPage(total=total, offset=offset, rows=[present.entry(row, clock) for row in rows])


@router.get("/entries/ids")
def entry_ids(
    app: AppDep, filter: str = "", sort: Sort = "when", descending: bool = False, first: Offset = 0, last: Offset = 0
) -> list[int]:
    """The ids of rows first to last (both included) in the given order, for selecting a stretch."""
    with app.store.read() as connection:
        ids = app.ledger.order(connection, filter, sort, descending)
    return [int(i) for i in ids[first : min(last, first + 50_000) + 1]]


@router.post("/entries/uids")
def uid_term(app: AppDep, ids: Annotated[list[EntryNo], Body(max_length=10_000)]) -> TermOut:
    """What the filter line says to show just these entries, by their UIDs; sixty at most."""
    with app.store.read() as connection:
        return TermOut(term="uid:" + ",".join(quote(uid) for uid in stored.uids_of(connection, ids[:60])))


@router.get("/entries/today")
def today_row(app: AppDep, filter: str = "") -> int:
    """Where today begins among what matches, in order of time."""
    return app.ledger.row_of_today(filter)


@router.get("/facets")
def facets(app: AppDep, by: Facet, filter: str = "") -> list[FacetValue]:
    """Counts of what matches by one thing, each with the term that narrows to it."""
    counts = app.ledger.facets(by, filter)
    if by != "calendar":
        return [FacetValue(value=value, count=n, term=_term(by, value)) for value, n in counts]
    with app.store.read() as connection:
        named = calendars_for_filters(connection)
    named_counts = [(named[CalendarId(int(number))], n) for number, n in counts if int(number) in named]
    return [FacetValue(value=context.label, count=n, term=context.term("calendar")) for context, n in named_counts]


def _term(facet: str, value: str) -> str:
    if facet in _FACET_TERMS:
        return f"{_FACET_TERMS[facet]}:{quote(value)}"
    if facet == "year":
        return "" if value == "no date" else f"on:{value}"
    if value.startswith("answer: "):
        return value.replace(" ", "")
    return _MARK_TERMS.get(value, f"has:{value}")


@router.get("/filters/check")
def check_filter(app: AppDep, filter: str = "", cursor: Offset = 0) -> FilterCheck:
    """Whether a filter line parses, and how it can go on at the cursor."""
    suggestions = [
        CompletionOut(insert=c.insert, start=c.start, end=c.end, hint=c.hint)
        for c in complete(filter, cursor, partial(details.known_values, app.store))
    ]
    try:
        terms = resolve_filter(filter, this_day())
    except FilterError as error:
        return FilterCheck(error=error.message, start=error.start, end=error.end, completions=suggestions)
    # Of a line that long nobody reads the counts one by one.
    counted = terms if len(terms) <= _MOST_COUNTED else []
    return FilterCheck(
        completions=suggestions,
        terms=[
            TermCount(
                start=t.start, end=t.end, says=condition_in_words(t), count=app.ledger.how_many(filter[t.start : t.end])
            )
            for t in counted
        ],
    )


@router.get("/entries/{entry_id}")
def entry(app: AppDep, entry_id: EntryNo) -> EntryDetail:
    """One entry in full: its facts, its problems, its source text."""
    with app.store.read() as connection:
        version = stored.version(connection, entry_id)
        if version is None:
            raise NotFound("This entry no longer exists.")
        rows = rows_of(connection, [entry_id]) or rows_of(connection, [entry_id], VERSIONS)
        problems = findings.of_versions(connection, [entry_id])
        zones = zones_beside(connection, entry_id)
    component, text = version.component, version.text
    facts = [FactOut(label=label, value=value) for label, value in details.facts(component, text, zones)]
    told_already = {(p.code, p.message) for p in problems}
    problems += [
        Finding(entry_id, p.code, p.message, p.done, 0, "", p.uid)
        for p in examine(component, text, zones).problems
        if (p.code, p.message) not in told_already
    ]
    return EntryDetail(
        row=present.entry(rows[0]),
        calendar=version.calendar,
        facts=facts,
        answers=[FactOut(label=words, value=f"{n:,}") for words, n in details.answers(text)],
        problems=[present.problem(p) for p in problems],
        source=text.split("\n"),
        file=version.file,
        file_line=version.file_line,
    )


@router.post("/selections/check")
def check_selection(app: AppDep, chosen: SelectionIn) -> SelectionCheck:
    """What of a selection can only be read, so that changing it is not offered."""
    with app.store.read() as connection:
        return SelectionCheck(only_readable=app.ledger.only_readable(connection, selection(chosen)))


@router.post("/deletions")
def propose_deletion(app: AppDep, chosen: SelectionIn) -> SetMade:
    """Propose deleting a selection."""
    return SetMade(set_id=deletion.propose_deletion(app.store, app.ledger, selection(chosen)))


@router.post("/archives")
def archive(app: AppDep, body: ArchiveIn) -> JobQueued:
    """Write a selection to an archive file, read it back, and propose its deletion."""
    chosen = body.selection
    resolve_filter(chosen.filter, this_day())  # what is wrong with it is said now, not by the job
    params = {**selection(chosen).as_params(), "name": body.name}
    return JobQueued(job_id=jobs.enqueue(app.store, JobKind.ARCHIVE, f"Archiving into {body.name}", params))


@router.post("/archives/by-age")
def put_away(app: AppDep, body: PutAwayIn) -> JobQueued:
    """Write what is over before a day to archives, one a calendar, read them back, and propose its deletion."""
    params = {"before": body.before.isoformat(), "calendars": list(body.calendars), "shorten": body.shorten}
    return JobQueued(
        job_id=jobs.enqueue(app.store, JobKind.PUT_AWAY, f"Archiving events that ended before {body.before}", params)
    )


@router.post("/sheets")
def bring_back(app: AppDep, sheet: SheetIn) -> JobQueued:
    """Propose what was edited in a spreadsheet that was exported here.

    The job's result has the set; or, under `asks`, a date of which nothing tells whether the day or the month comes
    first.
    """
    params = {"name": sheet.name, "data": sheet.data, "order": sheet.order}
    return JobQueued(
        job_id=jobs.enqueue(app.store, JobKind.SHEET, f"Comparing {sheet.name} with the entries here", params)
    )


@router.post("/exports/check")
def check_export(app: AppDep, chosen: SelectionIn, calendar: CalendarNo | None = None) -> ExportCheck:
    """What would be exported, and what to know before."""
    with app.store.read() as connection:
        export.demand_calendar(connection, calendar)
        table = export.gather(connection, app.ledger, selection(chosen), calendar)
        return ExportCheck(
            entries=table.count, calendars=len(table.calendars), cautions=export.cautions(connection, table)
        )


@router.post("/exports", response_class=StreamingResponse, responses={200: {"content": {m: {} for m in _MEDIA_TYPES}}})
def export_file(
    app: AppDep,
    chosen: SelectionIn,
    format: export.Format = "ics",
    calendar: CalendarNo | None = None,
    zone: str = "",
    name: str = "date-bridge",
) -> StreamingResponse:
    """A selection or a calendar as a file."""
    if zone and not details.is_zone(zone):
        raise NotValid(f"“{zone}” is not a time zone.")
    resolve_filter(chosen.filter, this_day())  # once the file has begun, it is too late to say what is wrong
    with app.store.read() as connection:
        export.demand_calendar(connection, calendar)
    file = export.file_name(name, export.ENDINGS.get(format, format))
    return StreamingResponse(
        export.write(app.store, app.ledger, selection(chosen), calendar, format, zone),
        media_type=_MEDIA[format],
        headers={"Content-Disposition": f"attachment; filename*=UTF-8''{encode(file)}", "X-File-Name": encode(file)},
    )


@router.get("/zones")
def zones() -> list[str]:
    """The time zones a spreadsheet can be written in."""
    return details.zone_names()
