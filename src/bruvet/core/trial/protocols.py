"""Protocols that people reuse, written as plans: what each arm gets, without pieces' weights, dates and places."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from bruvet.core.units import c_from_f


@dataclass(frozen=True)
class Protocol:
    """A plan to begin from. `trial` and each of `arms` are fields by their stored names; `cut` is each arm's piece."""

    key: str
    name: str
    when: str
    trial: Mapping[str, Any]
    arms: tuple[Mapping[str, Any], ...]
    cut: str
    pieces: Mapping[str, Any] = field(default_factory=dict)


def _arm(label: str, pit_f: float, **more: Any) -> dict[str, Any]:
    return {
        "label": label,
        "pit_target_c": c_from_f(pit_f),
        "done_rule": "feel",
        "rest_kind": "box",
        "rest_min": 60.0,
    } | more


def _wrapped(label: str, pit_f: float, wrap: str, **more: Any) -> dict[str, Any]:
    return _arm(label, pit_f, wrap_rule="stall-and-bark", wrap_in=wrap, **more)


def _timed(hours: float) -> dict[str, Any]:
    more = {
        "done_rule": "time",
        "done_at_min": 60.0 * hours,
        "done_at_c": 95.0,
        "rest_min": 20.0,
        "rest_kind": "counter",
    }
    return _arm(f"{hours:g} h", 225, **more)


STARTERS: tuple[Protocol, ...] = (
    Protocol(
        "hot-and-low",
        "Hot and fast, or low",
        "whether a shorter cook in a hotter pit costs anything",
        {"question": "Is hot and fast as good as low?", "factor": "pit-temperature"},
        (_arm("low", 225, done_at_c=95.0), _arm("hot", 325, done_at_c=95.0)),
        "pork-shoulder",
    ),
    Protocol(
        "three-wraps",
        "Low with three wraps",
        "what foil and paper save, and what they cost the bark",
        {"question": "Foil, paper or nothing?", "factor": "wrap"},
        (
            _wrapped("foil", 240, "foil", done_at_c=95.0, rest_min=120.0),
            _wrapped("paper", 240, "paper", done_at_c=95.0, rest_min=120.0),
            _arm("bare", 240, done_at_c=95.0, rest_min=120.0),
        ),
        "brisket-whole",
    ),
    Protocol(
        "timed-ribs",
        "Ribs by the clock",
        "how long is long enough; all come off together",
        {"question": "Four, five or six hours?", "factor": "cook-time", "kind": "lengths"},
        (_timed(4), _timed(5), _timed(6)),
        "pork-spare-ribs",
    ),
    Protocol(
        "split-slab",
        "One slab, two ways",
        "the best control there is: halves of one piece",
        {"question": "Foil or nothing, on halves of one slab?", "factor": "wrap", "kind": "split"},
        (
            _arm("foil", 250, wrap_rule="clock", wrap_in="foil", wrap_at_min=150.0, done_at_c=93.0, rest_min=30.0),
            _arm("bare", 250, done_at_c=93.0, rest_min=30.0),
        ),
        "pork-belly",
        {"pair": "1"},
    ),
    Protocol(
        "crossed",
        "Pit and wrap, crossed",
        "whether a wrap matters less in a hotter pit",
        {
            "question": "Does foil matter as much at 275 as at 225?",
            "factor": "pit-temperature",
            "factor2": "wrap",
            "kind": "crossed",
        },
        (
            _arm("225 bare", 225, done_at_c=95.0),
            _wrapped("225 foil", 225, "foil", done_at_c=95.0),
            _arm("275 bare", 275, done_at_c=95.0),
            _wrapped("275 foil", 275, "foil", done_at_c=95.0),
        ),
        "pork-shoulder",
    ),
    Protocol(
        "two-cookers",
        "Two cookers, one meat",
        "whether the cooker is worth its trouble",
        {"question": "Is this cooker better than that one?", "factor": "cooker"},
        (_arm("one", 250, done_at_c=95.0), _arm("the other", 250, done_at_c=95.0)),
        "pork-shoulder",
    ),
    Protocol(
        "contest",
        "A friendly contest",
        "whose is liked best: like pieces, each cook's own way, one blind panel",
        {"question": "Whose is liked best?", "factor": "cook", "kind": "teams"},
        tuple(_arm(name, 250, done_at_c=95.0) for name in ("first cook", "second cook", "third cook")),
        "pork-shoulder",
    ),
)
STARTER = {protocol.key: protocol for protocol in STARTERS}
