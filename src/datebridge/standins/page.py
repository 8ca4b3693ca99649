"""The plain page in which every stand-in shows itself."""

from __future__ import annotations

import html

_STYLE = (
    "body{font:15px/1.5 sans-serif;margin:2rem auto;max-width:70rem;padding:0 1rem;color:#14263a;background:#f5f1e6}"
    "table{border-collapse:collapse;width:100%}"
    "td,th{border-bottom:1px solid #d3cab2;padding:.3rem .6rem;text-align:left}"
    "button{padding:.2rem .8rem}pre{background:#fcfaf3;padding:1rem;overflow:auto}"
)


def page(title: str, lead: str, body: str) -> str:
    """A whole page; `body` is HTML, the rest is text."""
    return (
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{html.escape(title)}</title>'
        '<link rel="icon" href="data:,">'
        f"<style>{_STYLE}</style></head><body><main><h1>{html.escape(title)}</h1><p>{html.escape(lead)}</p>{body}"
        "</main></body></html>"
    )
