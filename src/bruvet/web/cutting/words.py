"""What is looked at when a piece is cut, as the form and the verdict name it."""

from __future__ import annotations

from bruvet.core.trial.terms import BarkColour, BarkFirm, Bend, Fat, Pull, Squeeze, Term
from bruvet.core.units import Units
from bruvet.records.models import Piece

WORDS: dict[str, tuple[str, type[Term]]] = {
    "bend": ("Bend of a slice", Bend),
    "pull": ("Pull", Pull),
    "squeeze": ("Squeeze", Squeeze),
    "bark_colour": ("Bark, colour", BarkColour),
    "bark_firm": ("Bark, firmness", BarkFirm),
    "fat": ("Fat", Fat),
}
# In millimetres, with the most that is believed.
LENGTHS = {"ring_mm": ("Smoke ring, mm", 40.0), "slice_mm": ("Slice, mm", 80.0)}


def cut_form(piece: Piece, units: Units) -> dict[str, str]:
    """A piece's row as the form holds it."""
    found = piece.cutting
    form = {f"cooked-{piece.id}": "" if piece.cooked_kg is None else f"{units.mass_shown(piece.cooked_kg):.2f}"}
    if found is None:
        return form
    form |= {f"{name}-{piece.id}": getattr(found, name) for name in (*WORDS, "note")}
    lengths = {name: getattr(found, name) for name in LENGTHS}
    return form | {f"{name}-{piece.id}": "" if value is None else f"{value:g}" for name, value in lengths.items()}
