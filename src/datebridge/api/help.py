"""The pages of ``docs/`` for people who use the application, as it serves them under ``/help/``."""

from __future__ import annotations

import re
from functools import cache
from html import escape
from pathlib import Path

from fastapi import FastAPI
from fastapi.responses import HTMLResponse, Response
from markdown_it import MarkdownIt

#: The pages that are served, in their order, each with what it is called.
PAGES = {
    "guide": "Guide",
    "filters": "Filters",
    "sharing": "Sharing",
    "servers": "Servers",
    "formats": "Formats",
    "cli": "Command line",
    "operating": "Operation",
    "glossary": "Glossary",
}
_PACKAGE = Path(__file__).resolve().parents[1]
#: In an installed package, or in the repository.
_FOLDERS = (_PACKAGE / "docs", _PACKAGE.parents[1] / "docs")
_POLICY = "default-src 'none'; style-src 'unsafe-inline'; base-uri 'none'; frame-ancestors 'none'"
_STYLE = (
    "body{font:16px/1.55 system-ui,sans-serif;max-width:50rem;margin:2rem auto;padding:0 1.5rem}"
    ":root{color-scheme:light dark}"
    "table{border-collapse:collapse}td,th{border:1px solid #8886;padding:.25rem .6rem;text-align:left}"
    "pre,code{font-family:ui-monospace,monospace;font-size:.92em}pre{overflow:auto;padding:.7rem;background:#8881}"
    "nav a{margin-right:1rem}a{color:#1a6fb0}@media(prefers-color-scheme:dark){a{color:#7cb8e8}}"
)


def install(api: FastAPI) -> None:
    """Have the application serve them."""

    @api.get("/help/{name}", include_in_schema=False)
    def page(name: str) -> Response:
        html = _page(name) if name in PAGES else None
        if html is None:
            return Response("There is no such page.", 404)
        return HTMLResponse(html, headers={"Content-Security-Policy": _POLICY})


@cache
def _page(name: str) -> str | None:
    path = next((folder / f"{name}.md" for folder in _FOLDERS if (folder / f"{name}.md").is_file()), None)
    if path is None:
        return None
    body = MarkdownIt("commonmark").enable("table").render(path.read_text("utf-8"))
    body = re.sub(r'<a href="([^"]*)">(.*?)</a>', _link, body)
    body = re.sub(r"<img [^>]*>", "", body)
    links = "".join(f'<a href="{other}">{escape(title)}</a>' for other, title in PAGES.items())
    return (
        f'<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width">'
        f"<title>{escape(PAGES[name])} – Date Bridge</title><style>{_STYLE}</style>"
        f"<nav>{links}</nav><main>{body}</main>"
    )


def _link(link: re.Match[str]) -> str:
    """A link as it leads within these pages; only its words where it leads to a file that is not served."""
    target, words = link[1], link[2]
    name, _, place = target.partition("#")
    name = name.removesuffix(".md")
    if ":" in target:
        return link[0]
    if name in PAGES:
        return f'<a href="{name}{"#" + place if place else ""}">{words}</a>'
    return words if name else link[0]
