"""Cautions that stand where they matter. Guides only: local food codes and a licensed professional decide."""

from __future__ import annotations

from .curves.findings import first_mark
from .curves.measures import Cook, Measures
from .trial.terms import POULTRY
from .units import Units, span_words

DEFER = "These figures are a guide; local food codes and a licensed professional decide."
DANGER_TOP_C = 60.0
DANGER_LIMIT_MIN = 240.0
HOT_HOLD_C = (135 - 32) / 1.8
POULTRY_C = (165 - 32) / 1.8


def cautions(cook: Cook, measures: Measures, cut: str, opened: bool, units: Units) -> tuple[str, ...]:
    """What a cook's record gives cause to look at.

    Parameters
    ----------
    opened : bool
        Whether the meat was injected, needled, rolled, ground or boned and tied, so that its surface is inside.
    """
    out = []
    danger = measures.time_to.get(DANGER_TOP_C)
    top = units.temp_text(DANGER_TOP_C)
    if danger is not None and danger.known and danger.value is not None and danger.value > DANGER_LIMIT_MIN:
        strict = " It was opened or injected, for which this matters more." if opened else ""
        out.append(
            f"{cook.name} took {span_words(danger.value)} to pass {top}; an intact piece should pass it within "
            f"about 4 h.{strict}"
        )
    elif danger is not None and danger.reason == "not reached in the readings" and len(cook.temp_c):
        out.append(f"{cook.name} never passed {top} in its readings.")
    highest = measures.highest.value
    if cut in POULTRY and highest is not None and highest < POULTRY_C:
        out.append(
            f"{cook.name} is poultry and its highest reading was {units.temp_text(highest)}; poultry needs "
            f"{units.temp_text(POULTRY_C)}."
        )
    pulled = first_mark(cook.marks, "pull")
    if pulled is not None:
        resting = (cook.t_min > pulled) & (cook.temp_c < HOT_HOLD_C)
        if resting.any() and measures.rest.known and (measures.rest.value or 0) > 0:
            at = float(cook.t_min[resting][0]) - pulled
            out.append(
                f"{cook.name} fell below {units.temp_text(HOT_HOLD_C)} {span_words(at)} after it was pulled; from "
                "there it is cooling food, with a limit of hours."
            )
    return tuple(out)
