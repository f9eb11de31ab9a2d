"""Alembic runs inside the connection that records/schema.py hands over."""

from alembic import context

from tuning.records.models import Base

context.configure(connection=context.config.attributes["connection"], target_metadata=Base.metadata)
with context.begin_transaction():
    context.run_migrations()
