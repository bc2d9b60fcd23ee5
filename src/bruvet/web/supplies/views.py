"""Quantities: rub, wrap, fuel and the rest for a trial's pieces, a shopping list, and what a serving costs."""

from __future__ import annotations

import csv
import io
from datetime import UTC, datetime

from flask import Blueprint, flash, redirect, request, url_for
from werkzeug.wrappers import Response

from bruvet.core.quantities import INJECTION_SHARE, RUB_G_DM2, SERVING_G, Bought
from bruvet.core.units import KG_PER_LB, Units
from bruvet.records.models import Trial
from bruvet.web.access import units
from bruvet.web.database import db, trial_or_404
from bruvet.web.reader import Reader
from bruvet.web.trial_page import trial_page
from bruvet.work.supplies import Supplies, supplies_of

blueprint = Blueprint("supplies", __name__, template_folder="templates")
View = str | Response | tuple[str, int]


def price_unit(bought: Bought) -> str:
    """What a price is for: weights in the person's own unit."""
    return {"g": units().mass, "ml": "litre", "mm": "metre"}[bought.unit]


def _price_shown(what: str, a_kg: float, weights: set[str]) -> str:
    return f"{a_kg * KG_PER_LB if what in weights and units().mass == 'lb' else a_kg:.4g}"


def amount(bought: Bought, shows: Units) -> str:
    """An amount as it is bought: by the gram, kilogram or pound, millilitre or litre, metre."""
    if bought.unit == "g" and bought.amount >= 250 and shows.mass == "lb":
        return shows.mass_text(bought.amount / 1000)
    if bought.unit == "mm":
        return f"{bought.amount / 1000:.1f} m"
    whole = {"g": "kg", "ml": "l"}[bought.unit]
    if bought.amount >= 1000:
        return f"{bought.amount / 1000:.2f} {whole}"
    return f"{bought.amount:.0f} {bought.unit}"


def _form_of(trial: Trial, supplies: Supplies) -> dict[str, str]:
    said = trial.supplies
    weights = {bought.what for bought in supplies.bought if bought.unit == "g"}
    return {
        "measured": said.get("measured", "volume"),
        "rub_g_dm2": f"{said.get('rub_g_dm2', RUB_G_DM2):g}",
        "injection": f"{100 * said.get('injection_share', INJECTION_SHARE):g}",
        "serving": f"{said.get('serving_g', SERVING_G):g}",
        "spritz_with": said.get("spritz_with", ""),
        "currency": said.get("currency", ""),
        **{f"price:{what}": _price_shown(what, price, weights) for what, price in said.get("prices", {}).items()},
    }


def _page(trial: Trial, supplies: Supplies, form: dict[str, str], errors: dict[str, str]) -> View:
    page = trial_page(
        "supplies/show.html",
        trial,
        form=form,
        errors=errors,
        supplies=supplies,
        amount=amount,
        price_unit=price_unit,
        currency=trial.supplies.get("currency", ""),
    )
    return page, 422 if errors else 200


@blueprint.get("/trials/<int:trial_id>/quantities")
def show(trial_id: int) -> View:
    trial = trial_or_404(trial_id)
    supplies = supplies_of(db(), trial, datetime.now(UTC))
    return _page(trial, supplies, _form_of(trial, supplies), {})


@blueprint.post("/trials/<int:trial_id>/quantities")
def save(trial_id: int) -> View:
    trial = trial_or_404(trial_id)
    reader = Reader(request.form, units())
    kept = {
        "measured": reader.choice("measured", "How parts are measured", ["volume", "weight"], "volume"),
        "rub_g_dm2": reader.number("rub_g_dm2", "Rub", 0, 50, "g/dm²"),
        "serving_g": reader.number("serving", "A serving", 10, 2000, "g"),
        "spritz_with": reader.text("spritz_with", "The spritz", 80),
        "currency": reader.text("currency", "The currency", 8),
    }
    injection = reader.number("injection", "Injection", 0, 40, "%")
    prices = {}
    supplies = supplies_of(db(), trial, datetime.now(UTC))
    for bought in supplies.bought:
        price = reader.number(f"price:{bought.what}", f"The price of {bought.what}", 0, 100000)
        if price is not None:
            a_pound = bought.unit == "g" and units().mass == "lb"
            prices[bought.what] = price / KG_PER_LB if a_pound else price
    if reader.errors:
        return _page(trial, supplies, request.form.to_dict(), reader.errors)
    trial.supplies = {name: value for name, value in kept.items() if value is not None} | {"prices": prices}
    if injection is not None:
        trial.supplies = trial.supplies | {"injection_share": injection / 100}
    db().flush()
    flash("The quantities are worked out anew.", "good")
    return redirect(url_for("supplies.show", trial_id=trial.id))


@blueprint.get("/trials/<int:trial_id>/quantities.csv")
def as_csv(trial_id: int) -> View:
    trial = trial_or_404(trial_id)
    sink = io.StringIO()
    writer = csv.writer(sink)
    writer.writerow(["what", "amount", "unit", "cost"])
    for line in supplies_of(db(), trial, datetime.now(UTC)).bought:
        writer.writerow([line.what, f"{line.amount:.1f}", line.unit, "" if line.cost is None else f"{line.cost:.2f}"])
    named = {"Content-Disposition": f'attachment; filename="shopping-{trial.id}.csv"'}
    return Response(sink.getvalue(), mimetype="text/csv", headers=named)
