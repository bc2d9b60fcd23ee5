"""The demo: an invented rowing club's test kitchen, its trials and its tasters. All curves are simulated."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

import numpy as np
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from bruvet.core.trial.terms import Attribute
from bruvet.core.units import c_from_f
from bruvet.instruments.bench_cook import Logged, Script, cook
from bruvet.instruments.log_writer import controller_f, elapsed_long_c, spreadsheet_c
from bruvet.records.models import Arm, Cooker, Event, Look, Panellist, Piece, Probe, Score, Spot, Trial
from bruvet.records.people import Person
from bruvet.records.series import save_readings, seconds

from .demo_board import cut
from .demo_panel import invite, taste
from .importing import add_file, import_now
from .lots import Draw, draw_lots

TZ = "Europe/Lisbon"
NAME, PASSWORD = "Demo host", "low tide slow fire"
SIGN_IN = f"Sign in as “{NAME}” with the password “{PASSWORD}”."
LOGS = Path(__file__).resolve().parents[3] / "demo" / "logs"
RUB = "Boathouse rub: 2 pepper, 1 salt, ½ garlic"
SWEET_RUB = "Regatta rub: 2 brown sugar, 2 paprika, 1 salt, 1 pepper"
BUTCHER = "Skerrow's, the club's butcher"

COLLAR_A = Script(
    "drum",
    "pork-collar",
    1.92,
    86,
    ((0, c_from_f(250.0)),),
    4.0,
    70.0,
    "foil",
    94.0,
    70,
    ((95, 3), (215, 4)),
    (),
    seed=11,
)
COLLAR_B = Script(
    "drum",
    "pork-collar",
    2.04,
    90,
    ((0, c_from_f(250.0)),),
    4.5,
    None,
    "none",
    94.0,
    65,
    ((95, 3), (215, 4)),
    (),
    seed=11,
)
LAMB_A = Script(
    "cabinet",
    "lamb-shoulder",
    2.21,
    82,
    ((0, c_from_f(225.0)),),
    3.5,
    None,
    "none",
    91.0,
    60,
    ((180, 3),),
    (180.0,),
    seed=21,
)
LAMB_B = Script(
    *("offset", "lamb-shoulder", 2.02, 80, ((0, c_from_f(275.0)),), 3.8, None, "none", 91.0, 60, ((120, 3),), (120.0,)),
    dying_from=75.0,
    mended=195.0,
    seed=22,
)
TURKEY_A = Script("cabinet", "turkey-thigh", 0.62, 52, ((0, 135.0),), 5.0, None, "none", 82.0, 20, (), (), seed=31)
TURKEY_B = Script("drum", "turkey-thigh", 0.60, 52, ((0, 135.0),), 5.0, None, "none", 82.0, 20, ((50, 3),), (), seed=32)


def at(day: date, hour: int, minute: int) -> datetime:
    return datetime(day.year, day.month, day.day, hour, minute, tzinfo=ZoneInfo(TZ)).astimezone(UTC)


COLLAR_DAY, LAMB_DAY, TURKEY_DAY = date(2026, 5, 2), date(2026, 6, 20), date(2026, 9, 12)
# The planned one is always some days ahead, whenever the demo is first loaded.
CHEEKS_DAY = datetime.now(ZoneInfo(TZ)).date() + timedelta(days=12)
COLLAR_ON, LAMB_ON, TURKEY_ON = at(COLLAR_DAY, 7, 40), at(LAMB_DAY, 21, 15), at(TURKEY_DAY, 14, 5)


def write_logs(folder: Path) -> list[Path]:
    """Write the demo's logger files; what is committed under demo/logs came from here."""
    folder.mkdir(parents=True, exist_ok=True)
    texts = {
        "collar-foil-controller.csv": controller_f(cook(COLLAR_A), COLLAR_ON, TZ, "A meat", "A pit"),
        "collar-bare-spreadsheet.csv": spreadsheet_c(cook(COLLAR_B), COLLAR_ON, TZ, "B meat", "B pit"),
        "lamb-cabinet-controller.csv": controller_f(cook(LAMB_A), LAMB_ON, TZ, "A meat", "A pit"),
        "lamb-brick-pit-spreadsheet.csv": spreadsheet_c(cook(LAMB_B), LAMB_ON, TZ, "B meat", "B pit"),
        "turkey-cabinet-long.txt": elapsed_long_c(cook(TURKEY_A), "A meat", "A pit"),
        "turkey-drum-controller.csv": controller_f(cook(TURKEY_B), TURKEY_ON, TZ, "B meat", "B pit"),
    }
    out = []
    for name, text in texts.items():
        path = folder / name
        path.write_bytes(text.encode("utf-8-sig" if name.endswith("spreadsheet.csv") else "utf-8"))
        out.append(path)
    return out


