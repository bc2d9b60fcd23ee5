"""From measures, tasting and differences to sentences: the answer, where the time went, what else could explain it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from bruvet.core.curves.measures import Figure, Measures
from bruvet.core.tasting.panel import AttributeSummary, Preference, least_panel
from bruvet.core.trial.ledger import Difference
from bruvet.core.units import Units, span_words

# Two like pieces, cooked alike, differ by about this share of the cook: common practice, no source.
USUAL_SPREAD_SHARE = 0.08
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
class Verdict:
    """`answer` first; then sections of sentences, each a title and its lines."""

    answer: tuple[str, ...]
    sections: tuple[tuple[str, tuple[str, ...]], ...] = field(default=())


def compose(
    factor_label: str,
    arms: Sequence[ArmResult],
    summaries: Sequence[AttributeSummary],
    liked: Preference | None,
    tasters: int,
    blind_tasters: int,
    others: Sequence[Difference],
    cautions: Sequence[str],
    units: Units,
    labels: Mapping[str, str] | None = None,
) -> Verdict:
    """Write the verdict. Every sentence is carried by a figure that was given; what is missing is said.

    Parameters
    ----------
    factor_label : str
        What was changed, in words.
    arms : sequence of ArmResult
        In order of letter.
    summaries, liked, tasters, blind_tasters
        The tasting; `liked` None when nobody was asked.
    others : sequence of Difference
        What else differed.
    labels : mapping, optional
        Words for attributes.
    """
    labels = labels or {}
    speed, speed_answer = _speed(arms)
    tasting, taste_answer = _tasting(arms, summaries, liked, tasters, blind_tasters, labels)
    answer = [*speed_answer, *taste_answer]
    if not answer:
        answer = ["There is not enough in the record yet to answer the question."]
    elif others:
        rows = [d.row for d in others if d.known]
        if rows:
            answer.append(
                f"Before this is put down to the {factor_label.lower()}: the arms also differed in {_list(rows)}."
            )
    sections = [
        ("Time", speed),
        ("Where the time went", _where(arms, units)),
        ("Stalls", _stalls(arms, units)),
        ("The pits as they ran", _pits(arms, units)),
        ("Tasting", tasting),
        ("What else differed", _others(others)),
        ("What this trial can and cannot show", _limits(arms, tasters, blind_tasters, factor_label, others)),
        ("Safety", tuple(cautions)),
    ]
    return Verdict(tuple(answer), tuple((title, lines) for title, lines in sections if lines))


def _list(words: Sequence[str]) -> str:
    if len(words) < 2:
        return "".join(words)
    return ", ".join(words[:-1]) + " and " + words[-1]


def _speed(arms: Sequence[ArmResult]) -> tuple[tuple[str, ...], list[str]]:
    known = [(arm, minutes) for arm in arms if (minutes := arm.mean("total")) is not None]
    lines = [f"{arm.name} took {span_words(minutes)} from meat on to pull." for arm, minutes in known]
    lines += [
        f"The total of {arm.name} is not known: {arm.reason('total')}." for arm in arms if arm.mean("total") is None
    ]
    answer: list[str] = []
    if len(known) >= 2:
        ordered = sorted(known, key=lambda pair: pair[1])
        (fast, least), (slow, most) = ordered[0], ordered[-1]
        gap = most - least
        spread = USUAL_SPREAD_SHARE * most
        if gap < 1:
            answer.append(f"{fast.name} and {slow.name} took the same time.")
        elif gap < spread:
            answer.append(
                f"{fast.name} was {span_words(gap)} faster than {slow.name}, which is no more than two like pieces "
                f"commonly differ ({span_words(spread)})."
            )
        else:
            answer.append(
                f"{fast.name} was {span_words(gap)} faster than {slow.name}: {span_words(least)} against "
                f"{span_words(most)}, {gap / most:.0%} less."
            )
        lines.append(
            f"Two like pieces cooked alike commonly differ by some {USUAL_SPREAD_SHARE:.0%} of the time, here "
            f"{span_words(spread)} (common practice, no source)."
        )
    return tuple(lines), answer


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


def _stalls(arms: Sequence[ArmResult], units: Units) -> tuple[str, ...]:
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


def _tasting(
    arms: Sequence[ArmResult],
    summaries: Sequence[AttributeSummary],
    liked: Preference | None,
    tasters: int,
    blind: int,
    labels: Mapping[str, str],
) -> tuple[tuple[str, ...], list[str]]:
    if not tasters:
        return (), []
    names = {arm.letter: arm.name for arm in arms}
    who = f"{tasters} {'taster' if tasters == 1 else 'tasters'}"
    lines = [
        f"{who} {'was' if tasters == 1 else 'were'} asked, {blind or 'none'} of them without knowing which was which."
    ]
    answer: list[str] = []
    if liked is not None and liked.decided:
        order = sorted(liked.counts.items(), key=lambda item: -item[1])
        counts = _list([f"{count} for {names[letter]}" for letter, count in order])
        undecided = f", {liked.undecided} undecided" if liked.undecided else ""
        lines.append(f"Preferred: {counts}{undecided}.")
        top, most = order[0]
        tied = len(order) > 1 and order[1][1] == most
        if liked.p_value is not None:
            if liked.needed is None:
                lines.append(
                    f"With {liked.decided} answers even full agreement could be chance; it takes {least_panel(ALPHA)}."
                )
            else:
                lines.append(
                    f"Of {liked.decided} answers {liked.needed} alike would show a preference (exact binomial, 5 %)."
                )
            chance = f"chance alone does as much in {liked.p_value:.0%} of such panels"
            if tied:
                answer.append("The tasters were evenly divided.")
            elif liked.p_value <= ALPHA:
                answer.append(f"The tasters preferred {names[top]}: {most} of {liked.decided}, and {chance}.")
            else:
                answer.append(f"{most} of {liked.decided} tasters preferred {names[top]}, but {chance}.")
        elif not tied:
            answer.append(f"Most tasters ({most} of {liked.decided}) preferred {names[top]}.")
    for row in summaries:
        means = [f"{names[a]} {mean:.1f}" for a, mean in row.means.items() if mean is not None]
        text = f"{labels.get(row.attribute, row.attribute)}: {_list(means)}"
        if row.step_low is not None and row.step_high is not None:
            clear = "clear of zero" if row.step_low > 0 or row.step_high < 0 else "which may be none"
            text += f"; step {row.mean_step:+.1f} (95 % from {row.step_low:+.1f} to {row.step_high:+.1f}, {clear})"
        lines.append(text.replace("-", "−") + ".")
    if blind < tasters:
        lines.append("A taster who knows which is which tastes what they expect; count their answers for less.")
    return tuple(lines), answer


def _others(others: Sequence[Difference]) -> tuple[str, ...]:
    if not others:
        return ("Nothing that was entered differed beyond its tolerance.",)
    return tuple(
        f"{d.row[0].upper()}{d.row[1:]}: {', '.join(f'{letter} {text}' for letter, text in d.values)}. "
        f"{d.effect[0].upper()}{d.effect[1:]}."
        for d in others
    )


def _limits(
    arms: Sequence[ArmResult], tasters: int, blind: int, factor_label: str, others: Sequence[Difference]
) -> tuple[str, ...]:
    fewest = min((len(arm.pieces) for arm in arms), default=0)
    lines = []
    if fewest <= 1:
        times = [minutes for arm in arms if (minutes := arm.mean("total")) is not None]
        bound = f", here about {span_words(2 * USUAL_SPREAD_SHARE * max(times))}" if times else ""
        lines.append(
            f"With one piece an arm, the piece and the {factor_label.lower()} cannot be told apart by "
            f"arithmetic; only a difference well beyond the usual spread between like pieces{bound} should be believed."
        )
    else:
        lines.append(f"With {fewest} pieces an arm, compare the gap between arms with the gaps within them.")
    if any(d.known for d in others):
        lines.append("What else differed works on the result too; the next trial can hold it the same.")
    if 0 < tasters < least_panel(ALPHA):
        lines.append(f"Fewer than {least_panel(ALPHA)} tasters cannot show a preference even if all agree.")
    if tasters == 0:
        lines.append("Nobody's tasting was entered, so nothing is said about which is better to eat.")
    return tuple(lines)
