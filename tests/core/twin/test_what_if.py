"""What if, and why: other courses from a moment on; differences that add up."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bruvet.core.twin.case import BadCase, Case, Rest, checked
from bruvet.core.twin.draws import standard
from bruvet.core.twin.explain import differing, explain
from bruvet.core.twin.forecast import forecast
from bruvet.core.twin.places import places_told
from bruvet.core.twin.whatif import Option, taken, what_if

SHOULDER = Case("pork-shoulder", 3.6, "drum", pit_c=((0.0, 118.0),), until_c=93.0)


def middles(case: Case, now: float, *options: Option) -> list[float]:
    tried = what_if(case, standard(64), now, options)
    return [one.told.done_min.p50 if one.told.done_min else np.inf for one in tried]


def test_foil_now_is_sooner_than_paper_now_and_both_sooner_than_bare() -> None:
    foil, paper, later, bare = middles(
        SHOULDER, 300.0, Option("foil now", "foil"), Option("paper now", "paper"),
        Option("foil at 80 °C", "foil", 80.0), Option("as it is"),
    )  # fmt: skip
    assert foil < paper < bare
    assert foil < later < bare


def test_a_hotter_pit_is_sooner_and_a_cooler_later() -> None:
    up, stay, down = middles(SHOULDER, 240.0, Option("up", pit_c=135.0), Option("stay"), Option("down", pit_c=107.0))
    assert up < stay < down


def test_going_on_as_it_is_is_the_plain_forecast() -> None:
    (gone_on,) = middles(SHOULDER, 240.0, Option("stay"))
    plain = forecast(SHOULDER, prior=standard(64)).done_min
    assert plain is not None
    assert gone_on == pytest.approx(plain.p50, rel=0.03)


def test_moving_to_another_cooker_changes_what_comes_not_what_was() -> None:
    (moved,) = what_if(SHOULDER, standard(32), 240.0, [Option("to the offset", cooker="offset")])
    (stayed,) = what_if(SHOULDER, standard(32), 240.0, [Option("stay")])
    early = moved.told.t_min < 200
    count = early.sum()
    np.testing.assert_allclose(moved.told.typical_c[:count], stayed.told.typical_c[:count], atol=0.05)
    assert moved.told.done_min != stayed.told.done_min


def test_an_option_replaces_what_was_planned_of_the_same_thing() -> None:
    planned = replace(SHOULDER, wraps=((100.0, "paper"), (400.0, "foil")), wrap_at_c=(74.0, "foil"))
    assert taken(planned, Option("bare", "none"), 300.0).wraps == ((100.0, "paper"), (300.0, "none"))
    assert taken(planned, Option("bare", "none"), 300.0).wrap_at_c is None
    assert taken(planned, Option("nothing"), 300.0) == planned


def test_the_parts_of_a_difference_add_up() -> None:
    second = replace(SHOULDER, mass_kg=4.2, pit_c=((0.0, 125.0),), wraps=((300.0, "foil"),), start_c=8.0)
    found = explain(SHOULDER, second, observed_min=-60.0)
    assert {part.what for part in found.parts} == {"weight and thickness", "pit", "wrap", "start temperature"}
    assert sum(part.minutes for part in found.parts) == pytest.approx(found.modelled_min, abs=1e-6)
    worth = {part.what: part.minutes for part in found.parts}
    assert worth["weight and thickness"] > 0 > worth["pit"]
    assert worth["wrap"] < 0
    assert found.unexplained_min == pytest.approx(-60.0 - found.modelled_min)


def test_equal_cooks_have_nothing_to_explain() -> None:
    found = explain(SHOULDER, SHOULDER, observed_min=25.0)
    assert found.parts == ()
    assert found.modelled_min == 0
    assert found.unexplained_min == 25.0
    assert differing(SHOULDER, replace(SHOULDER, until_c=90.0)) == ["done temperature"]


@settings(max_examples=10, deadline=None)
@given(kg=st.floats(2.5, 5), pit=st.floats(110, 140), start=st.floats(1, 12))
def test_swapping_the_two_cooks_turns_every_sign(kg: float, pit: float, start: float) -> None:
    second = replace(SHOULDER, mass_kg=kg, pit_c=((0.0, pit),), start_c=start)
    there, back = explain(SHOULDER, second), explain(second, SHOULDER)
    assert there.modelled_min == pytest.approx(-back.modelled_min, abs=1e-6)
    worth = {part.what: part.minutes for part in back.parts}
    for part in there.parts:
        assert part.minutes == pytest.approx(-worth[part.what], abs=1e-6)


def test_the_same_case_has_the_same_answer_again() -> None:
    one, two = forecast(SHOULDER, draws=64), forecast(SHOULDER, draws=64)
    np.testing.assert_array_equal(one.p50_c, two.p50_c)


def test_a_water_pan_humid_air_and_altitude_do_what_they_do() -> None:
    """A damper cooker warms raw meat sooner and stalls it hotter; high up, water boils cooler (common practice, no source)."""
    plain = forecast(SHOULDER, draws=32)
    damp = forecast(replace(SHOULDER, water_pan=True), draws=32)
    assert plain.stall is not None
    assert damp.stall is not None
    assert damp.stall.temp_c > plain.stall.temp_c
    high = forecast(replace(SHOULDER, altitude_m=2500.0, until_c=92.0, wraps=((300.0, "foil"),)), draws=32)
    assert high.p90_c.max() < 95


def test_an_opened_lid_and_spritzing_cost_time() -> None:
    plain = forecast(SHOULDER, draws=32).done_min
    fussed = forecast(
        replace(SHOULDER, lid_min=tuple(range(60, 421, 30)), spritz_min=tuple(range(60, 421, 30))), draws=32
    ).done_min
    assert plain is not None
    assert fussed is not None
    assert plain.p50 is not None
    assert fussed.p50 is not None
    assert plain.p50 + 10 < fussed.p50 < plain.p50 * 1.5


def test_a_box_keeps_a_shoulder_hot_and_a_counter_does_not() -> None:
    box, counter = (forecast(replace(SHOULDER, rest=Rest(kind, 180.0)), draws=32).rest for kind in ("box", "counter"))
    assert box is not None
    assert counter is not None
    assert box.end_c.p50 is not None
    assert counter.end_c.p50 is not None
    assert box.end_c.p50 > counter.end_c.p50 + 8


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"cut": "yak"}, "cut"), ({"mass_kg": 0.0}, "mass_kg"), ({"mass_kg": float("nan")}, "mass_kg"),
        ({"thickness_mm": 2.0}, "thickness_mm"), ({"pit_c": ()}, "pit_c"), ({"until_c": 3.0}, "until_c"),
        ({"wraps": ((5.0, "silk"),)}, "wraps[0]"), ({"readings": ((9.0, 4.0), (3.0, 5.0))}, "readings[1]"),
    ],
)  # fmt: skip
def test_a_case_that_cannot_be_computed_names_its_field(change: dict[str, object], field: str) -> None:
    with pytest.raises(BadCase) as caught:
        checked(replace(SHOULDER, **change))
    assert caught.value.field == field


def test_many_differences_are_told_in_few_parts_that_still_add_up() -> None:
    second = replace(
        SHOULDER, mass_kg=4.0, pit_c=((0.0, 124.0),), wraps=((300.0, "foil"),), start_c=9.0, cooker="pellet",
        lid_min=(100.0, 200.0), until_c=90.0, air_c=5.0,
    )  # fmt: skip
    found = explain(SHOULDER, second)
    assert len(found.parts) == 5
    assert sum(part.minutes for part in found.parts) == pytest.approx(found.modelled_min, abs=1e-6)
    assert any("start temperature" in part.what and "done temperature" in part.what for part in found.parts)


def test_a_thin_end_is_ahead_and_the_bone_side_behind() -> None:
    """A thin end is done an hour before a thick one; parts differ by 10 to 30 °F (common practice, no source)."""
    places = {one.place: one for one in places_told(SHOULDER, standard(32))}
    middle = forecast(SHOULDER, draws=32).done_min
    assert middle is not None
    assert middle.p50 is not None
    thin, bone = places["thin end"], places["by the bone"]
    assert thin.done_min.p50 is not None
    assert thin.done_min.p50 < middle.p50 - 45
    assert thin.then_c.p50 is not None
    assert bone.then_c.p50 is not None
    assert bone.then_c.p50 < SHOULDER.until_c < thin.then_c.p50


def test_meat_on_later_is_done_that_much_later_and_only_before_it_is_on() -> None:
    stay, later = what_if(SHOULDER, standard(16), 0.0, [Option("stay"), Option("an hour later", later_min=60.0)])
    assert stay.done_min is not None
    assert later.done_min is not None
    assert stay.done_min.p50 is not None
    assert later.done_min.p50 == stay.done_min.p50 + 60.0
    with pytest.raises(ValueError, match="cannot go on later"):
        what_if(SHOULDER, standard(16), 30.0, [Option("too late", later_min=60.0)])
