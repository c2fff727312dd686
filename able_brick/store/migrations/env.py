"""Runs migrations on the connection that is handed over."""

from alembic import context

from able_brick.store.tables import TABLES

context.configure(connection=context.config.attributes["connection"], target_metadata=TABLES, render_as_batch=True)
with context.begin_transaction():
    context.run_migrations()