def load(session: Session, hash_password: Callable[[str], str], say: Callable[[str], None]) -> bool:
    """Fill an empty database with the demo. False, and nothing done, when there is a trial already."""
    if session.scalar(select(func.count()).select_from(Trial)):
        return False
    if not session.scalar(select(func.count()).select_from(Person)):
        session.add(Person(name=NAME, password_hash=hash_password(PASSWORD)))
    cookers = {
        "drum": Cooker(name="The drum", kind="drum", note="Welded from a mooring buoy; two vents, one grate"),
        "brick": Cooker(name="The brick pit", kind="offset", note="Behind the boathouse; hungry after midnight"),
        "cabinet": Cooker(name="The cabinet", kind="cabinet", note="Electric, damp, holds its number"),
    }
    session.add_all(cookers.values())
    session.flush()
    say("the pork collar trial")
    _collar(session, cookers)
    say("the lamb shoulder trial")
    _lamb(session, cookers)
    say("the turkey trial, ready for its logs, and the beef cheeks, planned")
    _turkey(session, cookers)
    _cheeks(session, cookers)
    say("older cooks")
    _older(session, cookers)
    return True


def piece_of(cut: str, kg: float, thick: float, start: float, **more: object) -> Piece:
    return Piece(
        number=1,
        cut=cut,
        raw_kg=round(kg * 1.08, 2),
        trimmed_kg=kg,
        thickness_mm=thick,
        start_c=start,
        source=BUTCHER,
        **more,
    )


def _bring_in(session: Session, trial: Trial, name: str, arm: Arm, units: str = "") -> None:
    path = LOGS / name
    row, _ = add_file(session, trial, name, path.read_bytes(), None)
    letter = arm.letter
    suffix = " (°F)" if "controller" in name else " °C"
    row.mapping = {
        "targets": {
            f"{letter} pit{suffix}": {"to": f"pit:{arm.id}", "place": "grate"},
            f"{letter} meat{suffix}": {"to": f"piece:{arm.pieces[0].id}", "place": "middle"},
        }
    }
    import_now(session, row)


def _events(trial: Trial, arm: Arm, on: datetime, script: Script, logged: Logged) -> None:
    def add(minute: float, kind: str, **more: object) -> None:
        trial.events.append(Event(arm_id=arm.id, kind=kind, at=on + timedelta(minutes=minute), **more))

    add(0, "meat-on")
    for minute, minutes in script.lid:
        add(minute, "lid", minutes=minutes)
    for minute in script.spritz:
        add(minute, "spritz", note="water and vinegar 1:1")
    if logged.wrap_min is not None:
        add(
            logged.wrap_min, "wrap", wrap_in=script.wrap_in, note="a spoon of stock" if script.wrap_in == "foil" else ""
        )
    if script.mended is not None:
        add(script.mended, "fuel", note="found the fire nearly out")
    add(logged.pull_min, "pull")
    add(logged.pull_min + 5, "rest-start")
    add(logged.rest_end_min, "rest-end")


def _tasters(
    trial: Trial, seed: int, rows: Sequence[tuple[str, bool, int | None, str]], step: dict[str, float]
) -> None:
    rng = np.random.default_rng(seed)
    for name, blind, preferred, remark in rows:
        person = Panellist(name=name, blind=blind, remark=remark)
        person.preferred_arm_id = trial.arms[preferred].id if preferred is not None else None
        for attribute in Attribute:
            base = rng.normal(6.0, 0.8)
            for number, arm in enumerate(trial.arms):
                value = base + number * step.get(attribute.value, 0.0) + rng.normal(0, 0.5)
                person.scores.append(
                    Score(arm_id=arm.id, attribute=attribute.value, value=int(np.clip(round(value), 1, 9)))
                )
        trial.panellists.append(person)


