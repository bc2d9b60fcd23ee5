"""How much of everything: rub from its parts, spritz, wrap, and what it comes to for an arm and a serving."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

from bruvet.core.thermal.cuts import CUTS

Measured = Literal["volume", "weight"]

# Bulk density, g/ml, of what stands in a kitchen (kitchen scale figures, value from memory; they differ by grind by a
# fifth and more, so weigh where it matters).
DENSITY: Mapping[str, float] = {
    "salt": 1.2, "coarse salt": 0.95, "flaked salt": 0.6, "pepper": 0.5, "coarse pepper": 0.45, "sugar": 0.85,
    "brown sugar": 0.8, "paprika": 0.46, "garlic": 0.65, "garlic powder": 0.6, "onion": 0.5, "onion powder": 0.48,
    "mustard powder": 0.45, "cumin": 0.42, "chilli": 0.5, "coriander": 0.4, "thyme": 0.3, "oregano": 0.2,
    "fennel": 0.45,
    "celery seed": 0.45, "allspice": 0.42, "ginger": 0.4, "cayenne": 0.44, "coffee": 0.35, "cocoa": 0.42,
}  # fmt: skip
USUAL_DENSITY = 0.5
# Rub for an ordinary coat, g on each dm² of surface, and the share of it that stays (ours).
RUB_G_DM2 = 5.0
SPRITZ_ML_DM2 = 2.5
INJECTION_SHARE = 0.08
SHEET_MM = {"foil": 450.0, "paper": 600.0, "tray": 450.0}
LAYERS = {"foil": 2, "paper": 2, "tray": 1}
OVERLAP_MM = 150.0
SERVING_G = 150.0
HALVES = {"½": "1/2", "¼": "1/4", "¾": "3/4", "⅓": "1/3", "⅔": "2/3"}
MOST_PARTS = 20


class BadParts(ValueError):
    """A rub that cannot be read; the text says where and how to write it."""


@dataclass(frozen=True)
class Part:
    """One ingredient: how many parts, and its share of the rub's weight."""

    name: str
    parts: float
    share: float


def read_parts(text: str, measured: Measured) -> tuple[Part, ...]:
    """A rub as it is told: `2 pepper, 1 salt, ½ garlic`, or `salt:pepper 70:30`; a name and a colon may stand first.

    Parameters
    ----------
    measured : whether the parts are volumes or weights; volumes are turned into weights by bulk density.

    Raises
    ------
    BadParts
        When an entry has no number or no name, or there is none.
    """
    text = text.strip()
    for sign, plain in HALVES.items():
        text = re.sub(rf"(\d){sign}", rf"\1 {plain}", text).replace(sign, plain)
    text = re.sub(r"^[^\d:,]+:\s*(?=\d)", "", text)
    entries = _ratio(text) or [_entry(part) for part in re.split(r"[,;\n:]|\s\+\s", text) if part.strip()]
    if not entries:
        raise BadParts("Write the rub as parts, such as 2 pepper, 1 salt, ½ garlic.")
    if len(entries) > MOST_PARTS:
        raise BadParts(f"A rub may have {MOST_PARTS} ingredients at most; this has {len(entries)}.")
    weights = [parts * (density(name) if measured == "volume" else 1.0) for name, parts in entries]
    return tuple(Part(name, parts, w / sum(weights)) for (name, parts), w in zip(entries, weights, strict=True))


def _ratio(text: str) -> list[tuple[str, float]]:
    """`salt:pepper 70:30`, names first and numbers after; empty when it is not written so."""
    found = re.fullmatch(r"([^\d:]+(?::[^\d:]+)+)\s+([\d.,/ ]+(?::[\d.,/ ]+)+)", text)
    if not found:
        return []
    names, numbers = found[1].split(":"), found[2].split(":")
    if len(names) != len(numbers):
        raise BadParts(f"'{text[:40]}' has {len(names)} names and {len(numbers)} numbers; give one number a name.")
    return [(name.strip(), _amount(number)) for name, number in zip(names, numbers, strict=True)]


def _entry(text: str) -> tuple[str, float]:
    found = re.fullmatch(r"\s*([\d.]+(?:\s+\d+/\d+|/\d+)?)\s*(?:parts?\s+)?(?:of\s+)?(\D.*?)\s*", text)
    if not found:
        raise BadParts(f"'{text.strip()[:30]}' needs a number of parts and a name, such as 2 pepper.")
    return found[2].strip(), _amount(found[1])


def _amount(text: str) -> float:
    try:
        value = float(sum(Fraction(word.replace(",", ".")) for word in text.split()))
    except (ValueError, ZeroDivisionError):
        raise BadParts(f"'{text.strip()[:20]}' is no number of parts.") from None
    if not 0 < value <= 1000:
        raise BadParts(f"{value:g} parts is out of range; use more than 0 and up to 1000.")
    return value


def density(name: str) -> float:
    """Bulk density of an ingredient, g/ml; of the longest name that stands in it, a usual one where none does."""
    lower = name.casefold()
    known = [word for word in DENSITY if re.search(rf"\b{word}\b", lower)]
    return DENSITY[max(known, key=len)] if known else USUAL_DENSITY


