"""Which piece goes to which arm, and where it stands: by a draw that is kept and can be repeated."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

HIGHEST_SEED = 2**31 - 1


class CannotAllocate(ValueError):
    """Pieces that cannot be shared out; the text says why and what would do."""


@dataclass(frozen=True)
class Lot:
    """A piece before it has an arm. Halves of one piece share `pair`, which is empty for whole pieces."""

    name: str
    mass_kg: float | None = None
    pair: str = ""


@dataclass(frozen=True)
class Share:
    """Where a lot went; `block` counts the groups of like pieces of which each arm got one."""

    lot: str
    arm: int
    block: int


def allocate(lots: Sequence[Lot], arms: int, seed: int, matched: bool = True) -> tuple[Share, ...]:
    """Share pieces out to arms, as many to each.

    Parameters
    ----------
    lots : sequence of Lot
    arms : int
        Number of arms.
    seed : int
        The same seed gives the same draw.
    matched : bool
        In blocks of like weight, each arm one of each block; otherwise wholly at random.

    Raises
    ------
    CannotAllocate
        When the pieces do not go evenly into the arms, or a pair has not one half for each.

    Notes
    -----
    A randomized block design: pieces are ordered by weight, cut into blocks of as many as there are arms, and each
    block is shuffled (NIST/SEMATECH e-Handbook, 5.3.3.2). Halves of one piece make a block of their own.
    """
    if not lots or len(lots) % arms:
        raise CannotAllocate(
            f"{len(lots)} pieces do not go evenly into {arms} arms; add {arms - len(lots) % arms} or take "
            f"{len(lots) % arms or arms} away."
        )
    rng = np.random.default_rng(seed)
    out = []
    for number, block in enumerate(_blocks(lots, arms, matched, rng)):
        places = rng.permutation(arms) if matched else np.arange(arms)
        out += [Share(lot.name, int(arm), number) for lot, arm in zip(block, places, strict=True)]
    return tuple(out)


def _blocks(lots: Sequence[Lot], arms: int, matched: bool, rng: np.random.Generator) -> list[list[Lot]]:
    pairs: dict[str, list[Lot]] = {}
    for lot in lots:
        if lot.pair:
            pairs.setdefault(lot.pair.casefold(), []).append(lot)
    if matched:
        for halves in pairs.values():
            if len(halves) != arms:
                raise CannotAllocate(
                    f"Piece {halves[0].pair} was split into {len(halves)}, and there are {arms} arms: split it into "
                    f"{arms}, or draw without matching."
                )
        whole = [lot for lot in lots if not lot.pair]
    else:
        whole = list(lots)
        whole = [whole[i] for i in rng.permutation(len(whole))]
        pairs = {}
    if matched:
        # Pieces of unknown weight stand last, so that they are matched with one another.
        whole = sorted(whole, key=lambda lot: (lot.mass_kg is None, -(lot.mass_kg or 0.0)))
    return [*pairs.values(), *(whole[at : at + arms] for at in range(0, len(whole), arms))]


def latin_square(size: int, seed: int) -> tuple[tuple[int, ...], ...]:
    """A Latin square at random: each of `size` symbols once in each row and once in each column.

    Notes
    -----
    The cyclic square with rows, columns and symbols permuted at random (Fisher and Yates' way for small squares).
    """
    rng = np.random.default_rng(seed)
    cyclic = (np.arange(size)[:, None] + np.arange(size)) % size
    mixed = rng.permutation(size)[cyclic[rng.permutation(size)][:, rng.permutation(size)]]
    return tuple(tuple(int(value) for value in row) for row in mixed)


def places_on(day: int, arms: Sequence[str], places: Sequence[str], seed: int) -> Mapping[str, str]:
    """Which arm gets which place on one of several days, so that over as many days as arms each has had each once.

    Parameters
    ----------
    day : int
        Counted from 0.

    Raises
    ------
    CannotAllocate
        When there are not as many places as arms, or one is named twice.
    """
    if len(places) != len(arms) or len({place.casefold() for place in places}) != len(places):
        raise CannotAllocate(f"{len(arms)} arms need {len(arms)} different places; {len(set(places))} were given.")
    row = latin_square(len(arms), seed)[day % len(arms)]
    return {arm: places[which] for arm, which in zip(arms, row, strict=True)}


def places_for(pieces: Sequence[str], places: Sequence[str], seed: int) -> Mapping[str, str]:
    """A place for each piece at random, no place twice.

    Raises
    ------
    CannotAllocate
        When there are fewer places than pieces.
    """
    if len({place.casefold() for place in places}) < len(pieces):
        raise CannotAllocate(
            f"{len(pieces)} pieces need {len(pieces)} different places; {len(set(places))} were given."
        )
    order = np.random.default_rng(seed).permutation(len(places))
    return {piece: places[order[number]] for number, piece in enumerate(pieces)}
