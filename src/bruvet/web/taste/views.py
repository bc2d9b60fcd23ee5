"""What the tasters said: scores of 1 to 9 by arm, which was preferred, remarks."""

from __future__ import annotations

from flask import Blueprint, abort, flash, redirect, request, url_for
from werkzeug.wrappers import Response

from bruvet.core.tasting.panel import least_panel
from bruvet.core.trial.terms import Attribute
from bruvet.records.models import Panellist, Score, Trial
from bruvet.web.access import person, units
from bruvet.web.database import db, trial_or_404
from bruvet.web.named import as_csv, plain
from bruvet.web.reader import Reader
from bruvet.web.trial_page import facts_of, trial_page
from bruvet.work.panel_table import COLUMNS, said_in_panels
from bruvet.work.verdicts import tasted_of

from .picture import compare

blueprint = Blueprint("taste", __name__, template_folder="templates")
View = str | Response | tuple[str, int]


def _panellist_or_404(trial: Trial, panellist_id: int) -> Panellist:
    row = next((p for p in trial.panellists if p.id == panellist_id), None)
    if row is None:
        abort(404)
    return row


@blueprint.get("/trials/<int:trial_id>/tasting")
def show(trial_id: int) -> View:
    trial = trial_or_404(trial_id)
    form: dict[str, str] = {}
    if "edit" in request.args:
        form = _form_of(_panellist_or_404(trial, request.args.get("edit", -1, type=int)))
    return _page(trial, form, {})


def _form_of(row: Panellist) -> dict[str, str]:
    form = {"id": str(row.id), "name": row.name, "remark": row.remark, "blind": "on" if row.blind else ""}
    form["preferred"] = str(row.preferred_arm_id or "")
    return form | {f"{s.arm_id}-{s.attribute}": str(s.value) for s in row.scores}


def _page(trial: Trial, form: dict[str, str], errors: dict[str, str]) -> View:
    facts = facts_of(trial)
    tasters = facts.tasters
    tasted = tasted_of(facts)
    counted = [taster for taster in tasters if taster.blind] or tasters
    page = trial_page(
        "taste/show.html",
        trial,
        tasters=tasters,
        tasted=tasted,
        summaries=tasted.summaries,
        picture=compare(facts.letters, tasted.summaries, counted) if tasted.summaries else None,
        needed=least_panel(),
        form=form,
        errors=errors,
    )
    return page, 422 if errors else 200


@blueprint.post("/trials/<int:trial_id>/tasting")
def save(trial_id: int) -> View:
    trial = trial_or_404(trial_id)
    reader = Reader(request.form, units())
    editing = _panellist_or_404(trial, request.form.get("id", -1, type=int)) if request.form.get("id") else None
    name = reader.text("name", "The taster's name", 80, required=True)
    remark = reader.text("remark", "The remark", 2000)
    if any(p.name.casefold() == name.casefold() and p is not editing for p in trial.panellists):
        reader.fail("name", f"{name} is in the list already; change that row instead.")
    arms = {str(arm.id): arm for arm in trial.arms}
    preferred = request.form.get("preferred", "")
    if preferred and preferred not in arms:
        reader.fail("preferred", "The preferred arm is not one of this trial.")
    scores: dict[tuple[int, str], int] = {}
    for arm in trial.arms:
        for attribute in Attribute:
            field = f"{arm.id}-{attribute.value}"
            value = reader.number(field, f"{attribute.label} of arm {arm.letter}", 1, 9)
            if value is not None and value != int(value):
                reader.fail(field, f"{attribute.label} of arm {arm.letter} is a whole number from 1 to 9.")
            elif value is not None:
                scores[arm.id, attribute.value] = int(value)
    if not scores and not preferred and not remark:
        reader.fail("preferred", "Enter a score, a preference or a remark.")
    if reader.errors:
        return _page(trial, request.form.to_dict(), reader.errors)
    row = editing or Panellist(trial_id=trial.id, created_by=person().id)
    row.name, row.remark, row.blind = name, remark, reader.flag("blind")
    row.preferred_arm_id = int(preferred) if preferred else None
    known = {(s.arm_id, s.attribute): s for s in row.scores}
    for key, old in known.items():
        if key not in scores:
            row.scores.remove(old)
    for key, value in scores.items():
        if key in known:
            known[key].value = value
        else:
            row.scores.append(Score(arm_id=key[0], attribute=key[1], value=value))
    db().add(row)
    flash(f"What {name} said is kept.", "good")
    return redirect(url_for("taste.show", trial_id=trial.id))


@blueprint.post("/trials/<int:trial_id>/tasting/<int:panellist_id>/delete")
def delete(trial_id: int, panellist_id: int) -> View:
    trial = trial_or_404(trial_id)
    row = _panellist_or_404(trial, panellist_id)
    db().delete(row)
    flash(f"What {row.name} said was removed.", "good")
    return redirect(url_for("taste.show", trial_id=trial.id))


@blueprint.get("/trials/<int:trial_id>/tasting.csv")
def csv_file(trial_id: int) -> View:
    """Every answer of opened tastings, and what was typed in, for whoever wants to redo the sums."""
    trial = trial_or_404(trial_id)
    rows: list[tuple[str, ...]] = [COLUMNS]
    for answer in said_in_panels(db(), trial):
        *rest, question, value = answer.rest
        said = plain(value) if question.endswith("remark") else value
        rows.append((plain(answer.panel), plain(answer.name), *rest, question, said))
    for one in trial.panellists:
        head = ("typed in", plain(one.name), "yes" if one.blind else "no", "no", "typed in")
        letters = {arm.id: arm.letter for arm in trial.arms}
        for score in one.scores:
            rows.append((*head, letters[score.arm_id], "", "", "", "", f"score-{score.attribute}", str(score.value)))
        if one.preferred_arm is not None:
            rows.append((*head, "", "", "", "", "", "prefer", one.preferred_arm.letter))
        if one.remark:
            rows.append((*head, "", "", "", "", "", "remark", plain(one.remark)))
    return as_csv(trial.title, "tasting", rows)
