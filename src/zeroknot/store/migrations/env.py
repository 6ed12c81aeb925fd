"""Alembic's entry: migrations run on the connection that `store.database` hands over."""

from alembic import context
from sqlmodel import SQLModel

import zeroknot.store.tables  # noqa: F401  (the tables register themselves)

context.configure(
    connection=context.config.attributes["connection"],
    target_metadata=SQLModel.metadata,
    render_as_batch=True,
)
with context.begin_transaction():
    context.run_migrations()
