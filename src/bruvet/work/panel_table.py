"""Every answer of the opened tastings of a trial, a row each, for a file."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from bruvet.records.models import Trial
from bruvet.records.tasting import Ballot, Panel
from bruvet.work.panels import given

COLUMNS = (
    *("tasting", "panellist", "blind", "late", "how", "arm", "part", "amount", "code", "position"),
    *("question", "answer"),
)


@dataclass(frozen=True)
class Said:
    """One answer: of which tasting, by whom, and the rest of its row in the order of `COLUMNS`."""

    panel: str
    name: str
    rest: tuple[str, ...]


def said_in_panels(session: Session, trial: Trial) -> Iterator[Said]:
    """Answers of ballots that were sent, of tastings whose envelope is open; of others nothing."""
    wanted = select(Panel).where(Panel.trial_id == trial.id, Panel.state == "opened").order_by(Panel.id)
    for panel in session.scalars(wanted):
        for ballot in panel.ballots:
            if ballot.sent_at is not None:
                yield from _of_ballot(panel, ballot)


def _of_ballot(panel: Panel, ballot: Ballot) -> Iterator[Said]:
    samples = {sample.id: sample for sample in panel.samples}
    who = ("no" if ballot.cooked else "yes", "yes" if ballot.late else "no", ballot.how)
    said = given(ballot)
    for page, step in enumerate(ballot.steps, 1):
        mine = {key.split(":", 1)[1]: value for key, value in said.items() if key.startswith(f"{page}:")}
        codes = step.get("codes", {})
        for field, value in sorted(mine.items()):
            code = field.removeprefix("place-") if field.startswith("place-") else str(step.get("code", ""))
            sample = samples.get(step.get("sample") or codes.get(code) or codes.get(value) or -1)
            served = ("", "", "") if sample is None else (sample.arm.letter, sample.part, sample.amount)
            question = field if step["kind"] == "sample" else f"{step['kind']}-{field.split('-')[0]}"
            chosen = value if field == "choice" else code
            yield Said(
                panel.title, ballot.name, (*who, *served, chosen, str(step.get("position", "")), question, value)
            )
