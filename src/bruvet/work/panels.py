"""Blind panels: made, joined, answered, and opened. What a code stands for leaves this module only after opening."""

from __future__ import annotations

import secrets
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from itertools import count
from typing import Any

import numpy as np
from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from bruvet.core.tasting.codes import PLAIN, three_digits
from bruvet.core.tasting.orders import orders_for
from bruvet.core.tasting.sets import RIGHTS, SCALES, Right, Scale, own_rights, own_scales
from bruvet.records.models import Trial
from bruvet.records.tasting import Ballot, BallotAnswer, Panel, Sample

from .stations import token_hash

JOIN_LETTERS = 9
MOST_BALLOTS = 200
LONGEST_WORDS = 2000
PAIRS = ("prefer", "smokier")


class CannotTaste(ValueError):
    """Something that a panel does not allow; the text says why and what to do."""


@dataclass(frozen=True)
class Asked:
    """What a new panel is to ask.

    Attributes
    ----------
    at_most : how many samples each panellist gets; 0 for all.
    paper : for how many of those expected a ballot is printed.
    parts : each is a sample of every arm, as flat and point; one may be empty.
    pieces : by arm's id, the piece it is cut from, where an arm has several.
    own : questions of one's own: key, name, and words at both ends; without words it asks what is right.
    expected_order : letters, best first, where an order of the samples is expected beforehand.
    """

    title: str
    arm_ids: tuple[int, ...]
    amounts: tuple[str, ...]
    parts: tuple[str, ...]
    scales: tuple[str, ...]
    rights: tuple[str, ...]
    tests: tuple[str, ...]
    expected: int
    warm_up: bool
    repeat: bool
    own_codes: bool
    pause_s: int
    notice: str
    pieces: Mapping[int, int] = field(default_factory=dict)
    own: tuple[Mapping[str, str], ...] = ()
    paper: int = 0
    at_most: int = 0
    expected_order: tuple[str, ...] = ()


def new_panel(session: Session, trial: Trial, asked: Asked, person_id: int | None) -> Panel:
    """A panel in draft, its samples in an order that says nothing of their arms."""
    seed = secrets.randbelow(2**31 - 1)
    panel = Panel(
        trial_id=trial.id,
        title=asked.title,
        join_code="".join(secrets.choice(PLAIN) for _ in range(JOIN_LETTERS)),
        state="draft",
        seed=seed,
        created_by=person_id,
        asks={
            "scales": list(asked.scales),
            "rights": list(asked.rights),
            "tests": list(asked.tests),
            "expected": asked.expected,
            "warm_up": asked.warm_up,
            "repeat": asked.repeat,
            "own_codes": asked.own_codes,
            "pause_s": asked.pause_s,
            "notice": asked.notice,
            "paper": asked.paper,
            "at_most": asked.at_most,
            "own": [dict(one) for one in asked.own],
            "expected_order": list(asked.expected_order),
        },
    )
    for amount in asked.amounts:
        for arm_id in asked.arm_ids:
            for part in asked.parts:
                number, piece_id = len(panel.samples) + 1, asked.pieces.get(arm_id)
                panel.samples.append(Sample(arm_id=arm_id, number=number, part=part, amount=amount, piece_id=piece_id))
    session.add(panel)
    session.flush()
    return panel


def scales_of(panel: Panel) -> dict[str, Scale]:
    """The scales a panel asks for, in order."""
    known = SCALES | own_scales(panel.asks.get("own", []))
    return {key: known[key] for key in panel.asks["scales"]}


def rights_of(panel: Panel) -> dict[str, Right]:
    """What a panel asks whether it is just right, in order."""
    known = RIGHTS | own_rights(panel.asks.get("own", []))
    return {key: known[key] for key in panel.asks["rights"]}


def free_numbers(panel: Panel) -> list[int]:
    """Panellists' numbers whose ballot is not there yet, and the next one after them."""
    taken = {ballot.number for ballot in panel.ballots}
    last = max([int(panel.asks["expected"]), *taken])
    return [number for number in range(1, last + 2) if number not in taken]


def paper_numbers(panel: Panel) -> range:
    """The numbers kept for paper ballots: the last of those expected."""
    expected = int(panel.asks["expected"])
    return range(expected - int(panel.asks.get("paper", 0)) + 1, expected + 1)


def _next_phone(panel: Panel) -> int:
    taken = {ballot.number for ballot in panel.ballots}
    return next(number for number in count(1) if number not in taken and number not in paper_numbers(panel))


