"""What is looked at when a piece is cut, as the form holds it."""

from __future__ import annotations

from bruvet.core.trial.terms import AT_THE_BOARD
from bruvet.core.units import Units
from bruvet.records.models import Piece

WORDS = {name: (label, kind) for name, label, _, kind in AT_THE_BOARD}
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
