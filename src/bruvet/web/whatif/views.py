"""The what-if bench: up to four cases side by side, told by the twin, and sent to a trial when they please."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from zoneinfo import ZoneInfo

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from sqlalchemy import exists, select
from sqlalchemy.orm import selectinload
from werkzeug.wrappers import Response

from bruvet.core.safety import DANGER_LIMIT_MIN, DEFER, POULTRY_C
from bruvet.core.thermal.cooker import HABITS
from bruvet.core.trial.terms import POULTRY, CookerKind, Cut, Factor, RestKind, WrapIn, WrapRule
from bruvet.core.twin.explain import Explained, differing, explain
from bruvet.core.twin.forecast import Forecast, forecast
from bruvet.core.twin.learn import learn
from bruvet.core.twin.places import PlaceTold, places_told
from bruvet.records.models import Arm, Cooker, Event, Piece, Trial
from bruvet.web.access import person, units
from bruvet.web.database import db
from bruvet.work.forecasts import cooker_key, lessons_before

from .cases import MOST_CASES, Asked, address_of, forms_in, read, without
from .picture import draw

blueprint = Blueprint("whatif", __name__, template_folder="templates")
View = str | Response | tuple[str, int]
DRAWS = 128
PLACE_DRAWS = 32
FACTORS = {"wrap": Factor.WRAP, "pit": Factor.PIT_TEMPERATURE, "cooker": Factor.COOKER, "cut": Factor.CUT}


@dataclass(frozen=True)
class Answer:
    """A case with what the twin says of it, and how many cooks it has learned from."""

    asked: Asked
    told: Forecast
    cooks: int
    notes: tuple[str, ...]
    places: tuple[PlaceTold, ...]


def _asked() -> list[Asked]:
    own = {f"own-{row.id}": row for row in db().scalars(select(Cooker).order_by(Cooker.name))}
    forms = forms_in(request.values, units())
    do = request.values.get("do", "")
    if do == "add" and len(forms) < MOST_CASES:
        forms = [*forms, dict(forms[-1])]
    elif do.startswith("drop-") and len(forms) > 1 and do[5:].isdigit():
        forms = without(forms, int(do[5:]))
    return [read(number, form, units(), own) for number, form in enumerate(forms, start=1)]


def _answers(asked: list[Asked]) -> list[Answer]:
    lessons = lessons_before(db(), None) if any(one.cooker for one in asked) else []
    out = []
    for one in asked:
        if one.case is None:
            continue
        learned = None
        if one.cooker is not None:
            learned = learn(lessons, cooker_key(one.cooker), one.case.cut)
        told = forecast(one.case, prior=learned.draws(DRAWS) if learned else None, draws=DRAWS)
        places = places_told(one.case, told.draws[:PLACE_DRAWS])
        out.append(Answer(one, told, learned.cooks if learned else 0, _notes(one, told), places))
    return out


def _notes(one: Asked, told: Forecast) -> tuple[str, ...]:
    """Cautions and limits that stand with a case."""
    assert one.case is not None
    shown, found = units(), []
    if told.danger_min is None or told.danger_min > DANGER_LIMIT_MIN:
        found.append(
            f"The middle takes long to pass {shown.temp_text(60)}: an intact piece should pass it within about 4 h."
        )
    if one.case.cut in POULTRY and one.case.until_c < POULTRY_C - 0.01:
        found.append(f"Poultry needs {shown.temp_text(POULTRY_C)}.")
    if told.rest and told.rest.below_hot_min is not None:
        found.append(f"It falls below {shown.temp_text(57)} while it rests: from there a clock of hours runs.")
    if told.reason:
        found.append(told.reason[0].upper() + told.reason[1:] + ".")
    return tuple(found)


@blueprint.get("/what-if")
def show() -> View:
    asked = _asked()
    answers = _answers(asked)
    values = {
        "asked": asked,
        "answers": answers,
        "picture": draw([(a.asked.letter, a.told) for a in answers], units()) if answers else None,
        "address": address_of([one.form for one in asked]),
        "defer": DEFER,
        "fuels": {kind: habit.fuel for kind, habit in HABITS.items()},
    }
    if request.headers.get("HX-Request"):
        return render_template("whatif/answers.html", **values)
    return render_template(
        "whatif/bench.html",
        **values,
        own=list(db().scalars(select(Cooker).order_by(Cooker.name))),
        kinds=CookerKind.choices(),
        cuts=[(cut.value, cut.label) for cut in Cut if cut != Cut.OTHER],
        wraps=[(w.value, w.label) for w in (WrapIn.NONE, WrapIn.FOIL, WrapIn.PAPER, WrapIn.TRAY)],
        rests=[(k.value, k.label) for k in (RestKind.NONE, RestKind.COUNTER, RestKind.BOX, RestKind.HOT_HOLD)],
        most=MOST_CASES,
        planned=_planned_arms(),
    )


@blueprint.get("/what-if/why")
def why() -> View:
    """What each difference between the first case and the others is worth."""
    asked = [one for one in _asked() if one.case is not None]
    found: list[tuple[Asked, Explained]] = []
    for other in asked[1:]:
        first_case, other_case = asked[0].case, other.case
        assert first_case is not None
        assert other_case is not None
        found.append((other, explain(first_case, other_case)))
    return render_template("whatif/why.html", first=asked[0] if asked else None, found=found)


def _planned_arms() -> list[Arm]:
    """Arms of trials that have not begun."""
    begun = exists().where(Event.trial_id == Trial.id)
    trials = db().scalars(
        select(Trial).where(~begun).options(selectinload(Trial.arms)).order_by(Trial.cook_date, Trial.id).limit(20)
    )
    return [arm for trial in trials for arm in trial.arms]


@blueprint.post("/what-if/plan")
def send() -> View:
    """Make a plan of the cases: one goes to an arm of a planned trial, or all become arms of a new one."""
    asked = _asked()
    if any(one.case is None for one in asked):
        flash("A case cannot be read yet; mend it first. Nothing was sent.", "error")
        return redirect(url_for("whatif.show", **address_of([one.form for one in asked])))  # type: ignore[arg-type]
    target = request.form.get("to", "new")
    if target == "new":
        return _new_trial(asked)
    arm = next((a for a in _planned_arms() if target == f"arm-{a.id}"), None)
    chosen = next((one for one in asked if request.form.get("case") == one.letter), None)
    if arm is None or chosen is None:
        abort(404)
    _into_arm(arm, chosen)
    flash(f"Case {chosen.letter} is the plan of arm {arm.letter} now.", "good")
    return redirect(url_for("plan.show", trial_id=arm.trial_id))


def _new_trial(asked: list[Asked]) -> View:
    if len(asked) < 2:
        flash("A trial compares two arms or more: add a case, or send this one to an arm that is planned.", "error")
        return redirect(url_for("whatif.show", **address_of([one.form for one in asked])))  # type: ignore[arg-type]
    first, second = asked[0].case, asked[1].case
    assert first is not None
    assert second is not None
    changed = differing(first, second)
    factor = FACTORS.get(changed[0], Factor.OTHER) if changed else Factor.OTHER
    tz = db().scalar(select(Trial.tz).order_by(Trial.id.desc()).limit(1)) or "UTC"
    trial = Trial(
        title=f"{Cut(first.cut).label}: {' and '.join(changed) or 'two alike'}",
        question=f"What difference does the {' and the '.join(changed) or 'piece'} make?",
        factor=factor,
        factor_other=" and ".join(changed) if factor == Factor.OTHER else "",
        cook_date=datetime.now(ZoneInfo(tz)).date(),
        tz=tz,
        created_by=person().id,
    )
    for one in asked:
        arm = Arm(letter=one.letter, label=_label(one, factor))
        trial.arms.append(arm)
        assert one.case is not None
        arm.pieces.append(Piece(number=1, cut=one.case.cut))
        _into_arm(arm, one)
    db().add(trial)
    db().flush()
    flash("The cases are a plan now; change its title and day as you like.", "good")
    return redirect(url_for("plan.edit", trial_id=trial.id))


def _label(one: Asked, factor: str) -> str:
    assert one.case is not None
    case = one.case
    wrap = case.wraps[0][1] if case.wraps else case.wrap_at_c[1] if case.wrap_at_c else "bare"
    return {
        Factor.WRAP: wrap,
        Factor.PIT_TEMPERATURE: units().temp_text(case.pit_c[0][1]),
        Factor.COOKER: one.cooker.name if one.cooker else CookerKind(case.cooker).label,
        Factor.CUT: Cut(case.cut).label,
    }.get(Factor(factor), "")


def _into_arm(arm: Arm, one: Asked) -> None:
    """Write a case into an arm's plan, and into its first piece where nothing is known of that yet."""
    case = one.case
    assert case is not None
    told = forecast(case, draws=64)
    arm.pit_target_c, arm.done_at_c = round(case.pit_c[0][1], 2), round(case.until_c, 2)
    arm.done_at_min = round(told.done_min.p50) if told.done_min and told.done_min.p50 else None
    arm.wrap_rule, arm.wrap_in, arm.wrap_at_c, arm.wrap_at_min = WrapRule.NEVER.value, "none", None, None
    if case.wraps:
        arm.wrap_rule, arm.wrap_in, arm.wrap_at_min = WrapRule.CLOCK.value, case.wraps[0][1], case.wraps[0][0]
    elif case.wrap_at_c:
        arm.wrap_rule, arm.wrap_in, arm.wrap_at_c = WrapRule.TEMPERATURE.value, case.wrap_at_c[1], case.wrap_at_c[0]
    if one.cooker is not None:
        arm.cooker_id = one.cooker.id
    arm.rest_kind = case.rest.kind if case.rest else RestKind.NONE.value
    arm.rest_min = case.rest.minutes if case.rest else None
    piece = arm.pieces[0]
    piece.cut = case.cut
    piece.trimmed_kg = piece.trimmed_kg or round(case.mass_kg, 3)
    piece.thickness_mm = piece.thickness_mm or case.thickness_mm
    piece.start_c = piece.start_c if piece.start_c is not None else case.start_c
