"""Whether colours can be told apart, and text on them read.

>>> warnings([(1, "#1f5f8b"), (2, "#215f8c"), (3, "#fdfdf0")])
[(2, 'hard to tell from another layer'), (3, 'hard to see on the page')]
"""

from __future__ import annotations

import re
from collections.abc import Sequence

_HEX = re.compile(r"#([0-9a-f]{2})([0-9a-f]{2})([0-9a-f]{2})", re.IGNORECASE)
#: The grounds colours are drawn on: paper by day and by night.
_GROUNDS = ("#fcfaf3", "#122131")
#: Contrast a shape needs beside its ground (WCAG 2.2 §1.4.11), and a distance the eye tells apart at a glance.
_CONTRAST, _APART = 2.0, 14.0


def warnings(layers: Sequence[tuple[int, str]]) -> list[tuple[int, str]]:
    """What to say of layers shown together, each with its colour as ``#rrggbb``; others are passed over."""
    alike = []
    seen: list[tuple[float, float, float]] = []
    for number, colour in layers:
        lab = _lab(colour)
        if lab is None:
            continue
        if any(sum((a - b) ** 2 for a, b in zip(lab, other, strict=True)) ** 0.5 < _APART for other in seen):
            alike.append((number, "hard to tell from another layer"))
        elif min(contrast(colour, ground) for ground in _GROUNDS) < _CONTRAST:
            alike.append((number, "hard to see on the page"))
        seen.append(lab)
    return alike


def contrast(one: str, other: str) -> float:
    """The contrast ratio of two colours (WCAG 2.2)."""
    light, dark = sorted((_luminance(one), _luminance(other)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


def _linear(colour: str) -> tuple[float, float, float] | None:
    match = _HEX.fullmatch(colour)
    if match is None:
        return None
    parts = [int(part, 16) / 255 for part in match.groups()]
    red, green, blue = (p / 12.92 if p <= 0.04045 else ((p + 0.055) / 1.055) ** 2.4 for p in parts)
    return red, green, blue


def _luminance(colour: str) -> float:
    red, green, blue = _linear(colour) or (0.0, 0.0, 0.0)
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


def _lab(colour: str) -> tuple[float, float, float] | None:
    """CIE L*a*b* (D65), in which distances are about as large as they look."""
    linear = _linear(colour)
    if linear is None:
        return None
    red, green, blue = linear
    x = (0.4124 * red + 0.3576 * green + 0.1805 * blue) / 0.9505
    y = 0.2126 * red + 0.7152 * green + 0.0722 * blue
    z = (0.0193 * red + 0.1192 * green + 0.9505 * blue) / 1.089
    fx, fy, fz = (v ** (1 / 3) if v > 0.008856 else 7.787 * v + 16 / 116 for v in (x, y, z))
    return 116 * fy - 16, 500 * (fx - fy), 200 * (fy - fz)
