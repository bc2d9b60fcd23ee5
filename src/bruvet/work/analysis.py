"""A trial's records turned into what the core judges, and what the core says of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property, partial

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from bruvet.core.curves.clean import CleanCurve, TakenBack, clean
from bruvet.core.curves.findings import StallRule, rule_of
from bruvet.core.curves.heat import HeatMeasures, heat_measures
from bruvet.core.curves.measures import DEFAULT_THRESHOLDS_C, Cook, Measures, Wood, measure
from bruvet.core.curves.several import as_one, chosen
from bruvet.core.curves.stall import Mark
from bruvet.core.safety import cautions
from bruvet.core.tasting.panel import TasterSays
from bruvet.core.thermal.cooker import HABITS
from bruvet.core.trial.ledger import Question
from bruvet.core.trial.terms import CookerKind, Cut, Factor, TrialKind, term
from bruvet.core.units import Units
from bruvet.core.verdict.compose import ArmResult
from bruvet.records.models import Arm, Event, Piece, Probe, Trial
from bruvet.records.series import ROLLED_S, Buckets, Extent, bucketed, extents, how_many, newest, rolled, seconds
from bruvet.records.tasting import Panel

from .calibrations import calibrations
from .kept import digest, digest_of, kept
from .panel_results import tasters_of

# More raw readings than this are not bucketed anew for one look; the roll-up is shown.
MOST_RAW = 300_000


def arm_name(arm: Arm) -> str:
    return f"{arm.letter} ({arm.label})" if arm.label else arm.letter


def factor_label(trial: Trial) -> str:
    first = trial.factor_other if trial.factor == Factor.OTHER and trial.factor_other else term(Factor, trial.factor)
    crossed = trial.kind == TrialKind.CROSSED and trial.factor2
    return f"{first} and {term(Factor, trial.factor2).lower()}" if crossed else first


def question_of(trial: Trial) -> Question:
    """What the trial means to change, for its ledger."""
    factors = (trial.factor, trial.factor2) if trial.kind == TrialKind.CROSSED and trial.factor2 else (trial.factor,)
    return Question(factors, factor_label(trial), trial.kind == TrialKind.SPLIT)


def marks_of(piece: Piece, events: Sequence[Event], zero: datetime) -> tuple[Mark, ...]:
    """Events of a piece and of its arm, in minutes from `zero`."""
    return tuple(
        Mark((e.at - zero).total_seconds() / 60, e.kind, e.wrap_in or e.note, e.temp_c)
        for e in events
        if e.arm_id == piece.arm_id and e.piece_id in (None, piece.id)
    )


def zero_of(piece: Piece, events: Sequence[Event]) -> datetime | None:
    """When a piece's meat went on: its own mark, or its arm's."""
    mine = [e.at for e in events if e.kind == "meat-on" and e.arm_id == piece.arm_id and e.piece_id in (None, piece.id)]
    return min(mine, default=None)


@dataclass
class TrialFacts:
    """A trial read once: zeros, series and measures are worked out when first asked for."""

    session: Session
    trial: Trial
    units: Units
    thresholds_c: tuple[float, ...] = DEFAULT_THRESHOLDS_C

    @property
    def pieces(self) -> list[Piece]:
        return [piece for arm in self.trial.arms for piece in arm.pieces]

    @cached_property
    def _extents(self) -> dict[int, Extent]:
        return extents(self.session, [probe.id for probe in self.trial.probes])

    @cached_property
    def zeros(self) -> dict[int, tuple[datetime | None, bool]]:
        """By piece: when its minutes begin, and whether that is a marked meat-on."""
        out: dict[int, tuple[datetime | None, bool]] = {}
        for piece in self.pieces:
            marked = zero_of(piece, self.trial.events)
            if marked is not None:
                out[piece.id] = (marked, True)
                continue
            firsts = [
                self._extents[p.id].first for p in self.trial.probes if p.piece_id == piece.id and p.id in self._extents
            ]
            out[piece.id] = (min(firsts, default=None), False)
        return out

    def arm_zero(self, arm: Arm) -> datetime | None:
        zeros = [self.zeros[piece.id][0] for piece in arm.pieces]
        return min((z for z in zeros if z is not None), default=None) or min(
            (self._extents[p.id].first for p in self.trial.probes if p.arm_id == arm.id and p.id in self._extents),
            default=None,
        )

    def probe_zero(self, probe: Probe) -> datetime | None:
        if probe.piece_id is not None:
            return self.zeros[probe.piece_id][0]
        return self.arm_zero(probe.arm)

    def buckets(
        self, width_s: float, low_min: float | None = None, high_min: float | None = None
    ) -> dict[int, Buckets]:
        if low_min is None and high_min is None and width_s % ROLLED_S == 0:
            return {probe_id: fine.coarser(width_s) for probe_id, fine in self._analysed.items()}
        return self.fetched(width_s, low_min, high_min)

    def fetched(
        self,
        width_s: float,
        low_min: float | None = None,
        high_min: float | None = None,
        shifts_min: Mapping[str, float] | None = None,
    ) -> dict[int, Buckets]:
        """Buckets by probe as the database has them now, each probe's calibration applied.

        Finer ones than the roll-up's only for a part that is told from both ends. `shifts_min` lays another minute of
        an arm, by its letter, on zero.
        """
        zeros = self._zeros_s(shifts_min or {})
        if width_s % ROLLED_S == 0 or low_min is None or high_min is None:
            found = rolled(self.session, zeros, low_min, high_min)
            if width_s > ROLLED_S:
                found = {probe_id: fine.coarser(width_s) for probe_id, fine in found.items()}
        else:
            found = bucketed(self.session, zeros, width_s, low_min, high_min)
        for probe_id, from_s, until_s, how in calibrations(self.session, list(zeros)):
            began = zeros[probe_id]
            until_min = np.inf if until_s is None else (until_s - began) / 60
            found[probe_id] = found[probe_id].corrected((from_s - began) / 60, until_min, how.offset_c, how.slope)
        return found

    def few_enough(self, low_min: float, high_min: float, shifts_min: Mapping[str, float]) -> bool:
        """Whether the readings between two minutes are few enough to be bucketed anew for one look."""
        return how_many(self.session, self._zeros_s(shifts_min), low_min, high_min) <= MOST_RAW

    def _zeros_s(self, shifts_min: Mapping[str, float]) -> dict[int, float]:
        """By probe, the UTC second that its minutes count from."""
        return {
            p.id: seconds(zero) + 60 * shifts_min.get(p.arm.letter, 0.0)
            for p in self.trial.probes
            if (zero := self.probe_zero(p)) is not None
        }

    @cached_property
    def _analysed(self) -> dict[int, Buckets]:
        return self.fetched(ROLLED_S)

    def use(self, buckets: dict[int, Buckets]) -> None:
        """Take these for the readings, instead of asking the database."""
        self.__dict__["_analysed"] = buckets

    def live(self, probe_id: int) -> Buckets:
        """A probe's readings in the analysis' buckets; empty when there are none."""
        none = np.zeros(0)
        return self._analysed.get(probe_id, Buckets(none, none, none, none, none))

    @cached_property
    def newest(self) -> dict[int, tuple[datetime, float]]:
        """Each probe's very last reading, its calibration applied."""
        found = newest(self.session, [probe.id for probe in self.trial.probes])
        for probe_id, from_s, until_s, how in calibrations(self.session, list(found)):
            at, temp_c = found[probe_id]
            if from_s <= seconds(at) and (until_s is None or seconds(at) < until_s):
                found[probe_id] = at, float(how.true_c(np.array([temp_c]))[0])
        return found

    @cached_property
    def cooks(self) -> dict[int, Cook]:
        """By piece, its probes read as the person chose."""
        return {piece.id: self._cook(piece) for piece in self.pieces}

    @cached_property
    def clean_probes(self) -> dict[int, CleanCurve]:
        """Each meat probe's curve made fit for judging, but for what was taken back."""
        out = {}
        for probe in self.trial.probes:
            zero = self.probe_zero(probe)
            if probe.is_pit or zero is None or probe.id not in self._analysed:
                continue
            buckets, began = self._analysed[probe.id], seconds(zero)
            back = tuple(
                TakenBack(one["kind"], (one["from"] - began) / 60, (one["until"] - began) / 60)
                for one in probe.taken_back
            )
            t, y = buckets.minute, buckets.mean_c
            out[probe.id] = kept(digest("clean", t, y, back), partial(clean, t, y, taken_back=back))
        return out

    def _cook(self, piece: Piece) -> Cook:
        zero, marked = self.zeros[piece.id]
        inner = {p.id: p.place for p in self.trial.probes if p.piece_id == piece.id and p.id in self._analysed}
        pits = [p for p in self.trial.probes if p.arm_id == piece.arm_id and p.is_pit and p.id in self._analysed]
        arm, arm_zero = piece.arm, self.arm_zero(piece.arm)
        shift = (arm_zero - zero).total_seconds() / 60 if arm_zero is not None and zero is not None else 0.0
        read = chosen(inner, piece.read_by)
        curve = as_one([self.clean_probes[probe_id] for probe_id in read], piece.read_by)
        pit_t, pit_c = _joined([self._analysed[p.id] for p in pits], shift)
        single = self._analysed[read[0]] if len(read) == 1 else None
        marks = marks_of(piece, self.trial.events, zero) if zero is not None else ()
        looks = [look for look in self.trial.looks if look.piece_id == piece.id and zero is not None]
        minutes = {look.id: (look.at - zero).total_seconds() / 60 for look in looks if zero is not None}
        return Cook(
            name=piece.name,
            letter=arm.letter,
            t_min=single.minute if single is not None else curve.t_min,
            temp_c=single.mean_c if single is not None else curve.temp_c,
            pit_t_min=pit_t,
            pit_c=pit_c,
            marks=marks,
            zero_known=marked,
            pit_target_c=arm.pit_target_c,
            trimmed_kg=piece.trimmed_kg,
            raw_kg=piece.raw_kg,
            cooked_kg=piece.cooked_kg,
            wood=_wood(arm, marks),
            bark_set_min=min((minutes[look.id] for look in looks if look.bark == "set"), default=None),
            looks=tuple(sorted(minutes.values())),
            fuel_kg=sum(e.amount_kg or 0.0 for e in self.trial.events if (e.arm_id, e.kind) == (arm.id, "fuel"))
            or None,
            prices=_prices(piece),
            stall_rule=self.stall_rule,
            stall_by_hand=self._stall_by_hand(piece, zero),
            cleaned=curve,
        )

    @cached_property
    def stall_rule(self) -> StallRule:
        said = self.trial.stall_by
        return rule_of(said.get("by", "both"), said.get("rate_c_per_h"))

    def _stall_by_hand(self, piece: Piece, zero: datetime | None) -> tuple[float, float] | None:
        said = piece.stall_by
        if self.trial.stall_by.get("by") != "hand" or not said or zero is None:
            return None
        return (said["from"] - seconds(zero)) / 60, (said["until"] - seconds(zero)) / 60

    @cached_property
    def _digests(self) -> dict[int, bytes]:
        return {piece_id: digest_of(cook) for piece_id, cook in self.cooks.items()}

    @cached_property
    def heat(self) -> dict[int, HeatMeasures]:
        return {
            piece_id: kept(digest("heat", self._digests[piece_id]), partial(heat_measures, cook))
            for piece_id, cook in self.cooks.items()
        }

    @cached_property
    def measures(self) -> dict[int, Measures]:
        wanted = tuple(dict.fromkeys((*DEFAULT_THRESHOLDS_C, *self.thresholds_c)))
        units = self.units
        return {
            piece_id: kept(
                digest("measure", self._digests[piece_id], wanted, units), partial(measure, cook, wanted, units)
            )
            for piece_id, cook in self.cooks.items()
        }

    @property
    def last_min(self) -> float:
        """Minute of the last thing known of any arm, for the end of a shared axis."""
        ends = [60.0]
        for cook in self.cooks.values():
            ends += [float(cook.t_min[-1])] if len(cook.t_min) else []
            ends += [mark.at_min for mark in cook.marks]
        return max(ends)

    # ---- tasting and verdict ------------------------------------------------------------------------

    @cached_property
    def tasters(self) -> list[TasterSays]:
        """Everybody who tasted; a name of one tasting is not counted again in a later one, or where it was typed in."""
        letters = {arm.id: arm.letter for arm in self.trial.arms}
        typed = [
            TasterSays(
                name=p.name,
                scores={(letters[s.arm_id], s.attribute): s.value for s in p.scores if s.arm_id in letters},
                preferred=letters.get(p.preferred_arm_id) if p.preferred_arm_id is not None else None,
                blind=p.blind,
            )
            for p in self.trial.panellists
        ]
        found: list[TasterSays] = []
        for source in (*(tasters_of(panel) for panel in self.opened_panels), typed):
            known = {taster.name.casefold() for taster in found}
            found += [taster for taster in source if taster.name.casefold() not in known]
        return found

    @cached_property
    def opened_panels(self) -> list[Panel]:
        """Tastings whose envelope is open; nothing is read of the others."""
        return list(self.session.scalars(select(Panel).where(Panel.trial_id == self.trial.id, Panel.state == "opened")))

    @property
    def letters(self) -> list[str]:
        return [arm.letter for arm in self.trial.arms]

    def result(self, arm: Arm) -> ArmResult:
        return ArmResult(
            arm.letter, arm_name(arm), tuple(self.measures[piece.id] for piece in arm.pieces), arm.pit_target_c
        )

    @cached_property
    def cautions(self) -> tuple[str, ...]:
        found: list[str] = []
        for piece in self.pieces:
            found += cautions(self.cooks[piece.id], self.measures[piece.id], piece.cut, piece.opened, self.units)
        return tuple(found)


