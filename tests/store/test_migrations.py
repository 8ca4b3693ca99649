"""The migrations make what the tables say."""

from __future__ import annotations

from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlmodel import SQLModel

from datebridge.store.database import Store
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