def join(
    session: Session, panel: Panel, name: str, cooked: bool, now: datetime, paper_number: int | None = None
) -> str:
    """A new ballot's token. Whoever cooked or cut is not blind, and is kept apart in the results.

    `paper_number` is that of a paper ballot that is typed in; that may be done while nobody else comes in, too.

    Raises
    ------
    CannotTaste
        When the panel is not open, or is full, or the paper's number is there already.
    """
    # One at a time: the number says which order a panellist gets.
    session.scalar(select(Panel.id).where(Panel.id == panel.id).with_for_update())
    session.refresh(panel)
    if panel.state == "draft":
        raise CannotTaste("The host has not opened this tasting yet. Wait a moment and try again.")
    if panel.state == "opened":
        raise CannotTaste("The envelope of this tasting has been opened: it is known which code was what.")
    if panel.state == "closed" and paper_number is None:
        raise CannotTaste("This tasting is closed. Ask the host.")
    if len(panel.ballots) >= MOST_BALLOTS:
        raise CannotTaste("This tasting is full.")
    if paper_number is not None and paper_number not in free_numbers(panel):
        raise CannotTaste(
            f"Ballot {paper_number} is there already, or was never printed. Look at the number on the paper."
        )
    number = paper_number or _next_phone(panel)
    token = secrets.token_urlsafe(24)
    ballot = Ballot(
        panel_id=panel.id,
        number=number,
        token_hash=token_hash(token),
        name=name,
        cooked=cooked,
        how="phone" if paper_number is None else "paper",
        begun_at=now,
        steps=steps_for(panel, number),
    )
    session.add(ballot)
    session.flush()
    return token


def ballot_of(session: Session, token: str) -> Ballot | None:
    return session.scalar(select(Ballot).where(Ballot.token_hash == token_hash(token)))


def order_for(panel: Panel, samples: int, number: int) -> tuple[int, ...]:
    """The serving order of the panellist of a number; more than were expected get a plan of their own."""
    expected = max(int(panel.asks["expected"]), 1)
    block, place = divmod(number - 1, expected)
    each = min(int(panel.asks.get("at_most", 0)) or samples, samples)
    return orders_for(samples, expected, panel.seed + 7919 * block, each)[place]


