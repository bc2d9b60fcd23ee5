"""Minutes of work that the marks of a cook stand for."""

from __future__ import annotations

from collections.abc import Sequence

from bruvet.core.curves.stall import Mark

# Usual minutes of a pair of hands, by what was done (ours; common practice, no source).
USUAL_MIN = {
    "meat-on": 5.0,
    "lid": 2.0,
    "look": 4.0,
    "spritz": 2.0,
    "wrap": 6.0,
    "unwrap": 3.0,
    "turn": 3.0,
    "move": 6.0,
    "pit-set": 1.0,
    "fuel": 8.0,
    "wood": 3.0,
    "pull": 4.0,
    "rest-start": 2.0,
    "rest-end": 1.0,
    "cut": 10.0,
}
# What is done to a cook for its own sake; opening the lid is a part of it.
VISIT_MIN = 3.0


def hands_on_min(marks: Sequence[Mark], looks: Sequence[float] = ()) -> float:
    """Minutes of work at the pit, from meat on to cutting.

    Parameters
    ----------
    marks : what was done, in minutes.
    looks : minutes of looks that were written down.

    Notes
    -----
    Each thing done counts its usual minutes; a lid counts only where nothing else was done within three minutes of it.
    """
    done = [(mark.at_min, mark.kind) for mark in marks if mark.kind in USUAL_MIN] + [(at, "look") for at in looks]
    work = [(at, kind) for at, kind in done if kind != "lid"]
    lids = [at for at, kind in done if kind == "lid" and not any(abs(at - other) <= VISIT_MIN for other, _ in work)]
    return sum(USUAL_MIN[kind] for _, kind in work) + USUAL_MIN["lid"] * len(lids)
