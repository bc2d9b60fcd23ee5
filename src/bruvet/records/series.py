"""Readings in and out: COPY in, time buckets out, computed by the database."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np
from numpy.typing import NDArray
from psycopg import Cursor, sql
from sqlalchemy import text
from sqlalchemy.orm import Session

FloatArray = NDArray[np.float64]
HEADER = b"PGCOPY\n\xff\r\n\0" + bytes(8)
BLOCK_ROWS = 100_000
Y2000_S = 946_684_800.0
EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
# The width of the roll-up that a trigger keeps, and the most quarters of a year that one batch may open.
ROLLED_S = 30.0
MOST_ROOMS = 24
QUARTER_S = 89 * 86_400.0


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
    count: FloatArray

    def followed_by(self, newer: Buckets) -> Buckets:
        """These, with what was asked for again and what has come since; its first bucket may lack readings."""
        if len(newer.minute) < 2:
            return self if len(self.minute) else newer
        kept = self.minute < newer.minute[1] - 1e-9
        both = zip(
            (self.minute, self.mean_c, self.low_c, self.high_c, self.count),
            (newer.minute, newer.mean_c, newer.low_c, newer.high_c, newer.count),
            strict=True,
        )
        return Buckets(*(np.concatenate([old[kept], new[1:]]) for old, new in both))

    def corrected(self, from_min: float, until_min: float, offset_c: float, slope: float) -> Buckets:
        """With the probe's calibration applied to the buckets of a stretch."""
        inside = (self.minute >= from_min) & (self.minute < until_min)

        def put_right(values: FloatArray) -> FloatArray:
            return np.where(inside, offset_c + slope * values, values)

        return Buckets(self.minute, put_right(self.mean_c), put_right(self.low_c), put_right(self.high_c), self.count)

    def coarser(self, width_s: float) -> Buckets:
        """The same readings in wider buckets, exactly as the database would have made them."""
        if not len(self.minute):
            return self
        starts = np.flatnonzero(np.diff(np.floor(self.minute * 60 / width_s + 1e-9), prepend=-np.inf))
        count = np.add.reduceat(self.count, starts)
        return Buckets(
            np.add.reduceat(self.minute * self.count, starts) / count,
            np.add.reduceat(self.mean_c * self.count, starts) / count,
            np.minimum.reduceat(self.low_c, starts),
            np.maximum.reduceat(self.high_c, starts),
            count,
        )


def save_readings(
    session: Session,
    series: Sequence[tuple[int, FloatArray, FloatArray]],
    progress: Callable[[float], None] | None = None,
) -> int:
    """Store readings given as (probe id, UTC seconds, °C); those already there are left alone.

    Readings of a stretch of time that is still empty go straight into the table; others by way of a
    temporary one, so that what is there stays. `progress` is told the share sent, now and then.

    Returns
    -------
    int
        How many were new. Nothing is kept unless the session commits.
    """
    connection = session.connection().connection.driver_connection
    assert connection is not None
    series = [one for one in series if len(one[1])]
    with connection.cursor() as cursor:
        _make_rooms(cursor, series)
        if _all_empty(cursor, series):
            _copy_in(cursor, "reading", series, progress)
            return sum(len(at_s) for _, at_s, _ in series)
        cursor.execute("CREATE TEMP TABLE incoming (LIKE reading) ON COMMIT DROP")
        _copy_in(cursor, "incoming", series, progress)
        cursor.execute("INSERT INTO reading SELECT * FROM incoming ORDER BY probe_id, at ON CONFLICT DO NOTHING")
        new = int(cursor.rowcount)
        cursor.execute("DROP TABLE incoming")
    return new


