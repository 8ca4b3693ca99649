"""What readers may be given: nothing passes but what the table allows, in any form; and times stay what they are."""

from __future__ import annotations

import json
from datetime import date, timedelta
from io import BytesIO
from typing import NamedTuple

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.api.public.pages import Offer, PageView, render
from datebridge.core.moments import wall_seconds_of
from datebridge.core.sharing.forms import Cover, as_free_busy, as_ics, as_jcal
from datebridge.core.sharing.gathering import SharedContent, gather, source_of
from datebridge.core.sharing.page_data import PageData
from datebridge.core.sharing.terms import NESTED, PARAMETERS, PASSES, TICKED, Detail, Guarded, Terms
from datebridge.core.text.properties import KNOWN
from datebridge.core.text.reader import Reader
from datebridge.core.views.expansion import expand
from datebridge.core.zones.definition import define
from datebridge.core.zones.meaning import Zones
from tests.depth import tries

DAY = date(2026, 11, 24)
LOW, HIGH = wall_seconds_of(DAY), wall_seconds_of(DAY + timedelta(days=30))
COVER = Cover("Berths", 3600, "0011223344556677")


class Where(NamedTuple):
    """Where a word stands: in which nested components, in which property, in which parameter ("" for the value)."""

    nested: tuple[str, ...]
    name: str
    param: str


# ---- nothing passes but what the table allows ------------------------------------------------------------

_UNKNOWN = ("X-PILOT", "X-WR-NOTE", "HARBOUR-FEE")
_PARAMS = (*sorted(PARAMETERS[Detail.EVERYTHING] - {"TZID", "VALUE", "ENCODING"}), "X-WHO", "HARBOUR", "TZID")
_NAMES = st.sampled_from((*sorted(KNOWN - {"RECURRENCE-ID", "DTSTART", "EXDATE", "CLASS", "TRANSP"}), *_UNKNOWN))
_NEST = st.sampled_from(("VALARM", "PARTICIPANT", "VLOCATION", "VRESOURCE", "X-NEST"))
#: What may stand before a word in a value, so that it looks like what belongs there.
_BEFORE = st.sampled_from(("", "", "20261124T100000", "FREQ=DAILY;COUNT=2;X-NOTE=", "mailto:", "PT1H", "CONFIRMED,"))


@st.composite
def components(draw: st.DrawFn, damaged: bool = True) -> tuple[str, dict[str, Where]]:
    """An event with words in every place there is, and where each of them stands."""
    words: dict[str, Where] = {}

    def word(where: Where) -> str:
        words[f"zq{len(words)}x"] = where
        return f"zq{len(words) - 1}x"

    def line(nested: tuple[str, ...]) -> str:
        name = draw(_NAMES)
        params = draw(st.lists(st.sampled_from(_PARAMS), max_size=3, unique=True))
        said = "".join(f";{one}={word(Where(nested, name, one))}" for one in params)
        return f"{name}{said}:{draw(_BEFORE)}{word(Where(nested, name, ''))}"

    def inner(nested: tuple[str, ...], depth: int) -> list[str]:
        kind = draw(_NEST)
        inside = (*nested, kind)
        lines = [line(inside) for _ in range(draw(st.integers(0, 4)))]
        if kind == "VALARM":
            lines += draw(st.sampled_from((["ACTION:DISPLAY", "TRIGGER:-PT15M"], ["ACTION:EMAIL"], [])))
        if depth and draw(st.booleans()):
            lines += inner(inside, depth - 1)
        return [f"BEGIN:{kind}", *lines, f"END:{kind}"]

    lines = ["DTSTART:20261124T090000Z", *(line(()) for _ in range(draw(st.integers(0, 14))))]
    for _ in range(draw(st.integers(0, 3))):
        lines += inner((), 1)
    if damaged:
        lines += draw(
            st.lists(st.sampled_from(("not a line zq0y", "END:VALARM", ";;;zq1y", "SUMMARY zq2y")), max_size=2)
        )
    return "\n".join(["BEGIN:VEVENT", *lines, "END:VEVENT"]), words


def may(where: Where, terms: Terms) -> bool:
    """The table, read slowly."""
    detail, ticks = terms.detail, terms if terms.detail is not Detail.BUSY else Terms(Detail.BUSY)
    known = where.name in KNOWN
    for kind in where.nested:
        if kind == "VALARM" and not ticks.alarms:
            return False
        if kind not in NESTED[detail] and not (kind == "X-NEST" and ticks.unknown and detail is Detail.EVERYTHING):
            return False
    if len(where.nested) > 1 and detail is not Detail.EVERYTHING:
        return False
    if not known:
        return ticks.unknown and not (where.nested and detail is Detail.TITLES)
    if where.name not in PASSES[detail] or not getattr(ticks, TICKED.get(where.name, ""), True):
        return False
    if detail in (Detail.TITLES, Detail.BUSY):
        if where.nested or where.name not in ("SUMMARY", "LOCATION", *TICKED):
            return False
        allowed = {"LANGUAGE"} if where.name not in TICKED else {"FMTTYPE", "DISPLAY", "FEATURE"}
        return not where.param or where.param in allowed
    if not where.param or where.param in PARAMETERS[detail]:
        return True
    return where.param not in PARAMETERS[Detail.EVERYTHING] and ticks.unknown


