"""What a TZID means, and what speaks for it: its name, its definition, what stands around it.

>>> found = understand("GMT+10:00", None, 2026, 2026)
>>> found.zone, found.method, found.says
('Etc/GMT-10', 'offset', 'an offset from UTC')
>>> understand("AST", None, 2026, 2026).says
'an abbreviation of clocks: America/Halifax or America/Puerto_Rico'

A person decides with a ruling; by default a name exactly as in the zone database stands for that zone, any other for
its definition where it has one (`meaning`).
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Literal

from datebridge.core.tzids import Resolution, links, listed, resolve
from datebridge.core.zones.abbreviations import by_offsets, meant_by
from datebridge.core.zones.defined import DefinedZone, define, defined
from datebridge.core.zones.fitting import Fit, Stretch, fitted
from datebridge.core.zones.meaning import BY_DEFINITION, differs

__all__ = ["Method", "Understood", "define", "defined", "understand"]

#: How the meaning of a name was found. ``hint``: nothing but what its calendar says of itself.
Method = Literal[
    "iana",
    "link",
    "cldr",
    "path",
    "offset",
    "display",
    "definition",
    "fixed",
    "abbreviation",
    "hint",
    "ruling",
    "floating",
    "unresolved",
]
_BY_NAME: dict[str, tuple[float, str]] = {
    "iana": (1.0, "a name in the zone database"),
    "link": (1.0, "an older name in the zone database"),
    "cldr": (0.95, "an alias in the CLDR table"),
    "path": (0.95, "a zone name with a vendor prefix"),
    "offset": (0.9, "an offset from UTC"),
    "display": (0.8, "the offset and the city in its name"),
}
#: How many zones are named in a sentence.
_FEW = 4


@dataclass(frozen=True, slots=True)
class Understood:
    """What a TZID means where it is used.

    Attributes:
        zone: the IANA zone it goes by, or goes like; "" where none does, or is unknown.
        confidence: from 0 to 1.
        first, last: the years that were looked at.
        says: what speaks for it, in words.
        contradicts: where its name and its definition differ: what the one says and the other does; else "".
        parts: an instant at which they differ; None where they do not.
        named: the zone its name suggests; "" where it suggests none.
        own: it has a definition. `own_counts`: that is what its times go by.
        candidates: what it could mean, each with the years in which it would fit; the likeliest first.
    """

    tzid: str
    zone: str
    method: Method
    confidence: float
    first: int
    last: int
    says: str
    contradicts: str = ""
    parts: int | None = None
    named: str = ""
    own: bool = False
    own_counts: bool = False
    candidates: tuple[Stretch, ...] = ()


def understand(
    tzid: str, own: DefinedZone | None, first: int, last: int, hints: Sequence[str] = (), ruled: str = ""
) -> Understood:
    """What a TZID means in the years from `first` to `last`.

    Args:
        own: its definition, where there is one.
        hints: IANA zones that its calendar or its neighbours go by: they choose between zones that go alike.
        ruled: what somebody has decided; see `meaning.Zones`.
    """
    if not tzid:
        return Understood("", "", "floating", 1.0, first, last, "floating: the same clock time in every zone")
    name = resolve(tzid)
    understood = (
        _by_name(tzid, name, first, last, hints) if own is None else _by_both(tzid, name, own, first, last, hints)
    )
    if not ruled or (ruled == BY_DEFINITION and own is None):
        return understood
    if ruled == BY_DEFINITION and own is not None:
        fit = fitted(own, first, last)
        zone = _chosen(fit.whole, hints)
        return _ruled(understood, zone, True, "ruling: its definition counts")
    return _ruled(understood, ruled, False, f"decided: {ruled}")


def _ruled(understood: Understood, zone: str, own_counts: bool, says: str) -> Understood:
    return Understood(
        understood.tzid,
        zone,
        "ruling",
        1.0,
        understood.first,
        understood.last,
        says,
        understood.contradicts,
        understood.parts,
        understood.named,
        understood.own,
        own_counts,
        understood.candidates,
    )


def _by_name(tzid: str, name: Resolution, first: int, last: int, hints: Sequence[str]) -> Understood:
    if name.zone:
        method: Method = "link" if _is_older(name) else name.method
        confidence, says = _BY_NAME[method]
        if method == "link":
            says += f", for {links()[name.zone]}"
        return Understood(tzid, name.zone, method, confidence, first, last, says, named=name.zone)
    if offsets := by_offsets(tzid):
        candidates = tuple(Stretch((zone,), first, last) for zone in _hinted(offsets, hints))
        says = f"the offsets of its winter and summer: {_listed(offsets)}"
        return Understood(tzid, "", "abbreviation", 1 / (1 + len(offsets)), first, last, says, candidates=candidates)
    meant = meant_by(tzid)
    if meant:
        candidates = tuple(Stretch((zone,), first, last) for zone in _hinted(meant, hints))
        says = f"an abbreviation of clocks: {_listed(meant)}"
        return Understood(tzid, "", "abbreviation", 1 / (1 + len(meant)), first, last, says, candidates=candidates)
    candidates = tuple(Stretch((zone,), first, last) for zone in dict.fromkeys(hints))
    if candidates:
        says = f"only the zone of its calendar, {_listed(tuple(hints)[:2])}"
        return Understood(tzid, "", "hint", 0.3, first, last, says, candidates=candidates)
    return Understood(tzid, "", "unresolved", 0.0, first, last, "unknown name without a definition")


def _is_older(name: Resolution) -> bool:
    """Whether a name stands for another one and for no place of its own."""
    return name.method == "iana" and name.zone in links() and name.zone not in listed()


def _by_both(tzid: str, name: Resolution, own: DefinedZone, first: int, last: int, hints: Sequence[str]) -> Understood:
    fit = fitted(own, first, last)
    candidates = fit.parts or (Stretch(_hinted(fit.whole, (name.zone, *hints)), fit.first, fit.last),)
    apart = differs(own, name.zone, first, last) if name.zone else None
    if name.zone and apart is None:
        confidence, says = _BY_NAME["link" if _is_older(name) else name.method]
        return Understood(
            tzid,
            name.zone,
            name.method,
            max(confidence, 0.98),
            first,
            last,
            f"{says}; its definition agrees",
            named=name.zone,
            own=True,
            candidates=candidates,
        )
    zone = _chosen(fit.whole, hints)
    like = _like(name.zone, fit, hints)
    contradicts = f"says {_place(name.zone)}, behaves {like}" if name.zone else ""
    if name.zone and name.exact:
        says = "a name in the zone database counts, though its definition differs"
        return Understood(
            tzid, name.zone, "iana", 0.7, first, last, says, contradicts, apart, name.zone, True, False, candidates
        )
    method: Method = "fixed" if len(own.instants) and own.is_fixed(first, last) else "definition"
    confidence = 0.6 if name.zone else 0.95 if fit.whole else 0.5
    says = f"its definition {_goes(fit, method, like)}"
    return Understood(
        tzid, zone, method, confidence, first, last, says, contradicts, apart, name.zone, True, True, candidates
    )


def _goes(fit: Fit, method: Method, like: str) -> str:
    if method == "fixed":
        return "never changes its clocks" + (f", {like}" if fit.whole else "")
    return f"goes {like}"


def _like(named: str, fit: Fit, hints: Sequence[str]) -> str:
    """What a definition does, in words; where it goes by its name is not said again."""
    if fit.whole:
        return f"like {_place(_chosen(fit.whole, hints))}"
    told = []
    for part in fit.parts:
        if named in part.zones:
            continue
        zone = _place(_chosen(part.zones, hints))
        if part.first > fit.first and part.last < fit.last:
            told.append(f"like {zone} from {part.first} to {part.last}")
        elif part.first > fit.first:
            told.append(f"like {zone} after {part.first - 1}")
        else:
            told.append(f"like {zone} until {part.last}")
    if len(told) > _FEW:
        told = [*told[: _FEW - 1], "and others"]
    return ", ".join(told) if told else "like no known zone"


def _chosen(zones: Sequence[str], hints: Sequence[str]) -> str:
    return next(iter(_hinted(zones, hints)), "")


def _hinted(zones: Sequence[str], hints: Collection[str]) -> tuple[str, ...]:
    """Zones with those first that something hints at."""
    first = [hint for hint in hints if hint in zones]
    return (*first, *(zone for zone in zones if zone not in first))


def _place(zone: str) -> str:
    return zone.rpartition("/")[2].replace("_", " ")


def _listed(zones: Collection[str]) -> str:
    some = list(dict.fromkeys(zones))
    more = f" or one of {len(some) - _FEW} others" if len(some) > _FEW + 1 else ""
    some = some[:_FEW] if more else some
    return (", ".join(some[:-1]) + " or " + some[-1] if len(some) > 1 and not more else ", ".join(some)) + more
