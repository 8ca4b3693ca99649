"""One file per real-world defect, named after it: what is found in each, and that the entry survives it."""

from __future__ import annotations

from pathlib import Path

import pytest

from datebridge.core.inspection import inspect
from datebridge.core.text.component import Component

FIXTURES = Path(__file__).parents[1] / "fixtures"
EXPECTED: dict[str, list[tuple[str, int]]] = {
    "sound": [],
    "old_mac_line_ends": [],
    "utf16_with_mark": [],
    "utf16_without_mark": [("encoding", 1)],
    "western_letters": [("encoding", 4)],
    "description_broken_over_lines": [("not-a-content-line", 10)],
    "alarm_crosses_event": [("no-dtstamp", 4), ("incomplete-alarm", 7), ("crossed-end", 9), ("stray-end", 10)],
    "event_without_end": [("no-dtstamp", 4), ("missing-end", 7)],
    "cut_off": [("truncated", 8), ("truncated", 8)],
    "mail_around_it": [("junk-outside", 1), ("junk-outside", 13)],
    "two_calendars_in_a_row": [],
    "events_outside_any_calendar": [("no-calendar", 1)],
    "occurrence_without_its_series": [("override-without-master", 4)],
    "one_uid_for_two_events": [("two-masters", 4), ("two-masters", 10)],
    "end_before_start": [("end-before-start", 9)],
    "thirtieth_of_february": [("bad-date", 7)],
    "zone_of_its_own_invention": [("unresolved-zone", 7), ("no-zone-definition", 7)],
    "open_quote_in_a_parameter": [("bad-parameter", 9)],
    "rule_that_is_none": [("bad-rule", 9)],
    "nul_octets": [("control-character", 4)],
}


@pytest.mark.parametrize("path", sorted(FIXTURES.glob("*.ics")), ids=lambda p: p.stem)
def test_a_defect_is_found_on_its_line_and_the_entry_survives(path: Path) -> None:
    with path.open("rb") as source:
        found = inspect(source, keep=True)
    assert [(p.code, p.line) for p in found.problems] == EXPECTED[path.stem]
    events = [c for c in found.components if c.name == "VEVENT"]
    assert events
    assert all(p.done for p in found.problems)
    line = Component(events[-1].text).first("SUMMARY")
    assert path.stem == "alarm_crosses_event" or (line is not None and line.value == "Tide gauge")
