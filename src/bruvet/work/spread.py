"""How far apart like pieces cooked alike come out: from the shelf where there is enough, else the trade's usual."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import func, or_, select
from sqlalchemy.orm import Session, aliased

from bruvet.core.thermal.cuts import CUTS
from bruvet.core.trial.power import USUAL_SPREAD, pooled_spread
from bruvet.records.models import Arm, Event, Piece, Trial

# With fewer degrees of freedom a spread of one's own is worth less than the trade's.
FEWEST = 6
PIT_STEP_C = 10.0


@dataclass(frozen=True)
class Spread:
    """Spread between like pieces as a share of the time; `freedom` 0 when it is the trade's usual."""

    share: float
    freedom: int
    groups: int

    @property
    def words(self) -> str:
        if not self.freedom:
            return "common practice, no source"
        return f"from your shelf: {self.groups} groups of like cooks, {self.freedom} degrees of freedom"


def spread_of(session: Session, cut: str, but: int) -> Spread:
    """The spread between pieces of one cut that were cooked alike.

    Parameters
    ----------
    but : int
        The trial that is not counted.

    Notes
    -----
    Alike is: one cooker, one pit target to 10 °C, one wrap, one temperature to stop at. Times are set to one weight
    first, as the square of the thickness that the cut's rule gives.
    """
    if cut not in CUTS:
        return Spread(USUAL_SPREAD, 0, 0)
    on, off = aliased(Event), aliased(Event)
    mine = [
        (event.kind == kind) & (event.arm_id == Arm.id) & or_(event.piece_id.is_(None), event.piece_id == Piece.id)
        for event, kind in ((on, "meat-on"), (off, "pull"))
    ]
    took = func.extract("epoch", func.min(off.at) - func.min(on.at)) / 60
    rows = session.execute(
        select(Arm.cooker_id, Arm.pit_target_c, Arm.wrap_in, Arm.done_at_c, Piece.trimmed_kg, took)
        .join(Piece, Piece.arm_id == Arm.id).join(Trial, Trial.id == Arm.trial_id).join(on, mine[0]).join(off, mine[1])
        .where(Piece.cut == cut, Trial.id != but, Piece.trimmed_kg.is_not(None))
        .group_by(Piece.id, Arm.id)
    )  # fmt: skip
    growth = 2 * CUTS[cut].growth
    groups: dict[tuple[object, ...], list[float]] = {}
    for cooker, pit_c, wrap, done_c, kg, took_min in rows:
        if took_min <= 0 or pit_c is None or kg is None:
            continue
        key = (cooker, round(pit_c / PIT_STEP_C), wrap, done_c and round(done_c))
        groups.setdefault(key, []).append(float(took_min) / kg**growth)
    alike = [group for group in groups.values() if len(group) > 1]
    share, freedom = pooled_spread(alike)
    return Spread(share, freedom, len(alike)) if freedom >= FEWEST else Spread(USUAL_SPREAD, 0, 0)
