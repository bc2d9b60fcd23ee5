"""One cook as a JSON object, and the twin's answer as another: what `./bruvet twin` reads and prints."""

from __future__ import annotations

import json
import math
from typing import Any

from bruvet.core.safety import DANGER_LIMIT_MIN, DEFER
from bruvet.core.twin.case import BadCase, Case, Rest, checked
from bruvet.core.twin.forecast import Band, Forecast

FIELDS = (
    *("cut", "mass_kg", "thickness_mm", "start_c", "cooker", "pit_c", "wraps", "wrap_at_c", "spritz_min", "lid_min"),
    *("rest", "air_c", "air_rh", "altitude_m", "water_pan", "until_c", "at_min", "readings"),
)
MOST_ROWS = 20_000


def read_cook(content: bytes) -> tuple[Case, tuple[float, ...]]:
    """A case and the minutes asked for, from the text of a JSON object.

    Raises
    ------
    BadCase
        Naming the field that is wrong and what is allowed there.
    """
    try:
        given = json.loads(content.decode("utf-8-sig"))
    except UnicodeDecodeError:
        raise BadCase("file", "not UTF-8 text") from None
    except (json.JSONDecodeError, RecursionError, ValueError) as error:
        raise BadCase("file", f"not JSON: {error}") from None
    if not isinstance(given, dict):
        raise BadCase("file", 'not one JSON object; give one like {"cut": "pork-collar", "mass_kg": 2.0}')
    unknown = [name for name in given if name not in FIELDS]
    if unknown:
        raise BadCase(str(unknown[0])[:40], f"no such field; allowed are {', '.join(FIELDS)}")
    known = {name: value for name, value in given.items() if value is not None}
    for name in ("cut", "mass_kg"):
        if name not in known:
            raise BadCase(name, "missing; it has no default")
    usual = Case("pork-shoulder", 1.0)
    case = Case(
        cut=_word("cut", known["cut"]),
        mass_kg=_number("mass_kg", known["mass_kg"]),
        cooker=_word("cooker", known.get("cooker", usual.cooker)),
        thickness_mm=_number("thickness_mm", known["thickness_mm"]) if "thickness_mm" in known else None,
        start_c=_number("start_c", known.get("start_c", usual.start_c)),
        pit_c=_pit(known.get("pit_c", [list(step) for step in usual.pit_c])),
        wraps=_wraps(known.get("wraps", [])),
        wrap_at_c=_wrap_at(known["wrap_at_c"]) if "wrap_at_c" in known else None,
        spritz_min=_numbers("spritz_min", known.get("spritz_min", [])),
        lid_min=_numbers("lid_min", known.get("lid_min", [])),
        rest=_rest(known["rest"]) if "rest" in known else None,
        air_c=_number("air_c", known.get("air_c", usual.air_c)),
        air_rh=_number("air_rh", known.get("air_rh", usual.air_rh)),
        altitude_m=_number("altitude_m", known.get("altitude_m", usual.altitude_m)),
        water_pan=_yes("water_pan", known.get("water_pan", False)),
        until_c=_number("until_c", known.get("until_c", usual.until_c)),
        readings=_pairs("readings", known.get("readings", [])),
    )
    asked = _numbers("at_min", known.get("at_min", []))
    for number, at in enumerate(asked):
        if not 0 <= at <= 2400:
            raise BadCase(f"at_min[{number}]", f"{at:g} is out of range; allowed are 0 to 2400 minutes since meat on")
    return checked(case), asked


def answer(case: Case, told: Forecast, at_min: tuple[float, ...]) -> dict[str, Any]:
    """The forecast as one JSON object; times in minutes since meat on, temperatures in °C."""
    rows = {float(minute): row for row, minute in enumerate(told.t_min)}
    out: dict[str, Any] = {
        "at": [
            {
                "min": _tidy(minute),
                "p10_c": _tidy(told.p10_c[rows[minute]]),
                "p50_c": _tidy(told.p50_c[rows[minute]]),
                "p90_c": _tidy(told.p90_c[rows[minute]]),
            }
            for minute in at_min
        ],
        "done_min": _band(told.done_min) if told.done_min else None,
        "stall": {
            "onset_min": _tidy(told.stall.onset_min),
            "end_min": _tidy(told.stall.end_min),
            "temp_c": _tidy(told.stall.temp_c),
        }
        if told.stall
        else None,
        "yield": _band(told.yield_share, 3),
        "fuel_kg": _band(told.fuel_kg, 2),
        "danger_zone_min": _tidy(told.danger_min),
    }
    if told.reason:
        out["reason"] = told.reason
    if told.rest:
        out["rest"] = {
            "peak_c": _band(told.rest.peak_c),
            "end_c": _band(told.rest.end_c),
            "below_57_c_after_min": _tidy(told.rest.below_hot_min),
        }
    if told.danger_min is None or told.danger_min > DANGER_LIMIT_MIN:
        out["caution"] = f"The middle is slow to pass 60 °C; an intact piece should pass it within about 4 h. {DEFER}"
    return out


