"""Alembic's entry: runs the migrations of this folder on the URL it was given."""

from alembic import context
from sqlalchemy import create_engine, text

from bruvet.records import people, tasting, watching  # noqa: F401
from bruvet.records.models import Base

engine = create_engine(context.config.attributes["url"])
with engine.begin() as connection:
    # Two processes that start at once take turns.
    connection.execute(text("SELECT pg_advisory_xact_lock(8600)"))
    context.configure(connection=connection, target_metadata=Base.metadata, compare_type=True)
    context.run_migrations()
engine.dispose()
