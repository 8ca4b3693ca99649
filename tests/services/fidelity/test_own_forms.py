"""What is made here carries what it says: files everything, shares what their detail lets through."""

from __future__ import annotations

from datebridge.core.crossing.features import Verdict
from datebridge.services.fidelity import matrices
from datebridge.services.fidelity.own_forms import measure_own, own_forms
from tests.conftest import Bench


def test_files_carry_everything_and_shares_what_their_detail_lets_through(bench: Bench) -> None:
    lost = {
        name: {one.feature for one in measured if one.verdict not in (Verdict.KEPT, Verdict.NOT_TRIED)}
        for name, measured in own_forms()
    }
    assert lost["A file of iCalendar"] == set()
    assert lost["A file of jCal"] == {"damaged-bad-parameter", "damaged-not-a-content-line"}  # it cannot say them
    assert lost["A share with everything"] <= {"damaged-bad-parameter"}
    people = {"attendee", "organizer", "contact"} & {one.feature for _, some in own_forms() for one in some}
    assert people <= lost["A share without people"] < lost["A share of titles"]
    assert not {"plain", "zone", "rule-daily", "alarm"} & lost["A share without people"] - {"alarm"}


def test_they_are_measured_again_and_told_with_other_targets(bench: Bench) -> None:
    first, again = measure_own(bench.store), measure_own(bench.store)
    assert len(set(first + again)) == 10
    kept = matrices.by_number(bench.store, again[0])
    assert kept.row.name == "A share with everything"
    assert not any(row.before for row in kept.rows)
