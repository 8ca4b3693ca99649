"""The readers' page: days, weeks, months, a list and a search, made ready here so that it needs no script.

What it is made of is an `PageData` and nothing else, so it cannot say more than was given.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, timedelta
from functools import cache
from pathlib import Path
from typing import Any
from urllib.parse import urlencode
from zoneinfo import available_timezones

from jinja2 import Environment, FileSystemLoader, StrictUndefined, Undefined
from markupsafe import Markup

from datebridge.api.public.blocks import LEAST, GridDay, Head, MonthDay, Opened, ShownLine, side_by_side
from datebridge.api.public.words import Language, language_of
from datebridge.core.index.facts import Mark
from datebridge.core.language.clocks import hours, place_of
from datebridge.core.moments import from_wall_seconds
from datebridge.core.occurrences.expanding import Occurrence
from datebridge.core.occurrences.window import ShownEntry, Window
from datebridge.core.sharing.page_data import PageData, details
from datebridge.core.views.days import Day, Piece, bounds_of, lay_out

VIEWS = ("day", "week", "month", "list")
_TEMPLATES = Path(__file__).parent / "templates"
STYLE = Path(__file__).resolve().parents[2] / "web" / "reader" / "reader.css"
_DAY = re.compile(r"(19|20|21)\d\d-\d\d-\d\d", re.ASCII)
#: A list goes on for so many days, and shows so many at once.
_LISTED_DAYS, _LISTED = 28, 300
#: A page that stands alone is a list of so many days from a month ago on, and no longer than so many lines.
_ALONE_DAYS, _ALONE = 397, 20_000
#: A search looks so far ahead, and shows so many.
_SEARCHED_DAYS, _FOUND = 366, 200
#: How many are on a day of the grid, and of a month.
_ON_GRID, _ON_MONTH = 120, 4
#: The hours a grid shows at least.
_HOURS = (8, 18)


@dataclass(frozen=True, slots=True)
class PageView:
    """What a reader looks at, as the page's address says it.

    Attributes:
        zone: on whose clock; "" for the calendar's.
        opened: the key of an occurrence whose details are shown; "" for none.
        length: over how many days a list goes; 0 for as many as usual.
        kept: what the address says besides, and keeps saying.
    """

    view: str
    on: date
    zone: str = ""
    words: str = ""
    opened: str = ""
    length: int = 0
    kept: Mapping[str, str] = field(default_factory=dict)

    def address(self, **changes: Any) -> str:
        """The address of another look, from this page."""
        other = replace(self, **{"opened": "", **changes})
        parameters = {
            **other.kept,
            "view": other.view,
            "on": other.on.isoformat(),
            "zone": other.zone,
            "q": other.words,
            "open": other.opened,
        }
        return "?" + urlencode({name: value for name, value in parameters.items() if value})


def look_of(
    params: Mapping[str, str], today: date, usual: str = "week", kept: Mapping[str, str] | None = None
) -> PageView:
    """What an address asks for; what makes no sense is as usual."""
    view = params.get("view", "")
    text = params.get("on", "")
    try:
        on = date.fromisoformat(text) if _DAY.fullmatch(text) else today
    except ValueError:
        on = today
    zone = params.get("zone", "")
    return PageView(
        view if view in VIEWS else usual,
        on,
        zone if zone in _zones() else "",
        params.get("q", "").strip()[:200],
        params.get("open", "")[:40],
        kept=dict(kept or {}),
    )


@cache
def _zones() -> frozenset[str]:
    return frozenset(available_timezones())


@dataclass(frozen=True, slots=True)
class Offer:
    """What a page offers besides looking.

    Attributes:
        title: of the share.
        zone: the zone whose clock it goes by.
        feed: the address to follow; "" where there is none.
        file: whether it can be taken as a file, whole or one entry.
        live: whether it is kept up to date; `as_of` says since when it is not.
        colours: the place of each calendar in the palette.
        assets: where styles and scripts are, from the page; "" for a page that stands alone.
        style: the styles of a page that stands alone.
        indexed: whether search engines may list it.
        scripted: whether the script comes along; it works without.
    """

    title: str
    zone: str
    feed: str = ""
    file: bool = False
    live: bool = True
    as_of: date | None = None
    colours: Mapping[int, int] = field(default_factory=dict)
    assets: str = ""
    style: str = ""
    indexed: bool = False
    scripted: bool = True


def render(page_data: PageData, look: PageView, offer: Offer, today: date, accepted: str = "en") -> str:
    """The page as HTML."""
    language = language_of(accepted)
    page = _Page(page_data, look, offer, today, language)
    return str(
        _environment().get_template("page.html").render(page=page, w=_Words(language.words), look=look, offer=offer)
    )


def standing_alone(page_data: PageData, title: str, zone: str, today: date) -> str:
    """The page as one file that needs nothing beside it: a list, from a month ago to a year ahead."""
    style = STYLE.read_text("utf-8") if STYLE.is_file() else ""
    style = re.sub(r"@font-face\{[^}]*\}", "", style)
    look = PageView("list", today - timedelta(days=31), length=_ALONE_DAYS)
    offer = Offer(title, zone, live=False, as_of=today, colours=dict.fromkeys(page_data.names, 0), style=style)
    return render(page_data, look, offer, today)


@cache
def _environment() -> Environment:
    return Environment(
        loader=FileSystemLoader(_TEMPLATES),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
        finalize=_printed,
    )


class _Words:
    """The words of a language by name; unlike a dictionary it has nothing else that a name could mean."""

    def __init__(self, words: Mapping[str, str]) -> None:
        self.__dict__.update(words)


def _printed(value: object) -> object:
    """What a template may print: text and numbers, and nothing where a choice says nothing.

    Raises:
        TypeError: for anything else, which a reader could make nothing of.
    """
    if not isinstance(value, str | int | float | Undefined):
        raise TypeError(f"a page cannot print a {type(value).__name__}")
    return value


class _Page:
    """What the template shows."""

    def __init__(self, page_data: PageData, look: PageView, offer: Offer, today: date, language: Language) -> None:
        self.page_data, self.look, self.offer, self.today, self.language = page_data, look, offer, today, language
        self.zone = look.zone or offer.zone or "UTC"
        self.views = VIEWS
        self.place = place_of(self.zone)
        self.calendars_place = place_of(offer.zone or "UTC")

    # ---- what is shown -----------------------------------------------------------------------------

    @property
    def days(self) -> list[date]:
        """The days of the view."""
        on, view = self.look.on, self.look.view
        if self.look.words:
            return _days(on, _SEARCHED_DAYS)
        if view == "day":
            return [on]
        if view == "list":
            return _days(on, self.look.length or _LISTED_DAYS)
        if view == "week":
            return _days(self._week(on), 7)
        first = on.replace(day=1)
        begin = self._week(first)
        last = (first + timedelta(days=31)).replace(day=1)
        return _days(begin, -(-(last - begin).days // 7) * 7)

    def _week(self, day: date) -> date:
        return day - timedelta(days=(day.weekday() - self.language.first_weekday) % 7)

    @property
    def heading(self) -> str:
        """The period that is shown, in words."""
        view = self.look.view if not self.look.words else "list"
        if view == "day":
            return self.language.day(self.look.on)
        if view == "month":
            return self.language.month(self.look.on)
        days = self.days
        return f"{self.language.short_day(days[0])} – {self.language.short_day(days[-1])} {days[-1].year}"

    def beside(self, direction: int) -> date:
        """Where the view before or after this one begins."""
        on, view = self.look.on, self.look.view
        if self.look.words or view == "list":
            return on + timedelta(days=direction * _LISTED_DAYS)
        if view == "month":
            first = on.replace(day=1)
            return (
                (first - timedelta(days=1)).replace(day=1)
                if direction < 0
                else (first + timedelta(days=32)).replace(day=1)
            )
        return on + timedelta(days=direction * (7 if view == "week" else 1))

    def _window(self) -> Window:
        only = self.page_data.matching(self.look.words) if self.look.words else None
        return self.page_data.window(*bounds_of(self.days), self.zone, only)

    # ---- the list --------------------------------------------------------------------------------

    @property
    def listed(self) -> list[tuple[str, str, bool, list[ShownLine]]]:
        """Days with what begins or goes on there, each with its address and whether it is today."""
        window = self._window()
        self.cut = window.cut
        most = _FOUND if self.look.words else _ALONE if self.look.length else _LISTED
        by_day: dict[date, list[ShownLine]] = {}
        first = self.days[0]
        for occurrence in window.occurrences[:most]:
            day = max(from_wall_seconds(occurrence.shown_start).date(), first)
            by_day.setdefault(day, []).append(self._line(occurrence, window.entries[occurrence.entry]))
        self.beyond = max(0, len(window.occurrences) - most)
        self.count = len(window.occurrences)
        return [
            (self.language.day(day), self.look.address(view="day", on=day, words=""), day == self.today, lines)
            for day, lines in by_day.items()
        ]

    beyond = 0
    count = 0
    cut: tuple[str, ...] = ()

    def _line(self, occurrence: Occurrence, entry: ShownEntry, style: str = "") -> ShownLine:
        whole = bool(entry.marks & Mark.ALL_DAY)
        when = self._whole(occurrence) if whole else hours(occurrence.shown_start, occurrence.shown_end)
        state = (
            self.language.words["called_off"]
            if entry.cancelled
            else (self.language.words["tentative"] if entry.status == "TENTATIVE" else "")
        )
        return ShownLine(
            self.page_data.key(occurrence),
            entry.title or "—",
            when,
            entry.place,
            state,
            self.offer.colours.get(entry.calendar, 0) % 12,
            self.page_data.names.get(entry.calendar, ""),
            style,
        )

    def _whole(self, occurrence: Occurrence) -> str:
        first = from_wall_seconds(occurrence.shown_start).date()
        last = from_wall_seconds(max(occurrence.shown_end - 1, occurrence.shown_start)).date()
        if first == last:
            return self.language.words["all_day"]
        return f"{self.language.short_day(first)} – {self.language.short_day(last)}"

    # ---- grids -----------------------------------------------------------------------------------

    @property
    def grid(self) -> list[GridDay]:
        """The days of a day or a week: whole days above, hours below."""
        window = self._window()
        self.cut = window.cut
        days = lay_out(window, self.days, self.zone, _ON_GRID)
        timed = [piece for day in days for piece in day.pieces if piece.row < 0]
        first = min((piece.start // 60 for piece in timed), default=_HOURS[0])
        last = max((-(-max(piece.end, piece.start + LEAST) // 60) for piece in timed), default=_HOURS[1])
        self.any_whole = any(day.total > len(day.pieces) or any(p.row >= 0 for p in day.pieces) for day in days)
        self.hours = list(range(min(first, _HOURS[0]), min(max(last, _HOURS[1]), 24)))
        return [self._grid_day(day) for day in days]

    hours: Sequence[int] = ()
    any_whole = False

    def _grid_day(self, day: Day) -> GridDay:
        whole = [piece for piece in day.pieces if piece.row >= 0]
        timed = [piece for piece in day.pieces if piece.row < 0]
        return GridDay(
            self._head(day),
            [self._of_piece(piece) for piece in whole],
            [self._of_piece(piece, self._spot(piece, *spot)) for piece, *spot in side_by_side(timed)],
            day.total - len(day.pieces),
        )

    def _spot(self, piece: Piece, column: int, columns: int) -> str:
        """Where a piece is in its column, in parts of it."""
        first, minutes = self.hours[0] * 60, len(self.hours) * 60
        end = min(max(piece.end, piece.start + LEAST), first + minutes)
        top, height = (piece.start - first) / minutes, (end - piece.start) / minutes
        left, width = column / columns, 1 / columns
        return f"top:{top:.3%};height:{height:.3%};left:{left:.2%};width:{width:.2%}"

    def _head(self, day: Day) -> Head:
        return Head(
            day.date.isoformat(),
            self.language.weekday(day.date),
            str(day.date.day),
            self.language.day(day.date),
            self.look.address(view="day", on=day.date),
            day.date == self.today,
            self.look.view == "month" and day.date.month != self.look.on.month,
        )

    def _of_piece(self, piece: Piece, style: str = "") -> ShownLine:
        return self._line(piece.occurrence, piece.entry, style)

    @property
    def month(self) -> list[list[MonthDay]]:
        """The weeks of a month."""
        window = self._window()
        self.cut = window.cut
        days = lay_out(window, self.days, self.zone, _ON_MONTH)
        cells = [
            MonthDay(self._head(day), [self._of_piece(piece) for piece in day.pieces], day.total - len(day.pieces))
            for day in days
        ]
        return [cells[at : at + 7] for at in range(0, len(cells), 7)]

    @property
    def weekdays(self) -> list[str]:
        return [self.language.weekday(day) for day in self.days[:7]]

    # ---- one entry -------------------------------------------------------------------------------

    @property
    def opened(self) -> Opened | None:
        """The occurrence whose details are asked for."""
        entry = self.page_data.find(self.look.opened) if self.look.opened else None
        one = self.page_data.occurrence(self.look.opened, self.zone) if entry is not None else None
        if one is None:
            return None
        shown = self.page_data.given.entries[one.entry - 1]
        marks = shown.timed.marks if shown.timed is not None else 0
        day = self.language.day(from_wall_seconds(one.shown_start).date())
        when = self._whole(one) if marks & Mark.ALL_DAY else hours(one.shown_start, one.shown_end)
        calendar = self.page_data.names.get(shown.source.calendar, "")
        return Opened(details(shown), f"{day} · {when}", calendar, f"entry/{self.look.opened.partition('.')[0]}.ics")

    @property
    def legend(self) -> list[tuple[str, int]]:
        """The calendars by name with their colours, where there are several."""
        if len(self.page_data.names) < 2:
            return []
        return [(name, self.offer.colours.get(number, 0) % 12) for number, name in self.page_data.names.items()]

    @property
    def stand(self) -> str:
        """How fresh it is, in words."""
        words = self.language.words
        if self.offer.live:
            return words["up_to_date"]
        as_of = words["as_of"].format(self.language.day(self.offer.as_of)) if self.offer.as_of else ""
        return f"{words['read_only']} {as_of}".strip()

    @property
    def style(self) -> Markup:
        """The styles of a page that stands alone; ours, so not escaped."""
        return Markup(self.offer.style.replace("</", "<\\/"))  # noqa: S704


def _days(first: date, count: int) -> list[date]:
    return [first + timedelta(days=number) for number in range(count)]
