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

    found = zones_in({str(path): _read(path) for path in files})
    wrong = [
        one for one in found if not (one.understood.zone or one.understood.own_counts) or one.understood.contradicts
    ]
    wrong = [one for one in wrong if one.tzid]
    if as_json:
        told = [
            {
                "tzid": one.tzid,
                "zone": one.understood.zone,
                "method": one.understood.method,
                "confidence": round(one.understood.confidence, 2),
                "from": str(one.understood.first),
                "to": str(one.understood.last),
                "contradicts": one.understood.contradicts or None,
                "events": one.entries,
                "says": one.understood.says,
                "files": sorted({str(use.calendar) for use in one.uses}),
                "candidates": [
                    {"zones": list(some.zones), "from": str(some.first), "to": str(some.last)}
                    for some in one.understood.candidates
                ],
            }
            for one in found
        ]
        print(json.dumps({"zones": told}, ensure_ascii=False, indent=2))
    else:
        rows = [
            (
                one.tzid or "(none: floating times)",
                one.understood.zone or "?",
                f"{one.entries:,}",
                one.understood.contradicts or one.understood.says,
            )
            for one in found
        ]
        table(("name", "means", "entries", "because"), rows, counted(len(found), "zone name"))
    raise SystemExit(PROBLEMS if wrong else OK)


@app.command("series")
def series_of_files(
    files: Annotated[list[Path], _FILES],
    as_json: Annotated[bool, _JSON] = False,
) -> None:
    """List series with what is wrong with them, and series that are scattered. Exit code 1 if there is either."""
    from datebridge.core.language.plural import counted
    from datebridge.core.series.files import series_in

    found = series_in({str(path): _read(path) for path in files})
    ill = [one for one in found.series if one.findings]
    if as_json:
        told = {
            "series": [one.as_dict() for one in found.series],
            "inferred": [one._asdict() for one in found.inferred],
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
            for one in [*ill, *(one for one in found.series if not one.findings)][:_SHOWN]
        ]
        table(("what", "repeats", "first", "last", "times", "findings"), rows, f"{len(found.series):,} series")
        for one in found.series[_SHOWN:][:1]:
            say(f"  … and {len(found.series) - _SHOWN:,} more, as {one.title}; --json lists them all.")
        for scattered in found.inferred:
            said = f"{counted(len(scattered.uids), 'single entry', 'single entries')} are one series: {scattered.words}"
            say(f"  “{scattered.title}”: {said} ({scattered.confidence:.0%} sure)")
    raise SystemExit(PROBLEMS if ill or found.inferred else OK)


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
    low, high = (Moment(one).wall_seconds if one is not None else None for one in (begin, end))
    found = compare_files(both((str(left), _read(left)), (str(right), _read(right))), low, high)
    if as_json:
        told = {"summary": found.summary, "differences": [one.as_dict() for one in found.differences]}
        print(json.dumps({**told, **({"cut": found.cut} if found.cut else {})}, ensure_ascii=False, indent=2))
    else:
        rows = _by_entry(found.differences)
        title = ", ".join(f"{number:,} {verdict}" for verdict, number in found.summary.items())
        table(("what", "changed", "missing", "extra", "later by", "fields", "first"), rows[:_SHOWN], title)
        if len(rows) > _SHOWN:
            say(f"  … and {len(rows) - _SHOWN:,} more; --json lists them all, occurrence by occurrence.")
        for name in found.cut:
            say(f"  “{name}” happens more often than can be listed; not all of its times were compared.")
    raise SystemExit(PROBLEMS if found.differences else OK)


def _by_entry(differences: list[Told]) -> list[tuple[str, ...]]:
    """A row for each series or single entry that differs, those with most first."""
    from datebridge.core.language.spans import difference

    groups: dict[tuple[str, str], list[Told]] = {}
    for one in differences:
        side = one.left or one.right or {}
        groups.setdefault((one.uid, side.get("summary", "")), []).append(one)
    rows = []
    for (_, title), some in sorted(groups.items(), key=lambda item: -len(item[1])):
        counts = [sum(one.verdict == verdict for one in some) for verdict in ("changed", "missing", "extra")]
        moved = sorted({one.moved_by for one in some if one.moved_by})
        fields = ", ".join(dict.fromkeys(name for one in some for name in one.fields))
        by = ", ".join(map(difference, moved[:3])) + (", …" if len(moved) > 3 else "")
        first = (some[0].left or some[0].right or {}).get("start", "")
        rows.append((title, *(f"{count:,}" if count else "" for count in counts), by, fields, first))
    return rows
