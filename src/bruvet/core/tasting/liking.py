"""Which sample is liked best: by choices of two, by ranks of several, or by scores where nothing else was asked."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy.stats import rankdata

from .panel import Preference, TasterSays, least_panel, preference
from .ranking import ranked, ranked_some

FEWEST_RANKING = 4


@dataclass(frozen=True)
class Liking:
    """What tasters like best, and how often chance alone would say so.

    Attributes
    ----------
    panellists : how many the answer rests on.
    top : the arm liked best; None where the best are even.
    p : exact binomial for two arms, Friedman for several; None where so few cannot show anything.
    choices : for two arms, how many chose each; None for several.
    mean_ranks : for several arms, the mean rank of each, 1 the best.
    beats : for several arms, those that the top differs from (ISO 8587); None where not everybody got all of them.
    by_scores : whether nobody was asked outright, so that overall scores stand for a choice.
    """

    panellists: int
    top: str | None
    p: float | None
    choices: Preference | None = None
    mean_ranks: Mapping[str, float] | None = None
    beats: tuple[str, ...] | None = ()
    by_scores: bool = False


def liking(letters: Sequence[str], tasters: Sequence[TasterSays]) -> Liking | None:
    """What these tasters like best; None where nobody said anything that compares the arms."""
    by_scores = not any(t.preferred or t.ranks for t in tasters)
    if len(letters) == 2:
        found = preference(letters, [_chosen(t, letters) for t in tasters] if by_scores else tasters)
        if not found.decided:
            return None
        first, second = (found.counts[letter] for letter in letters)
        top = None if first == second else letters[0] if first > second else letters[1]
        p = found.p_value if found.decided >= least_panel() else None
        return Liking(found.decided, top, p, found, by_scores=by_scores)
    rows = [row for t in tasters if (row := _ranks(t, letters, by_scores)) is not None]
    if not rows:
        return _of_some(letters, tasters)
    means = np.mean(rows, axis=0)
    shown = dict(zip(letters, (float(mean) for mean in means), strict=True))
    top = _best(shown)
    if len(rows) < FEWEST_RANKING:
        return Liking(len(rows), top, None, mean_ranks=shown, by_scores=by_scores)
    test = ranked(np.array(rows))
    pairs = [(letters[a], letters[b]) for a, b in test.pairs]
    beats = tuple(b if a == top else a for a, b in pairs if top in (a, b) and shown[a] != shown[b])
    return Liking(len(rows), top, test.p, mean_ranks=shown, beats=beats, by_scores=by_scores)


def _of_some(letters: Sequence[str], tasters: Sequence[TasterSays]) -> Liking | None:
    """By overall scores, where nobody got all the arms but all were compared with one another."""
    table = np.array([[t.scores.get((letter, "overall"), np.nan) for letter in letters] for t in tasters], float)
    if not len(table):
        return None
    try:
        found = ranked_some(table)
    except ValueError:
        return None
    shown = dict(zip(letters, found.means, strict=True))
    p = found.p if found.panellists >= FEWEST_RANKING else None
    return Liking(found.panellists, _best(shown), p, mean_ranks=shown, beats=None, by_scores=True)


def _best(mean_ranks: Mapping[str, float]) -> str | None:
    """The arm of the lowest mean rank; None where two share it."""
    least = min(mean_ranks.values())
    best = [letter for letter, mean in mean_ranks.items() if mean == least]
    return best[0] if len(best) == 1 else None


def _chosen(taster: TasterSays, letters: Sequence[str]) -> TasterSays:
    """The same taster, preferring what they scored higher overall."""
    first, second = (taster.scores.get((letter, "overall")) for letter in letters)
    if first is None or second is None or first == second:
        return taster
    return replace(taster, preferred=letters[0] if first > second else letters[1])


def _ranks(taster: TasterSays, letters: Sequence[str], by_scores: bool) -> list[float] | None:
    if by_scores:
        scores = [taster.scores.get((letter, "overall")) for letter in letters]
        known = [score for score in scores if score is not None]
        return None if len(known) < len(letters) else [float(r) for r in rankdata([-score for score in known])]
    if set(taster.ranks) >= set(letters):
        return [float(r) for r in rankdata([taster.ranks[letter] for letter in letters])]
    return None
