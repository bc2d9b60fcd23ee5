"""The verdict: sentences from the data, what else could explain it, and the tester's own words, marked as theirs."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, flash, redirect, request, url_for
from werkzeug.wrappers import Response

from bruvet.core.safety import DEFER
from bruvet.records.models import Trial
from bruvet.web.access import units
from bruvet.web.database import trial_or_404
from bruvet.web.reader import Reader
from bruvet.web.strip import Frame
from bruvet.web.trial_page import facts_of, trial_page
from bruvet.work.analysis import TrialFacts
from bruvet.work.answers import answers_of
from bruvet.work.ledgers import verdict_of

blueprint = Blueprint("verdict", __name__, template_folder="templates")
View = str | Response | tuple[str, int]


@blueprint.get("/trials/<int:trial_id>/verdict")
def show(trial_id: int) -> View:
    trial = trial_or_404(trial_id)
    facts = facts_of(trial)
    return _page(trial, facts)


def _page(trial: Trial, facts: TrialFacts, **values: Any) -> str:
    return trial_page(
        "verdict/show.html",
        trial,
        facts,
        # Narrower than elsewhere, so that its words can still be read on paper.
        Frame(980.0),
        verdict=verdict_of(facts),
        answers=answers_of(facts),
        defer=DEFER,
        **values,
    )


@blueprint.post("/trials/<int:trial_id>/verdict")
def own_words(trial_id: int) -> View:
    trial = trial_or_404(trial_id)
    reader = Reader(request.form, units())
    words = reader.text("own_words", "Your own words", 4000)
    if reader.errors:
        facts = facts_of(trial)
        return _page(trial, facts, errors=reader.errors, typed=words), 422
    trial.own_words = words
    flash("Your words are kept under the verdict, marked as yours.", "good")
    return redirect(url_for("verdict.show", trial_id=trial.id))