def _band(found: Band, digits: int = 1) -> dict[str, float | None]:
    return {"p10": _tidy(found.p10, digits), "p50": _tidy(found.p50, digits), "p90": _tidy(found.p90, digits)}


def _tidy(value: float | None, digits: int = 1) -> float | None:
    return None if value is None else round(float(value), digits)


def _number(field: str, value: object) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise BadCase(field, f"{_shown(value)} is not a number")
    try:
        found = float(value)
    except OverflowError:
        found = math.inf
    if not math.isfinite(found):
        raise BadCase(field, f"{_shown(value)} is not a finite number")
    return found


def _word(field: str, value: object) -> str:
    if not isinstance(value, str):
        raise BadCase(field, f"{_shown(value)} is not a word in quotes")
    return value


def _yes(field: str, value: object) -> bool:
    if not isinstance(value, bool):
        raise BadCase(field, f"{_shown(value)} is not true or false")
    return value


def _list(field: str, value: object, like: str) -> list[Any]:
    if not isinstance(value, list):
        raise BadCase(field, f"{_shown(value)} is not a list; give one like {like}")
    if len(value) > MOST_ROWS:
        raise BadCase(field, f"{len(value)} entries; at most {MOST_ROWS} are taken")
    return value


def _numbers(field: str, value: object) -> tuple[float, ...]:
    return tuple(_number(f"{field}[{i}]", one) for i, one in enumerate(_list(field, value, "[60, 120]")))


def _pair(field: str, value: object, like: str) -> list[Any]:
    if not isinstance(value, list) or len(value) != 2:
        raise BadCase(field, f"{_shown(value)} is not a pair; give one like {like}")
    return value


def _pairs(field: str, value: object) -> tuple[tuple[float, float], ...]:
    rows = [_pair(f"{field}[{i}]", one, "[60, 18.5]") for i, one in enumerate(_list(field, value, "[[60, 18.5]]"))]
    return tuple((_number(f"{field}[{i}]", a), _number(f"{field}[{i}]", b)) for i, (a, b) in enumerate(rows))


def _pit(value: object) -> tuple[tuple[float, float], ...]:
    if isinstance(value, int | float) and not isinstance(value, bool):
        return ((0.0, _number("pit_c", value)),)
    return _pairs("pit_c", value)


def _wraps(value: object) -> tuple[tuple[float, str], ...]:
    rows = [
        _pair(f"wraps[{i}]", one, '[540, "paper"]') for i, one in enumerate(_list("wraps", value, '[[540, "foil"]]'))
    ]
    return tuple((_number(f"wraps[{i}]", a), _word(f"wraps[{i}]", b)) for i, (a, b) in enumerate(rows))


def _wrap_at(value: object) -> tuple[float, str]:
    temp, wrap = _pair("wrap_at_c", value, '[74, "foil"]')
    return _number("wrap_at_c", temp), _word("wrap_at_c", wrap)


def _rest(value: object) -> Rest:
    if isinstance(value, str):
        value = {"kind": value}
    if not isinstance(value, dict):
        raise BadCase("rest", f'{_shown(value)} is not a rest; give one like {{"kind": "box", "minutes": 60}}')
    for name in value:
        if name not in ("kind", "minutes", "hold_c"):
            raise BadCase(f"rest.{str(name)[:40]}", "no such field; allowed are kind, minutes, hold_c")
    kind = _word("rest.kind", value.get("kind", "box"))
    minutes = _number("rest.minutes", value.get("minutes", 60))
    return Rest(kind, minutes, _number("rest.hold_c", value.get("hold_c", 66)))  # type: ignore[arg-type]


def _shown(value: object) -> str:
    text = json.dumps(value, ensure_ascii=False, default=str)
    return text if len(text) < 60 else text[:57] + "…"
