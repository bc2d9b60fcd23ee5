"""`./bruvet station`: a simulated thermometer station that delivers to a server, in real time or faster."""

from __future__ import annotations

import argparse
import os
from datetime import UTC, datetime, timedelta

import numpy as np

from bruvet.core.thermal.cooker import HABITS
from bruvet.core.thermal.cuts import CUTS
from bruvet.instruments.bench_cook import Script, cook
from bruvet.instruments.station import Channel, Delivery, Faults, run

from . import Refusal
from .packages import say

WRAPS = ("foil", "paper", "tray", "none")


def describe(one: argparse.ArgumentParser) -> None:
    """The options of the command."""
    one.add_argument("--url", default="http://127.0.0.1:8600", help="the server; default %(default)s")
    one.add_argument("--token", help="the station's token, as its page showed it (or BRUVET_STATION_TOKEN)")
    one.add_argument("--cut", default="pork-collar", help=", ".join(CUTS))
    one.add_argument("--mass", type=float, default=2.0, metavar="KG")
    one.add_argument("--cooker", default="drum", help=", ".join(HABITS))
    one.add_argument("--pit", type=float, default=121.0, metavar="°C")
    one.add_argument("--wrap", default="none", metavar="foil@70", help="wrap, and the internal °C it is put on at")
    one.add_argument("--done", type=float, default=94.0, metavar="°C")
    one.add_argument("--meat", default="meat", help="name of the meat's channel; default %(default)s")
    one.add_argument("--pit-channel", default="pit", help="name of the pit's channel; default %(default)s")
    one.add_argument("--ago", type=float, default=0.0, metavar="MIN", help="minutes since meat on, sent at once")
    one.add_argument("--every", type=float, default=10.0, metavar="S", help="seconds between readings")
    one.add_argument("--speed", type=float, default=1.0, help="how many times faster than real")
    one.add_argument("--step", type=float, default=0.1, metavar="°C", help="readings come in steps of this")
    one.add_argument("--lost", type=float, default=0.01, help="share of readings that never come")
    one.add_argument("--pulled", metavar="MIN+MIN", help="probe out in the air: from minute + for minutes, as 120+15")
    one.add_argument("--bone", metavar="MIN+°C", help="probe touches bone: from minute + reads warmer by, as 90+8")
    one.add_argument("--lid", type=float, action="append", default=[], metavar="MIN", help="lid opened for 3 min")
    one.add_argument("--fire-out", type=float, metavar="MIN", help="the fire begins to fail")
    one.add_argument("--weather", type=int, metavar="SEED", help="wind and rain, made up from a seed")
    one.add_argument("--seed", type=int, default=1)
    one.add_argument("--demo", action="store_true", help="the demo's own station")


def _pair(text: str | None, option: str) -> tuple[float, float] | None:
    if text is None:
        return None
    first, plus, second = text.partition("+")
    try:
        if not plus:
            raise ValueError
        return float(first), float(second)
    except ValueError:
        raise Refusal(f"{option} {text}: give two numbers with a + between, as 120+15") from None


def _script(given: argparse.Namespace) -> Script:
    if given.cut not in CUTS:
        raise Refusal(f"--cut {given.cut}: allowed are {', '.join(CUTS)}")
    if given.cooker not in HABITS:
        raise Refusal(f"--cooker {given.cooker}: allowed are {', '.join(HABITS)}")
    wrap, _, at = given.wrap.partition("@")
    if wrap not in WRAPS or (wrap != "none" and not at.replace(".", "", 1).isdigit()):
        raise Refusal(f"--wrap {given.wrap}: give one like foil@70, or none")
    for option, value, low, high in (
        ("--mass", given.mass, 0.05, 40), ("--pit", given.pit, 40, 250), ("--done", given.done, 30, 99),
        ("--every", given.every, 1, 3600), ("--speed", given.speed, 0.01, 100_000), ("--step", given.step, 0.01, 5),
        ("--lost", given.lost, 0, 1), ("--ago", given.ago, 0, 3000),
    ):  # fmt: skip
        if not low <= value <= high:
            raise Refusal(f"{option} {value:g}: must be from {low:g} to {high:g}")
    rule = CUTS[given.cut]
    thickness = rule.usual_mm * (given.mass / rule.usual_kg) ** rule.growth
    return Script(
        cooker=given.cooker,
        cut=given.cut,
        mass_kg=given.mass,
        thickness_mm=thickness,
        settings=((0.0, given.pit),),
        wrap_at_c=float(at) if wrap != "none" else None,
        wrap_in=wrap,
        done_c=given.done,
        lid=tuple((minute, 3.0) for minute in given.lid),
        dying_from=given.fire_out,
        seed=given.seed,
        weather_seed=given.weather,
    )


def stand_in(given: argparse.Namespace) -> None:
    """Run the station until its cook is over or it is stopped."""
    token = given.token or os.environ.get("BRUVET_STATION_TOKEN", "")
    if not token:
        raise Refusal("no token: give --token as the trial's page on stations showed it")
    if given.demo:
        from bruvet.work.demo_running import running_channels

        channels = running_channels()
        began = datetime.fromisoformat(os.environ["BRUVET_STATION_BEGAN"])
    else:
        logged = cook(_script(given))
        faults = Faults(given.lost, _pair(given.pulled, "--pulled"), _pair(given.bone, "--bone"))
        known = np.isfinite(logged.meat_c)
        channels = [
            Channel(given.meat, logged.t_min[known], logged.meat_c[known], faults),
            Channel(given.pit_channel, logged.t_min, np.where(np.isfinite(logged.pit_c), logged.pit_c, 20.0)),
        ]
        began = datetime.now(UTC).replace(microsecond=0) - timedelta(minutes=given.ago)
    try:
        run(channels, began, Delivery(given.url, token, []), given.every, given.speed, given.seed, given.step, say)
    except PermissionError as error:
        raise Refusal(f"{given.url}: {error}") from None
