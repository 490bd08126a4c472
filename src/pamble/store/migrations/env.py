"""Runs migrations on the connection that the caller hands over."""

from alembic import context

from pamble.store.models import Base

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=Base.metadata)
with context.begin_transaction():
    context.run_migrations()
