"""Old readings given up by whole quarters of a year; the half-minute roll-up of them stays, and so do all figures."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime

from sqlalchemy import text
from sqlalchemy.orm import Session


@dataclass(frozen=True)
class Room:
    """One quarter's readings: its table, where it begins and ends, about how many there are, and bytes on disk."""

    table: str
    begins: datetime
    ends: datetime
    rows: int
    size: int


def rooms(session: Session) -> list[Room]:
    """The quarters that have a table of their own, oldest first."""
    statement = text(
        """
        SELECT c.relname, greatest(c.reltuples, 0)::bigint, pg_total_relation_size(c.oid)
        FROM pg_inherits i JOIN pg_class c ON c.oid = i.inhrelid
        WHERE i.inhparent = 'reading'::regclass AND c.relname ~ '^reading_[0-9]{4}q[1-4]$' ORDER BY c.relname
        """
    )
    out = []
    for table, rows, size in session.execute(statement):
        year, quarter = int(table[8:12]), int(table[13])
        begins = datetime(year, 3 * quarter - 2, 1, tzinfo=UTC)
        ends = datetime(year + quarter // 4, 3 * (quarter % 4) + 1, 1, tzinfo=UTC)
        out.append(Room(table, begins, ends, rows, size))
    return out


def ended_by(session: Session, moment: datetime) -> list[Room]:
    return [room for room in rooms(session) if room.ends <= moment]


def give_up_before(session: Session, moment: datetime) -> list[Room]:
    """Drop every quarter that ended by a moment. Nothing is gone unless the session commits."""
    old = ended_by(session, moment)
    for room in old:
        session.execute(text(f"DROP TABLE {room.table}"))
    return old