def share_of(parts: Sequence[Part], word: str) -> float:
    """Share of a rub's weight that is one thing, such as salt or sugar, under any of its names."""
    return sum(part.share for part in parts if re.search(rf"\b{word}\b", part.name.casefold()))


@dataclass(frozen=True)
class Body:
    """A piece as a box for wrapping and rubbing, mm."""

    length: float
    width: float
    thick: float

    @property
    def surface_dm2(self) -> float:
        a, b, c = self.length / 100, self.width / 100, self.thick / 100
        return 2 * (a * b + b * c + a * c)


def body_of(cut: str, mass_kg: float, thickness_mm: float | None = None) -> Body:
    """Length, width and thickness of a piece from its weight.

    Raises
    ------
    ValueError
        For no weight, or a cut that has no rule.

    Notes
    -----
    Volume at 1.06 kg/l; thickness by the cut's rule where it is not measured; length half as much again as width, or
    three times for ribs (ours).
    """
    if mass_kg <= 0:
        raise ValueError("a piece needs a weight")
    if cut not in CUTS:
        raise ValueError(f"{cut} has no rule of its shape")
    rule = CUTS[cut]
    thick = thickness_mm or rule.usual_mm * (mass_kg / rule.usual_kg) ** rule.growth
    area = mass_kg / 1.06e-6 / thick
    ratio = 3.0 if cut.endswith("ribs") and rule.usual_mm < 40 else 1.5
    width = (area / ratio) ** 0.5
    return Body(width * ratio, width, thick)


def rub_g(surface_dm2: float, g_dm2: float = RUB_G_DM2) -> float:
    """Rub for an ordinary coat, g."""
    return surface_dm2 * g_dm2


def wrap_mm(body: Body, wrap: str) -> float:
    """Length of foil or paper to tear off for one piece, mm; 0 when it is not wrapped.

    Notes
    -----
    Rolled over its girth with an overlap, in the wrap's usual layers; one more sheet side by side for each sheet width
    that the piece with its tucked ends is longer than (ours).
    """
    if wrap not in SHEET_MM:
        return 0.0
    girth = 2 * (body.width + body.thick)
    side_by_side = max(1, -(-(body.length + body.thick) // SHEET_MM[wrap]))
    return float((girth + OVERLAP_MM) * LAYERS[wrap] * side_by_side)


@dataclass(frozen=True)
class Need:
    """One thing for one arm: what, how much in its unit, and what it is for. Empty `arm` is for the whole day."""

    what: str
    amount: float
    unit: Literal["g", "kg", "ml", "mm"]
    arm: str = ""
    use: str = ""


@dataclass(frozen=True)
class Bought:
    """A line of the shopping list, all arms together, with its cost where the price is known."""

    what: str
    amount: float
    unit: str
    cost: float | None


@dataclass(frozen=True)
class ArmCost:
    """What an arm costs, what is left of its meat, and what a serving costs; what has no price is in `missing`."""

    arm: str
    cost: float | None
    cooked_kg: float
    servings: float
    a_serving: float | None
    missing: tuple[str, ...]


def shopping(needs: Sequence[Need], prices: Mapping[str, float]) -> tuple[Bought, ...]:
    """Needs added up by thing. `prices` are by thing, for one kg, litre or metre."""
    out: dict[tuple[str, str], float] = {}
    for need in needs:
        unit = "g" if need.unit == "kg" else need.unit
        key = (need.what, unit)
        out[key] = out.get(key, 0.0) + need.amount * (1000 if need.unit == "kg" else 1)
    return tuple(Bought(what, amount, unit, _cost(what, amount, prices)) for (what, unit), amount in out.items())


def _cost(what: str, thousandths: float, prices: Mapping[str, float]) -> float | None:
    return None if what not in prices else prices[what] * thousandths / 1000


def costs(
    needs: Sequence[Need], prices: Mapping[str, float], cooked_kg: Mapping[str, float], serving_g: float = SERVING_G
) -> tuple[ArmCost, ...]:
    """What each arm costs, and a serving of it.

    Parameters
    ----------
    needs : sequence of Need
        Those of no arm are shared evenly.
    cooked_kg : mapping
        By arm, what will be left to eat.

    Raises
    ------
    ValueError
        For a serving of nothing.
    """
    if serving_g <= 0:
        raise ValueError("a serving must weigh something")
    out = []
    for arm, kg in cooked_kg.items():
        cost, missing = 0.0, []
        for need in needs:
            if need.arm not in ("", arm):
                continue
            amount = need.amount * (1000 if need.unit == "kg" else 1) / (len(cooked_kg) if not need.arm else 1)
            price = _cost(need.what, amount, prices)
            if price is None:
                missing.append(need.what)
            else:
                cost += price
        servings = kg * 1000 / serving_g
        whole = cost if cost > 0 else None
        each = whole / servings if whole is not None and servings > 0 else None
        out.append(ArmCost(arm, whole, kg, servings, each, tuple(dict.fromkeys(missing))))
    return tuple(out)