def _collar(session: Session, cookers: dict[str, Cooker]) -> None:
    drum = cookers["drum"].id
    target = c_from_f(250.0)
    trial = Trial(
        title="Pork collar: foil or nothing",
        kind="split",
        question="Is the time that foil saves worth the bark it costs?",
        factor="wrap",
        held_same="One collar split in two, same drum and grate, same rub, same rest box, cut by Odo.",
        cook_date=COLLAR_DAY,
        tz=TZ,
        note="Flat calm, 14 °C at dawn. Served to the juniors' crew after the long row.",
    )
    trial.arms = [
        Arm(letter="A", label="foil", cooker_id=drum, pit_target_c=target, wrap_rule="temperature", wrap_in="foil", wrap_at_c=70.0,
            done_rule="feel", done_at_c=94.0, done_at_min=330, wrap_at_min=195, rest_kind="box", rest_min=60, wood="Pear, two chunks", rub=RUB),
        Arm(letter="B", label="bare", cooker_id=drum, pit_target_c=target, wrap_rule="never", wrap_in="none",
            done_rule="feel", done_at_c=94.0, done_at_min=500, rest_kind="box", rest_min=60, wood="Pear, two chunks", rub=RUB),
    ]  # fmt: skip
    trial.arms[0].pieces = [
        piece_of(
            "pork-collar", 1.92, 86, 4.0, bone="out", grade="club order", cooked_kg=1.27, pair="1", position="left"
        )
    ]
    trial.arms[1].pieces = [
        piece_of(
            "pork-collar", 2.04, 90, 4.5, bone="out", grade="club order", cooked_kg=1.21, pair="1", position="right"
        )
    ]
    for arm in trial.arms:
        arm.said = {
            "fresh or frozen": "fresh",
            "membrane": "none",
            "rub, how much": 14.0,
            "part tasted": "middle slices",
            "how it is cut": "pencil-thick slices, Odo",
            "grate at its place": 121.0 if arm.letter == "A" else 124.0,
            "served with": "bread",
        }
    session.add(trial)
    session.flush()
    scripts = (COLLAR_A, COLLAR_B)
    for arm, script, name in zip(
        trial.arms, scripts, ("collar-foil-controller.csv", "collar-bare-spreadsheet.csv"), strict=True
    ):
        _bring_in(session, trial, name, arm)
        logged = cook(script)
        _events(trial, arm, COLLAR_ON, script, logged)
        trial.looks.append(
            Look(piece_id=arm.pieces[0].id, at=COLLAR_ON + timedelta(minutes=215), bark="tacky", colour="red-brown",
                 spots=[Spot(place="thick end", temp_c=66.0 + (arm.letter == "B")), Spot(place="thin end", temp_c=71.5)])
        )  # fmt: skip
        trial.looks.append(
            Look(piece_id=arm.pieces[0].id, at=COLLAR_ON + timedelta(minutes=logged.pull_min - 3), bark="wet" if arm.letter == "A" else "set",
                 colour="mahogany" if arm.letter == "A" else "dark",
                 spots=[Spot(place="thick end", temp_c=94.0, feel="no-drag"), Spot(place="thin end", temp_c=96.0, feel="no-drag")])
        )  # fmt: skip
    _tasters(
        trial, 5,
        [
            ("Odo Farrant", False, 1, "I cut them, so I knew. The bare one has a crust."),
            ("Mirela Quist", True, 1, "The crisp one, by a length."),
            ("Jory Penhale", True, 1, ""), ("Sunniva Dray", True, 0, "The softer one, with the bread."),
            ("Tam Ellery", True, 1, "More smoke in this one."), ("Bexley Orr", True, 1, ""), ("Ila Marchetti-Voss", True, None, "Both gone before I could say."),
            ("Pim Halloran", True, 1, ""), ("Wenna Stroud", True, 1, "Bark!"),
        ],
        {"bark": 1.6, "smoke": 0.7, "tenderness": -0.4, "juiciness": -0.5, "flavour": 0.5, "overall": 0.7},
    )  # fmt: skip
    session.flush()
    invite(session, trial, COLLAR_ON + timedelta(hours=9))


