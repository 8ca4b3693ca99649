"""What is known of targets: a matrix with what has changed since the last time, and as files."""

from __future__ import annotations

import csv
import html
import io
import json
from dataclasses import dataclass
from itertools import groupby

from datebridge.core.crossing.catalogue import BY_NAME, CATALOGUE
from datebridge.core.crossing.features import TITLE, Feature, Verdict
from datebridge.core.crossing.fidelity import Measured
from datebridge.core.crossing.files import probe_file, read_export
from datebridge.core.crossing.phrasing import in_words, lines_about
from datebridge.core.ids import AccountId
from datebridge.core.keeping import entries_in
from datebridge.core.moments import from_wall_seconds
from datebridge.core.text.writer import new_header, write_calendar
from datebridge.core.views.sheet import defuse
from datebridge.services.fidelity.forecasts import fidelity_of
from datebridge.store.database import Store
from datebridge.store.fidelity import NotMeasured, keep_matrix, matrices_of, matrix
from datebridge.store.tables import Matrix


@dataclass(frozen=True, slots=True)
class MatrixRow:
    """One feature at a target.

    Attributes:
        before: its verdict the last time, "" where there was none or it is the same.
        sent, got: the lines it is about, as they went there and as they came back.
        declared: what the server says of it; `contradicts` where it does otherwise.
    """

    feature: Feature
    verdict: Verdict
    before: str
    sent: list[str]
    got: list[str]
    reason: str
    declared: str
    contradicts: bool


@dataclass(frozen=True, slots=True)
class Kept:
    """What a target keeps, and what it does in words."""

    row: Matrix
    rows: list[MatrixRow]
    does: list[str]
    unexplained: list[str]
    before_at: int | None


def of_account(store: Store, account: AccountId) -> Kept:
    """The newest matrix of an account, beside the one before it.

    Raises:
        NotMeasured: if nothing was measured there.
    """
    with store.session() as session:
        rows = matrices_of(session, account)
    if not rows:
        raise NotMeasured("What this account keeps has not been measured yet.")
    return _kept(rows[0], rows[1] if len(rows) > 1 else None)


def by_number(store: Store, number: int) -> Kept:
    """A matrix.

    Raises:
        NotMeasured: if there is none.
    """
    with store.session() as session:
        return _kept(matrix(session, number), None)


def probe_as_file() -> bytes:
    """The probe to be imported by hand into a system that only takes files."""
    entries, zones = probe_file()
    return b"".join(write_calendar(new_header(TITLE), [text for _, text in zones], entries))


def from_export(store: Store, name: str, text: str) -> int:
    """Keep what a system keeps that exported this after the probe was imported there; returns the matrix.

    Raises:
        NotMeasured: if nothing of the probe is in it.
    """
    measured = read_export(entries_in(text.encode("utf-8", "replace")))
    if not any(one.verdict is Verdict.KEPT for one in measured):
        raise NotMeasured(
            f"There are no entries of the probe in this export: their titles begin with “{TITLE} ”. Import the probe"
            f" into {name} first, then export that calendar."
        )
    with store.write() as connection:
        return keep_matrix(connection, None, name, measured, {}, 0)


def _kept(row: Matrix, before: Matrix | None) -> Kept:
    measured = {one["feature"]: Measured.read(one) for one in row.features}
    earlier = {one["feature"]: str(one["verdict"]) for one in before.features} if before is not None else {}
    fidelity = fidelity_of(row)
    rows = [
        _row(feature, measured[feature.name], earlier.get(feature.name, ""), row.declared.get(feature.name, ""))
        for feature in CATALOGUE
        if feature.name in measured
    ]
    does = list(dict.fromkeys(in_words(known.rule) for known in fidelity.rules))
    does += ["keeps attachments by itself (RFC 8607)"] if fidelity.manages else []
    unexplained = [BY_NAME[name].words for name in fidelity.unexplained]
    return Kept(row, rows, does, unexplained, before.made_at if before is not None else None)


