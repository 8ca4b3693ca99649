"""Mark-up in what should be plain text: where it is beyond doubt, and what a reader of it would see."""

from __future__ import annotations

import re
from html.parser import HTMLParser

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


def entity_in(text: str) -> str:
    """The first character that is written as mark-up writes it; "" for none."""
    match = _ENTITY.search(text)
    return match[0] if match else ""


def plain(text: str) -> str:
    """A text as a reader of its mark-up would see it.

    >>> plain("<p>Quay&nbsp;4, <a href='https://x.example/'>plan</a></p>")
    'Quay 4, plan (https://x.example/)'
    """
    reader = _Plain()
    reader.feed(_told_apart(text))
    reader.close()
    lines = [line.strip(" \t\xa0").replace("\xa0", " ") for line in "".join(reader.pieces).split("\n")]
    return re.sub(r"\n{3,}", "\n\n", "\n".join(lines)).strip()
