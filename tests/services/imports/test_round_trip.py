"""Any calendar through the whole of it: read, stored, exported, read again, compared."""

from __future__ import annotations

import io
from collections import Counter

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.language.filters import Selection
from datebridge.core.text.lines import escape_text, fold, format_line
from datebridge.core.text.reader import Reader
from datebridge.services.exports import export
from datebridge.store.imports import compare
from tests.conftest import Bench
from tests.depth import tries

TEXT = st.text(st.characters(exclude_categories=("Cs", "Cc")), max_size=90)
ZONE = st.sampled_from(
    ["", "Australia/Hobart", "Atlantic Standard Time", "Harbour clock", "/x.example/1/Atlantic/Reykjavik"]
)
ODD_LINES = st.sampled_from(
    ['X-ODD;P="a:b":c', "x-lower:case", "not a content line", "RRULE:FREQ=NEVER", "DTEND:20260230T000000Z"]
)


@st.composite
def components(draw: st.DrawFn) -> str:
    kind = draw(st.sampled_from(["VEVENT", "VEVENT", "VTODO", "VJOURNAL", "X-MOORING"]))
    zone = draw(ZONE)
    lines = [f"BEGIN:{kind}", f"UID:{draw(st.integers(0, 99))}"]
    lines.append(format_line("DTSTART", f"202611{draw(st.integers(10, 28))}T080000", {"TZID": zone} if zone else None))
    lines.append("SUMMARY:" + escape_text(draw(TEXT)))
    lines += draw(st.lists(ODD_LINES, max_size=2))
    if draw(st.booleans()):
        lines += ["BEGIN:VALARM", "TRIGGER:-PT15M", "DESCRIPTION:" + escape_text(draw(TEXT)), "END:VALARM"]
    return "\n".join([*lines, f"END:{kind}"])


@tries(20, 1_000)
@given(st.lists(components(), min_size=1, max_size=8))
def test_what_goes_in_comes_out_and_is_known_again(tmp_path_factory: pytest.TempPathFactory, texts: list[str]) -> None:
    bench = Bench(tmp_path_factory.mktemp("trip"))
    header = "BEGIN:VCALENDAR\nVERSION:2.0\nPRODID:-//x//y//EN\nX-ODD-HEADER:kept\nX-WR-CALNAME:Tides"
    bench.bring(fold("\n".join([header, *texts, "END:VCALENDAR", ""])), "Tides")
    data = b"".join(export.write(bench.store, bench.ledger, Selection(), 1, "ics", ""))
    out = list(Reader(io.BytesIO(data)))
    assert Counter(c.text for c in out if c.name not in ("VCALENDAR", "VTIMEZONE")) == Counter(texts)
    assert "X-ODD-HEADER:kept" in out[-1].text
    number = bench.read(data)
    with bench.store.read() as connection:
        (row,) = compare(connection, number)
    assert row.newer == row.older == 0
    assert row.identical >= len(texts)  # twins are found once for each of them
    bench.store.close()
