"""The filter line."""

from __future__ import annotations

from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.language.filters import (
    Days,
    FilterContext,
    FilterError,
    Term,
    complete,
    day_range,
    parse_filter,
    quote,
)
from tests.depth import tries

TODAY = date(2026, 11, 24)


@pytest.mark.parametrize(
    ("text", "message", "place"),
    [
        ("colour:red", "There is no field “colour”", (0, 10)),
        ("berth calendar:", "“calendar:” needs a value", (6, 15)),
        ('calendar:"Duty', "A quotation mark is missing its partner", (9, 14)),
        ("has:ears", "“has:” takes alarm", (0, 8)),
        ("berth -", "A minus sign needs a term", (6, 7)),
        ("imported:last", "“imported:” takes the number", (0, 13)),
        ('calendar:"Duty rota"water', "“water” is glued to a quotation mark", (0, 25)),
        ('"duty rota"water', "“water” is glued to a quotation mark", (0, 16)),
        ('calendar:x"Duty rota"', "A quotation mark stands in the middle", (0, 21)),
        ("calendar:Labs,", "A comma stands between two values", (0, 14)),
    ],
)
def test_what_does_not_parse_says_where_and_why(text: str, message: str, place: tuple[int, int]) -> None:
    with pytest.raises(FilterError) as error:
        parse_filter(text)
    assert error.value.message.startswith(message)
    assert (error.value.start, error.value.end) == place


def test_fields_are_known_in_any_case_and_addresses_are_text() -> None:
    terms = parse_filter("Has:Alarm https://talks.skerrow.example")
    assert [(t.field, t.values) for t in terms] == [("has", ("alarm",)), ("text", ("https://talks.skerrow.example",))]


@pytest.mark.parametrize(
    ("value", "first", "following"),
    [
        ("2026-11-24", date(2026, 11, 24), date(2026, 11, 25)),
        ("2026-12", date(2026, 12, 1), date(2027, 1, 1)),
        ("2024", date(2024, 1, 1), date(2025, 1, 1)),
        ("today", TODAY, date(2026, 11, 25)),
        ("yesterday", date(2026, 11, 23), TODAY),
        ("24 dec", date(2026, 12, 24), date(2026, 12, 25)),
        ("june 2027", date(2027, 6, 1), date(2027, 7, 1)),
        ("week 40", date(2027, 10, 4), date(2027, 10, 11)),
        ("1 dec..3 dec", date(2026, 12, 1), date(2026, 12, 4)),
    ],
)
def test_dates_cover_a_day_a_month_or_a_year(value: str, first: date, following: date) -> None:
    assert day_range(value, TODAY, Term("on", (value,))) == Days(first, following)


@pytest.mark.parametrize(
    ("text", "values", "rest"),
    [
        ("on:24 dec berth", ("24 dec",), ["berth"]),
        ("before:next friday", ("next friday",), []),
        ("on:1 jun..14 jun 2027 x", ("1 jun..14 jun 2027",), ["x"]),
        ("on:2026 berth", ("2026",), ["berth"]),
        ("after:today dive", ("today",), ["dive"]),
        ("on:june 2027", ("june 2027",), []),
        ("on:24 dec -has:place", ("24 dec",), ["place"]),
    ],
)
def test_a_day_may_take_several_words(text: str, values: tuple[str, ...], rest: list[str]) -> None:
    day, *others = parse_filter(text)
    assert (day.values, [one.values[0] for one in others]) == (values, rest)
    assert text[day.start : day.end].endswith(values[0])


@pytest.mark.parametrize("value", ["2026-02-30", "soon", "2026-13", "24.13.2026"])
def test_what_is_no_date_says_so(value: str) -> None:
    with pytest.raises(FilterError, match="is not a date"):
        day_range(value, TODAY, Term("on", (value,)))


@tries(60, 2_000)
@given(st.text(max_size=40))
def test_any_text_parses_or_says_why(text: str) -> None:
    try:
        parse_filter(text)
    except FilterError as error:
        assert 0 <= error.start <= error.end <= len(text)


@tries(60, 2_000)
@given(st.text(st.sampled_from('calendar:what:ab," -'), max_size=24) | st.text(max_size=24))
def test_nothing_that_is_typed_is_passed_over(text: str) -> None:
    try:
        terms = parse_filter(text)
    except FilterError:
        return
    left = list(text)
    for term in terms:
        typed = text[term.start : term.end].removeprefix("-")
        if term.field != "text":
            typed = typed.partition(":")[2]
        bare = "".join(typed.replace('"', "").split())
        values = ("".join("".join(term.values).split()), "".join(",".join(term.values).split()))
        assert bare.lower() in map(str.lower, values)  # a status is known in any case
        left[term.start : term.end] = " " * (term.end - term.start)
    assert not "".join(left).strip()


@tries(60, 2_000)
@given(st.text(st.characters(exclude_characters='"', exclude_categories=("Cc", "Cs", "Z")), min_size=1, max_size=12))
def test_a_quoted_value_comes_back(value: str) -> None:
    assert parse_filter(f"category:{quote(value)}")[0].values == (value,)


def completions(text: str) -> list[str]:
    known = [
        FilterContext("Duty rota"),
        FilterContext("Labs"),
        FilterContext("Seminars", "Lantern"),
        FilterContext("Seminars", "here"),
    ]
    return [c.insert for c in complete(text, len(text), {"calendar": known}.__getitem__)]


def test_completion_offers_fields_then_values() -> None:
    assert completions("berth cal") == ["calendar:"]
    assert completions("-ca") == ["-calendar:", "-category:"]
    assert completions("calendar:du") == ['calendar:"Duty rota" ']
    assert completions("calendar:Labs,d") == ['calendar:Labs,"Duty rota" ']
    assert completions("calendar:sem") == ["account:Lantern calendar:Seminars ", "account:here calendar:Seminars "]
    assert completions("-calendar:sem") == ["-calendar:Seminars "]
    assert completions("repeats:y") == ["repeats:yes "]
    assert completions('calendar:"Duty r') == ['calendar:"Duty rota" ']
