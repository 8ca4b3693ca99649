"""Runs migrations on the connection the store hands over."""

from alembic import context
from sqlmodel import SQLModel

from datebridge.store import tables  # noqa: F401  (fills the metadata)

context.configure(
    connection=context.config.attributes["connection"],
    target_metadata=SQLModel.metadata,
    render_as_batch=True,
    transactional_ddl=False,
)
context.run_migrations()
