"""`./bruvet retain`: say how many readings are kept and from when; give up old ones by whole quarters."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from bruvet.records.retention import ended_by, give_up_before, rooms
from bruvet.records.store import migrate, open_engine, session_scope

from . import Refusal
from .packages import say
from .serving import OWN_DATABASE, database, served_database


def retain(months: int | None, sure: bool) -> None:
    """Without `months` only tell; with it, drop the quarters that ended so long ago, when one is `sure`."""
    if months is not None and months < 3:
        raise Refusal("readings are kept for three months at the least")
    with database(served_database() or OWN_DATABASE) as url:
        migrate(url)
        engine = open_engine(url)
        with session_scope(engine) as session:
            for room in rooms(session):
                say(f"{room.begins:%Y-%m} to {room.ends:%Y-%m}: about {room.rows:,} readings, {room.size / 1e6:.0f} MB")
            if months is not None:
                before = datetime.now(UTC) - timedelta(days=30.44 * months)
                old = give_up_before(session, before) if sure else ended_by(session, before)
                names = ", ".join(f"{room.begins:%Y-%m} to {room.ends:%Y-%m}" for room in old) or "nothing"
                if sure:
                    say(f"Given up: {names}. Their half minutes stay, and every figure with them.")
                else:
                    say(f"Would be given up: {names}. Say --yes to do it; it cannot be undone.")
        engine.dispose()
