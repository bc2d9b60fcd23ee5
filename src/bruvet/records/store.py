"""Engine, sessions, migrations, and the record of earlier values."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import date, datetime
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine, event, inspect
from sqlalchemy.orm import Session, sessionmaker

# All tables must be known before any is used, since they point to one another.
from . import people, watching  # noqa: F401
from .models import Arm, Base, Cooker, Cutting, Event, Look, Panellist, Piece, Revision, Spot, Trial
from .tasting import Sample

KEPT: tuple[type[Base], ...] = (Trial, Arm, Piece, Event, Look, Spot, Panellist, Cooker, Cutting, Sample)


def engine_url(url: str) -> str:
    """A DATABASE_URL in any of its usual spellings, as SQLAlchemy wants it for psycopg 3."""
    for prefix in ("postgres://", "postgresql://"):
        if url.startswith(prefix):
            return "postgresql+psycopg://" + url.removeprefix(prefix)
    return url


def open_engine(url: str) -> Engine:
    return create_engine(engine_url(url), pool_pre_ping=True, pool_size=5, max_overflow=5)


def migrate(url: str) -> None:
    """Bring the database to the newest migration."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.attributes["url"] = engine_url(url)
    command.upgrade(config, "head")


@contextmanager
def session_scope(engine: Engine) -> Iterator[Session]:
    """A session that commits when the block ends well and rolls back otherwise."""
    with sessionmaker(engine, expire_on_commit=False)() as session, session.begin():
        yield session


def _storable(value: Any) -> Any:
    return value.isoformat() if isinstance(value, (date, datetime)) else value


def _columns(row: Any) -> list[str]:
    return [attribute.key for attribute in inspect(row).mapper.column_attrs]


def _trial_of(row: Any) -> int | None:
    if isinstance(row, Trial):
        return row.id
    if isinstance(row, Piece):
        return row.arm.trial_id if row.arm is not None else None
    if isinstance(row, Spot):
        return row.look.trial_id if row.look is not None else None
    if isinstance(row, Cutting):
        return row.piece.arm.trial_id if row.piece is not None else None
    if isinstance(row, Sample):
        return row.panel.trial_id if row.panel is not None else None
    return getattr(row, "trial_id", None)


@event.listens_for(Session, "before_flush")
def keep_earlier_values(session: Session, context: Any, instances: Any) -> None:
    """Write a revision with the old values for every kept row that is about to change or go."""
    person_id = session.info.get("person_id")
    for row in [r for r in session.dirty if isinstance(r, KEPT)]:
        state = inspect(row)
        changed = {
            name: _storable(history.deleted[0])
            for name in _columns(row)
            if (history := state.attrs[name].history).has_changes() and history.deleted and name != "updated_at"
        }
        if changed:
            session.add(_revision(row, "edit", changed, person_id))
    for row in [r for r in session.deleted if isinstance(r, KEPT)]:
        whole = {name: _storable(getattr(row, name)) for name in _columns(row)}
        session.add(_revision(row, "delete", whole, person_id))


def _revision(row: Any, action: str, earlier: dict[str, Any], person_id: int | None) -> Revision:
    return Revision(
        table_name=row.__tablename__,
        row_id=row.id,
        trial_id=_trial_of(row),
        action=action,
        earlier=earlier,
        person_id=person_id,
    )
