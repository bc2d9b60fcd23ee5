"""Blind panels: made, joined, answered, and opened. What a code stands for leaves this module only after opening."""

from __future__ import annotations

import secrets
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

import numpy as np
from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from bruvet.core.tasting.codes import PLAIN, three_digits
from bruvet.core.tasting.orders import orders_for
from bruvet.core.tasting.sets import RIGHTS, SCALES
from bruvet.records.models import Ballot, BallotAnswer, Panel, Sample, Trial

from .stations import token_hash

JOIN_LETTERS = 9
MOST_BALLOTS = 200
LONGEST_WORDS = 2000
PAIRS = ("prefer", "smokier")


class CannotTaste(ValueError):
    """Something that a panel does not allow; the text says why and what to do."""


@dataclass(frozen=True)
class Asked:
    """What a new panel is to ask."""

    title: str
    arm_ids: tuple[int, ...]
    amounts: tuple[str, ...]
    part: str
    scales: tuple[str, ...]
    rights: tuple[str, ...]
    tests: tuple[str, ...]
    expected: int
    warm_up: bool
    repeat: bool
    own_codes: bool
    pause_s: int
    notice: str


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
        },
    )
    for amount in asked.amounts:
        for arm_id in asked.arm_ids:
            panel.samples.append(Sample(arm_id=arm_id, number=len(panel.samples) + 1, part=asked.part, amount=amount))
    session.add(panel)
    session.flush()
    return panel


def join(session: Session, panel: Panel, name: str, cooked: bool, now: datetime) -> str:
    """A new ballot's token. Whoever cooked or cut is not blind, and is kept apart in the results.

    Raises
    ------
    CannotTaste
        When the panel is not open, or is full.
    """
    # One at a time: the number says which order a panellist gets.
    session.scalar(select(Panel.id).where(Panel.id == panel.id).with_for_update())
    session.refresh(panel)
    if panel.state == "draft":
        raise CannotTaste("The host has not opened this tasting yet. Wait a moment and try again.")
    if panel.state == "opened":
        raise CannotTaste("The envelope of this tasting has been opened: it is known which code was what.")
    if panel.state == "closed":
        raise CannotTaste("This tasting is closed. Ask the host.")
    if len(panel.ballots) >= MOST_BALLOTS:
        raise CannotTaste("This tasting is full.")
    number = max((ballot.number for ballot in panel.ballots), default=0) + 1
    token = secrets.token_urlsafe(24)
    ballot = Ballot(
        panel_id=panel.id,
        number=number,
        token_hash=token_hash(token),
        name=name,
        cooked=cooked,
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
    return orders_for(samples, expected, panel.seed + 7919 * block)[place]


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
        sample = by_amount[amounts[0]][int(draw.integers(len(order)))]
        steps.append({"kind": "warm", "code": next(fresh), "sample": sample.id})
    position = 0
    for amount in amounts:
        served = [by_amount[amount][i] for i in order]
        for sample in served:
            position += 1
            steps.append(_serving(sample, shared[sample.id], position))
        if asks["repeat"] and amount == amounts[-1]:
            again = served[int(draw.integers(len(served)))]
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
    for field, value in values.items():
        if field not in known:
            raise CannotTaste("That was not asked on this page.")
        choices = known[field]
        text = value.replace("\x00", "").strip()[:LONGEST_WORDS]
        if choices is not None and text and text not in choices:
            raise CannotTaste("That is no answer to choose on this page.")
        kept[f"{page}:{field}"] = text
    for key, text in kept.items():
        row = insert(BallotAnswer).values(ballot_id=ballot.id, key=key, value=text, at=now)
        session.execute(row.on_conflict_do_update(index_elements=["ballot_id", "key"], set_={"value": text, "at": now}))
    session.expire(ballot, ["answers"])


def given(ballot: Ballot) -> dict[str, str]:
    return {row.key: row.value for row in ballot.answers if row.value}


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


def names_of(panel: Panel) -> dict[str, str]:
    """Names of what is asked, by key."""
    return {key: SCALES[key].name for key in panel.asks["scales"]} | {
        f"right-{key}": RIGHTS[key].name for key in panel.asks["rights"]
    }
