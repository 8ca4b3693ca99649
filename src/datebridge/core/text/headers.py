"""A calendar's own lines: name, description, colour, zone, stated in its header (RFC 7986 §5).

>>> header = described(new_header("Tides"), Description("Tides", "#16684a", "UTC", "High and low"))
>>> description_of(header).own_colour
'#16684a'
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from datebridge.core.text.component import Component, ComponentEditor
from datebridge.core.text.lines import escape_text, unescape_text
from datebridge.core.text.writer import new_header

_HEX = re.compile(r"#[0-9a-f]{6}\Z")
_NAME = re.compile(r"[a-z]{3,24}\Z")
#: COLOR takes only the names CSS3 has (RFC 7986 §5.9); an exact shade goes into a property of our own.
_SHADE = "X-DATE-BRIDGE-COLOR"


@dataclass(frozen=True, slots=True)
class Description:
    """What a header says. `own_colour` is a CSS colour, ``#rrggbb`` or a name; `zone` an IANA zone; "" where unsaid."""

    name: str
    own_colour: str = ""
    zone: str = ""
    text: str = ""


def description_of(header: str) -> Description:
    """What the header of a calendar says of it (RFC 7986 §5, and what came before)."""
    component = Component(header)

    def value(*names: str) -> str:
        line = next((first for name in names if (first := component.first(name))), None)
        return unescape_text(line.value).strip() if line else ""

    own_colour = value(_SHADE, "COLOR").lower()
    return Description(
        value("NAME", "X-WR-CALNAME"),
        own_colour if _HEX.match(own_colour) or _NAME.match(own_colour) else "",
        value("X-WR-TIMEZONE"),
        value("DESCRIPTION", "X-WR-CALDESC"),
    )


def described(header: str, wanted: Description) -> str:
    """The header with what is wanted; lines that say it already, and all others, stay as they are."""
    lines = ComponentEditor(header or new_header(wanted.name))
    now = description_of(lines.text)
    if now.name != wanted.name:
        lines.put("NAME", escape_text(wanted.name))
        if any(lines.own("X-WR-CALNAME")):
            lines.put("X-WR-CALNAME", escape_text(wanted.name))
    if now.own_colour != wanted.own_colour:
        lines.drop(_SHADE)
        lines.drop("COLOR")
        lines.set(_SHADE if wanted.own_colour.startswith("#") else "COLOR", escape_text(wanted.own_colour))
    if now.zone != wanted.zone:
        lines.set("X-WR-TIMEZONE", escape_text(wanted.zone))
    if now.text != wanted.text:
        lines.drop("X-WR-CALDESC")
        lines.drop("DESCRIPTION")
        lines.set("DESCRIPTION", escape_text(wanted.text))
    return lines.text


def is_css_colour(value: str) -> bool:
    """Whether a value is a colour a header can state."""
    return bool(_HEX.match(value) or _NAME.match(value))
