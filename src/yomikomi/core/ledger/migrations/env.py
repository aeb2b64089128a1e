"""Run by Alembic with a connection handed over by ``workspace.migrate``."""

from alembic import context

from yomikomi.core.ledger.schema import Base

context.configure(connection=context.config.attributes["connection"], target_metadata=Base.metadata, render_as_batch=True)
with context.begin_transaction():
    context.run_migrations()
