"""A probe as a file, for systems that only take files and give files; and forecasts of entries in files.

>>> entries, zones = probe_file()
>>> [name for name, _ in zones], len(entries) > 600
(['Skerrow Harbour Clock'], True)
>>> measured = {one.feature: one.verdict.value for one in read_export(entries)}
>>> measured["colour"], measured["limit-title"], measured["uid-twice"]
('kept', 'kept', 'not tried')

Entries are recognised by the beginning of their titles, so a system may give them other UIDs.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence

from datebridge.core.crossing.catalogue import CATALOGUE
from datebridge.core.crossing.catalogue.limits import how_much, is_text, kept_last, written
from datebridge.core.crossing.features import MANAGED, TITLE, UID_TWICE, Feature, Verdict
from datebridge.core.crossing.fidelity import Measured
from datebridge.core.text.component import Component, with_property

_TITLED = re.compile(rf"{TITLE} ([a-z0-9-]+)")
_WIDE = "-wide"
#: What is tried of a limit in a file: an entry of all of 2 MB would keep the file from being taken.
_MOST = 20_000
_MISSING = "It did not come back."
#: What cannot be tried by a file, and why.
_NOT_BY_FILE = {UID_TWICE: "A file is one calendar.", MANAGED: "Attachments are added by requests to a server."}


def probe_file() -> tuple[list[str], list[tuple[str, str]]]:
    """The entries of a probe to be imported by hand, and the zone definitions they need."""
    entries: list[str] = []
    zones: dict[str, str] = {}
    for feature in CATALOGUE:
        if feature.name in _NOT_BY_FILE:
            continue
        zones |= dict(feature.zones)
        if feature.limit is None:
            entries += feature.sent
        else:
            entries += _written(feature)
            if is_text(feature.name):
                entries += [_titled_wide(text, feature.name) for text in written(feature.name, _size(feature), True)]
    return entries, list(zones.items())


def _size(feature: Feature) -> int:
    assert feature.limit is not None  # noqa: S101
    return min(feature.limit.most, _MOST)


def _written(feature: Feature) -> list[str]:
    return written(feature.name, _size(feature))


def _titled_wide(text: str, name: str) -> str:
    line = Component(text).first("SUMMARY")
    title = (line.value if line else "").replace(f"{TITLE} {name}", f"{TITLE} {name}{_WIDE}", 1)
    return with_property(with_property(text, "SUMMARY", title), "UID", f"{name}{_WIDE}@probe.invalid")


def read_export(texts: Iterable[str]) -> list[Measured]:
    """What became of a probe that was imported by hand: from the entries that the system exports."""
    by_name: dict[str, list[str]] = {}
    for text in texts:
        line = Component(text).first("SUMMARY")
        match = _TITLED.match(line.value) if line else None
        if match is not None:
            by_name.setdefault(match[1], []).append(text)
    return [_measured(feature, by_name) for feature in CATALOGUE]


def _measured(feature: Feature, by_name: dict[str, list[str]]) -> Measured:
    got = tuple(by_name.get(feature.name, ()))
    if feature.name in _NOT_BY_FILE:
        return Measured(feature.name, Verdict.NOT_TRIED, reason=_NOT_BY_FILE[feature.name])
    if feature.limit is not None:
        return _limit(feature, got, by_name.get(f"{feature.name}{_WIDE}", ()))
    if not got:
        return Measured(feature.name, Verdict.REFUSED, feature.sent, (), _MISSING)
    return Measured(feature.name, feature.verdict(feature.sent, got), feature.sent, got)


def _limit(feature: Feature, got: Sequence[str], wide: Sequence[str]) -> Measured:
    assert feature.limit is not None  # noqa: S101
    name, sent = feature.name, (f"{_size(feature)} {feature.limit.unit}",)
    if not got:
        return Measured(name, Verdict.NOT_TRIED, sent, (), f"{_MISSING} Less of it may.")
    whole = _written(feature)
    count = how_much(name, got, "characters")
    if count >= how_much(name, whole, "characters") or name == "limit-size":
        return Measured(name, Verdict.KEPT, sent, sent)
    if not is_text(name):
        which = "last" if kept_last(name, whole, got) else "first"
        return Measured(name, Verdict.REWRITTEN, sent, (f"{count} {which}",))
    in_bytes = bool(wide) and how_much(name, wide, "characters") < count
    return Measured(name, Verdict.REWRITTEN, sent, (f"{count} {'bytes' if in_bytes else 'characters'}",))