TICKS = st.fixed_dictionaries({name: st.booleans() for name in ("attachments", "alarms", "conferences", "unknown")})


@tries(120, 5_000)
@given(components(), st.sampled_from(Detail), TICKS)
def test_nothing_passes_but_what_the_table_allows_in_any_form(
    made: tuple[str, dict[str, Where]], detail: Detail, ticks: dict[str, bool]
) -> None:
    text, words = made
    terms = Terms(detail, private=Guarded.AS_OTHERS, confidential=Guarded.AS_OTHERS, **ticks)
    allowed = {word for word, where in words.items() if may(where, terms)}
    source = source_of("VEVENT", text, 1)
    found = gather([source], {}, terms, b"secret")
    every = {*words, "zq0y", "zq1y", "zq2y"}
    for name, said in forms(found).items():
        passed = {word for word in every if word in said}
        assert passed <= allowed, (name, {word: words.get(word) for word in passed - allowed})
        assert name != "busy" or not passed
    page_data = PageData(found, b"secret", {})
    assert not [word for word in every - allowed if page_data.matching(word)]


def forms(found: SharedContent) -> dict[str, str]:
    """All that readers can get."""
    page_data = PageData(found, b"secret", {1: "Berths"})
    offer = Offer("Berths", "UTC", file=True, assets="../")
    pages = []
    for view in ("day", "week", "month", "list"):
        pages.append(render(page_data, PageView(view, DAY), offer, DAY))
    window = page_data.window(LOW, HIGH, "UTC")
    for one in window.occurrences[:2]:
        pages.append(render(page_data, PageView("list", DAY, opened=page_data.key(one)), offer, DAY))
    return {
        "ics": unfolded(b"".join(as_ics(found, COVER))),
        "jcal": json.dumps(json.loads(as_jcal(found, COVER)), ensure_ascii=False),
        "busy": unfolded(b"".join(as_free_busy(found, COVER, LOW, HIGH, "UTC", 0))),
        "page": "\n".join(pages),
    }


def unfolded(data: bytes) -> str:
    return data.decode().replace("\r\n ", "")


@tries(60, 2_000)
@given(components(damaged=False))
def test_what_is_given_with_everything_ticked_leaves_as_it_stands(made: tuple[str, dict[str, Where]]) -> None:
    terms = Terms(
        Detail.EVERYTHING, private=Guarded.AS_OTHERS, attachments=True, alarms=True, conferences=True, unknown=True
    )
    found = gather([source_of("VEVENT", made[0], 1)], {}, terms, b"secret").entries[0].redacted.text.split("\n")
    added = [line for line in found if line.startswith("DTSTAMP:1970") or line.startswith("UID:")]
    assert [line for line in found if line not in added] == [line for line in made[0].split("\n") if line not in added]


@pytest.mark.parametrize("detail", Detail)
def test_names_of_zones_say_nothing_where_times_are_written_anew(detail: Detail) -> None:
    zones = Zones([("Ida's clock", define("Ida's clock", "America/Halifax", 2026, 2026))])
    zones.add(
        "Owen's",
        "BEGIN:VTIMEZONE\nTZID:Owen's\nX-NOTE:sick\nBEGIN:STANDARD\nDTSTART:19700101T000000\n"
        "TZOFFSETFROM:+0130\nTZOFFSETTO:+0130\nTZNAME:Owen\nCOMMENT:sick\nEND:STANDARD\nEND:VTIMEZONE",
    )
    texts = [f"BEGIN:VEVENT\nUID:{name}\nDTSTART;TZID={name}:20261124T090000\nEND:VEVENT" for name in zones]
    found = gather([source_of("VEVENT", text, 1, zones) for text in texts], {1: zones}, Terms(detail), b"secret")
    said = unfolded(b"".join(as_ics(found, COVER)))
    if detail in (Detail.TITLES, Detail.BUSY):
        assert not [word for word in ("Ida", "Owen", "sick") if word in said]
    assert "sick" not in said
    assert starts(expand(Reader(BytesIO(b"".join(as_ics(found, COVER)))), LOW, HIGH, "UTC").happening) == [
        "2026-11-24T07:30:00+00:00",
        "2026-11-24T13:00:00+00:00",
    ]


def starts(found: list[object]) -> list[str]:
    return sorted(one.start for one in found)  # type: ignore[attr-defined]
