"""What a trial takes: rub, injection, spritz, wrap, fuel and wood for its pieces, and what it comes to."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy.orm import Session

from bruvet.core.quantities import (
    INJECTION_SHARE,
    RUB_G_DM2,
    SERVING_G,
    SPRITZ_ML_DM2,
    ArmCost,
    BadParts,
    Body,
    Bought,
    Need,
    Part,
    body_of,
    costs,
    read_parts,
    rub_g,
    share_of,
    shopping,
    wrap_mm,
)
from bruvet.core.schedule.day import CannotPlan, Day
from bruvet.core.thermal.cuts import CUTS
from bruvet.core.trial.terms import Cut, WrapRule, term
from bruvet.records.models import Arm, Piece, Trial

from .days import day_of
from .forecasts import outline_told

# Wood for smoke on a fire that is not of wood, kg an hour while the meat is bare (common practice, no source).
WOOD_KG_H = 0.1
USUAL_YIELD = 0.6


@dataclass(frozen=True)
class RubFor:
    """One arm's rub: its text, its parts or why they cannot be read, grams in all, salt as a share of the meat."""

    arm: str
    text: str
    parts: tuple[Part, ...]
    trouble: str
    total_g: float
    salt_share: float
    a_kg: float


@dataclass(frozen=True)
class Supplies:
    rubs: tuple[RubFor, ...]
    needs: tuple[Need, ...]
    bought: tuple[Bought, ...]
    costs: tuple[ArmCost, ...]
    unknown: tuple[str, ...]
    day_trouble: str


def weight_of(piece: Piece) -> float | None:
    usual = CUTS[piece.cut].usual_kg if piece.cut in CUTS else None
    return piece.trimmed_kg or piece.raw_kg or usual


def supplies_of(session: Session, trial: Trial, now: datetime) -> Supplies:
    """Everything a trial takes. What cannot be told is named in `unknown`, and left out of the sums."""
    said: Mapping[str, Any] = trial.supplies
    needs: list[Need] = []
    unknown: list[str] = []
    rubs = []
    cooked: dict[str, float] = {}
    day, trouble = _day(session, trial, now)
    for arm in trial.arms:
        known = [
            (p, kg, body_of(p.cut, kg, p.thickness_mm)) for p in arm.pieces if p.cut in CUTS and (kg := weight_of(p))
        ]
        unknown += [f"{p.name}: its cut has no rule of its shape" for p in arm.pieces if p.cut not in CUTS]
        cooked[arm.letter] = sum(kg * _left(p) for p, kg, _ in known)
        for piece, kg, _ in known:
            needs.append(Need(term(Cut, piece.cut), piece.raw_kg or kg, "kg", arm.letter, "meat"))
        rubs.append(_rub(arm, known, said))
        needs += [Need(part.name, part.share * rubs[-1].total_g, "g", arm.letter, "rub") for part in rubs[-1].parts]
        needs += _liquids(arm, known, day, said) + _wraps(arm, known) + _wood(arm, day)
    if day is not None:
        needs += [
            Need(f.fuel, f.fuel_kg, "kg", f.letters if len(f.letters) == 1 else "", "fuel")
            for f in day.fires
            if f.load_h
        ]
    serving = float(said.get("serving_g", SERVING_G))
    prices = {str(k): float(v) for k, v in said.get("prices", {}).items()}
    return Supplies(
        tuple(rubs),
        tuple(needs),
        shopping(needs, prices),
        costs(needs, prices, cooked, serving),
        tuple(unknown),
        trouble,
    )


def _day(session: Session, trial: Trial, now: datetime) -> tuple[Day | None, str]:
    try:
        return day_of(session, trial, now), ""
    except CannotPlan as error:
        return None, str(error)


def _left(piece: Piece) -> float:
    """Share of a piece that is left to eat, bone off, by the twin where it can tell."""
    told = outline_told(piece)
    share = told.yield_share if told is not None and told.yield_share is not None else USUAL_YIELD
    return max(share - CUTS[piece.cut].bone, 0.1)


Known = list[tuple[Piece, float, Body]]


def _rub(arm: Arm, known: Known, said: Mapping[str, Any]) -> RubFor:
    kg = sum(weight for _, weight, _ in known)
    total = sum(rub_g(body.surface_dm2, float(said.get("rub_g_dm2", RUB_G_DM2))) for _, _, body in known)
    if not arm.rub.strip():
        return RubFor(arm.letter, "", (), "", 0.0, 0.0, 0.0)
    try:
        parts = read_parts(arm.rub, "weight" if said.get("measured") == "weight" else "volume")
    except BadParts as error:
        return RubFor(arm.letter, arm.rub, (), str(error), total, 0.0, total / kg if kg else 0.0)
    salt = share_of(parts, "salt") * total / (1000 * kg) if kg else 0.0
    return RubFor(arm.letter, arm.rub, parts, "", total, salt, total / kg if kg else 0.0)


def _liquids(arm: Arm, known: Known, day: Day | None, said: Mapping[str, Any]) -> list[Need]:
    out = []
    injected = str(arm.said.get("injection", "")).strip()
    if injected and injected.casefold() not in ("no", "none", "nothing"):
        share = float(said.get("injection_share", INJECTION_SHARE))
        out.append(Need(injected, 1000 * share * sum(kg for _, kg, _ in known), "ml", arm.letter, "injection"))
    sprays = sum(t.name.startswith("Spritz") and arm.letter in t.arms for t in day.tasks) if day is not None else 0
    if sprays:
        ml = sprays * SPRITZ_ML_DM2 * sum(body.surface_dm2 for _, _, body in known)
        out.append(Need(str(said.get("spritz_with") or "spritz"), ml, "ml", arm.letter, f"{sprays} sprays"))
    return out


def _wraps(arm: Arm, known: Known) -> list[Need]:
    if arm.wrap_rule == WrapRule.NEVER:
        return []
    length = sum(wrap_mm(body, arm.wrap_in) for _, _, body in known)
    return (
        [Need("butcher paper" if arm.wrap_in == "paper" else "foil", length, "mm", arm.letter, "wrap")]
        if length
        else []
    )


def _wood(arm: Arm, day: Day | None) -> list[Need]:
    """Wood for smoke, where it is not the fuel itself."""
    if day is None or not arm.wood.strip() or (arm.cooker is not None and arm.cooker.kind == "offset"):
        return []
    times = next(t for t in day.arms if t.letter == arm.letter)
    wrap = next((t.at for t in day.tasks if t.key == f"wrap {arm.letter}"), times.pull[1])
    hours = (wrap - times.meat_on).total_seconds() / 3600
    return [Need(f"wood: {arm.wood}", WOOD_KG_H * hours, "kg", arm.letter, "smoke")]
