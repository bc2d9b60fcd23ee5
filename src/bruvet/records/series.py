"""Readings in and out: COPY in, time buckets out, computed by the database."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import delete, func, select, text
from sqlalchemy.orm import Session

from .models import Reading

FloatArray = NDArray[np.float64]
HEADER = b"PGCOPY\n\xff\r\n\0" + bytes(8)
EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


def moment(seconds: float) -> datetime:
    """UTC moment of seconds since 1970."""
    return EPOCH + timedelta(seconds=seconds)


def seconds(at: datetime) -> float:
    """Seconds since 1970 of a moment."""
    return (at - EPOCH).total_seconds()


@dataclass(frozen=True)
class Buckets:
    """One probe in time buckets. Minutes from the zero asked for; all arrays shape (n,), °C."""

    minute: FloatArray
    mean_c: FloatArray
    low_c: FloatArray
    high_c: FloatArray


def save_readings(session: Session, series: Iterable[tuple[int, FloatArray, FloatArray]]) -> int:
    """Store readings given as (probe id, UTC seconds, °C); those already there are left alone.

    Returns
    -------
    int
        How many were new. Nothing is kept unless the session commits.
    """
    connection = session.connection().connection.driver_connection
    assert connection is not None
    with connection.cursor() as cursor:
        cursor.execute("CREATE TEMP TABLE incoming (probe_id integer, at double precision, temp_c real) ON COMMIT DROP")
        with cursor.copy("COPY incoming FROM STDIN (FORMAT BINARY)") as copy:
            copy.write(HEADER)
            for probe_id, at_s, temp_c in series:
                for block in _binary_blocks(probe_id, at_s, temp_c):
                    copy.write(block)
            copy.write(b"\xff\xff")
        cursor.execute(
            "INSERT INTO reading (probe_id, at, temp_c) SELECT probe_id, to_timestamp(at), temp_c FROM incoming "
            "ORDER BY probe_id, at ON CONFLICT DO NOTHING"
        )
        new = int(cursor.rowcount)
        cursor.execute("DROP TABLE incoming")
    return new


def _binary_blocks(probe_id: int, at_s: FloatArray, temp_c: FloatArray) -> Iterable[bytes]:
    """Rows in PostgreSQL's binary COPY format, many at a time, laid out by NumPy."""
    row = np.dtype(
        [
            ("fields", ">i2"),
            ("n1", ">i4"),
            ("probe", ">i4"),
            ("n2", ">i4"),
            ("at", ">f8"),
            ("n3", ">i4"),
            ("temp", ">f4"),
        ]
    )
    rows = np.empty(len(at_s), dtype=row)
    rows["fields"], rows["n1"], rows["n2"], rows["n3"] = 3, 4, 8, 4
    rows["probe"], rows["at"], rows["temp"] = probe_id, at_s, temp_c
    for start in range(0, len(rows), 100_000):
        yield rows[start : start + 100_000].tobytes()


def bucketed(
    session: Session,
    zeros: Mapping[int, float],
    width_s: float,
    low_min: float | None = None,
    high_min: float | None = None,
) -> dict[int, Buckets]:
    """Minimum, maximum and mean of each probe's readings in buckets of `width_s` from its own zero.

    Parameters
    ----------
    zeros : mapping
        Probe id to the UTC second that its minutes count from.
    low_min, high_min : float, optional
        Only readings between these minutes.
    """
    if not zeros:
        return {}
    statement = text(
        """
        SELECT probe_id, floor((extract(epoch FROM at) - zero) / :width)::bigint AS bucket,
               avg(extract(epoch FROM at) - zero)::float8 / 60, avg(temp_c)::float8, min(temp_c)::float8, max(temp_c)::float8
        FROM reading JOIN unnest(CAST(:ids AS int[]), CAST(:zeros AS float8[])) AS z(id, zero) ON probe_id = z.id
        WHERE at >= coalesce(to_timestamp(zero + :low * 60), '-infinity')
          AND at <= coalesce(to_timestamp(zero + :high * 60), 'infinity')
        GROUP BY 1, 2 ORDER BY 1, 2
        """
    )
    rows = session.execute(
        statement,
        {"ids": list(zeros), "zeros": list(zeros.values()), "width": width_s, "low": low_min, "high": high_min},
    ).all()
    table = np.array([tuple(row) for row in rows], dtype=float).reshape(-1, 6)
    out = {}
    for probe_id in zeros:
        mine = table[table[:, 0] == probe_id]
        out[probe_id] = Buckets(mine[:, 2], mine[:, 3], mine[:, 4], mine[:, 5])
    return out


@dataclass(frozen=True)
class Extent:
    count: int
    first: datetime
    last: datetime


def extents(session: Session, probe_ids: Sequence[int]) -> dict[int, Extent]:
    """How many readings each probe has, and from when to when."""
    rows = session.execute(
        select(Reading.probe_id, func.count(), func.min(Reading.at), func.max(Reading.at))
        .where(Reading.probe_id.in_(probe_ids))
        .group_by(Reading.probe_id)
    )
    return {probe_id: Extent(count, first, last) for probe_id, count, first, last in rows}


def forget_readings(session: Session, probe_id: int) -> None:
    session.execute(delete(Reading).where(Reading.probe_id == probe_id))
