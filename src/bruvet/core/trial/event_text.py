"""Events as people write them in a log's column: `wrap foil`, `pit set 275`, `lid open 3 min`."""

from __future__ import annotations

import re
from dataclasses import dataclass

from .terms import EventKind, WrapIn

_KINDS = (
    (re.compile(r"\bunwrap|\bunwrapped|\bwrap(ped)? (off|removed)"), EventKind.UNWRAP),
    (re.compile(r"\bwrap|\bfoil(ed)?\b|\bpaper\b|\bcrutch"), EventKind.WRAP),
    (
        re.compile(
            r"\b(pit|cooker|temp(erature)?)\b.*(\b(set|to|up|down|raised|lowered)\b|\d)|\bset ?(point|temp)?\b.*\d"
        ),
        EventKind.PIT_SET,
    ),
    (re.compile(r"\bmeat (is )?on\b|\bon (the )?(pit|smoker|grate)\b"), EventKind.MEAT_ON),
    (re.compile(r"\bspritz|\bspray|\bmop\b|\bbaste"), EventKind.SPRITZ),
    (re.compile(r"\blid|\bdoor\b|\bopened?\b|\blook(ed)?\b"), EventKind.LID),
    (re.compile(r"\brest (end|over|done)|\bend (of )?rest|\bslic|\bcut\b"), EventKind.REST_END),
    (re.compile(r"\brest"), EventKind.REST_START),
    (re.compile(r"\bpull|\btaken? off\b|\boff\b|\bdone\b"), EventKind.PULL),
    (re.compile(r"\bturn|\bflip|\brotat"), EventKind.TURN),
    (re.compile(r"\bmove|\bswap"), EventKind.MOVE),
    (re.compile(r"\bfuel|\bcharcoal|\bpellets?\b|\bbriquette|\bhopper|\brefuel|\bsplit\b"), EventKind.FUEL),
    (re.compile(r"\bwood|\bchunk|\bchips?\b"), EventKind.WOOD),
    (re.compile(r"\brain|\bwind|\bweather|\bsnow|\bstorm|\bshower"), EventKind.WEATHER),
)
_TEMPERATURE = re.compile(r"(\d{2,3}(?:[.,]\d+)?)\s*(?:°|deg(?:rees)?)?\s*([cf])?\b", re.IGNORECASE)


@dataclass(frozen=True)
class WrittenEvent:
    """`temp` is the number as written, `unit` "c", "f" or None; `wrap_in` a `WrapIn` value or empty."""

    kind: EventKind
    wrap_in: str = ""
    temp: float | None = None
    unit: str | None = None


def read_event(text: str) -> WrittenEvent:
    """What a written event says; a note when it says nothing known."""
    low = re.sub(r"[-_]+", " ", text.strip().lower())
    for pattern, kind in _KINDS:
        if not pattern.search(low):
            continue
        if kind is EventKind.WRAP:
            materials = {
                "foil": WrapIn.FOIL,
                "paper": WrapIn.PAPER,
                "tray": WrapIn.TRAY,
                "pan": WrapIn.TRAY,
                "none": WrapIn.NONE,
            }
            found = next((value for word, value in materials.items() if word in low), None)
            return WrittenEvent(kind, found.value if found else "")
        if kind is EventKind.PIT_SET:
            match = _TEMPERATURE.search(low)
            if not match:
                continue
            unit = match.group(2)
            return WrittenEvent(kind, temp=float(match.group(1).replace(",", ".")), unit=unit.lower() if unit else None)
        return WrittenEvent(kind)
    return WrittenEvent(EventKind.NOTE)
