"""The migrations make what the tables say."""

from __future__ import annotations

from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlmodel import SQLModel

from datebridge.core.language.filters import Selection
from datebridge.services.mend.deletion import propose_deletion
from datebridge.services.running import worker
from datebridge.services.running.maintenance import queue_maintenance
from datebridge.services.transfer.copying import Target
from datebridge.services.transfer.transfers import propose_transfer
from datebridge.store.changesets.apply import apply as apply_set
from datebridge.store.database import Store, migrate
from datebridge.store.entries.ledger import Ledger
from tests.conftest import Bench, calendar, event


def test_a_migrated_database_is_as_the_tables_say(bench: Bench) -> None:
    with bench.store.read() as connection:
        context = MigrationContext.configure(
            connection, opts={"include_name": lambda n, *_: not str(n).startswith("search")}
        )
        assert compare_metadata(context, SQLModel.metadata) == []


def test_opening_again_changes_nothing(bench: Bench) -> None:
    bench.bring(calendar(event("a")))
    again = Store(bench.settings.database)
    assert again.revision() == bench.store.revision() == 1
    again.close()


def test_what_was_stored_before_is_there_in_the_words_of_now(bench: Bench) -> None:
    endless = event("d", "Watch", "20261124T080000Z", "RRULE:FREQ=DAILY;COUNT=-1")
    backwards = event("a", "Backwards", "20261124T080000Z", "DTEND:20261124T070000Z")
    bench.bring(calendar(backwards, event("b", "Gone"), endless))
    apply_set(bench.store, propose_deletion(bench.store, bench.ledger, Selection("gone")))
    propose_transfer(bench.store, bench.ledger, Selection(), Target(name="Copies"))
    bench.read(calendar(event("c", "Waiting"), "X-BESIDE:a line that only the file shows"), "waiting.ics")
    before = everything(bench)
    migrate(bench.store.engine, "0012")
    assert ("odd-rule",) in rows(bench, "SELECT code FROM finding")
    migrate(bench.store.engine, "0004")
    assert rows(bench, "SELECT kind FROM change_set ORDER BY id") == [("import",), ("delete",), ("copy",)]
    bench.store.close()
    again = Store(bench.settings.database)
    assert everything(bench) == before
    queue_maintenance(again)
    worker.drain(again, bench.settings)
    assert [row.summary for row in Ledger(again).page("problem:end-before-start", "when")[1]] == ["Backwards"]
    again.close()


def everything(bench: Bench) -> dict[str, list[tuple[object, ...]]]:
    """All that is stored, but for what is checked again after a migration."""
    columns = {"finding": "version_id, code, line, message, done", "calendar": "id, name, colour, live"}
    tables = [
        str(name)
        for (name,) in rows(
            bench,
            "SELECT name FROM sqlite_schema WHERE type = 'table' AND name NOT LIKE 'sqlite%' AND name NOT LIKE 'search%'"
            " AND name NOT IN ('alembic_version', 'check_run', 'staging', 'job', 'meta') ORDER BY 1",
        )
    ]
    return {t: sorted(rows(bench, f"SELECT {columns.get(t, '*')} FROM {t}"), key=repr) for t in tables}


def rows(bench: Bench, sql: str) -> list[tuple[object, ...]]:
    with bench.store.read() as connection:
        return [tuple(row) for row in connection.exec_driver_sql(sql)]
