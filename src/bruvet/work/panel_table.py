"""Every answer of the opened tastings of a trial, a row each, for a file."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from bruvet.records.models import Trial
from bruvet.records.tasting import Panel, Sample
from bruvet.work.panel_results import Served, served

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
        sent = [ballot for ballot in panel.ballots if ballot.sent_at is not None]
        samples = {sample.id: sample for sample in panel.samples}
        for one in served(sent):
            yield from _on_page(panel, samples, one)


def _on_page(panel: Panel, samples: Mapping[int, Sample], one: Served) -> Iterator[Said]:
    ballot, step = one.ballot, one.step
    who = ("no" if ballot.cooked else "yes", "yes" if ballot.late else "no", ballot.how)
    codes = step.get("codes", {})
    for field, value in sorted(one.said.items()):
        code = field.removeprefix("place-") if field.startswith("place-") else str(step.get("code", ""))
        sample = samples.get(step.get("sample") or codes.get(code) or codes.get(value) or -1)
        of = ("", "", "") if sample is None else (sample.arm.letter, sample.part, sample.amount)
        question = field if step["kind"] == "sample" else f"{step['kind']}-{field.split('-')[0]}"
        chosen = value if field == "choice" else code
        yield Said(panel.title, ballot.name, (*who, *of, chosen, str(step.get("position", "")), question, value))
