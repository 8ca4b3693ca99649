"""A report of a crossing as one page that needs nothing else, and holds the report itself."""

from __future__ import annotations

import html
import json
from collections.abc import Mapping, Sequence
from typing import Any

_STYLE = (
    "body{font:14px/1.45 sans-serif;max-width:72rem;margin:2rem auto;padding:0 1rem;color:#14202b}"
    "h1{font-size:24px;margin:0}h2{font-size:17px;margin:1.6rem 0 .3rem;border-bottom:2px solid #14202b}"
    "table{border-collapse:collapse;width:100%}td,th{border-bottom:1px solid #bbb;text-align:left;padding:2px 8px;"
    "vertical-align:top;font-size:13px;overflow-wrap:anywhere}td.n,th.n{text-align:right;font-variant-numeric:tabular-nums}"
    "tr,h2{break-inside:avoid}.bad{font-weight:bold;color:#9c1f1f}code{font-size:11px;overflow-wrap:anywhere}"
    "details{margin:.2rem 0}svg{display:block}"
)


def as_page(document: Mapping[str, Any]) -> str:
    """A report as one page that needs nothing else, and holds the report itself."""
    name = html.escape(document["name"])
    lanes = document["lanes"]
    unexplained = sum(lane["counts"]["unexplained"] for lane in lanes)
    verified = sum(bool(lane["verified"]) and not lane["counts"]["unexplained"] for lane in lanes)
    verdict = (
        f"{verified:,} of {len(lanes):,} lanes are verified: no difference is left that nobody can explain."
        if not unexplained
        else f"{unexplained:,} differences are left that nobody can explain."
    )
    data = json.dumps(document, ensure_ascii=False).replace("</", "<\\/")
    return "".join(
        [
            f'<!doctype html><html lang="en"><meta charset="utf-8"><title>{name}: report</title>',
            f"<style>{_STYLE}</style>",
            f"<h1>{name}</h1><p>Made {html.escape(document['made'])}. <strong>{verdict}</strong></p>",
            f"<p>For {html.escape(document['owner'])}.</p>" if document.get("owner") else "",
            _overview(lanes),
            _cutover(document.get("cutover") or ()),
            *(_section(lane) for lane in lanes),
            "<h2>Signature</h2><p>Signed with the key <code>",
            html.escape(document["key"]),
            "</code>. <code>date-bridge verify-report FILE</code> checks this page.</p>",
            f'<script type="application/json" id="report">{data}</script></html>',
        ]
    )


def _cutover(steps: Sequence[Mapping[str, Any]]) -> str:
    """The steps of the cutover that were taken."""
    if not steps:
        return ""
    rows = [_cells([one["step"].replace("-", " "), one["at"], one["by"], " ".join(one["notes"])]) for one in steps]
    return f"<h2>Cutover</h2><table>{_cells(['Step', 'Taken', 'By', 'Left to do'], 'th')}{''.join(rows)}</table>"


def _cells(values: Sequence[object], tag: str = "td") -> str:
    cells = []
    for value in values:
        shown = f"{value:,}" if isinstance(value, int) else str(value)
        cells.append(f"<{tag}{' class=n' if isinstance(value, int) else ''}>{html.escape(shown)}</{tag}>")
    return f"<tr>{''.join(cells)}</tr>"


def _overview(lanes: Sequence[Mapping[str, Any]]) -> str:
    head = _cells(["From", "To", "Entries", "There", "Explained", "Unexplained", "Left behind", "Verified"], "th")
    rows = [
        _cells(
            [
                _place(lane["source"]),
                _place(lane["target"]),
                *(lane["counts"][name] for name in ("entries", "there", "explained", "unexplained", "left")),
                lane["verified"] or "not yet",
            ]
        )
        for lane in lanes
    ]
    return f"<table>{head}{''.join(rows)}</table>"


def _place(side: Mapping[str, str]) -> str:
    return " · ".join(filter(None, (side["account"] or "here", side["calendar"])))


_CAUSES = {
    "": "unexplained",
    "plan": "by the plan",
    "remedy": "a remedy",
    "loss": "foretold",
    "since": "since",
    "ruled": "ruled right",
    "left": "left behind",
}


def _section(lane: Mapping[str, Any]) -> str:
    parts = [f"<h2>{html.escape(_place(lane['source']))} → {html.escape(_place(lane['target']))}</h2>"]
    if lane["message"]:
        parts.append(f'<p class="bad">{html.escape(lane["message"])}</p>')
    if lane["batches"]:
        parts.append(
            "<p>Carried by "
            + "; ".join(
                html.escape(f"batch {b['batch']}, {b['at']}, by {b['by']}: {b['title']}") for b in lane["batches"]
            )
            + ".</p>"
        )
    parts.append(_months(lane["months"]))
    if lane["differences"]:
        parts.append("<table>" + _cells(["What", "Why", "Reason", "Number"], "th"))
        for one in lane["differences"]:
            what = " ".join(filter(None, (one["verdict"], one["fields"])))
            parts.append(_cells([what, _CAUSES.get(one["cause"], one["cause"]), one["reason"], one["number"]]))
            more = "" if one["number"] <= len(one["entries"]) else f" and {one['number'] - len(one['entries']):,} more"
            names = html.escape("; ".join(title or "Untitled" for title in one["entries"]) + more)
            parts.append(f"<tr><td colspan=4><details><summary>Entries</summary>{names}</details></td></tr>")
        parts.append("</table>")
    if lane["digests"]:
        digests = " → ".join(f"<code>{html.escape(one)}</code>" for one in lane["digests"])
        parts.append(f"<p>Content at both ends: {digests}</p>")
    return "".join(parts)


def _months(months: Mapping[str, Sequence[int]]) -> str:
    """Two banks of bars: what happens in each month at the source, above, and at the target, below."""
    if not months:
        return ""
    most = max(max(pair) for pair in months.values()) or 1
    width = 14 * len(months)
    bars = []
    for at, (month, (here, there)) in enumerate(months.items()):
        up, down = 40 * here / most, 40 * there / most
        ink = "#14202b" if here == there else "#9c1f1f"
        bars.append(
            f'<g fill="{ink}"><title>{html.escape(month)}: {here:,} at the source, {there:,} at the target</title>'
            f'<rect x="{14 * at}" y="{40 - up:.1f}" width="11" height="{up:.1f}"/>'
            f'<rect x="{14 * at}" y="46" width="11" height="{down:.1f}"/></g>'
        )
    first, last = min(months), max(months)
    label = f"Occurrences each month, {first} to {last}: the source above, the target below"
    return f'<p>{label}</p><svg role="img" aria-label="{label}" width="{width}" height="88">{"".join(bars)}</svg>'
