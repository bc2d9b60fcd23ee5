"""A simulated thermometer station: channels that read simulated cooks, with the faults that real ones have."""

from __future__ import annotations

import json
import time
import urllib.error
import urllib.request
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import numpy as np
from numpy.typing import NDArray

FloatArray = NDArray[np.float64]
BATCH = 1000
ROOM_C = 18.0


@dataclass(frozen=True)
class Faults:
    """What goes wrong with one channel; minutes from meat on.

    Attributes
    ----------
    lost : share of readings that never come.
    pulled : (minute, minutes) the probe hangs in the air of the room.
    bone : (minute, °C) from when the probe touches bone, and how much warmer that reads.
    """

    lost: float = 0.01
    pulled: tuple[float, float] | None = None
    bone: tuple[float, float] | None = None


@dataclass(frozen=True)
class Channel:
    """A channel and the curve it reads, a value a minute from meat on (`t_min` may begin before)."""

    name: str
    t_min: FloatArray
    temp_c: FloatArray
    faults: Faults = Faults()


@dataclass(frozen=True)
class Sent:
    """One reading as it goes out."""

    channel: str
    at: datetime
    temp_c: float


def reading(channel: Channel, minute: float, seed: int, step_c: float) -> float | None:
    """What a channel reads at a minute, °C; None when it reads nothing then.

    The same minute reads the same again, so that a station that starts anew repeats itself and nothing is doubled.
    """
    if minute < channel.t_min[0] or minute > channel.t_min[-1]:
        return None
    rng = np.random.default_rng([seed, sum(channel.name.encode()), round(minute * 60) + 100_000])
    if rng.random() < channel.faults.lost:
        return None
    value = float(np.interp(minute, channel.t_min, channel.temp_c))
    if not np.isfinite(value):
        return None
    if channel.faults.pulled is not None:
        at, minutes = channel.faults.pulled
        if at <= minute < at + minutes:
            value = ROOM_C + (value - ROOM_C) * float(np.exp(-(minute - at) / 1.5))
    if channel.faults.bone is not None and minute >= channel.faults.bone[0]:
        value += channel.faults.bone[1]
    return round((value + rng.normal(0, 0.1)) / step_c) * step_c


def readings(
    channels: Sequence[Channel],
    began: datetime,
    since: datetime,
    until: datetime,
    every_s: float,
    seed: int,
    step_c: float,
) -> Iterator[Sent]:
    """Everything the station reads after `since` and up to `until`, at whole multiples of its interval."""
    first = int(np.floor((since - began).total_seconds() / every_s)) + 1
    last = int(np.floor((until - began).total_seconds() / every_s))
    for number in range(first, last + 1):
        minute = number * every_s / 60
        for channel in channels:
            value = reading(channel, minute, seed, step_c)
            if value is not None:
                yield Sent(channel.name, began + timedelta(seconds=number * every_s), round(value, 2))


@dataclass
class Delivery:
    """Sends readings to a server; what is not acknowledged is kept and sent again."""

    url: str
    token: str
    waiting: list[Sent]
    refused: int = 0

    def send(self, opener: Callable[..., object] = urllib.request.urlopen) -> bool:
        """Try to deliver what waits, in batches; False when the server could not be reached or was busy.

        Raises
        ------
        PermissionError
            When the token is not known there.
        """
        while self.waiting:
            batch = self.waiting[:BATCH]
            rows = [
                {"channel": one.channel, "at": one.at.astimezone(UTC).isoformat(), "temp_c": one.temp_c}
                for one in batch
            ]
            request = urllib.request.Request(
                f"{self.url.rstrip('/')}/api/v1/readings",
                data=json.dumps({"readings": rows}).encode(),
                headers={"Content-Type": "application/json", "Authorization": f"Bearer {self.token}"},
            )
            try:
                with opener(request, timeout=20) as answer:  # type: ignore[attr-defined]
                    self.refused += len(json.load(answer).get("refused", []))
            except urllib.error.HTTPError as error:
                if error.code in (401, 403):
                    raise PermissionError("the server does not know this station's token") from None
                if error.code < 500 and error.code != 429:
                    # Nothing that is sent again would do better.
                    self.refused += len(batch)
                    self.waiting = self.waiting[BATCH:]
                    continue
                return False
            except (OSError, ValueError):
                return False
            self.waiting = self.waiting[BATCH:]
        return True


def run(
    channels: Sequence[Channel],
    began: datetime,
    delivery: Delivery,
    every_s: float = 10.0,
    speed: float = 1.0,
    seed: int = 1,
    step_c: float = 0.1,
    say: Callable[[str], None] = print,
    now: Callable[[], datetime] = lambda: datetime.now(UTC),
    sleep: Callable[[float], None] = time.sleep,
) -> None:
    """Read and deliver until every channel's curve is at its end.

    Parameters
    ----------
    began : datetime
        Meat on, by the station's own clock; what was read since then is sent first.
    speed : float
        How many times faster than real the cook runs; the readings' times run ahead with it.
    """
    started = now()
    sent_until = began + timedelta(minutes=float(min(channel.t_min[0] for channel in channels)) - 1)
    ends = began + timedelta(minutes=float(max(channel.t_min[-1] for channel in channels)))
    reached = None
    while sent_until < ends:
        until = min(started + (now() - started) * speed, ends)
        if until > sent_until:
            delivery.waiting += list(readings(channels, began, sent_until, until, every_s, seed, step_c))
            sent_until = until
        arrived = delivery.send()
        if arrived is not reached:
            say("delivering" if arrived else f"the server does not answer; {len(delivery.waiting)} readings wait")
            reached = arrived
        sleep(min(every_s / max(speed, 1e-6), every_s) if arrived else 5.0)
    while not delivery.send():
        sleep(5.0)
    say(f"the cook is over; {delivery.refused} readings were refused")
