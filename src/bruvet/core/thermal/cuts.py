"""What each cut is as a body: thickness from mass, shape, fat, bone."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class CutRule:
    """How a cut stands in for an equivalent body. Common practice, no source; composition by USDA, from memory.

    Attributes
    ----------
    usual_kg, usual_mm : a usual piece and its thickness where a probe goes.
    growth : thickness grows as mass to this power.
    exponent : 0 slab, 1 cylinder, 2 sphere.
    fat : share of fat by mass.
    bone : share of the mass that is bone.
    places : other places that a probe or a finger goes to, each with its thickness as a share of the usual one; more
        than one where heat comes from one side only, as beside a bone (ours).
    spread : of the thickness between pieces of one weight, one standard deviation as a share.
    skin : what skin leaves of a wet surface; 1 where there is none.
    """

    usual_kg: float
    usual_mm: float
    growth: float
    exponent: float
    fat: float
    bone: float
    places: tuple[tuple[str, float], ...]
    spread: float = 0.09
    skin: float = 1.0


CUTS = {
    "brisket-whole": CutRule(6.0, 94, 0.40, 0.55, 0.20, 0.0, (("flat", 0.62), ("thin end", 0.45)), 0.1),
    "brisket-flat": CutRule(2.7, 58, 0.35, 0.40, 0.12, 0.0, (("thin end", 0.7),), 0.1),
    "beef-chuck": CutRule(1.6, 70, 0.33, 0.8, 0.16, 0.0, (("thin end", 0.8),), 0.09),
    "beef-cheek": CutRule(0.45, 52, 0.33, 0.9, 0.12, 0.0, (("thin end", 0.6),), 0.1),
    "beef-plate-ribs": CutRule(2.3, 58, 0.25, 0.35, 0.24, 0.22, (("thin end", 0.75), ("by the bone", 1.1)), 0.09),
    "beef-short-ribs": CutRule(0.45, 54, 0.30, 0.7, 0.22, 0.22, (("thin end", 0.8), ("by the bone", 1.1)), 0.1),
    "pork-shoulder": CutRule(3.6, 102, 0.33, 1.0, 0.16, 0.08, (("thin end", 0.7), ("by the bone", 1.08)), 0.08),
    "pork-collar": CutRule(2.0, 88, 0.33, 0.95, 0.15, 0.0, (("thin end", 0.75),), 0.08),
    "pork-belly": CutRule(0.9, 38, 0.15, 0.1, 0.45, 0.0, (("thin end", 0.85),), 0.08),
    "pork-spare-ribs": CutRule(1.3, 32, 0.10, 0.1, 0.23, 0.25, (("thin end", 0.7), ("thick end", 1.15)), 0.11),
    "pork-loin-ribs": CutRule(1.0, 30, 0.10, 0.1, 0.18, 0.3, (("thin end", 0.8), ("thick end", 1.1)), 0.1),
    "lamb-shoulder": CutRule(2.1, 82, 0.33, 0.8, 0.17, 0.15, (("thin end", 0.6), ("by the bone", 1.08)), 0.1),
    "turkey-thigh": CutRule(0.6, 50, 0.33, 0.9, 0.08, 0.15, (("thin end", 0.7), ("by the bone", 1.1)), 0.09, 0.45),
    "turkey-breast": CutRule(2.7, 88, 0.33, 1.0, 0.05, 0.1, (("thin end", 0.6),), 0.07, 0.45),
    "chicken-whole": CutRule(
        1.9, 70, 0.33, 1.0, 0.12, 0.25, (("thigh, by the bone", 0.9), ("wing end", 0.5)), 0.06, 0.45
    ),
}
