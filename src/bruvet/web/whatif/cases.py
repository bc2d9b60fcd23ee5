"""The cases of the what-if bench, as fields of an address: read, checked, and written back as they were typed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from bruvet.core.thermal.cuts import CUTS
from bruvet.core.trial.terms import CookerKind, Cut, RestKind, WrapIn
from bruvet.core.twin.case import BadCase, Case, Rest, checked
from bruvet.core.units import Units
from bruvet.records.models import Cooker
from bruvet.web.reader import Reader

MOST_CASES = 4
FT_PER_M = 1 / 0.3048
SPRITZ_FROM_MIN = 120.0
SPRITZ_UNTIL_MIN = 1200.0
TEXTS = (
    *("cut", "mass", "thick", "start", "cooker", "pit", "pit2", "pit2at", "wrap", "wrapt", "wrapat", "spritz", "pan"),
    *("air", "humid", "high", "done", "rest", "restmin"),
)
# Fields of a case, as the twin names them, by the field of the form that a person would mend.
MENDS = {
    **{"mass_kg": "mass", "thickness_mm": "thick", "start_c": "start", "pit_c": "pit", "wraps": "wrapat"},
    **{"wrap_at_c": "wrapt", "air_c": "air", "air_rh": "humid", "altitude_m": "high", "until_c": "done"},
}


@dataclass(frozen=True)
class Asked:
    """One case: its number, what was typed, what it means (None when it cannot be read), and what is wrong where."""

    number: int
    form: dict[str, str]
    case: Case | None
    cooker: Cooker | None
    errors: dict[str, str]

    @property
    def letter(self) -> str:
        """Cases borrow the arms' marks: the same letters, shapes and lines."""
        return "ABCD"[self.number - 1]


def usual(units: Units, cut: str = Cut.PORK_SHOULDER.value) -> dict[str, str]:
    """What a new case begins with."""
    done_c = 96.0 if cut not in ("turkey-breast", "turkey-thigh", "chicken-whole") else 74.0
    return {
        "cut": cut,
        "mass": f"{units.mass_shown(CUTS[cut].usual_kg):.1f}",
        "thick": "",
        "start": f"{units.temp_shown(4.0):.0f}",
        "cooker": "pellet",
        "pit": f"{units.temp_shown(121.1):.0f}",
        "wrap": "none",
        "wrapt": f"{units.temp_shown(73.9):.0f}",
        "air": f"{units.temp_shown(20.0):.0f}",
        "humid": "50",
        "high": "0",
        "done": f"{units.temp_shown(done_c):.0f}",
        "rest": "none",
        "restmin": "60",
    }


def count_in(args: Mapping[str, str]) -> int:
    try:
        asked = int(args.get("cases", "1"))
    except ValueError:
        asked = 1
    return min(max(asked, 1), MOST_CASES)


def forms_in(args: Mapping[str, str], units: Units) -> list[dict[str, str]]:
    """What was typed for each case; a first visit gets two cases that differ by the wrap."""
    if "1-cut" not in args:
        first = usual(units)
        return [first, {**first, "wrap": "foil"}]
    found = [{name: args.get(f"{number}-{name}", "")[:40] for name in TEXTS} for number in range(1, count_in(args) + 1)]
    return [form if form["cut"] else usual(units) for form in found]


def read(number: int, form: dict[str, str], units: Units, own: Mapping[str, Cooker]) -> Asked:
    """The case that a form means; `own` are the person's cookers by the value that stands for them."""
    reader = Reader(form, units)
    cut = reader.choice("cut", "Cut", list(CUTS))
    where = reader.choice("cooker", "Cooker", [*own, *(k.value for k in CookerKind)])
    cooker = own.get(where)
    pit = reader.temp("pit", "Pit")
    if pit is None:
        reader.fail("pit", "Give the pit's temperature.")
    later, later_at = reader.temp("pit2", "Pit later"), reader.span_min("pit2at", "Pit later at")
    if (later is None) != (later_at is None):
        reader.fail("pit2", "Give both: the later pit temperature, and when.")
    wrap = reader.choice("wrap", "Wrap", [w.value for w in WrapIn], "none")
    wrap_c, wrap_min = reader.temp("wrapt", "Wrap at"), reader.span_min("wrapat", "Wrap at")
    every = reader.number("spritz", "Spritz every", 5, 240, "min")
    humid = reader.number("humid", "Humidity", 0, 100, "%")
    feet = units.temp == "f"
    high = reader.number("high", "Altitude", -1400 if feet else -430, 16400 if feet else 5000, "ft" if feet else "m")
    rest = reader.choice("rest", "Rest", [k.value for k in RestKind], "none")
    rest_min = reader.span_min("restmin", "Rest for", 1440)
    mass = reader.mass("mass", "Weight")
    steps: tuple[tuple[float, float], ...] = ((0.0, pit or 121.0),)
    if later is not None and later_at is not None:
        steps = (*steps, (later_at, later))
    wraps: tuple[tuple[float, str], ...] = ()
    wrap_at_c: tuple[float, str] | None = None
    if wrap != "none":
        if wrap_min is not None:
            wraps = ((wrap_min, wrap),)
        elif wrap_c is not None:
            wrap_at_c = (wrap_c, wrap)
        else:
            reader.fail("wrapt", "Say when it is wrapped: at a temperature or at a time.")
    start, air, done = reader.temp("start", "Start"), reader.temp("air", "Outside air"), reader.temp("done", "Done at")
    case = Case(
        cut=cut,
        mass_kg=mass or CUTS[cut].usual_kg,
        cooker=cooker.kind if cooker else where if where in {k.value for k in CookerKind} else "pellet",
        thickness_mm=reader.length("thick", "Thickness"),
        start_c=4.0 if start is None else start,
        pit_c=steps,
        wraps=wraps,
        wrap_at_c=wrap_at_c,
        spritz_min=_every(every),
        rest=Rest(rest, rest_min or 60.0) if rest in ("counter", "box", "hot-hold") else None,  # type: ignore[arg-type]
        air_c=20.0 if air is None else air,
        air_rh=0.5 if humid is None else humid / 100,
        altitude_m=(high or 0.0) / (FT_PER_M if feet else 1.0),
        water_pan=reader.flag("pan"),
        until_c=95.0 if done is None else done,
    )
    try:
        checked(case)
    except BadCase as error:
        field = error.field.partition("[")[0]
        reader.fail(MENDS.get(field, field), f"{error.message[:1].upper()}{error.message[1:]}.")
    return Asked(number, form, None if reader.errors else case, cooker, reader.errors)


def _every(minutes: float | None) -> tuple[float, ...]:
    if minutes is None:
        return ()
    count = int((SPRITZ_UNTIL_MIN - SPRITZ_FROM_MIN) / minutes)
    return tuple(SPRITZ_FROM_MIN + minutes * i for i in range(count))


def without(forms: list[dict[str, str]], number: int) -> list[dict[str, str]]:
    return [form for place, form in enumerate(forms, start=1) if place != number]


def address_of(forms: list[dict[str, str]]) -> dict[str, str]:
    """The same cases as fields of an address."""
    fields = {"cases": str(len(forms))}
    for number, form in enumerate(forms, start=1):
        fields |= {f"{number}-{name}": value for name, value in form.items() if value}
    return fields
