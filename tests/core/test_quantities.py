"""Quantities: rubs as they are told, shares that add up, wrap that goes round, costs that can be checked by hand."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bruvet.core.quantities import (
    DENSITY,
    BadParts,
    Body,
    Need,
    body_of,
    costs,
    density,
    read_parts,
    rub_g,
    share_of,
    shopping,
    wrap_mm,
)
from bruvet.core.thermal.cuts import CUTS


@pytest.mark.parametrize(
    ("text", "names", "parts"),
    [
        ("2 pepper, 1 salt, ½ garlic", ["pepper", "salt", "garlic"], [2, 1, 0.5]),
        ("2 pepper : 1 salt : ½ garlic", ["pepper", "salt", "garlic"], [2, 1, 0.5]),
        ("salt:pepper 70:30", ["salt", "pepper"], [70, 30]),
        ("pepper:salt 1:1", ["pepper", "salt"], [1, 1]),
        ("Harbour mix: 3 parts pepper; 1 1/2 of salt", ["pepper", "salt"], [3, 1.5]),
        ("1½ brown sugar + 1/4 cayenne", ["brown sugar", "cayenne"], [1.5, 0.25]),
    ],
)
def test_rubs_are_read_as_people_tell_them(text, names, parts) -> None:
    """The brief's ways of giving a rub (common practice, no source)."""
    found = read_parts(text, "weight")
    assert [part.name for part in found] == names
    assert [part.parts for part in found] == pytest.approx(parts)
    assert [part.share for part in found] == pytest.approx([p / sum(parts) for p in parts])


def test_parts_by_volume_weigh_by_their_density() -> None:
    """One part each of salt and pepper is more than two thirds salt by weight: 1.2 against 0.5 g/ml."""
    salt, pepper = read_parts("1 salt, 1 pepper", "volume")
    assert salt.share == pytest.approx(1.2 / 1.7)
    assert pepper.share == pytest.approx(0.5 / 1.7)
    assert density("coarse black pepper") == DENSITY["pepper"]
    assert density("coarse pepper") == DENSITY["coarse pepper"]
    assert density("dust of nothing known") == 0.5


@given(
    st.lists(
        st.tuples(st.sampled_from(sorted(DENSITY)), st.integers(1, 40)),
        min_size=1,
        max_size=8,
        unique_by=lambda x: x[0],
    )
)
def test_shares_add_up_to_the_whole(entries) -> None:
    text = ", ".join(f"{count} {name}" for name, count in entries)
    for measured in ("volume", "weight"):
        assert sum(part.share for part in read_parts(text, measured)) == pytest.approx(1.0)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "Write the rub as parts"), ("salt and pepper", "needs a number of parts"), ("1 salt, pepper", "'pepper' needs a number"),
        ("0 salt", "out of range"), ("1/0 salt", "no number of parts"), ("salt:pepper 1:2:3", "2 names and 3 numbers"),
        ("9999999 salt", "out of range"), (", ".join(f"1 x{i}" for i in range(30)), "20 ingredients at most"),
    ],
)  # fmt: skip
def test_a_rub_that_cannot_be_read_says_where(text, says) -> None:
    with pytest.raises(BadParts, match=says):
        read_parts(text, "volume")


def test_salt_and_sugar_are_found_under_their_names() -> None:
    parts = read_parts("1 flaked salt, 2 brown sugar, 1 pepper", "weight")
    assert share_of(parts, "salt") == pytest.approx(0.25)
    assert share_of(parts, "sugar") == pytest.approx(0.5)
    assert share_of(parts, "garlic") == 0


@pytest.mark.parametrize("cut", sorted(CUTS))
def test_a_pieces_box_holds_its_weight(cut: str) -> None:
    """Raw meat weighs about 1.06 kg/l (value from memory)."""
    kg = CUTS[cut].usual_kg
    body = body_of(cut, kg)
    assert body.length * body.width * body.thick * 1.06e-6 == pytest.approx(kg)
    assert body.length >= body.width
    assert body_of(cut, 2 * kg).surface_dm2 > body.surface_dm2


def test_rub_and_wrap_of_a_box_by_hand() -> None:
    """A 300 x 200 x 100 mm box: surface 22 dm²; girth 600 mm, 150 over, twice: 1.5 m of foil."""
    body = Body(300, 200, 100)
    assert body.surface_dm2 == pytest.approx(22.0)
    assert rub_g(body.surface_dm2, 5.0) == pytest.approx(110.0)
    assert wrap_mm(body, "foil") == pytest.approx(1500.0)
    assert wrap_mm(Body(500, 200, 100), "foil") == pytest.approx(3000.0), "too long for one sheet's width"
    assert wrap_mm(body, "none") == 0


def test_an_ordinary_rub_is_in_the_range_that_cooks_use() -> None:
    """Some 10 to 25 g/kg on big pieces, and 1 to 2 % salt of a rub half salt (common practice, no source)."""
    for cut in ("brisket-whole", "pork-shoulder"):
        kg = CUTS[cut].usual_kg
        assert 8 < rub_g(body_of(cut, kg).surface_dm2) / kg < 25


def test_costs_by_hand() -> None:
    needs = [
        Need("meat", 2.0, "kg", "A"),
        Need("meat", 2.5, "kg", "B"),
        Need("charcoal", 4.0, "kg"),
        Need("foil", 1500, "mm", "A"),
    ]
    prices = {"meat": 10.0, "charcoal": 2.0, "foil": 0.5}
    assert [(b.what, b.amount, b.unit, b.cost) for b in shopping(needs, prices)] == [
        ("meat", 4500.0, "g", 45.0), ("charcoal", 4000.0, "g", 8.0), ("foil", 1500, "mm", 0.75),
    ]  # fmt: skip
    first, second = costs(needs, prices, {"A": 1.2, "B": 1.5}, 150.0)
    assert (first.cost, first.servings, first.a_serving) == pytest.approx((24.75, 8.0, 24.75 / 8))
    assert second.cost == pytest.approx(29.0)
    (unpriced, _) = costs(needs, {"meat": 10.0}, {"A": 1.2, "B": 1.5})
    assert unpriced.cost == pytest.approx(20.0)
    assert unpriced.missing == ("charcoal", "foil")
    with pytest.raises(ValueError, match="weigh something"):
        costs(needs, prices, {"A": 1.0}, 0.0)
    assert costs(needs, {}, {"A": 1.0})[0].cost is None
