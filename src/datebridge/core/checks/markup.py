"""Notes with leftovers of mark-up: a DESCRIPTION is plain text (RFC 5545 §3.8.1.5), and is shown as it is."""

from __future__ import annotations

import re
from collections.abc import Iterator
from html.parser import HTMLParser

from datebridge.core.checks.check import Check, Found
from datebridge.core.checks.fixing import rewritten
from datebridge.core.index.derive import Reading
from datebridge.core.text.lines import escape_text, unescape_text

#: Elements that mark-up of notes is made of; whatever else stands between angle brackets may be meant.
_NAMES = "a|b|blockquote|body|br|code|div|em|font|h[1-6]|head|hr|html|i|img|li|meta|ol|p|pre|span|strong|style|sub|sup|table|tbody|td|th|title|tr|u|ul"  # noqa: E501
_TAG = re.compile(rf"</?(?:{_NAMES})(?:\s[^<>]{{0,2000}})?/?>", re.IGNORECASE)
_ENTITY = re.compile(r"&(?:nbsp|amp|lt|gt|quot|#\d{2,5});")
_BLOCKS = frozenset({"p", "div", "br", "li", "tr", "h1", "h2", "h3", "h4", "h5", "h6", "table", "ul", "ol", "hr"})
_UNSEEN = frozenset({"style", "head", "title", "meta"})


class _Plain(HTMLParser):
    """Mark-up as the text a reader of it would see; links keep their address behind what they are called."""

    def __init__(self) -> None:
        super().__init__(convert_charrefs=True)
        self.said: list[str] = []
        self._hidden = 0
        self._link = ""

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self._hidden += tag in _UNSEEN - {"meta"}
        if tag in _BLOCKS:
            self.said.append("\n- " if tag == "li" else "\n")
        if tag == "a":
            self._link = dict(attrs).get("href") or ""

    def handle_endtag(self, tag: str) -> None:
        self._hidden -= tag in _UNSEEN - {"meta"} and self._hidden > 0
        if tag == "a" and self._link:
            if self._link not in "".join(self.said[-3:]):
                self.said.append(f" ({self._link})")
            self._link = ""
        elif tag in _BLOCKS - {"br", "li"}:
            self.said.append("\n")

    def handle_data(self, data: str) -> None:
        if not self._hidden:
            self.said.append(data)


def find(entry: Reading) -> Iterator[Found]:
    value = entry.value("DESCRIPTION")
    if ("<" in value and (tag := _TAG.search(value))) or ("&" in value and (tag := _ENTITY.search(value))):
        yield Found(f"The notes hold mark-up: “{tag[0][:40]}”.", "Shown as it is written.", "DESCRIPTION")


def fix(text: str) -> str | None:
    """Write the notes as the text a reader of the mark-up would see."""

    def plain(name: str, params: str, value: str) -> str | None:
        said = unescape_text(value)
        if not _TAG.search(said) and not _ENTITY.search(said):
            return None
        reader = _Plain()
        reader.feed(said)
        reader.close()
        lines = [line.strip(" \t\xa0").replace("\xa0", " ") for line in "".join(reader.said).split("\n")]
        made = re.sub(r"\n{3,}", "\n\n", "\n".join(lines)).strip()
        return f"{name}{params}:{escape_text(made)}" if made != said and not _TAG.search(made) else None

    return rewritten(text, {"DESCRIPTION"}, plain)


CHECK = Check(
    "markup", "alters", "Mark-up in the notes", find, needs=frozenset({"DESCRIPTION"}), fix=fix,
    why="Notes are plain text: other systems show the tags themselves. Putting right leaves what a reader would see,"
    " with the addresses of links.",
)  # fmt: skip
