"""What is remembered of the store is what would be worked out anew, whoever wrote."""

from __future__ import annotations

from contextlib import closing
from functools import partial

from datebridge.store.change_feed import AsOfNow
from datebridge.store.database import Store
from datebridge.store.entries.ledger import Ledger
from datebridge.store.stages import Stages, at_stages
from tests.conftest import Bench, calendar, event


def test_an_answer_is_worked_out_again_where_somebody_has_written_and_only_there(bench: Bench) -> None:
    asked: list[Stages] = []

    def work_out(connection) -> Stages:  # type: ignore[no-untyped-def]
        asked.append(at_stages(Ledger(bench.store), connection))
        return asked[-1]

    with closing(AsOfNow(bench.store, work_out)) as stages:
        assert [stages.get().look, stages.get().look, len(asked)] == [0, 0, 1]
        bench.bring(calendar(event("a"), event("b", start="20261124")))
        assert [stages.get().look, stages.get().logbook, len(asked)] == [2, 1, 2]
        other = Bench(bench.settings.data_dir)  # another process, as far as the database can tell
        other.read(calendar(event("c")))
        other.store.close()
        assert (stages.get().connect, len(asked)) == (1, 3)


def test_what_is_remembered_is_what_a_new_look_gives(bench: Bench) -> None:
    with closing(AsOfNow(bench.store, partial(at_stages, Ledger(bench.store)))) as stages:
        for k in range(4):
            bench.bring(calendar(event(str(k), "Tide", "TZID=Nowhere:20261124T080000" if k % 2 else "20261124")))
            stages.get()
            with closing(Store(bench.settings.database)) as store, store.read() as connection:
                assert stages.get() == at_stages(Ledger(store), connection)
