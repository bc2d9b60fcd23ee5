"""Three-digit codes that say nothing: drawn at random, none twice, none that people read something into."""

from __future__ import annotations

import numpy as np

# Codes that mean something to some: runs, repeats and numbers of ill or good fame.
RUNS = ["0123456789"[i : i + 3] for i in range(1, 8)]
TELLING = frozenset([*RUNS, *(run[::-1] for run in RUNS), "911", "420"])
# Letters and digits that are not taken for one another, for the short code of a session.
PLAIN = "ABCDEFGHJKMNPQRSTUVWXYZ23456789"


def three_digits(count: int, seed: int, taken: frozenset[str] = frozenset()) -> list[str]:
    """So many different codes from 101 to 989.

    Raises
    ------
    ValueError
        When there are not so many left.
    """
    fit = [
        text
        for number in range(101, 990)
        if (text := str(number)) not in TELLING and text not in taken and len(set(text)) == 3
    ]
    if count > len(fit):
        raise ValueError(f"{count} codes are more than there are three digits for")
    return [fit[i] for i in np.random.default_rng(seed).permutation(len(fit))[:count]]
