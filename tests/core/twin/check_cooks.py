"""The check cooks: real days told in °F and hours (common practice, no source). Never tuned row by row, never demo data."""

from __future__ import annotations

from dataclasses import dataclass

from bruvet.core.twin.case import Case
from bruvet.core.units import c_from_f


@dataclass(frozen=True)
class CheckCook:
    """`at_f` is internal °F at some hours; `hours` to `until_f`, None where the account does not say."""

    name: str
    cut: str
    mass_kg: float
    pit_f: float
    until_f: float
    hours: float | None
    at_f: tuple[tuple[float, float], ...] = ()
    wrap: tuple[float, str] | None = None
    start_c: float = 5.0
    cooker: str = "pellet"
    note: str = ""

    def case(self, readings: tuple[tuple[float, float], ...] = ()) -> Case:
        return Case(
            cut=self.cut,
            mass_kg=self.mass_kg,
            cooker=self.cooker,
            start_c=self.start_c,
            pit_c=((0.0, c_from_f(self.pit_f)),),
            wraps=((self.wrap[0] * 60, self.wrap[1]),) if self.wrap else (),
            until_c=c_from_f(self.until_f),
            readings=readings,
        )


COOKS = (
    CheckCook("C1", "pork-shoulder", 3.63, 240, 195, 7.5, ((5, 166.5),), (5, "foil")),
    CheckCook("C2", "pork-spare-ribs", 1.3, 225, 200, 6.0, ((4.5, 177),), (3.5, "foil"), note="one probe between thin bones; also slow while foiled"),
    CheckCook("C3", "pork-spare-ribs", 1.3, 275, 207, 4.5, (), (3.5, "foil")),
    CheckCook("C4", "pork-shoulder", 4.76, 300, 203, 8.0, ((4.5, 167),), (4.5, "foil"), 6.7, note="from 167 to 203 °F took 3.5 h in foil at 300 °F: heat did not reach it as told"),
    CheckCook("C5 foiled", "pork-belly", 0.9, 250, 208, 3.75, ((2.5, 177.5),), (2.5, "foil")),
    CheckCook("C5 bare", "pork-belly", 0.9, 250, 195, 3.75, ((2.5, 177.5),)),
    CheckCook("C6", "brisket-whole", 6.35, 229.5, 204, 14.33, ((9, 163), (13, 200)), (9, "paper")),
    CheckCook("C7", "brisket-whole", 7.3, 250, 202.5, 10.5, ((6, 162), (8.5, 168)), (6, "paper"), cooker="offset"),
    CheckCook("C8", "pork-spare-ribs", 1.27, 225, 172, 5.0, ((4, 162.5), (5, 172), (6, 172.5))),
)  # fmt: skip
