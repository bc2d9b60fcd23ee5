"""What the watcher keeps of a trial, worded for one person: a flat map of texts that a page can be patched with."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from bruvet.core.units import Units, span_words

STALE_MIN = 5.0


def lane_texts(lane: Mapping[str, Any], units: Units, tz: str, now: datetime) -> dict[str, str]:
    """Texts of one lane by their place on the board."""
    zone = ZoneInfo(tz)

    def clock(said: str | None) -> str:
        return "–" if said is None else f"{datetime.fromisoformat(said).astimezone(zone):%H:%M}"

    def age_min(said: str | None) -> float | None:
        return None if said is None else (now - datetime.fromisoformat(said)).total_seconds() / 60

    texts = {"phase": lane["phase"], "stall": lane["stall"]}
    zero = age_min(lane["zero"]) if lane["on"] else None
    texts["since"] = f"on {span_words(max(zero, 0))}" if zero is not None else ""
    if lane["pulled"]:
        texts["since"] = f"pulled {clock(lane['pulled'])}"
    for number, probe in enumerate(lane["probes"]):
        age = age_min(probe["at"])
        stale = age is None or age > STALE_MIN
        texts[f"temp.{number}"] = "–" if probe["c"] is None else f"{units.temp_shown(probe['c']):.0f}°"
        texts[f"rate.{number}"] = _rate(probe["rate"], units) if not stale else ""
        texts[f"age.{number}"] = f"{span_words(age)} old" if stale and age is not None else ""
    texts["pit"] = "–" if lane["pit_c"] is None else units.temp_text(lane["pit_c"])
    texts["target"] = "" if lane["pit_target_c"] is None else f"of {units.temp_text(lane['pit_target_c'])}"
    texts["pit.age"] = _old(age_min(lane["pit_at"]))
    done = lane["done"]
    texts["done"] = _finish(done, clock) if done else ""
    texts["told"] = f"told {clock(lane['told_at'])}" if done else ""
    texts["fuel"] = _fuel(lane["fuel"], lane["load_h"])
    first = lane["due"][0] if lane["due"] else None
    texts["due"] = first["what"] if first else ""
    texts["due.at"] = clock(first["at"]) if first else ""
    texts["due.iso"] = first["at"] if first else ""
    return {f"{lane['letter']}.{name}": text for name, text in texts.items()}


def _old(age: float | None) -> str:
    return "" if age is None or age <= STALE_MIN else f"{span_words(age)} old"


def _rate(rate: float | None, units: Units) -> str:
    if rate is None:
        return ""
    step = units.step_shown(rate)
    sign = "+" if step > 0.5 else "−" if step < -0.5 else "±"
    return f"{sign}{abs(step):.0f}°/h"


def _finish(done: list[str | None], clock) -> str:  # type: ignore[no-untyped-def]
    low, middle, high = done
    if middle is None:
        return "not done in this pit"
    return f"done {clock(low)} to {clock(high) if high else 'open'}, likely {clock(middle)}"


def _fuel(share: float | None, load_h: float | None) -> str:
    if share is None or load_h is None:
        return ""
    return f"fuel {share:.0%}, {span_words(share * load_h * 60)}"


def digest(value: Any) -> str:
    return hashlib.sha256(json.dumps(value, sort_keys=True, default=str).encode()).hexdigest()[:12]
