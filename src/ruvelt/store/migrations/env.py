"""Alembic's entry: migrates the connection it is given."""

from alembic import context

from ruvelt.store.schema import Base

context.configure(connection=context.config.attributes["connection"], target_metadata=Base.metadata, render_as_batch=True)
with context.begin_transaction():
    context.run_migrations()
