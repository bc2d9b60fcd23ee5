"""The demo's blind panel: fourteen invented rowers taste two lamb shoulders, and the envelope is open."""

from __future__ import annotations

from datetime import datetime, timedelta

import numpy as np
from sqlalchemy.orm import Session

from bruvet.core.tasting.sets import STARTERS
from bruvet.records.models import Trial
from bruvet.records.tasting import Ballot, QuestionSet

from .panels import Asked, answer, ballot_of, fields_of, join, new_panel, open_envelope, send

PEOPLE = (
    *("Ilka", "Tomé", "Berit", "Oddvar", "Maren", "Sefa", "Jorun"),
    *("Pelle", "Rasmina", "Ture", "Wenke", "Alvar", "Dunja", "Eskil"),
)
COOK = "Eskil"
# How much better B is, by attribute, and how far off right its smoke is.
STEPS = {"overall": 0.9, "tenderness": 0.4, "juiciness": 0.1, "smoke": 1.2, "bark": 0.8}
SEED = 7
REMARKS = {
    2: "More smoke than I am used to, and I like it.",
    5: "A little dry at the edge.",
    9: "Would have this on a bun.",
    11: "Too smoky for me.",
}


def taste(session: Session, trial: Trial, at: datetime) -> None:
    """Make, answer and open it; the first sample's liking splits the smoke lovers from the others a little."""
    _, scales, rights = STARTERS["sliced"]
    arms = tuple(arm.id for arm in trial.arms)
    notice = "Lamb, mustard, garlic, paprika. Nothing with nuts, milk or alcohol."
    asked = Asked(
        title="Boathouse supper",
        arm_ids=arms,
        amounts=("bite",),
        parts=("middle slices",),
        scales=scales,
        rights=rights,
        tests=("prefer",),
        expected=len(PEOPLE),
        warm_up=True,
        repeat=True,
        own_codes=False,
        pause_s=20,
        notice=notice,
    )
    panel = new_panel(session, trial, asked, None)
    panel.seed = SEED
    panel.state = "open"
    for sample in panel.samples:
        sample.served_c, sample.since_cut_min = (62.0, 6.0) if sample.arm.letter == "A" else (64.0, 8.0)
    session.flush()
    letters = {sample.id: sample.arm.letter for sample in panel.samples}
    draw = np.random.default_rng(SEED)
    for number, name in enumerate(PEOPLE):
        token = join(session, panel, name, name == COOK, at + timedelta(seconds=20 * number))
        ballot = ballot_of(session, token)
        assert ballot is not None
        taken = at + timedelta(minutes=4 + number / 3)
        level, fond = draw.normal(5.6, 0.7), draw.normal(0, 0.8)
        liking: dict[str, float] = {}
        for page, step in enumerate(ballot.steps, 1):
            if step["kind"] == "sample":
                other = letters[step["sample"]] == "B"
                said = {}
                for key in scales:
                    value = level + (STEPS[key] + (fond if key == "overall" else 0.0)) * other + draw.normal(0, 0.8)
                    said[f"score-{key}"] = str(int(np.clip(round(value), 1, 9)))
                    if key == "overall":
                        liking[letters[step["sample"]]] = value
                for key in rights:
                    off = draw.normal(0.7 * other if key == "smoke" else -0.1, 0.7)
                    said[f"right-{key}"] = str(int(np.clip(round(off), -2, 2)))
                if number in REMARKS and other and not step.get("repeat"):
                    said["remark"] = REMARKS[number]
                answer(session, ballot, page, said, taken)
            elif step["kind"] == "prefer":
                best = max(liking, key=lambda letter: liking[letter])
                choice = next(code for code, sample in step["codes"].items() if letters[sample] == best)
                answer(session, ballot, page, {"choice": choice}, taken)
        send(session, ballot, taken)
    open_envelope(panel, session.info.get("person_id"), at + timedelta(minutes=25))
    session.flush()


def invite(session: Session, trial: Trial, at: datetime) -> None:
    """A second tasting that is open: whoever tries the demo may come in with a phone."""
    crackle = {"key": "own1", "name": "Crackle of the edge", "low": "leathery", "high": "shatters"}
    asked = Asked(
        title="Slipway table",
        arm_ids=tuple(arm.id for arm in trial.arms),
        amounts=("bite", "portion"),
        parts=("",),
        scales=("overall", "juiciness", "own1"),
        rights=("smoke", "salt"),
        tests=("prefer",),
        expected=8,
        warm_up=False,
        repeat=False,
        own_codes=False,
        pause_s=0,
        notice="Pork, mustard, pepper, cider vinegar. Nothing with nuts or milk.",
        own=(crackle,),
        paper=2,
    )
    panel = new_panel(session, trial, asked, None)
    panel.state = "open"
    session.add(QuestionSet(name="Edges and ends", body={"scales": ["overall"], "rights": ["smoke"], "own": [crackle]}))
    session.flush()
    for number, name in enumerate(PEOPLE[:3]):
        ballot = ballot_of(session, join(session, panel, name, False, at + timedelta(minutes=number)))
        assert ballot is not None
        _answer_somehow(session, ballot, at + timedelta(minutes=5 + number))
        send(session, ballot, at + timedelta(minutes=6 + number))


def _answer_somehow(session: Session, ballot: Ballot, now: datetime) -> None:
    """Whatever comes to mind on each page, from the middle of what may be chosen."""
    draw = np.random.default_rng([SEED, ballot.number])
    for page in range(1, len(ballot.steps) + 1):
        asked = fields_of(ballot.panel, ballot.steps, page).items()
        said = {field: choices[int(draw.binomial(len(choices) - 1, 0.6))] for field, choices in asked if choices}
        answer(session, ballot, page, said, now)