def steps_for(panel: Panel, number: int) -> list[dict[str, Any]]:
    """Everything one panellist is given, in order, with the codes it is given under."""
    asks = panel.asks
    amounts = list(dict.fromkeys(sample.amount for sample in panel.samples))
    by_amount = {a: [s for s in panel.samples if s.amount == a] for a in amounts}
    draw = np.random.default_rng([panel.seed, number])
    codes = iter(three_digits(8 * len(panel.samples) + 12, panel.seed + (number if asks["own_codes"] else 0)))
    shared = {sample.id: next(codes) for sample in panel.samples}
    fresh = iter(three_digits(60, panel.seed + 104_729 * number, frozenset(shared.values())))
    order = order_for(panel, len(by_amount[amounts[0]]), number)
    steps: list[dict[str, Any]] = []
    if asks["warm_up"]:
        sample = by_amount[amounts[0]][order[(panel.seed + number) % len(order)]]
        steps.append({"kind": "warm", "code": next(fresh), "sample": sample.id})
    position = 0
    for amount in amounts:
        served = [by_amount[amount][i] for i in order]
        for sample in served:
            position += 1
            steps.append(_serving(sample, shared[sample.id], position))
        if asks["repeat"] and amount == amounts[-1]:
            again = by_amount[amount][order[(panel.seed // 7 + number) % len(order)]]
            steps.append(_serving(again, next(fresh), position + 1) | {"repeat": True})
    first = [by_amount[amounts[-1]][i] for i in order]
    for test in asks["tests"]:
        if test in PAIRS or test == "rank":
            steps.append(
                {"kind": test, "codes": {shared[s.id]: s.id for s in first}, "shown": [shared[s.id] for s in first]}
            )
        elif len(first) == 2:
            steps.append(_odd_one(test, first, fresh, draw))
    return steps


def _serving(sample: Sample, code: str, position: int) -> dict[str, Any]:
    return {"kind": "sample", "code": code, "sample": sample.id, "amount": sample.amount, "position": position}


def _odd_one(test: str, pair: Sequence[Sample], fresh: Any, draw: np.random.Generator) -> dict[str, Any]:
    """Three servings of two samples: for the triangle in any of six orders, for the duo-trio a reference and two."""
    twice, once = (pair[i] for i in draw.permutation(2))
    if test == "triangle":
        served = [twice, twice, once]
        served = [served[i] for i in draw.permutation(3)]
        codes = [next(fresh) for _ in served]
        right = codes[served.index(once)]
    else:
        served = [twice, once] if draw.integers(2) else [once, twice]
        codes = [next(fresh) for _ in served]
        right = codes[served.index(twice)]
    found = {
        "kind": test,
        "codes": {c: s.id for c, s in zip(codes, served, strict=True)},
        "shown": codes,
        "right": right,
    }
    return found | ({"reference": next(fresh), "reference_sample": twice.id} if test == "duo-trio" else {})


def seen(step: Mapping[str, Any]) -> dict[str, Any]:
    """What of a step may be shown to a panellist: codes and questions, and nothing else."""
    return {
        "kind": step["kind"],
        "code": step.get("code", ""),
        "shown": list(step.get("shown", [])),
        "reference": step.get("reference", ""),
        "amount": step.get("amount", ""),
    }


# ---- answers ----------------------------------------------------------------------------------------------------


def fields_of(panel: Panel, steps: Sequence[Mapping[str, Any]], number: int) -> dict[str, tuple[str, ...] | None]:
    """What may be answered on a page (from 1): by field, its choices, or None for words."""
    step = steps[number - 1]
    match step["kind"]:
        case "warm":
            return {}
        case "sample":
            nine = tuple(str(n) for n in range(1, 10))
            out: dict[str, tuple[str, ...] | None] = {f"score-{key}": nine for key in panel.asks["scales"]}
            out |= {f"right-{key}": ("-2", "-1", "0", "1", "2") for key in panel.asks["rights"]}
            return out | {"remark": None}
        case "rank":
            places = tuple(str(n) for n in range(1, len(step["shown"]) + 1))
            return {f"place-{code}": places for code in step["shown"]}
        case "prefer" | "smokier":
            return {"choice": (*step["shown"], "none"), "remark": None}
        case _:
            return {"choice": tuple(step["shown"]), "remark": None}


def answer(session: Session, ballot: Ballot, page: int, values: Mapping[str, str], now: datetime) -> None:
    """Keep answers of one page as they were given; an empty one takes an earlier one back.

    Raises
    ------
    CannotTaste
        When the ballot was sent, the page is none, or a value is no choice of its field. Nothing is kept then.
    """
    if ballot.sent_at is not None:
        raise CannotTaste("This ballot has been sent, and is not changed any more.")
    if not 1 <= page <= len(ballot.steps):
        raise CannotTaste("There is no such page.")
    known = fields_of(ballot.panel, ballot.steps, page)
    kept: dict[str, str] = {}
    for name, value in values.items():
        if name not in known:
            raise CannotTaste("That was not asked on this page.")
        choices = known[name]
        text = value.replace("\x00", "").strip()[:LONGEST_WORDS]
        if choices is not None and text and text not in choices:
            raise CannotTaste("That is no answer to choose on this page.")
        kept[f"{page}:{name}"] = text
    for key, text in kept.items():
        row = insert(BallotAnswer).values(ballot_id=ballot.id, key=key, value=text, at=now)
        session.execute(row.on_conflict_do_update(index_elements=["ballot_id", "key"], set_={"value": text, "at": now}))
    session.expire(ballot, ["answers"])


def given(ballot: Ballot) -> dict[str, str]:
    return {row.key: row.value for row in ballot.answers if row.value}


def said_on(said: Mapping[str, str], page: int) -> dict[str, str]:
    """Of all that was given, what stands on one page, by field."""
    before = f"{page}:"
    return {key.removeprefix(before): value for key, value in said.items() if key.startswith(before)}


def missing(ballot: Ballot) -> list[int]:
    """Pages on which a choice is still open; words may be left."""
    said = given(ballot)
    out = []
    for page in range(1, len(ballot.steps) + 1):
        asked = [field for field, choices in fields_of(ballot.panel, ballot.steps, page).items() if choices is not None]
        if any(f"{page}:{field}" not in said for field in asked):
            out.append(page)
    return out


def send(session: Session, ballot: Ballot, now: datetime) -> None:
    """Send a ballot, once. After the envelope it is kept, and marked as late."""
    session.scalar(select(Ballot.id).where(Ballot.id == ballot.id).with_for_update())
    session.refresh(ballot)
    if ballot.sent_at is None:
        ballot.sent_at = now
        ballot.late = ballot.panel.state == "opened"


def open_envelope(panel: Panel, person_id: int | None, now: datetime | None = None) -> None:
    """From now on it may be known which code was what; who opened it, and when, is kept."""
    if panel.state != "opened":
        panel.state = "opened"
        panel.envelope_at = now or datetime.now(UTC)
        panel.envelope_by = person_id


def name_of(sample: Sample) -> str:
    """A sample once it may be known: its arm's letter, and its part where several are tasted."""
    several = len({other.part for other in sample.panel.samples}) > 1
    return f"{sample.arm.letter} {sample.part}" if several else sample.arm.letter
