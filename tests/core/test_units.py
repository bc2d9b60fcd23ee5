"""Units against pint (the PyPI units library), and the difference between a temperature and a difference."""

import pint
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bruvet.core.units import Units, c_from_f, f_from_c, span_text, span_words, step_c_from_f, step_f_from_c

registry = pint.UnitRegistry()
temps = st.floats(-50, 500)


@given(temps)
def test_temperatures_agree_with_the_units_library(value: float) -> None:
    assert f_from_c(value) == pytest.approx(registry.Quantity(value, "degC").to("degF").magnitude, abs=1e-9)
    assert c_from_f(value) == pytest.approx(registry.Quantity(value, "degF").to("degC").magnitude, abs=1e-9)


@given(temps)
def test_a_difference_is_not_converted_as_a_temperature(value: float) -> None:
    assert step_f_from_c(value) == pytest.approx(registry.Quantity(value, "delta_degC").to("delta_degF").magnitude)
    assert step_c_from_f(step_f_from_c(value)) == pytest.approx(value)


@given(st.floats(0.01, 100))
def test_masses_and_lengths_agree_with_the_units_library(value: float) -> None:
    shown = Units("f", "lb")
    assert shown.mass_shown(value) == pytest.approx(registry.Quantity(value, "kg").to("lb").magnitude)
    assert shown.length_shown(value) == pytest.approx(registry.Quantity(value, "mm").to("inch").magnitude)
    assert shown.mass_stored(shown.mass_shown(value)) == pytest.approx(value)


def test_words_for_values() -> None:
    assert Units("f", "lb").temp_text(93.333) == "200 °F"
    assert Units("c", "kg").temp_text(-0.2) == "0 °C"
    assert Units("f", "lb").step_text(10) == "18 °F"
    assert Units("c", "kg").mass_text(None) == "–"
    assert [span_text(x) for x in (0, 59.6, 185, -75, None)] == ["0:00", "1:00", "3:05", "−1:15", "–"]
    assert [span_words(x) for x in (45, 120, 200)] == ["45 min", "2 h", "3 h 20 min"]
