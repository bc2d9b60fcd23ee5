"""How values are shown: units of the person, the trial's own time zone, dashes with their reason."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo, available_timezones

from flask import Flask, g, request, url_for
from markupsafe import Markup, escape

from bruvet.core.curves.measures import Figure
from bruvet.core.trial import terms
from bruvet.core.units import KG_PER_LB, span_text, span_words
from bruvet.work.analysis import arm_name, factor_label, term

from .access import units

# Each step: where it leads, its name, and the blueprints whose pages belong to it.
STEPS = (
    ("plan.show", "Plan", ("plan", "ledger", "lots", "supplies", "protocols")),
    ("day.show", "Day", ("day",)),
    ("board.show", "Board", ("board",)),
    ("logs.files", "Logs", ("logs", "stations")),
    ("cook.record", "Record", ("cook",)),
    ("curves.show", "Curves", ("curves",)),
    ("taste.show", "Tasting", ("taste", "panel", "cutting")),
    ("verdict.show", "Verdict", ("verdict",)),
)
PLAN_PARTS = (
    ("plan.show", "Protocol"),
    ("ledger.show", "Ledger"),
    ("lots.show", "Lots and labels"),
    ("ledger.how_many", "How many"),
    ("supplies.show", "Quantities"),
)


def icon(name: str) -> Markup:
    """An icon of the shipped sprite, for the eye only."""
    address = url_for("static", filename="vendor/icons.svg")
    return Markup('<svg class="icon" aria-hidden="true"><use href="{}#{}"></use></svg>').format(address, name)


def arm_mark(letter: str) -> Markup:
    """An arm's letter in its marker shape."""
    return Markup(
        '<span class="arm-mark arm-{}"><svg viewBox="0 0 24 24" aria-hidden="true">{}</svg><b>{}</b></span>'
    ).format(letter, Markup(MARKERS[terms.ARM_LOOKS[letter].marker]), letter)


MARKERS = {
    "disc": '<circle cx="12" cy="12" r="10.5"/>',
    "square": '<rect x="2" y="2" width="20" height="20"/>',
    "triangle": '<path d="M12 0 L24 23 H0 Z"/>',
    "diamond": '<path d="M12 0 L24 12 L12 24 L0 12 Z"/>',
    "cross": '<path d="M7 1h10v6h6v10h-6v6H7v-6H1V7h6z"/>',
    "hexagon": '<path d="M6 1.5h12l6 10.5-6 10.5H6L0 12z"/>',
    "wedge": '<path d="M0 2.5h24L12 23.5z"/>',
    "pill": '<rect x="0" y="5" width="24" height="14" rx="7"/>',
}


def clock(at: datetime | None, tz: str, with_day: bool = False) -> str:
    if at is None:
        return "–"
    local = at.astimezone(ZoneInfo(tz))
    return local.strftime("%a %d %b %H:%M" if with_day else "%H:%M")


def day_word(at: datetime, tz: str) -> str:
    return f"{at.astimezone(ZoneInfo(tz)):%a %d}"


def figure(value: Figure, kind: str) -> Markup:
    """A figure in its unit, or a dash that says why."""
    if value.value is None:
        return Markup('<span class="unknown" title="{0}">–<span class="visually-hidden"> {0}</span></span>').format(
            value.reason
        )
    return Markup(escape(number(value.value, kind)))


def lower_first(text: str) -> str:
    """A value within a sentence: `Foil` becomes `foil`, `°F` and names in capitals stay."""
    return text[:1].lower() + text[1:] if text[1:2].islower() else text


def number(value: float, kind: str) -> str:
    shown = units()
    match kind:
        case "span":
            return span_text(value)
        case "temp":
            return shown.temp_text(value)
        case "step":
            return shown.step_text(value)
        case "share":
            return f"{value:.0%}"
        case "count":
            return f"{value:.0f}".replace("-", "−")
        case "score":
            return f"{value:.1f}"
        case "mm":
            return f"{value:.0f} mm"
        case "rate":
            return f"{shown.step_text(value)}/h"
        case "heat":
            return f"{shown.step_text(value)}·h"
        case "mass":
            return shown.mass_text(value)
        case "money":
            return f"{value:.2f}".replace("-", "−")
        case "per-mass":
            per_lb = shown.mass == "lb"
            return f"{value * KG_PER_LB if per_lb else value:.0f} min/{shown.mass}".replace("-", "−")
    raise ValueError(kind)


def signed_span(minutes: float | None) -> str:
    """Minutes as hours and minutes with their sign."""
    if minutes is None:
        return "open"
    return f"{'+' if minutes > 0 else '−' if round(minutes) else ''}{span_text(abs(minutes))}"


def zones() -> list[str]:
    named = {zone for zone in available_timezones() if "/" in zone and not zone.startswith(("Etc/", "SystemV/"))}
    return [*sorted(named), "UTC"]


def attach(app: Flask) -> None:
    app.jinja_env.globals.update(
        icon=icon,
        arm_mark=arm_mark,
        arm_name=arm_name,
        factor_label=factor_label,
        figure=figure,
        terms=terms,
        term=term,
        steps=STEPS,
        plan_parts=PLAN_PARTS,
        span_words=span_words,
        zones=zones,
        letter_choices=lambda letters: [(letter, letter) for letter in letters],
    )
    app.jinja_env.filters.update(
        span=span_text, clock=clock, day_word=day_word, lower_first=lower_first, signed=signed_span
    )
    app.jinja_env.trim_blocks = True
    app.jinja_env.lstrip_blocks = True

    @app.context_processor
    def common() -> dict[str, Any]:
        person = getattr(g, "person", None)
        theme = person.theme if person else request.cookies.get("theme", "day")
        return {"me": person, "units": units(), "theme": "night" if theme == "night" else "day"}