def _make_rooms(cursor: Cursor[Any], series: Sequence[tuple[int, FloatArray, FloatArray]]) -> None:
    """See that each quarter of a year that has readings has its partition; wild dates go with the others."""
    quarters = {
        (at.year, (at.month - 1) // 3): at
        for _, at_s, _ in series
        for at in map(moment, (*np.arange(at_s.min(), at_s.max(), QUARTER_S)[:MOST_ROOMS], at_s.max()))
    }
    for at in quarters.values():
        cursor.execute("SELECT make_reading_room(%s)", [at])


def _all_empty(cursor: Cursor[Any], series: Sequence[tuple[int, FloatArray, FloatArray]]) -> bool:
    """Whether no probe has a reading in the stretch that is to come; locks the probes until the commit."""
    probe_ids = [probe_id for probe_id, _, _ in series]
    if len(set(probe_ids)) < len(probe_ids):
        return False
    cursor.execute("SELECT id FROM probe WHERE id = ANY(%s) ORDER BY id FOR NO KEY UPDATE", [probe_ids])
    for probe_id, at_s, _ in series:
        bounds = [probe_id, moment(float(at_s.min())), moment(float(at_s.max()))]
        cursor.execute("SELECT 1 FROM reading WHERE probe_id = %s AND at BETWEEN %s AND %s LIMIT 1", bounds)
        if cursor.fetchone():
            return False
    return True


def _copy_in(
    cursor: Cursor[Any],
    table: str,
    series: Sequence[tuple[int, FloatArray, FloatArray]],
    progress: Callable[[float], None] | None,
) -> None:
    total, sent = max(sum(len(at_s) for _, at_s, _ in series), 1), 0
    target = sql.SQL("COPY {} (probe_id, at, temp_c) FROM STDIN (FORMAT BINARY)").format(sql.Identifier(table))
    with cursor.copy(target) as copy:
        copy.write(HEADER)
        for probe_id, at_s, temp_c in series:
            for block in _binary_blocks(probe_id, at_s, temp_c):
                copy.write(block)
                sent += BLOCK_ROWS
                if progress:
                    progress(min(sent / total, 1.0))
        copy.write(b"\xff\xff")


def _binary_blocks(probe_id: int, at_s: FloatArray, temp_c: FloatArray) -> Iterable[bytes]:
    """Rows in PostgreSQL's binary COPY format, many at a time, laid out by NumPy.

    A timestamp is whole microseconds since 2000-01-01.
    """
    row = np.dtype(
        [
            *(("fields", ">i2"), ("n1", ">i4"), ("probe", ">i4"), ("n2", ">i4"), ("at", ">i8")),
            *(("n3", ">i4"), ("temp", ">f4")),
        ]
    )
    rows = np.empty(len(at_s), dtype=row)
    rows["fields"], rows["n1"], rows["n2"], rows["n3"] = 3, 4, 8, 4
    rows["probe"], rows["temp"] = probe_id, temp_c
    rows["at"] = np.round((at_s - Y2000_S) * 1e6)
    for start in range(0, len(rows), BLOCK_ROWS):
        yield rows[start : start + BLOCK_ROWS].tobytes()


def bucketed(
    session: Session, zeros: Mapping[int, float], width_s: float, low_min: float, high_min: float
) -> dict[int, Buckets]:
    """Minimum, maximum and mean of each probe's readings in buckets of `width_s` from its own zero: a close look.

    Parameters
    ----------
    zeros : mapping
        Probe id to the UTC second that its minutes count from.
    low_min, high_min : float
        Only readings between these minutes, which should hold some hundred thousand readings at most: packed and sent
        as they are, and put into buckets here, they take a third of the time that the database needs for buckets.
    """
    if not zeros:
        return {}
    # Told as constants, the outermost ends let the planner leave out the quarters that cannot matter.
    statement = text(
        """
        SELECT probe_id, string_agg(timestamptz_send(at) || float4send(temp_c), ''::bytea)
        FROM reading JOIN unnest(CAST(:ids AS int[]), CAST(:zeros AS float8[])) AS z(id, zero) ON probe_id = z.id
        WHERE at >= to_timestamp(zero + :low * 60) AND at <= to_timestamp(zero + :high * 60)
          AND at >= :earliest AND at <= :latest
        GROUP BY probe_id
        """
    )
    asked = {
        "ids": list(zeros),
        "zeros": list(zeros.values()),
        "low": low_min,
        "high": high_min,
        "earliest": moment(min(zeros.values()) + low_min * 60),
        "latest": moment(max(zeros.values()) + high_min * 60),
    }
    found = {probe_id: bytes(rows) for probe_id, rows in session.execute(statement, asked)}
    out = {}
    for probe_id, zero in zeros.items():
        at_s, temp_c = _unpacked(found.get(probe_id, b""), zero)
        out[probe_id] = Buckets(at_s / 60, temp_c, temp_c, temp_c, np.ones(len(at_s))).coarser(width_s)
    return out


READING_ROW = np.dtype([("at", ">i8"), ("temp", ">f4")])


def _unpacked(packed: bytes, zero_s: float) -> tuple[FloatArray, FloatArray]:
    """Seconds from a zero and °C of packed readings, in order of time."""
    rows = np.frombuffer(packed, READING_ROW)
    # Whole microseconds since 2000-01-01, as they went in.
    at_us = rows["at"].astype(np.int64)
    order = np.argsort(at_us, kind="stable")
    return at_us[order] / 1e6 + (Y2000_S - zero_s), rows["temp"].astype(float)[order]


ROLLED_ROW = np.dtype(
    [
        *(("slot", ">i4"), ("count", ">i4"), ("at_sum", ">f8"), ("temp_sum", ">f8")),
        *(("low", ">f8"), ("high", ">f8")),
    ]
)


def rolled(
    session: Session,
    zeros: Mapping[int, float],
    low_min: float | None = None,
    high_min: float | None = None,
) -> dict[int, Buckets]:
    """As `bucketed`, from the roll-up of 30 seconds: what it costs does not depend on how many readings there were.

    Its buckets begin at whole half minutes of the clock.
    """
    if not zeros:
        return {}
    connection = session.connection().connection.driver_connection
    assert connection is not None
    session.flush()
    earliest, latest = min(zeros.values()), max(zeros.values())
    bounds = [
        -(2**31) if low_min is None else int((earliest + low_min * 60) // ROLLED_S),
        2**31 - 1 if high_min is None else int((latest + high_min * 60) // ROLLED_S),
    ]
    # A probe's rows come as one packed value: fetched one by one, they would cost more than all the rest. Two whole
    # numbers go as one and four others as a segment, since each further piece of a row costs as much again.
    statement = """
        SELECT probe_id, string_agg(int8send((slot::bigint << 32) | count)
                   || lseg_send(lseg(point(at_sum, temp_sum), point(low_c, high_c))), ''::bytea)
        FROM (SELECT * FROM reading_rollup WHERE probe_id = ANY(%s) AND slot BETWEEN %s AND %s) AS r
        GROUP BY probe_id
    """
    with connection.cursor(binary=True) as cursor:
        packed = dict(cursor.execute(statement, [list(zeros), *bounds]).fetchall())
    out = {}
    for probe_id, zero in zeros.items():
        mine = np.frombuffer(packed.get(probe_id, b""), ROLLED_ROW)
        mine = mine[np.argsort(mine["slot"])]
        count = mine["count"].astype(float)
        minute = (mine["slot"].astype(float) * ROLLED_S + mine["at_sum"] / count - zero) / 60
        kept = (minute >= (-np.inf if low_min is None else low_min)) & (
            minute <= (np.inf if high_min is None else high_min)
        )
        columns = (minute, mine["temp_sum"] / count, mine["low"].astype(float), mine["high"].astype(float), count)
        out[probe_id] = Buckets(*(column[kept] for column in columns))
    return out


def how_many(session: Session, zeros: Mapping[int, float], low_min: float, high_min: float) -> int:
    """How many readings these probes have between two minutes of their own zeros, by the roll-up."""
    statement = text(
        """
        SELECT coalesce(sum(count), 0)::bigint FROM reading_rollup
        JOIN unnest(CAST(:ids AS int[]), CAST(:zeros AS float8[])) AS z(id, zero) ON probe_id = z.id
        WHERE slot BETWEEN floor((zero + :low * 60) / 30)::int AND floor((zero + :high * 60) / 30)::int
        """
    )
    asked = {"ids": list(zeros), "zeros": list(zeros.values()), "low": low_min, "high": high_min}
    return int(session.scalar(statement, asked) or 0)


@dataclass(frozen=True)
class Extent:
    count: int
    first: datetime
    last: datetime


def extents(session: Session, probe_ids: Sequence[int]) -> dict[int, Extent]:
    """How many readings each probe has, and from when to when: counted by the roll-up, its ends looked up."""
    statement = text(
        """
        SELECT probe_id, total,
               coalesce(first_at, to_timestamp(low * 30.0)), coalesce(last_at, to_timestamp(high * 30.0))
        FROM (SELECT probe_id, sum(count)::bigint AS total, min(slot) AS low, max(slot) AS high
              FROM reading_rollup WHERE probe_id = ANY(:ids) GROUP BY 1) AS span,
        LATERAL (SELECT min(at) AS first_at FROM reading WHERE reading.probe_id = span.probe_id
                 AND at >= to_timestamp(low * 30.0) AND at < to_timestamp((low + 1) * 30.0)) AS f,
        LATERAL (SELECT max(at) AS last_at FROM reading WHERE reading.probe_id = span.probe_id
                 AND at >= to_timestamp(high * 30.0) AND at < to_timestamp((high + 1) * 30.0)) AS l
        """
    )
    rows = session.execute(statement, {"ids": list(probe_ids)})
    return {probe_id: Extent(count, first, last) for probe_id, count, first, last in rows}


def each_reading(session: Session, probe_ids: Sequence[int]) -> Iterable[tuple[int, datetime, float]]:
    """Every reading of these probes in order of probe and time, fetched as they are asked for."""
    statement = text(
        "SELECT probe_id, at, temp_c::float8 FROM reading WHERE probe_id = ANY(:ids) ORDER BY probe_id, at"
    )
    with session.get_bind().connect() as connection:  # type: ignore[union-attr]
        rows = connection.execution_options(stream_results=True, yield_per=5000).execute(
            statement, {"ids": list(probe_ids)}
        )
        for probe_id, at, temp_c in rows:
            yield probe_id, at.astimezone(UTC), temp_c


def newest(session: Session, probe_ids: Sequence[int]) -> dict[int, tuple[datetime, float]]:
    """Each probe's last reading: when, and °C."""
    statement = text(
        """
        SELECT id, at, temp_c::float8 FROM unnest(CAST(:ids AS int[])) AS p(id),
        LATERAL (SELECT at, temp_c FROM reading WHERE probe_id = p.id ORDER BY at DESC LIMIT 1) AS last
        """
    )
    rows = session.execute(statement, {"ids": list(probe_ids)})
    return {probe_id: (at, temp_c) for probe_id, at, temp_c in rows}


def raw(session: Session, probe_id: int) -> tuple[FloatArray, FloatArray]:
    """A probe's readings as they are stored: UTC seconds and °C, shape (n,), in order of time."""
    packed = "string_agg(timestamptz_send(at) || float4send(temp_c), ''::bytea)"
    statement = text(f"SELECT {packed} FROM reading WHERE probe_id = :probe")
    return _unpacked(session.scalar(statement, {"probe": probe_id}) or b"", 0.0)


def half_minutes_alone(session: Session, probe_id: int) -> list[list[float]]:
    """A probe's half minutes from before its first reading: all that is left of readings that were given up."""
    statement = text(
        "SELECT slot, count, at_sum, temp_sum, low_c::float8, high_c::float8 FROM reading_rollup "
        "WHERE probe_id = :probe AND slot < COALESCE((SELECT floor(extract(epoch FROM min(at)) / :width) "
        "FROM reading WHERE probe_id = :probe), 2147483647) ORDER BY slot"
    )
    rows = session.execute(statement, {"probe": probe_id, "width": ROLLED_S})
    return [list(row) for row in rows]


def keep_half_minutes(session: Session, probe_id: int, rows: Sequence[Sequence[float]]) -> None:
    """Store half minutes whose readings are gone."""
    statement = text("INSERT INTO reading_rollup VALUES (:probe, :slot, :count, :at_sum, :temp_sum, :low_c, :high_c)")
    names = ("slot", "count", "at_sum", "temp_sum", "low_c", "high_c")
    values = [{"probe": probe_id, **dict(zip(names, row, strict=True))} for row in rows]
    if values:
        session.execute(statement, values)
