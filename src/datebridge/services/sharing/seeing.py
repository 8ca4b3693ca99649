"""A share as its readers see it, before it is made and at any time: beside its source, entry by entry."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Literal

from datebridge.core.index.facts import Mark
from datebridge.core.moments import from_wall_seconds
from datebridge.core.sharing.gathering import Entry, SharedContent, Source
from datebridge.core.sharing.page_data import PageData
from datebridge.core.sharing.privacy_warnings import PrivacyWarning, privacy_warnings
from datebridge.core.text.component import Component
from datebridge.core.text.lines import unescape_text
from datebridge.services.sharing.plans import Plan, content_of, names_of, today_in
from datebridge.store.database import Store
from datebridge.store.entries.ledger import Ledger
from datebridge.store.remembered import Remembered
from datebridge.store.sql import revision_now

Which = Literal["all", "given", "busy", "left out"]


#: An entry that is given, or one that is left out and why.
_Row = Entry | tuple[Source, str]


@dataclass(frozen=True, slots=True)
class ReadersView:
    """An entry on both banks.

    Attributes:
        fate: why it is left out; "" where it is given.
        lines: each line of it with what is given of it; after "" what only readers have.
    """

    title: str
    given_title: str
    when: str
    calendar: int
    fate: str
    as_busy: bool
    lines: list[tuple[str, list[str]]]


class Seeing:
    """Looks at plans through the readers' eyes; what was looked at last is remembered until something changes."""

    def __init__(self, store: Store, ledger: Ledger) -> None:
        self.store, self.ledger = store, ledger
        self._contents: Remembered[SharedContent] = Remembered(4)
        self._warnings: Remembered[list[PrivacyWarning]] = Remembered(4)
        self._page_data: Remembered[PageData] = Remembered(2)
        self._orders: Remembered[list[_Row]] = Remembered(4)

    def content_of(self, plan: Plan) -> SharedContent:
        """What a plan gives now."""
        with self.store.read() as connection:
            today, revision = today_in(plan.zone), revision_now(connection)
            return self._contents.get((plan, revision, today), lambda: content_of(connection, self.ledger, plan, today))

    def warnings(self, plan: Plan) -> list[PrivacyWarning]:
        """What its free texts seem to hold that the detail leaves out."""
        content = self.content_of(plan)
        return self._warnings.get((plan, id(content)), lambda: privacy_warnings(content))

    def page_data(self, plan: Plan) -> PageData:
        """What readers of its page look at."""
        content = self.content_of(plan)
        with self.store.read() as connection:
            names = names_of(connection, plan)
        return self._page_data.get((plan, id(content)), lambda: PageData(content, plan.secret, names))

    def page(self, plan: Plan, which: Which, offset: int, limit: int) -> tuple[int, list[ReadersView]]:
        """How many entries there are of a kind, and a page of them, in order of start."""
        content = self.content_of(plan)
        rows = self._orders.get((plan, id(content), which), lambda: _in_order(content, which))
        return len(rows), [
            _entry(row) if isinstance(row, Entry) else _omitted(*row) for row in rows[offset : offset + limit]
        ]


def _in_order(content: SharedContent, which: Which) -> list[_Row]:
    rows: list[_Row] = []
    if which != "left out":
        rows += [entry for entry in content.entries if entry.as_busy or which != "busy"]
    if which in ("all", "left out"):
        rows += content.omitted

    def start(row: _Row) -> int:
        if isinstance(row, Entry):
            source = row.source
        else:
            source, _ = row
        return source.timed.start_wall if source.timed is not None else -(1 << 60)

    return sorted(rows, key=start)


def _entry(entry: Entry) -> ReadersView:
    return ReadersView(
        _title(entry.source),
        entry.redacted.title,
        _when(entry.source),
        entry.source.calendar,
        "",
        entry.as_busy,
        entry.compared(),
    )


def _omitted(source: Source, fate: str) -> ReadersView:
    lines = [(line, list[str]()) for line in source.text.split("\n")[1:-1]]
    return ReadersView(_title(source), "", _when(source), source.calendar, fate, False, lines)


def _title(source: Source) -> str:
    line = Component(source.text).first("SUMMARY")
    return unescape_text(line.value).strip() if line is not None else ""


def _when(source: Source) -> str:
    if source.timed is None:
        return "no date"
    start: date = from_wall_seconds(source.timed.start_wall)
    series = " · series" if source.timed.marks & Mark.SERIES else ""
    return (f"{start:%Y-%m-%d}" if source.timed.marks & Mark.ALL_DAY else f"{start:%Y-%m-%d %H:%M}") + series
