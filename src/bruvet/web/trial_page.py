"""What every page of a trial loads: the trial, its facts, its strip."""

from __future__ import annotations

from typing import Any

from flask import flash, render_template, session, url_for

from bruvet.records.models import Base, Revision, Trial
from bruvet.work.analysis import TrialFacts

from .access import units
from .database import db
from .strip import Frame, draw


def facts_of(trial: Trial, thresholds_c: tuple[float, ...] | None = None) -> TrialFacts:
    if thresholds_c is None:
        return TrialFacts(db(), trial, units())
    return TrialFacts(db(), trial, units(), thresholds_c)


def trial_page(
    template: str, trial: Trial, facts: TrialFacts | None = None, frame: Frame | None = None, **values: Any
) -> str:
    """Render a page of a trial, with its strip when facts are given."""
    strip = draw(facts, frame) if facts is not None else None
    return render_template(template, trial=trial, facts=facts, strip=strip, **values)


def offer_undo(trial: Trial, row: Base, message: str) -> None:
    """After a deletion was flushed: tell the person, with a way back from the kept revision."""
    db().flush()
    revision = (
        db()
        .query(Revision)
        .filter_by(table_name=row.__tablename__, row_id=row.id, action="delete")  # type: ignore[attr-defined]
        .order_by(Revision.id.desc())
        .first()
    )
    if revision is not None:
        session["undo"] = {"revision": revision.id, "to": url_for("cook.undo", trial_id=trial.id)}
    flash(message, "undo")
