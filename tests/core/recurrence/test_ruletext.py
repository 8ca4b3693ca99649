"""The text of rules: what is not asked for stays, and UNTIL has one form, whoever writes it."""

from itertools import islice

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from datebridge.core.editing.moving import Move, move_rule, rule_starts
from datebridge.core.editing.writing import written_rule
from datebridge.core.moments import Moment, basic, from_wall_seconds, instant_at, parse_moment, wall_at
from datebridge.core.recurrence.ruletext import RuleText
from datebridge.core.series.health import Group, SeriesMember, heal
from tests.depth import tries

NAMES = st.sampled_from(["FREQ", "freq", "COUNT", "UNTIL", "BYDAY", "X-OWN", " WKST", "RSCALE", ""])
PARTS = st.tuples(NAMES, st.text("ABC=, 1", max_size=4)).map("=".join)
STARTS = [
    parse_moment("20260901"),
    parse_moment("20260901T013000"),
    parse_moment("20260901T013000Z"),
    parse_moment("20260901T013000", "America/Halifax"),
    parse_moment("20260901T233000", "Atlantic/Azores"),
    parse_moment("20260901T023000", "Australia/Hobart"),
]
#: About the days on which clocks change in these zones, to the half hour.
UNTILS = st.builds(
    lambda day, step, form: form.format(text := basic(from_wall_seconds(day + 1800 * step)), text[:8]),
    st.sampled_from([parse_moment(day).wall_seconds for day in ("20261024", "20261031", "20261003", "20270313")]),
    st.integers(0, 96),
    st.sampled_from(["{0}Z", "{0}", "{1}"]),
)


@tries(100, 2_000)
@given(st.lists(PARTS, max_size=6), st.dictionaries(st.sampled_from(["COUNT", "BYDAY"]), st.sampled_from(["", "2"])))
def test_parts_that_nobody_touches_stay_as_they_are_in_their_order(parts: list[str], values: dict[str, str]) -> None:
    rule = RuleText.of(";".join(parts))
    assert str(rule) == ";".join(part for part in parts if part.strip())
    changed = rule.with_values(**values)
    assert changed.without(*values) == rule.without(*values)
    assert {name: changed.value(name) for name in values} == values
    assert changed.with_values(**values) == changed


def _begins(rule: str, start: Moment) -> list[int]:
    """When a rule has its series begin from the days before the clocks change on; a skipped time is the one after it."""
    walls = islice(rule_starts(rule, start, start.wall_seconds + 40 * 86400), 5000)
    return list(dict.fromkeys(instant_at(wall, start.zone) if start.zone else wall for wall in walls))


@pytest.mark.parametrize("start", STARTS, ids=str)
@tries(30, 600)
@given(
    UNTILS, st.sampled_from(["FREQ=DAILY;UNTIL={};X-A=1", "UNTIL={};FREQ=WEEKLY;INTERVAL=1", "FREQ=HOURLY;UNTIL={}"])
)
def test_whoever_writes_the_end_of_a_rule_writes_the_same(start: Moment, until: str, shape: str) -> None:
    """Written for its start, moved by nothing, and put right by its finding: one text, and the same starts as before."""
    text = shape.format(until)
    assume(not (start.is_date and "HOURLY" in text))
    wall = parse_moment(until).wall_seconds  # an end at a time the clocks skip has no second that would say the same
    assume(until[-1] == "Z" or not start.zone or wall_at(instant_at(wall, start.zone), start.zone) == wall)
    written = written_rule(text, start)
    assert RuleText.of(written).without("UNTIL") == RuleText.of(text).without("UNTIL")
    params = ";VALUE=DATE" if start.is_date else f";TZID={start.zone}" if start.zone not in ("", "UTC") else ""
    value = basic(start.wall)[: 8 if start.is_date else None] + ("Z" if start.zone == "UTC" else "")
    master = f"BEGIN:VEVENT\nUID:a\nDTSTART{params}:{value}\nRRULE:{text}\nEND:VEVENT"
    healed = [
        edit.text or "" for edit in heal(Group([SeriesMember(1, master)]), ["until-type"], "20260101T000000Z").edits
    ]
    assert [line for one in healed for line in one.split("\n") if line.startswith("RRULE")] == (
        [f"RRULE:{written}"] if written != text else []
    )
    assert move_rule(text, Move(start, start)) == written
    assert _begins(written, start) == _begins(text, start)


def test_an_end_in_the_second_pass_of_an_hour_stays_the_second_it_is() -> None:
    start = parse_moment("20260901T013000", "America/Halifax")
    assert written_rule("FREQ=DAILY;UNTIL=20261101T053000Z", start) == "FREQ=DAILY;UNTIL=20261101T053000Z"
