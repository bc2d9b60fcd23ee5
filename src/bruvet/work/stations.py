"""Stations that deliver readings by themselves: their tokens, where their channels sit, and taking readings in."""

from __future__ import annotations

import hashlib
import math
import secrets
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import select
from sqlalchemy.orm import Session

from bruvet.records.models import Channel, Probe, Station
from bruvet.records.series import save_readings, seconds

LOWEST_C, HIGHEST_C = -60.0, 700.0
AHEAD = timedelta(days=2)
MOST_ITEMS = 5000
# Of a stretch: channels in one batch, and readings of all of them together.
MOST_STRETCHES, MOST_VALUES = 64, 250_000
EARLIEST_S = datetime(1990, 1, 1, tzinfo=UTC).timestamp()

FloatArray = NDArray[np.float64]


@dataclass(frozen=True)
class Refused:
    """One item that was not taken, by its place in the batch."""

    index: int
    detail: str


@dataclass(frozen=True)
class Taken:
    """What became of a batch: readings that are kept now, how many of them are new, and what was refused."""

    accepted: int
    new: int
    refused: tuple[Refused, ...]


def token_hash(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def new_token() -> str:
    return "st_" + secrets.token_urlsafe(30)


def add_station(session: Session, name: str, person_id: int | None) -> tuple[Station, str]:
    """A new station and its token, which is shown once and kept as a hash."""
    token = new_token()
    station = Station(name=name, token_hash=token_hash(token), created_by=person_id)
    session.add(station)
    return station, token


def station_of(session: Session, token: str) -> Station | None:
    return session.scalar(select(Station).where(Station.token_hash == token_hash(token)))


def seat(station: Station, name: str, probe: Probe, from_at: datetime) -> Channel:
    """Put a channel of a station at a probe's place from a moment on; where it sat before ends there."""
    for other in station.channels:
        if other.name == name and (other.until_at is None or other.until_at > from_at):
            other.until_at = max(from_at, other.from_at)
    channel = Channel(name=name, probe=probe, from_at=from_at)
    station.channels.append(channel)
    return channel


def take(session: Session, station: Station, items: Sequence[Any], now: datetime) -> Taken:
    """Keep a batch of readings. Late, early, repeated and out of order is all right.

    Each item is `{"channel": "1", "at": "2026-05-02T07:40:00Z", "temp_c": 64.5}`. What is wrong with one item does not
    hold up the others. Nothing is kept unless the session commits.
    """
    seats: dict[str, list[Channel]] = {}
    for channel in station.channels:
        seats.setdefault(channel.name, []).append(channel)
    rows: dict[tuple[int, datetime], float] = {}
    refused = []
    accepted = 0
    for index, item in enumerate(items):
        found = _read(item, seats, now)
        if isinstance(found, str):
            refused.append(Refused(index, found))
            continue
        probe_id, at, temp_c = found
        rows.setdefault((probe_id, at), temp_c)
        accepted += 1
    new = 0
    if rows:
        by_probe: dict[int, list[tuple[float, float]]] = {}
        for (probe_id, at), temp_c in sorted(rows.items()):
            by_probe.setdefault(probe_id, []).append((seconds(at), temp_c))
        new = save_readings(session, [(probe_id, *np.array(pairs).T) for probe_id, pairs in by_probe.items()])
    station.seen_at = now
    return Taken(accepted, new, tuple(refused))


def take_series(session: Session, station: Station, items: Sequence[Any], now: datetime) -> Taken:
    """Keep whole stretches of readings, one channel each: much quicker than one by one.

    Each item is `{"channel": "1", "from": "2026-05-02T07:40:00Z", "step_s": 1, "temp_c": [64.5, null, …]}`, or with
    `"offset_s": [0, 1, 3, …]` in place of the step. A reading that is null is left out. An item is refused whole when
    it cannot be read; readings out of range, or of times at which it sat nowhere, are left out and told.
    """
    seats: dict[str, list[Channel]] = {}
    for channel in station.channels:
        seats.setdefault(channel.name, []).append(channel)
    refused: list[Refused] = []
    parts: dict[int, list[tuple[FloatArray, FloatArray]]] = {}
    accepted = 0
    for index, item in enumerate(items):
        found = _read_stretch(item, seats, now)
        if isinstance(found, str):
            refused.append(Refused(index, found))
            continue
        at_s, temp_c = found
        sat = np.zeros(len(at_s), bool)
        fit = (temp_c >= LOWEST_C) & (temp_c <= HIGHEST_C)
        for seat in seats[item["channel"]]:
            until = np.inf if seat.until_at is None else seconds(seat.until_at)
            here = fit & ~sat & (at_s >= seconds(seat.from_at)) & (at_s < until)
            sat |= here
            if here.any():
                parts.setdefault(seat.probe_id, []).append((at_s[here], temp_c[here]))
        accepted += int(sat.sum())
        for count, why in (((~fit).sum(), "out of range"), ((fit & ~sat).sum(), "of times at which it sat nowhere")):
            if count:
                refused.append(Refused(index, f"temp_c: {count} readings {why} were left out"))
    series = []
    for probe_id, stretches in parts.items():
        at_s = np.concatenate([at for at, _ in stretches])
        temp_c = np.concatenate([temp for _, temp in stretches])
        _, firsts = np.unique(np.round(at_s * 1e6).astype(np.int64), return_index=True)
        series.append((probe_id, at_s[firsts], temp_c[firsts]))
    new = save_readings(session, sorted(series, key=lambda one: one[0])) if series else 0
    station.seen_at = now
    return Taken(accepted, new, tuple(refused))


def _read_stretch(item: Any, seats: dict[str, list[Channel]], now: datetime) -> tuple[FloatArray, FloatArray] | str:
    """UTC seconds and °C of a stretch, or what is wrong with it."""
    if not isinstance(item, dict):
        return "not an object with channel, from, step_s and temp_c"
    name, temps = item.get("channel"), item.get("temp_c")
    if not isinstance(name, str) or name not in seats:
        return f"channel: nobody has said where '{str(name)[:40]}' sits"
    begins = _read_at(item.get("from"), now)
    if isinstance(begins, str):
        return begins.replace("at:", "from:")
    if not isinstance(temps, list) or not temps:
        return "temp_c: give a list of °C"
    try:
        temp_c = np.array(temps, dtype=float)
        offset = item.get("offset_s")
        step = item.get("step_s")
        after = np.array(offset, dtype=float) if offset is not None else np.arange(len(temps)) * float(str(step))
    except (TypeError, ValueError):
        return "temp_c, offset_s: numbers only; step_s: a number of seconds"
    if temp_c.ndim != 1 or after.shape != temp_c.shape:
        return "offset_s: as many as there are readings"
    at_s = seconds(begins) + after
    if not np.isfinite(at_s).all() or at_s.max() > seconds(now + AHEAD) or at_s.min() < EARLIEST_S:
        return "from, step_s: too far from now"
    known = np.isfinite(temp_c)
    return at_s[known], temp_c[known]


def _read_at(said: Any, now: datetime) -> datetime | str:
    """A moment with its zone, or what is wrong with it."""
    if not isinstance(said, str):
        return "at: give a time as 2026-05-02T07:40:00Z"
    try:
        at = datetime.fromisoformat(said)
    except ValueError:
        return "at: not a time; give one as 2026-05-02T07:40:00Z"
    if at.tzinfo is None:
        return "at: the time has no zone; end it in Z or in an offset"
    try:
        at = at.astimezone(UTC)
    except (OverflowError, ValueError):
        return "at: out of range"
    return "at: too far from now" if not at.year >= 1990 or at > now + AHEAD else at


def _read(item: Any, seats: dict[str, list[Channel]], now: datetime) -> tuple[int, datetime, float] | str:
    """Probe, moment and °C of an item, or what is wrong with it."""
    if not isinstance(item, dict):
        return "not an object with channel, at and temp_c"
    name, said, temp = item.get("channel"), item.get("at"), item.get("temp_c")
    if not isinstance(name, str) or not name:
        return "channel: give its name as text"
    if isinstance(temp, bool) or not isinstance(temp, int | float) or not math.isfinite(temp):
        return "temp_c: give a number of °C"
    if not LOWEST_C <= temp <= HIGHEST_C:
        return f"temp_c: {temp:g} is out of range; {LOWEST_C:g} to {HIGHEST_C:g} °C are taken"
    at = _read_at(said, now)
    if isinstance(at, str):
        return at
    for seat in seats.get(name, []):
        if seat.from_at <= at and (seat.until_at is None or at < seat.until_at):
            return seat.probe_id, at, float(temp)
    if name not in seats:
        return f"channel: nobody has said where '{name[:40]}' sits"
    return f"channel: '{name[:40]}' sat nowhere at that time"
