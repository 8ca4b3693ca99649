"""What shares and files made here carry: the probe written in each form, and read again, as it is with any target.

A share of busy times carries nothing but times, so its entries cannot be told apart and it is not among them.
"""

from __future__ import annotations

from collections.abc import Iterator

from datebridge.core.choices import Detail, Guarded
from datebridge.core.crossing.fidelity import Measured
from datebridge.core.crossing.files import probe_file, read_export
from datebridge.core.sharing.gathering import gather, source_of
from datebridge.core.sharing.terms import Terms
from datebridge.core.text.component import Component
from datebridge.core.text.jcal import CannotSay, from_jcal, to_jcal
from datebridge.core.zones.meaning import Zones
from datebridge.store.database import Store
from datebridge.store.fidelity import keep_matrix

_CALLED = {
    Detail.EVERYTHING: "A share with everything",
    Detail.WITHOUT_PEOPLE: "A share without people",
    Detail.TITLES: "A share of titles",
}


def measure_own(store: Store) -> list[int]:
    """Keep what each form carries; returns the matrices."""
    with store.write() as connection:
        return [keep_matrix(connection, None, name, measured, {}, 0) for name, measured in own_forms()]


def own_forms() -> Iterator[tuple[str, list[Measured]]]:
    """Each form by its name, with what it carries. All that can be ticked in a share is."""
    entries, zones = probe_file()
    defined = Zones(zones)
    sources = [source_of(Component(text).kind, text, 1, defined) for text in entries]
    for detail, name in _CALLED.items():
        terms = Terms(
            detail,
            private=Guarded.AS_OTHERS,
            confidential=Guarded.AS_OTHERS,
            attachments=True,
            alarms=True,
            conferences=True,
            unknown=True,
            todos=True,
        )
        given = gather(sources, {1: defined}, terms, b"probe")
        yield name, read_export(entry.redacted.text for entry in given.entries)
    yield "A file of iCalendar", read_export(entries)
    yield "A file of jCal", read_export(_through_jcal(entries))


def _through_jcal(entries: list[str]) -> Iterator[str]:
    for text in entries:
        try:
            yield from_jcal(to_jcal(text))
        except CannotSay:  # refused there, with the reason
            continue
