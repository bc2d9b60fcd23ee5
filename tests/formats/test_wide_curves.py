"""The plain CSV of the stall command, and events as people write them."""

import pytest

from bruvet.core.trial.event_text import read_event
from bruvet.formats.wide_curves import BadCurves, read_wide_curves


def test_units_by_heading_events_and_names() -> None:
    curves = read_wide_curves(
        b"elapsed_min,pit_f,flat_f,point_c,event\n0,212,32,4,meat on\n1,212,50,,pit set 275\n2,212,,5,wrap foil\n"
    )
    assert curves.pit_c is not None
    assert curves.pit_c.tolist() == pytest.approx([100, 100, 100])
    assert list(curves.probes) == ["flat", "point"]
    assert curves.probes["flat"][1] == pytest.approx(10)
    kinds = [(m.at_min, m.kind, m.detail, m.temp_c) for m in curves.marks]
    assert kinds[1] == (1.0, "pit-set", "", pytest.approx(135.0))
    assert kinds[2] == (2.0, "wrap", "foil", None)


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"", "empty"),
        (b"time,pit_c,meat_c\n0,1,2\n", "elapsed_min"),
        (b"elapsed_min,pit_c\n0,100\n", "internal"),
        (b"elapsed_min,pit_c,meat_c\n0,100,abc\n", "line 2, meat_c"),
        (b"elapsed_min,pit_c,meat_c\n", "no rows"),
        (b"elapsed_min,pit_c,meat_c\n,100,5\n", "line 2: elapsed_min is blank"),
    ],
)
def test_what_is_wrong_is_said_with_its_line(content: bytes, says: str) -> None:
    with pytest.raises(BadCurves, match=says):
        read_wide_curves(content)


@pytest.mark.parametrize(
    ("text", "kind", "wrap"),
    [
        ("wrap foil", "wrap", "foil"), ("Wrapped in butcher paper", "wrap", "paper"), ("unwrap", "unwrap", ""), ("foil", "wrap", "foil"), ("pit 275", "pit-set", ""), ("set to 250 F", "pit-set", ""), ("pit set 275", "pit-set", ""),
        ("spritz", "spritz", ""), ("lid open", "lid", ""), ("meat on", "meat-on", ""), ("rain", "weather", ""), ("pulled", "pull", ""),
        ("added charcoal", "fuel", ""), ("rest start", "rest-start", ""), ("rest end", "rest-end", ""), ("hello", "note", ""), ("wood chunk", "wood", ""),
    ],
)  # fmt: skip
def test_events_as_people_write_them(text: str, kind: str, wrap: str) -> None:
    written = read_event(text)
    assert (written.kind.value, written.wrap_in) == (kind, wrap)