def _row(feature: Feature, one: Measured, before: str, declared: str) -> MatrixRow:
    return MatrixRow(
        feature,
        one.verdict,
        before if before != one.verdict else "",
        lines_about(feature, one.sent),
        lines_about(feature, one.got),
        one.reason,
        declared,
        _contradicts(feature, one, declared),
    )


def _contradicts(feature: Feature, one: Measured, declared: str) -> bool:
    """Whether a server does otherwise than it says of itself."""
    if not declared or one.verdict is Verdict.NOT_TRIED:
        return False
    if declared.startswith("takes no "):
        return one.verdict is not Verdict.REFUSED
    if declared.startswith(("takes ", "keeps ")):
        return one.verdict in (Verdict.REFUSED, Verdict.DROPPED)
    if declared.startswith("nothing "):
        return False
    if feature.limit is not None and declared.startswith("at most "):
        said = "".join(c for c in declared.split(" ")[2] if c.isdigit())
        got = "".join(one.got).partition(" ")[0]
        return one.verdict is Verdict.KEPT or (got.isdigit() and int(got) != int(said))
    return False


# ---- as files -------------------------------------------------------------------------------------


def as_json(row: Matrix) -> str:
    """A matrix as ``probe --json`` gives it."""
    made = from_wall_seconds(row.made_at).isoformat() + "Z"
    return json.dumps({"account": row.name, "at": made, "features": row.features}, ensure_ascii=False, indent=2)


def as_csv(kept: Kept) -> str:
    """A matrix as a table; no cell is a formula."""
    out = io.StringIO()
    sheet = csv.writer(out)
    sheet.writerow(["group", "feature", "what", "verdict", "sent", "came back", "reason", "declared", "before"])
    for row in kept.rows:
        cells = [row.feature.group.value, row.feature.name, row.feature.words, row.verdict.value, "\n".join(row.sent)]
        cells += ["\n".join(row.got), row.reason, row.declared, row.before]
        sheet.writerow([defuse(cell) for cell in cells])
    return out.getvalue()


def as_page(kept: Kept) -> str:
    """A matrix as a page to be printed: everything in it, nothing fetched."""
    name, made = html.escape(kept.row.name), from_wall_seconds(kept.row.made_at)
    parts = [
        f"<!doctype html><html lang=en><meta charset=utf-8><title>What {name} keeps</title><style>{_STYLE}</style>",
        f"<h1>What {name} keeps</h1><p>Measured {made:%Y-%m-%d %H:%M} UTC by writing and reading back:",
        f" {len(kept.rows)} features, {kept.row.requests:,} requests.</p><ul>",
        *(f"<li>It {html.escape(one)}." for one in kept.does),
        "</ul>",
    ]
    for group, rows in groupby(kept.rows, lambda one: one.feature.group):
        parts.append(f"<h2>{html.escape(group.value)}</h2><table><tr><th>Feature<th>Verdict<th>Sent<th>Came back")
        parts += [_page_row(row) for row in rows]
        parts.append("</table>")
    return "".join(parts)


def _page_row(row: MatrixRow) -> str:
    verdict = " · ".join(filter(None, (row.verdict.value, row.reason)))
    cells = [row.feature.words, verdict, "\n".join(row.sent), "\n".join(row.got)]
    return "<tr>" + "".join(f"<td>{html.escape(cell)}" for cell in cells)


_STYLE = (
    "body{font:14px/1.4 sans-serif;max-width:70rem;margin:2rem auto;padding:0 1rem}"
    "table{border-collapse:collapse;width:100%}"
    "td,th{border-bottom:1px solid #bbb;text-align:left;vertical-align:top;padding:2px 6px;white-space:pre-wrap;"
    "overflow-wrap:anywhere;font-size:12px}h2{font-size:15px;margin:1rem 0 .2rem}tr{break-inside:avoid}"
)
