"""What is kept of each day's number is what the days themselves come to, whatever has been changed meanwhile."""

from __future__ import annotations

from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.language.filters import Selection
from datebridge.services.look import views
from datebridge.services.mend import deletion
from datebridge.services.running import worker
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.changesets.draft import CannotApply
from datebridge.store.changesets.undo import propose_undo
from datebridge.store.entries.density import Density, queue_refreshing, stale
from datebridge.store.entries.occurrences import OccurrenceReader
from tests.conftest import Bench, calendar
from tests.depth import tries
from tests.store.entries.test_spans import SAMPLES

ZONES = ["UTC", "Australia/Hobart", "America/Halifax"]


def agree(bench: Bench, density: Density, first: date, count: int, zone: str) -> None:
    ids = [row[0] for row in bench.ledger.calendars()]
    plain, _ = views.days(
        OccurrenceReader(bench.store), [first + timedelta(days=k) for k in range(count)], zone, ids, 0
    )
    assert density.days(first, count, zone, ids)[0] == [day.total for day in plain]


@tries(15, 500)
@given(SAMPLES, SAMPLES, st.integers(-500, 500), st.integers(1, 371), st.sampled_from(ZONES))
def test_it_agrees_with_the_days_through_changes_and_their_undoing(
    tmp_path_factory: pytest.TempPathFactory,
    one: tuple[str, ...],
    other: tuple[str, ...],
    offset: int,
    count: int,
    zone: str,
) -> None:
    bench = Bench(tmp_path_factory.mktemp("density"))
    density, first = Density(bench.store), date(2026, 1, 1) + timedelta(days=offset)
    bench.bring(calendar(*one))
    bench.bring(calendar(*other), calendar="Other")
    agree(bench, density, first, count, zone)
    try:
        set_id = deletion.propose_deletion(bench.store, bench.ledger, Selection("calendar:Tides repeats:yes"))
        apply_set(bench.store, set_id)
        agree(bench, density, first, count, zone)
        apply_set(bench.store, propose_undo(bench.store, set_id))
    except CannotApply:  # there is no series
        pass
    with bench.store.write() as connection:
        queue_refreshing(connection)
    worker.drain(bench.store, bench.settings)
    with bench.store.read() as connection:
        assert stale(connection) == []
    agree(bench, Density(bench.store), first, count, zone)
    bench.store.close()


def test_of_a_calendar_that_has_changed_only_the_years_looked_at_last_are_made_anew(bench: Bench) -> None:
    text = "BEGIN:VEVENT\nUID:{}\nDTSTART:20261124T080000Z\nEND:VEVENT"
    bench.bring(calendar(text.format("a")))
    for year in range(2020, 2030):
        Density(bench.store).days(date(year, 1, 1), 365, "UTC", [1])
    bench.bring(calendar(text.format("b")), into=1)
    with bench.store.write() as connection:
        queue_refreshing(connection)
    worker.drain(bench.store, bench.settings)
    assert bench.amounts()["density"] == 4


def test_looking_does_not_wait_for_who_writes(bench: Bench) -> None:
    bench.bring(calendar("BEGIN:VEVENT\nUID:a\nDTSTART:20261124T080000Z\nEND:VEVENT"))
    with bench.store.write():
        assert sum(Density(bench.store).days(date(2026, 1, 1), 365, "UTC", [1])[0]) == 1
    assert bench.amounts()["density"] == 0
