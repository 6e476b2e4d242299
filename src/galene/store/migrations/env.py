"""Alembic's entry: one connection, a transaction each."""

from alembic import context
from sqlalchemy import create_engine, pool

from galene.store.models import Base

engine = create_engine(
    context.config.get_main_option("sqlalchemy.url") or "", poolclass=pool.NullPool
)
with engine.connect() as connection:
    context.configure(
        connection=connection,
        target_metadata=Base.metadata,
        transaction_per_migration=True,
    )
    with context.begin_transaction():
        context.run_migrations()
