"""The verdict in sentences, from answers, measures, tasting and ledger: where time went, what else could explain it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from bruvet.core.curves.measures import Figure, Measures
from bruvet.core.tasting.panel import AttributeSummary, Preference, least_panel
from bruvet.core.trial.ledger import SMALL_MIN, Difference, Ledger, differences, listed
from bruvet.core.trial.power import USUAL_SPREAD
from bruvet.core.units import Units, span_words

from .answer import credit, headlines
from .strength import Answered

ALPHA = 0.05


@dataclass(frozen=True)
class ArmResult:
    """One arm: its name as shown, the measures of its pieces, and its pit target."""

    letter: str
    name: str
    pieces: tuple[Measures, ...]
    pit_target_c: float | None = None

    def mean(self, pick: str) -> float | None:
        """Mean of a figure over the pieces that know it; None when none does."""
        values = [f.value for m in self.pieces if isinstance(f := getattr(m, pick), Figure) and f.value is not None]
        return sum(values) / len(values) if values else None

    def reason(self, pick: str) -> str:
        figures = [getattr(m, pick) for m in self.pieces]
        return next((f.reason for f in figures if f.reason), "no piece was entered")

    def mean_time_to(self, temp_c: float) -> float | None:
        values = [m.time_to[temp_c].value for m in self.pieces if temp_c in m.time_to]
        known = [value for value in values if value is not None]
        return sum(known) / len(known) if known else None


@dataclass(frozen=True)
class Tasted:
    """What tasters said: those who tasted blind by themselves, the knowing beside them."""

    blind: int = 0
    knowing: int = 0
    liked: Preference | None = None
    liked_knowing: Preference | None = None
    summaries: tuple[AttributeSummary, ...] = ()


@dataclass(frozen=True)
class Verdict:
    """The whole page.

    Attributes
    ----------
    headlines : the answer: at most one about time and one about taste.
    credit : what the answer may not be put down to; empty where nothing else differed.
    answers : every answer with its word and rule.
    settle : what would settle most cheaply what is not shown.
    sections : titles, each with its sentences.
    """

    headlines: tuple[Answered, ...]
    credit: str
    answers: tuple[Answered, ...]
    settle: tuple[str, ...]
    sections: tuple[tuple[str, tuple[str, ...]], ...] = ()


def compose(
    factor_label: str,
    arms: Sequence[ArmResult],
    answers: Sequence[Answered],
    tasted: Tasted,
    ledger: Ledger,
    units: Units,
    settle: Sequence[str] = (),
    board: Sequence[str] = (),
    cautions: Sequence[str] = (),
    labels: Mapping[str, str] | None = None,
) -> Verdict:
    """Write the verdict. Every sentence is carried by a figure that was given; what is missing is said.

    Parameters
    ----------
    factor_label : str
        What was changed, in words.
    arms : sequence of ArmResult
        In order of letter.
    answers : sequence of Answered
    ledger : Ledger
        With the twin's minutes, where they are known.
    settle, board, cautions : sequences of str
        Sentences on what would settle it, on what was seen when it was cut, on safety.
    labels : mapping, optional
        Words for attributes.
    """
    found = headlines(answers)
    factor = factor_label.lower()
    others = differences(ledger)
    sections = [
        ("Where the time went", _where(arms, units)),
        ("Stalls", _stalls(arms)),
        ("The pits as they ran", _pits(arms, units)),
        ("At the board", tuple(board)),
        ("Tasting", _tasting({arm.letter: arm.name for arm in arms}, tasted, labels or {})),
        ("What else differed", _others(ledger, others)),
        ("Where the cook left the plan", _departures(arms, ledger)),
        ("What this trial can and cannot show", _limits(arms, tasted, factor, others)),
        ("Safety", tuple(cautions)),
    ]
    return Verdict(
        found,
        credit(factor_label, ledger.differing) if found else "",
        tuple(answers),
        tuple(settle),
        tuple((title, lines) for title, lines in sections if lines),
    )


def _where(arms: Sequence[ArmResult], units: Units) -> tuple[str, ...]:
    """Split the gap between the fastest and the slowest arm over the bands between temperatures both reached."""
    finished = [arm for arm in arms if arm.mean("total") is not None]
    if len(finished) < 2:
        return ()
    ordered = sorted(finished, key=lambda arm: arm.mean("total") or 0.0)
    fast, slow = ordered[0], ordered[-1]
    temps = sorted({temp for arm in (fast, slow) for m in arm.pieces for temp in m.time_to})
    lines = []
    before = 0.0
    label = "From meat on"
    for temp in temps:
        a, b = fast.mean_time_to(temp), slow.mean_time_to(temp)
        if a is None or b is None:
            continue
        gap = (b - a) - before
        lines.append(f"{label} to {units.temp_text(temp)}: {_behind(slow, fast, gap)}.")
        before, label = b - a, "From there on"
    total = (slow.mean("total") or 0.0) - (fast.mean("total") or 0.0)
    if lines:
        lines.append(f"From there to the pull: {_behind(slow, fast, total - before)}.")
    return tuple(lines)


def _behind(slow: ArmResult, fast: ArmResult, gap: float) -> str:
    if abs(gap) < 1:
        return "no difference"
    return f"{(slow if gap > 0 else fast).name} lost {span_words(gap)}"


def _stalls(arms: Sequence[ArmResult]) -> tuple[str, ...]:
    lines = []
    for arm in arms:
        several = len(arm.pieces) > 1
        for number, piece in enumerate(arm.pieces, 1):
            who = f"{arm.name}, piece {number}" if several else arm.name
            for stall in piece.stalls.stalls:
                lines.append(f"{who}: {stall.reason[0].lower()}{stall.reason[1:]}")
            for other in piece.stalls.not_stalls:
                lines.append(f"{who}, not a stall ({span_words(other.onset_min)} in): {other.reason}")
            if not piece.stalls.stalls and piece.highest.known:
                lines.append(f"{who}: no stall was found.")
    return tuple(lines)


def _pits(arms: Sequence[ArmResult], units: Units) -> tuple[str, ...]:
    lines = []
    for arm in arms:
        mean, spread, share = arm.mean("pit_mean"), arm.mean("pit_spread"), arm.mean("pit_in_band")
        if mean is None:
            lines.append(f"{arm.name}: no pit readings, so how hot it ran is not known.")
            continue
        text = f"{arm.name} ran at {units.temp_text(mean)} on average, give or take {units.step_text(spread)}"
        if arm.pit_target_c is not None and share is not None:
            off = mean - arm.pit_target_c
            where = (
                "on its target"
                if abs(off) < 1.5
                else f"{units.step_text(abs(off))} {'over' if off > 0 else 'under'} its target"
            )
            target, band = units.temp_text(arm.pit_target_c), units.step_text(15 / 1.8)
            text += f": {where} of {target}, {share:.0%} of the time within {band}"
        lines.append(text + ".")
    return tuple(lines)


def _tasting(names: Mapping[str, str], tasted: Tasted, labels: Mapping[str, str]) -> tuple[str, ...]:
    if not tasted.blind and not tasted.knowing:
        return ()
    everybody = tasted.blind + tasted.knowing
    lines = [
        f"{everybody} {'taster was' if everybody == 1 else 'tasters were'} asked, {tasted.blind or 'none'} of them "
        "without knowing which was which."
    ]
    liked = tasted.liked
    if liked is not None and liked.decided:
        lines.append(f"Preferred, tasting blind: {_counted(liked, names)}.")
        if liked.needed is not None:
            lines.append(
                f"Of {liked.decided} answers {liked.needed} alike would show a preference (exact binomial, 5 %)."
            )
        elif liked.p_value is not None:
            lines.append(
                f"With {liked.decided} answers even full agreement could be chance; it takes {least_panel(ALPHA)}."
            )
    knowing = tasted.liked_knowing
    if knowing is not None and knowing.decided:
        lines.append(f"Preferred by those who knew which was which: {_counted(knowing, names)}. It is not counted.")
    elif tasted.knowing:
        lines.append("A taster who knows which is which tastes what they expect, and is not counted.")
    for row in tasted.summaries:
        means = [f"{names[a]} {mean:.1f}" for a, mean in row.means.items() if mean is not None]
        text = f"{labels.get(row.attribute, row.attribute)}: {listed(means)}"
        if row.step_low is not None and row.step_high is not None:
            clear = "clear of zero" if row.step_low > 0 or row.step_high < 0 else "which may be none"
            text += f"; step {row.mean_step:+.1f} (95 % from {row.step_low:+.1f} to {row.step_high:+.1f}, {clear})"
        lines.append(text.replace("-", "−") + ".")
    if tasted.summaries and not tasted.blind:
        lines.append("These scores are of people who knew.")
    elif len(tasted.summaries) > 1:
        lines.append("These intervals are each by itself; the tasting's own page corrects for how many there are.")
    return tuple(lines)


def _counted(liked: Preference, names: Mapping[str, str]) -> str:
    order = sorted(liked.counts.items(), key=lambda item: -item[1])
    undecided = f", {liked.undecided} undecided" if liked.undecided else ""
    return listed([f"{count} for {names[letter]}" for letter, count in order]) + undecided


def _others(ledger: Ledger, others: Sequence[Difference]) -> tuple[str, ...]:
    if not others:
        return ("Nothing that was entered differed beyond its tolerance.",)
    lines = []
    for d in others:
        values = ", ".join(f"{letter} {text}" for letter, text in d.values)
        worth = ledger.line(d.row).most_minutes
        minutes = f" By the twin it is worth about {span_words(worth)}." if worth >= SMALL_MIN else ""
        lines.append(f"{d.row[0].upper()}{d.row[1:]}: {values}. {d.effect[0].upper()}{d.effect[1:]}.{minutes}")
    return tuple(lines)


def _departures(arms: Sequence[ArmResult], ledger: Ledger) -> tuple[str, ...]:
    names = {arm.letter: arm.name for arm in arms}
    return tuple(
        f"{names[letter]}, {row}: planned {planned[:1].lower() + planned[1:]}, done {done[:1].lower() + done[1:]}."
        for letter, row, planned, done in ledger.departures
    )


def _limits(arms: Sequence[ArmResult], tasted: Tasted, factor: str, others: Sequence[Difference]) -> tuple[str, ...]:
    fewest = min((len(arm.pieces) for arm in arms), default=0)
    lines = []
    if fewest <= 1:
        times = [minutes for arm in arms if (minutes := arm.mean("total")) is not None]
        usual = span_words(USUAL_SPREAD * max(times)) if times else ""
        bound = f", here by {usual} (common practice, no source)" if times else ""
        lines.append(
            f"With one piece an arm, the piece and the {factor} cannot be told apart by arithmetic: two like pieces "
            f"cooked alike commonly differ by some {USUAL_SPREAD:.0%} of the time{bound}."
        )
    else:
        lines.append(f"With {fewest} pieces an arm, compare the gap between arms with the gaps within them.")
    if any(d.known for d in others):
        lines.append("What else differed works on the result too; the next trial can hold it the same.")
    if 0 < tasted.blind < least_panel(ALPHA):
        lines.append(f"Fewer than {least_panel(ALPHA)} tasters cannot show a preference even if all agree.")
    if not tasted.blind and not tasted.knowing:
        lines.append("Nobody's tasting was entered, so nothing is said about which is better to eat.")
    elif not tasted.blind:
        lines.append("Nobody tasted blind, so nothing is said about which is better to eat.")
    return tuple(lines)
