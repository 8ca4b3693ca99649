"""Notes with leftovers of mark-up: a DESCRIPTION is plain text (RFC 5545 §3.8.1.5), and is shown as it is."""

from __future__ import annotations

import re
from collections.abc import Iterator
from html.parser import HTMLParser

from datebridge.core.checks.check import Check, CheckFinding
from datebridge.core.checks.fixing import rewritten
from datebridge.core.index.derive import Reading
from datebridge.core.text.lines import escape_text, unescape_text

#: Elements that mark-up of notes is made of; whatever else stands between angle brackets may be meant.
_NAMES = "a|b|blockquote|body|br|code|div|em|font|h[1-6]|head|hr|html|i|img|li|meta|ol|p|pre|span|strong|style|sub|sup|table|tbody|td|th|title|tr|u|ul"  # noqa: E501
_VALUE = r"(?:\"[^\"<>]{0,2000}\"|'[^'<>]{0,2000}'|[^\s\"'<>=]{1,2000})"
_TAG = re.compile(
    rf"<(?P<end>/?)(?P<name>{_NAMES})(?P<said>(?:\s{{1,9}}[a-z][a-z:-]{{0,40}}\s{{0,9}}=\s{{0,9}}{_VALUE}){{0,40}})\s{{0,9}}/?>",
    re.IGNORECASE,
)
#: What stands around mark-up and is no text either.
_AROUND = re.compile(r"<!(?:--.{0,2000}?--|doctype[^<>]{0,200})>", re.IGNORECASE | re.DOTALL)
_VOID = frozenset({"br", "hr", "img", "meta"})
_ENTITY = re.compile(r"&(?:nbsp|amp|lt|gt|quot|#\d{2,5});")
_BLOCKS = frozenset({"p", "div", "br", "li", "tr", "h1", "h2", "h3", "h4", "h5", "h6", "table", "ul", "ol", "hr"})
_UNSEEN = frozenset({"style", "head", "title", "meta"})


class _Plain(HTMLParser):
    """Mark-up as the text a reader of it would see; links keep their address behind what they are called."""

    def __init__(self) -> None:
        super().__init__(convert_charrefs=True)
        self.pieces: list[str] = []
        self._hidden = 0
        self._link = ""

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self._hidden += tag in _UNSEEN - {"meta"}
        if tag in _BLOCKS:
            self.pieces.append("\n- " if tag == "li" else "\n")
        if tag == "a":
            self._link = dict(attrs).get("href") or ""

    def handle_endtag(self, tag: str) -> None:
        self._hidden -= tag in _UNSEEN - {"meta"} and self._hidden > 0
        if tag == "a" and self._link:
            if self._link not in "".join(self.pieces[-3:]):
                self.pieces.append(f" ({self._link})")
            self._link = ""
        elif tag in _BLOCKS - {"br", "li"}:
            self.pieces.append("\n")

    def handle_data(self, data: str) -> None:
        if not self._hidden:
            self.pieces.append(data)


def tags_in(text: str) -> list[re.Match[str]]:
    """What in a text is mark-up beyond doubt: elements that say something of themselves, or that begin and end.

    >>> [tag[0] for tag in tags_in("<b>Quay</b>: a<b then c>d, <ida@x.example>, <https://x.example>, <b> and <br>")]
    ['<b>', '</b>', '<b>', '<br>']
    >>> tags_in("a <i> b"), tags_in("<Name of guest>")
    ([], [])
    """
    matches = list(_TAG.finditer(text))
    begun = {tag["name"].lower() for tag in matches if not tag["end"]}
    ended = {tag["name"].lower() for tag in matches if tag["end"]}
    sure = (begun & ended) | _VOID | {tag["name"].lower() for tag in matches if tag["said"]}
    return [tag for tag in matches if tag["name"].lower() in sure]


def _told_apart(text: str) -> str:
    """A text in which only mark-up looks like mark-up."""
    made, at = [], 0
    for tag in tags_in(text):
        made += [_AROUND.sub("", text[at : tag.start()]).replace("<", "&lt;"), tag[0]]
        at = tag.end()
    return "".join([*made, _AROUND.sub("", text[at:]).replace("<", "&lt;")] if made else [text.replace("<", "&lt;")])


def find(entry: Reading) -> Iterator[CheckFinding]:
    value = entry.value("DESCRIPTION")
    if "<" not in value and "&" not in value:
        return
    tags = tags_in(unescape_text(value))
    entity = _ENTITY.search(value)
    if tags or entity:
        tag = tags[0][0] if tags else entity[0] if entity else ""
        yield CheckFinding(f"The notes contain HTML: “{tag[:40]}”.", "Shown as it is written.", "DESCRIPTION")


def fix(text: str) -> str | None:
    """Write the notes as the text a reader of the mark-up would see."""

    def plain(name: str, params: str, value: str) -> str | None:
        said = unescape_text(value)
        if not tags_in(said) and not _ENTITY.search(said):
            return None
        reader = _Plain()
        reader.feed(_told_apart(said))
        reader.close()
        lines = [line.strip(" \t\xa0").replace("\xa0", " ") for line in "".join(reader.pieces).split("\n")]
        made = re.sub(r"\n{3,}", "\n\n", "\n".join(lines)).strip()
        return f"{name}{params}:{escape_text(made)}" if made != said and not tags_in(made) else None

    return rewritten(text, {"DESCRIPTION"}, plain)


CHECK = Check(
    "markup",
    "alters",
    "HTML in the notes",
    find,
    needs=frozenset({"DESCRIPTION"}),
    fix=fix,
    revision=2,
    why="Notes are plain text: other systems show the tags. The fix keeps the visible text and the addresses of links.",
)