def _lamb(session: Session, cookers: dict[str, Cooker]) -> None:
    trial = Trial(
        title="Lamb shoulder: 225 against 275",
        question="Does 50 °F more in the pit matter for lamb shoulder?",
        factor="pit-temperature",
        held_same="Rub, spritz, rest box.",
        cook_date=LAMB_DAY,
        tz=TZ,
        note="Through the night before the regatta. The brick pit burned low at half past ten and nobody looked until half past midnight.",
    )
    trial.arms = [
        Arm(letter="A", label="225", cooker_id=cookers["cabinet"].id, pit_target_c=c_from_f(225.0), done_at_c=91.0, done_at_min=600,
            rest_min=60, wood="Pear", rub=SWEET_RUB),
        Arm(letter="B", label="275", cooker_id=cookers["brick"].id, pit_target_c=c_from_f(275.0), done_at_c=91.0, done_at_min=400,
            rest_min=60, wood="Oak splits", rub=SWEET_RUB),
    ]  # fmt: skip
    trial.arms[0].pieces = [piece_of("lamb-shoulder", 2.21, 82, 3.5, bone="in", position="upper shelf")]
    trial.arms[1].pieces = [piece_of("lamb-shoulder", 2.02, 80, 3.8, bone="in", position="far from the fire")]
    session.add(trial)
    session.flush()
    for arm, script, name in zip(
        trial.arms, (LAMB_A, LAMB_B), ("lamb-cabinet-controller.csv", "lamb-brick-pit-spreadsheet.csv"), strict=True
    ):
        _bring_in(session, trial, name, arm)
        _events(trial, arm, LAMB_ON, script, cook(script))
    _tasters(
        trial, 9,
        [("Odo Farrant", False, 0, "I tended both and slept through neither."), ("Mirela Quist", False, 0, ""), ("Jory Penhale", False, 1, "Firmer, I like that.")],
        {"smoke": 1.0, "tenderness": -0.8, "juiciness": -0.6},
    )  # fmt: skip
    session.flush()
    taste(session, trial, LAMB_ON + timedelta(hours=12))
    cut(session, trial, LAMB_ON + timedelta(hours=13, minutes=50))


def _turkey(session: Session, cookers: dict[str, Cooker]) -> None:
    trial = Trial(
        title="Turkey thighs: cabinet or drum",
        question="Is the drum worth its trouble for turkey thighs?",
        factor="cooker",
        held_same="Brine, rub, pit at 135 °C, no wrap, done at 82 °C inside.",
        cook_date=TURKEY_DAY,
        tz=TZ,
        note="The logs are in demo/logs: turkey-cabinet-long.txt and turkey-drum-controller.csv. Meat on at 14:05.",
    )
    trial.arms = [
        Arm(letter="A", label="cabinet", cooker_id=cookers["cabinet"].id, pit_target_c=135.0, done_rule="temperature", done_at_c=82.0, done_at_min=120, rest_kind="counter", rest_min=15, rub=RUB),
        Arm(letter="B", label="drum", cooker_id=cookers["drum"].id, pit_target_c=135.0, done_rule="temperature", done_at_c=82.0, done_at_min=120, rest_kind="counter", rest_min=15, rub=RUB),
    ]  # fmt: skip
    for arm in trial.arms:
        arm.pieces = [piece_of("turkey-thigh", 0.62 if arm.letter == "A" else 0.60, 52, 5.0, bone="in", opened=True)]
    session.add(trial)


def _cheeks(session: Session, cookers: dict[str, Cooker]) -> None:
    trial = Trial(
        title="Beef cheeks: foil, paper or a tray",
        question="Which wrap keeps beef cheeks moist without washing off the bark?",
        factor="wrap",
        spritz_every_min=45,
        held_same="Drum at 250 °F, wrap when the stall has begun and the bark is set, done by feel, two hours in the box.",
        cook_date=CHEEKS_DAY,
        tz=TZ,
        serve_at=at(CHEEKS_DAY, 18, 30),
    )
    trial.arms = [
        Arm(letter=letter, label=wrap, cooker_id=cookers["drum"].id, pit_target_c=c_from_f(250.0), wrap_rule="stall-and-bark", wrap_in=wrap,
            done_at_c=96.0, rest_min=120, wood="Pear", rub=RUB)
        for letter, wrap in zip("ABC", ("foil", "paper", "tray"), strict=True)
    ]  # fmt: skip
    for arm in trial.arms:
        weight = {"A": 0.46, "B": 0.44, "C": 0.45}[arm.letter]
        arm.pieces = [Piece(number=1, cut="beef-cheek", source=BUTCHER, raw_kg=weight, start_c=4.0)]
    trial.supplies = {
        "measured": "volume",
        "prices": {"Beef cheek": 12.5, "briquettes": 2.1, "foil": 0.35, "butcher paper": 0.5},
        "spritz_with": "water and vinegar 1:1",
    }
    session.add(trial)
    session.flush()
    draw_lots(session, trial, Draw(20417, places=("front", "middle", "back")), NAME, datetime.now(UTC))


