"""Commands about time: what zone names mean, how series are, in what two files differ."""

from __future__ import annotations

import json
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from datebridge.cli.output import CANNOT, OK, PROBLEMS, error, say, table

if TYPE_CHECKING:
    from datebridge.core.comparing.files import Told
    from datebridge.core.text.reader import RawComponent

app = typer.Typer()
_MOMENTS = ["%Y-%m-%d", "%Y-%m-%dT%H:%M", "%Y-%m-%dT%H:%M:%S"]
_FILES = typer.Argument(help="iCalendar files.", show_default=False)
_JSON = typer.Option("--json", help="Print JSON.")
#: How many rows of a table are printed.
_SHOWN = 200


def _read(path: Path) -> list[RawComponent]:
    from datebridge.core.text.reader import Reader

    with path.open("rb") as source:
        return list(Reader(source))


@app.command("zones")
def zones_of_files(
    files: Annotated[list[Path], _FILES],
    as_json: Annotated[bool, _JSON] = False,
) -> None:
    """Say what each zone name means, and what speaks for it. Exit code 1 if one is unknown or contradicts itself."""
    from datebridge.core.comparing.zones import zones_in
    from datebridge.core.language.plural import counted

    usages = zones_in({str(path): _read(path) for path in files})
    wrong = [
        usage
        for usage in usages
        if not (usage.understood.zone or usage.understood.own_counts) or usage.understood.contradicts
    ]
    wrong = [usage for usage in wrong if usage.tzid]
    if as_json:
        told = [
            {
                "tzid": usage.tzid,
                "zone": usage.understood.zone,
                "method": usage.understood.method,
                "confidence": round(usage.understood.confidence, 2),
                "from": str(usage.understood.first),
                "to": str(usage.understood.last),
                "contradicts": usage.understood.contradicts or None,
                "events": usage.entries,
                "says": usage.understood.says,
                "files": sorted({str(use.calendar) for use in usage.uses}),
                "candidates": [
                    {"zones": list(some.zones), "from": str(some.first), "to": str(some.last)}
                    for some in usage.understood.candidates
                ],
            }
            for usage in usages
        ]
        print(json.dumps({"zones": told}, ensure_ascii=False, indent=2))
    else:
        rows = [
            (
                usage.tzid or "(none: floating times)",
                usage.understood.zone or "?",
                f"{usage.entries:,}",
                usage.understood.contradicts or usage.understood.says,
            )
            for usage in usages
        ]
        table(("name", "means", "entries", "because"), rows, counted(len(usages), "zone name"))
    raise SystemExit(PROBLEMS if wrong else OK)


@app.command("series")
def series_of_files(
    files: Annotated[list[Path], _FILES],
    as_json: Annotated[bool, _JSON] = False,
) -> None:
    """List series with what is wrong with them, and series that are scattered. Exit code 1 if there is either."""
    from datebridge.core.language.plural import counted
    from datebridge.core.series.files import series_in

    of_files = series_in({str(path): _read(path) for path in files})
    ill = [series for series in of_files.series if series.findings]
    if as_json:
        told = {
            "series": [series.as_dict() for series in of_files.series],
            "inferred": [series._asdict() for series in of_files.inferred],
        }
        print(json.dumps(told, ensure_ascii=False, indent=2))
    else:
        rows = [
            (
                one.title,
                one.words,
                one.first[:10],
                (one.last or "")[:10] or "no end",
                str(one.count or ""),
                "; ".join(dict.fromkeys(finding.check for finding in one.findings)),
            )
            for one in [*ill, *(series for series in of_files.series if not series.findings)][:_SHOWN]
        ]
        table(("what", "repeats", "first", "last", "times", "findings"), rows, f"{len(of_files.series):,} series")
        for series in of_files.series[_SHOWN:][:1]:
            say(f"  … and {len(of_files.series) - _SHOWN:,} more, as {series.title}; --json lists them all.")
        for scattered in of_files.inferred:
            text = f"{counted(len(scattered.uids), 'single entry', 'single entries')} are one series: {scattered.words}"
            say(f"  “{scattered.title}”: {text} ({scattered.confidence:.0%} sure)")
    raise SystemExit(PROBLEMS if ill or of_files.inferred else OK)


@app.command("compare")
def compare_two_files(
    left: Annotated[Path, typer.Argument(metavar="A", help="An iCalendar file.", show_default=False)],
    right: Annotated[Path, typer.Argument(metavar="B", help="The one to compare it with.", show_default=False)],
    begin: Annotated[
        datetime | None, typer.Option("--from", formats=_MOMENTS, help="The first day, or moment, in UTC.")
    ] = None,
    end: Annotated[
        datetime | None, typer.Option("--to", formats=_MOMENTS, help="The day or moment it ends before, in UTC.")
    ] = None,
    as_json: Annotated[bool, _JSON] = False,
) -> None:
    """Compare two files, occurrence by occurrence. Exit code 1 if they differ.

    Missing is what only A has, extra what only B has; the same occurrence at another time is changed. Series without
    end are compared for two years after everything else, if --to is not given.
    """
    from datebridge.core.comparing.files import both, compare_files
    from datebridge.core.moments import Moment

    if begin is not None and end is not None and end <= begin:
        error("The span ends before it starts: --from must be before --to.")
        raise SystemExit(CANNOT)
    low, high = (Moment(moment).wall_seconds if moment is not None else None for moment in (begin, end))
    comparison = compare_files(both((str(left), _read(left)), (str(right), _read(right))), low, high)
    if as_json:
        told = {"summary": comparison.summary, "differences": [message.as_dict() for message in comparison.differences]}
        print(json.dumps({**told, **({"cut": comparison.cut} if comparison.cut else {})}, ensure_ascii=False, indent=2))
    else:
        rows = _by_entry(comparison.differences)
        title = ", ".join(f"{number:,} {verdict}" for verdict, number in comparison.summary.items())
        table(("what", "changed", "missing", "extra", "later by", "fields", "first"), rows[:_SHOWN], title)
        if len(rows) > _SHOWN:
            say(f"  … and {len(rows) - _SHOWN:,} more; --json lists them all, occurrence by occurrence.")
        for name in comparison.cut:
            say(f"  “{name}” happens more often than can be listed; not all of its times were compared.")
    raise SystemExit(PROBLEMS if comparison.differences else OK)


def _by_entry(differences: list[Told]) -> list[tuple[str, ...]]:
    """A row for each series or single entry that differs, those with most first."""
    from datebridge.core.language.spans import difference

    groups: dict[tuple[str, str], list[Told]] = {}
    for message in differences:
        side = message.left or message.right or {}
        groups.setdefault((message.uid, side.get("summary", "")), []).append(message)
    rows = []
    for (_, title), some in sorted(groups.items(), key=lambda item: -len(item[1])):
        counts = [sum(message.verdict == verdict for message in some) for verdict in ("changed", "missing", "extra")]
        moved = sorted({message.moved_by for message in some if message.moved_by})
        fields = ", ".join(dict.fromkeys(name for message in some for name in message.fields))
        by = ", ".join(map(difference, moved[:3])) + (", …" if len(moved) > 3 else "")
        first = (some[0].left or some[0].right or {}).get("start", "")
        rows.append((title, *(f"{count:,}" if count else "" for count in counts), by, fields, first))
    return rows
