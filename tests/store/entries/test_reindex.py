"""The index rebuilt."""

from __future__ import annotations

from datebridge.store.database import Store
from datebridge.store.entries.reindex import reindex
from tests.conftest import Bench, calendar, event


def _timed(uid: str, title: str, start: str, end: str, *extra: str) -> str:
    return event(uid, title, f"202611{start}Z", f"DTEND:202611{end}Z", *extra)


def test_an_index_of_an_earlier_version_is_made_anew_when_opened(bench: Bench) -> None:
    bench.bring(calendar(_timed("a", "Far", "24T080000", "24T090000", "X-TRAVEL-DURATION:PT45M")))
    with bench.store.write() as connection:
        connection.exec_driver_sql("UPDATE version SET travel = 0")
        connection.exec_driver_sql("UPDATE entry SET travel = 0")
        connection.exec_driver_sql("UPDATE meta SET index_revision = 0")
    Store(bench.settings.database).close()
    with bench.store.write() as connection:
        assert reindex(connection) == 0  # it is as it should be
