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
from sqlalchemy import select
from sqlalchemy.orm import Session

from bruvet.records.models import Channel, Probe, Station
from bruvet.records.series import save_readings, seconds

LOWEST_C, HIGHEST_C = -60.0, 700.0
AHEAD = timedelta(days=2)
MOST_ITEMS = 5000


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
    if not at.year >= 1990 or at > now + AHEAD:
        return "at: too far from now"
    for seat in seats.get(name, []):
        if seat.from_at <= at and (seat.until_at is None or at < seat.until_at):
            return seat.probe_id, at, float(temp)
    if name not in seats:
        return f"channel: nobody has said where '{name[:40]}' sits"
    return f"channel: '{name[:40]}' sat nowhere at that time"
