"""Sheets of accounts: what can be read is, what cannot is named, and no row is lost between the two."""

from __future__ import annotations

import csv
import io

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.account_sheet import NoSheet, read_sheet
from tests.depth import tries


@pytest.mark.parametrize("text", ["", "\n", "name,user\nIda,ida", "x" * 200_000])
def test_without_addresses_it_is_no_sheet(text: str) -> None:
    with pytest.raises(NoSheet):
        read_sheet(text)


def test_too_many_rows_are_refused() -> None:
    with pytest.raises(NoSheet, match="2,000 are the most"):
        read_sheet("address\n" + "https://a.example\n" * 2_001)


def test_a_token_stands_without_a_user_name_and_not_beside_a_password() -> None:
    sheet = read_sheet("Address\tUser\tPassword\tToken\nhttps://a.example\tida\t\tt-1\nhttps://b.example\tbo\tp\tt-2\n")
    assert [(one.user, one.password) for one in sheet.rows] == [("", "t-1")]
    assert [str(one) for one in sheet.unreadable] == [
        "Row 3, token: There is a password beside it. Keep one of the two."
    ]
    assert "t-1" not in repr(sheet)


CELL = st.text(st.characters(exclude_categories=["Cs", "Cc"]), max_size=12).map(str.strip)


@tries(50, 2_000)
@given(st.lists(st.tuples(CELL, CELL, CELL, CELL), max_size=8), st.sampled_from(",;\t"))
def test_every_row_that_says_something_is_read_or_named(rows: list[tuple[str, str, str, str]], separator: str) -> None:
    out = io.StringIO()
    writer = csv.writer(out, delimiter=separator, lineterminator="\n", quoting=csv.QUOTE_ALL)
    writer.writerows([("name", "address", "user", "password"), *rows])
    sheet = read_sheet(out.getvalue())
    said = [at for at, row in enumerate(rows, 2) if any(row)]
    assert sorted([one.number for one in sheet.rows] + [one.row for one in sheet.unreadable]) == said
    for one in sheet.rows:
        assert (one.name, one.address, one.user, one.password) == rows[one.number - 2]