def _wood(arm: Arm, marks: Sequence[Mark]) -> Wood:
    if arm.cooker is not None and arm.cooker.kind == CookerKind.OFFSET:
        return Wood.FUEL
    named = arm.wood.strip().casefold() not in ("", "none", "no")
    return Wood.PIECES if named or any(mark.kind == "wood" for mark in marks) else Wood.NOT_NOTED


def _prices(piece: Piece) -> tuple[float | None, float | None]:
    """What a kilogram of this meat and of the arm's fuel cost, by the supplies page; None where it was not said."""
    said = piece.arm.trial.supplies.get("prices", {})
    cooker = piece.arm.cooker
    fuel = HABITS[cooker.kind].fuel if cooker is not None and cooker.kind in HABITS else ""
    return said.get(term(Cut, piece.cut)), said.get(fuel)


def _joined(series: Sequence[Buckets], shift_min: float) -> tuple[np.ndarray, np.ndarray]:
    """Pit readings of an arm on one clock; several pit probes are averaged where they meet."""
    series = [s for s in series if len(s.minute)]
    if not series:
        return np.zeros(0), np.zeros(0)
    if len(series) == 1:
        return series[0].minute + shift_min, series[0].mean_c
    grid = np.unique(np.round(np.concatenate([s.minute for s in series]), 0))
    table = np.array([np.interp(grid, s.minute, s.mean_c, left=np.nan, right=np.nan) for s in series])
    known = np.isfinite(table).any(axis=0)
    return grid[known] + shift_min, np.nanmean(table[:, known], axis=0)