def _older(session: Session, cookers: dict[str, Cooker]) -> None:
    """Two years of earlier trials, a reading every two minutes, so that there is something to look back on."""
    rng = np.random.default_rng(2024)
    kinds = {"drum": "drum", "brick": "offset", "cabinet": "cabinet"}
    plans = [
        ("Pork collar: drum or brick pit", "Which pit for collar?", "cooker", "pork-collar", 0.044, ("drum", "brick"), (250, 250), (None, None)),
        ("Lamb shoulder: paper or nothing", "Is paper worth it on lamb?", "wrap", "lamb-shoulder", 0.041, ("drum", "drum"), (250, 250), ("paper", None)),
        ("Pork collar: 225 against 275", "Does 50 °F matter for collar?", "pit-temperature", "pork-collar", 0.044, ("drum", "drum"), (225, 275), (None, None)),
        ("Beef cheeks: foil or paper", "Foil or paper for cheeks?", "wrap", "beef-cheek", 0.032, ("drum", "drum"), (265, 265), ("foil", "paper")),
    ]  # fmt: skip
    first_days: dict[str, Trial] = {}
    for number in range(12):
        title, question, factor, cut, half, pits, temps, wraps = plans[number % 4]
        day = date(2024, 4, 13) + timedelta(days=61 * number)
        trial = Trial(title=f"{title}, {day:%B %Y}", question=question, factor=factor, cook_date=day, tz=TZ)
        # The same question again is another day of it.
        trial.first_day = first_days.get(question)
        first_days.setdefault(question, trial)
        scripts = []
        for letter, pit, temp, wrap in zip("AB", pits, temps, wraps, strict=True):
            kg = (
                float(np.round(rng.normal(2.0, 0.15), 2))
                if half > 0.035
                else float(np.round(rng.normal(0.55, 0.05), 2))
            )
            scripts.append(
                Script(
                    kinds[pit], cut, kg, float(np.round(2000 * half * rng.normal(1, 0.04))), ((0, c_from_f(float(temp))),), float(rng.normal(4.5, 0.6)),
                    70.0 if wrap else None, wrap or "none", 93.0, 60, ((150, 3),), seed=100 + number * 2 + ord(letter),
                )
            )  # fmt: skip
            label = wrap or ("bare" if factor == "wrap" else str(temp) if factor == "pit-temperature" else pit)
            trial.arms.append(
                Arm(letter=letter, label=label, cooker_id=cookers[pit].id, pit_target_c=c_from_f(float(temp)),
                    wrap_rule="temperature" if wrap else "never", wrap_in=wrap or "none", wrap_at_c=70.0 if wrap else None,
                    done_at_c=93.0, rest_min=60, rub=RUB, pieces=[piece_of(cut, kg, scripts[-1].thickness_mm, round(scripts[-1].start_c, 1), position="left" if (letter == "A") == (number % 8 < 4) else "right")])
            )  # fmt: skip
        session.add(trial)
        session.flush()
        on = at(day, 8, 0)
        series = []
        for arm, script in zip(trial.arms, scripts, strict=True):
            logged = cook(script)
            _events(trial, arm, on, script, logged)
            for place, piece, values in (("grate", None, logged.pit_c), ("middle", arm.pieces[0], logged.meat_c)):
                probe = Probe(trial_id=trial.id, arm_id=arm.id, piece_id=piece.id if piece else None, place=place)
                session.add(probe)
                session.flush()
                known = np.isfinite(values) & (np.arange(len(values)) % 2 == 0)
                series.append((probe.id, seconds(on) + logged.t_min[known] * 60, values[known]))
        save_readings(session, series)
        names = [
            ("Odo Farrant", False, int(rng.integers(0, 2)), ""),
            ("Mirela Quist", True, int(rng.integers(0, 2)), ""),
        ]
        _tasters(trial, number, names, {"overall": 0.4})


if __name__ == "__main__":
    for path in write_logs(LOGS):
        print(path)
