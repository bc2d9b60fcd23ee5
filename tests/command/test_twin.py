"""`./bruvet twin COOK.json`: one JSON object out, or one line on standard error that names the field."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from bruvet.command.__main__ import main

WHOLE = """{"cut": "brisket-whole", "mass_kg": 6.35, "thickness_mm": null, "start_c": 4.0, "cooker": "pellet",
 "pit_c": [[0, 107], [540, 112]], "wraps": [[540, "paper"]], "spritz_min": [], "lid_min": [], "rest": null, "air_c": 20,
 "air_rh": 0.5, "altitude_m": 0, "water_pan": false, "until_c": 95.0, "at_min": [540, 780],
 "readings": [[0, 4.0], [60, 18.5]]}"""


def run(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, text: str) -> int:
    path = tmp_path / "cook.json"
    path.write_text(text)
    monkeypatch.setattr("sys.argv", ["bruvet", "twin", str(path)])
    return main()


def test_a_whole_cook_is_told_in_one_object(tmp_path, monkeypatch, capsys) -> None:
    assert run(tmp_path, monkeypatch, WHOLE) == 0
    out = json.loads(capsys.readouterr().out)
    assert [row["min"] for row in out["at"]] == [540, 780]
    for row in out["at"]:
        assert row["p10_c"] < row["p50_c"] < row["p90_c"]
    assert 600 < out["done_min"]["p10"] < out["done_min"]["p50"] < out["done_min"]["p90"] < 1500
    assert 62 < out["stall"]["temp_c"] < 80
    assert 0.4 < out["yield"]["p50"] < 0.75
    assert 3 < out["fuel_kg"]["p50"] < 9
    assert 150 < out["danger_zone_min"] < 330


def test_what_is_left_out_gets_its_default(tmp_path, monkeypatch, capsys) -> None:
    assert run(tmp_path, monkeypatch, '{"cut": "chicken-whole", "mass_kg": 1.9, "until_c": 74, "pit_c": 135}') == 0
    out = json.loads(capsys.readouterr().out)
    assert out["at"] == []
    assert out["stall"] is None
    assert 60 < out["done_min"]["p50"] < 180


def test_what_is_never_reached_is_null_with_a_reason(tmp_path, monkeypatch, capsys) -> None:
    assert run(tmp_path, monkeypatch, '{"cut": "pork-collar", "mass_kg": 2, "pit_c": [[0, 85]]}') == 0
    out = json.loads(capsys.readouterr().out)
    assert out["done_min"] is None
    assert "not reached" in out["reason"]


def test_a_rest_and_a_wrap_by_temperature_are_told(tmp_path, monkeypatch, capsys) -> None:
    text = (
        '{"cut": "pork-shoulder", "mass_kg": 3.6, "wrap_at_c": [74, "foil"], "rest": {"kind": "box", "minutes": 120}}'
    )
    assert run(tmp_path, monkeypatch, text) == 0
    assert json.loads(capsys.readouterr().out)["rest"]["peak_c"]["p50"] > 95


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "not JSON"),
        ("[1]", "not one JSON object"),
        ('{"mass_kg": 2}', "cut: missing"),
        ('{"cut": "pork-collar"}', "mass_kg: missing"),
        ('{"cut": "yak", "mass_kg": 2}', "cut: 'yak' is not known; allowed are brisket-whole"),
        ('{"cut": 7, "mass_kg": 2}', "cut: 7 is not a word"),
        ('{"cut": "pork-collar", "mass_kg": "2"}', 'mass_kg: "2" is not a number'),
        ('{"cut": "pork-collar", "mass_kg": NaN}', "mass_kg: NaN is not a finite number"),
        ('{"cut": "pork-collar", "mass_kg": 1e999}', "mass_kg: Infinity is not a finite number"),
        ('{"cut": "pork-collar", "mass_kg": 900}', "mass_kg: 900 is out of range; allowed are 0.05 to 40 kg"),
        ('{"cut": "pork-collar", "mass_kg": true}', "mass_kg: true is not a number"),
        ('{"cut": "pork-collar", "mass_kg": 2, "cooker": "volcano"}', "cooker: 'volcano' is not known"),
        ('{"cut": "pork-collar", "mass_kg": 2, "pit_c": []}', "pit_c: empty"),
        ('{"cut": "pork-collar", "mass_kg": 2, "pit_c": [[0, 107, 3]]}', "pit_c[0]: [0, 107, 3] is not a pair"),
        ('{"cut": "pork-collar", "mass_kg": 2, "pit_c": [[60, 107], [0, 120]]}', "pit_c[1]: minute 0 comes before"),
        ('{"cut": "pork-collar", "mass_kg": 2, "wraps": [[60, "silk"]]}', "wraps[0]: 'silk' is not known; allowed are"),
        ('{"cut": "pork-collar", "mass_kg": 2, "at_min": [99999]}', "at_min[0]: 99999 is out of range"),
        ('{"cut": "pork-collar", "mass_kg": 2, "air_rh": 50}', "air_rh: 50 is out of range; allowed are 0 to 1"),
        ('{"cut": "pork-collar", "mass_kg": 2, "until_c": 2}', "until_c: 2 is out of range"),
        ('{"cut": "pork-collar", "mass_kg": 2, "water_pan": "yes"}', "water_pan:"),
        ('{"cut": "pork-collar", "mass_kg": 2, "rest": {"kind": "sofa"}}', "rest.kind: 'sofa' is not known"),
        ('{"cut": "pork-collar", "mass_kg": 2, "weight": 3}', "weight: no such field; allowed are cut"),
        ('{"cut": "pork-collar", "mass_kg": 2, "readings": [[0, 4], [5, "warm"]]}', 'readings[1]: "warm" is not a number'),
    ],
)  # fmt: skip
def test_what_cannot_be_used_is_named(tmp_path, monkeypatch, capsys, text: str, words: str) -> None:
    assert run(tmp_path, monkeypatch, text) == 2
    said = capsys.readouterr()
    assert said.out == ""
    assert words in said.err
    assert "Traceback" not in said.err


def test_a_file_that_is_not_there_is_named(tmp_path, monkeypatch, capsys) -> None:
    monkeypatch.setattr("sys.argv", ["bruvet", "twin", str(tmp_path / "none.json")])
    assert main() == 2
    assert "none.json" in capsys.readouterr().err
