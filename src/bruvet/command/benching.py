"""`./bruvet bench`: ratios measured side by side in one run, against a throwaway cluster."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, date, datetime

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Engine, text
from sqlalchemy.orm import Session

from bruvet.records.store import migrate, open_engine

from . import Refusal
from .board_bench import bench_board
from .packages import say
from .serving import throwaway_cluster

FloatArray = NDArray[np.float64]


def timed(work: Callable[[], object], runs: int = 3) -> float:
    """Median seconds of a few runs."""
    found = []
    for _ in range(runs):
        begin = time.perf_counter()
        work()
        found.append(time.perf_counter() - begin)
    return statistics.median(found)


def beside(name: str, what: str, ours_s: float, other: str, other_s: float) -> None:
    """Print one measurement beside its rival and their ratio."""
    say(f"{name:8} {what} {ours_s:8.3f} s | {other} {other_s:8.3f} s | ratio {ours_s / other_s:.3g}")


def bench_import(engine: Engine) -> None:
    """A million rows of a two-probe log through the import, beside a plain COPY of the same readings."""
    from bruvet.records.models import Arm, Piece, Trial
    from bruvet.work.importing import add_file, run_import

    rows = 1_000_000
    begin = datetime.fromisoformat("2026-05-02T05:30:00+00:00").timestamp()
    stamps = [f"{datetime.fromtimestamp(begin + i, UTC):%Y-%m-%d %H:%M:%S}" for i in range(rows)]
    lines = [f"{stamp},{107 + i % 7 / 10:.1f}\n" for i, stamp in enumerate(stamps)]
    content = ("time,A pit °C\n" + "".join(lines)).encode()
    with Session(engine) as session:
        trial = Trial(title="Bench", question="?", factor="wrap", cook_date=date(2026, 5, 2), tz="UTC")
        trial.arms = [Arm(letter=a, pieces=[Piece(cut="other", number=1)]) for a in "AB"]
        session.add(trial)
        session.flush()
        arm = trial.arms[0].id
        row, _ = add_file(session, trial, "bench.csv", content, None)
        row.mapping = {"targets": {"A pit °C": {"to": f"pit:{arm}", "place": "grate"}}}
        session.commit()
        started = time.perf_counter()
        outcome = run_import(session, row)
        session.commit()
        ours = time.perf_counter() - started
        assert outcome["new"] == rows, outcome
    with engine.begin() as connection:
        connection.execute(text("CREATE TABLE plain (LIKE reading INCLUDING ALL)"))
    copy_text = "".join(f"1\t{at}+00\t{107 + i % 7 / 10:.1f}\n" for i, at in enumerate(stamps)).encode()
    raw = engine.raw_connection()
    started = time.perf_counter()
    driver = raw.driver_connection
    assert driver is not None
    with driver.cursor() as cursor, cursor.copy("COPY plain (probe_id, at, temp_c) FROM STDIN") as copy:
        copy.write(copy_text)
    raw.commit()
    plain = time.perf_counter() - started
    raw.close()
    beside("import", "1,000,000 rows from CSV", ours, "plain COPY of the same rows", plain)


def bench_curves(engine: Engine) -> None:
    """The curves page's data and figures for 2 arms, 3 probes each, 14 h at one reading a second."""
    from bruvet.core.units import Units
    from bruvet.records.models import Arm, Event, Piece, Probe, Trial
    from bruvet.records.series import moment, save_readings
    from bruvet.work.analysis import TrialFacts

    seconds_long = 14 * 3600
    begin = datetime.fromisoformat("2026-06-02T05:30:00+00:00").timestamp()
    at = begin + np.arange(seconds_long, dtype=float)
    with Session(engine) as session:
        trial = Trial(title="Bench curves", question="?", factor="wrap", cook_date=date(2026, 6, 2), tz="UTC")
        trial.arms = [Arm(letter=a, pieces=[Piece(cut="other", number=1)]) for a in "AB"]
        session.add(trial)
        session.flush()
        series = []
        for arm in trial.arms:
            trial.events.append(Event(arm_id=arm.id, kind="meat-on", at=moment(begin)))
            for place, piece_id in (("grate", None), ("thick end", arm.pieces[0].id), ("thin end", arm.pieces[0].id)):
                probe = Probe(trial_id=trial.id, arm_id=arm.id, piece_id=piece_id, place=place)
                session.add(probe)
                session.flush()
                curve = (
                    110.0
                    if piece_id is None
                    else np.interp(at - begin, [0, 18000, 30000, seconds_long], [4, 68, 70, 95])
                )
                series.append((probe.id, at, curve + np.random.default_rng(1).normal(0, 0.3, seconds_long)))
        save_readings(session, series)
        session.commit()
        session.execute(text("ANALYZE reading"))

        def page() -> None:
            facts = TrialFacts(session, trial, Units())
            _ = facts.measures
            facts.buckets(60.0)

        def fetch_all() -> None:
            ids = [probe.id for probe in trial.probes]
            session.execute(
                text("SELECT probe_id, at, temp_c FROM reading WHERE probe_id = ANY(:ids) ORDER BY 1, 2"),
                {"ids": ids},
            ).all()

        ours, plain = timed(page), timed(fetch_all)
    beside("curves", f"{6 * seconds_long:,} readings to figures", ours, "fetching the raw rows alone", plain)


def bench_stall(engine: Engine) -> None:
    """One stall judgement of a 14 h curve at one a minute, beside reading the same curve from CSV text."""
    from bruvet.core.curves.stall import find_stalls

    t = np.arange(0, 840.0)
    rng = np.random.default_rng(2)
    meat = np.interp(t, [0, 300, 520, 840], [4, 68, 70, 95]) + rng.normal(0, 0.2, len(t))
    pit = 110 + rng.normal(0, 2, len(t))
    csv_text = "\n".join(f"{a},{b},{c}" for a, b, c in zip(t, meat, pit, strict=True)).splitlines()
    ours = timed(lambda: find_stalls(t, meat, t, pit), 9)
    plain = timed(lambda: np.loadtxt(csv_text, delimiter=","), 9)
    beside("stall", "840 readings judged", ours, "parsing them from text", plain)


def bench_twin(engine: Engine) -> None:
    """A 16-hour cook, and 500 draws of it, beside an explicit loop and SciPy's BDF on the same cells."""
    from bruvet.core.thermal.engine import cook
    from bruvet.core.twin.case import Case
    from bruvet.core.twin.course import course_of
    from bruvet.core.twin.draws import grid_of, pieces_of, standard

    from .rivals import BareCook, explicit_cook, solved_cook

    minutes = 960.0
    case = Case("brisket-whole", 6.35, pit_c=((0.0, 109.0),))
    grid, course = grid_of(case), course_of(case, minutes)
    one = pieces_of(case, standard(2)[:1])

    def inner(longest_step_min: float | None = None) -> FloatArray:
        middle = pieces_of(case, standard(2)[:1])
        middle = replace(middle, place=np.sqrt(grid.square[:1]))
        run = cook(grid, middle, course, minutes, longest_step_min=longest_step_min)
        return np.interp(np.arange(1.0, minutes + 1), run.t_min, run.probe_c[:, 0])

    truth = inner(0.1)
    found = {
        "twin": inner(),
        "explicit": explicit_cook(BareCook(grid, one, 109.0), minutes, 4.0),
        "BDF": solved_cook(BareCook(grid, one, 109.0), minutes, 1e-3),
    }
    for name, curve in found.items():
        away = np.abs(curve - truth)
        say(f"twin     {name:8} away from its own limit: most {away.max():.2f} °C, after 2 h {away[120:].max():.2f} °C")
    ours = timed(lambda: cook(grid, one, course, minutes), 15)
    problem = BareCook(grid, one, 109.0)
    what = "16 h, one piece"
    beside("twin", what, ours, "explicit loop", timed(lambda: explicit_cook(problem, minutes, 4.0), 1))
    beside("twin", what, ours, "solve_ivp, BDF", timed(lambda: solved_cook(problem, minutes, 1e-3), 1))

    def draws(count: int) -> float:
        many = pieces_of(case, standard(count))
        return timed(lambda: cook(grid, many, course, minutes), 5)

    beside("twin", "16 h, 500 pieces at once", draws(500), "500 times one piece", 500 * ours)
    beside("twin", "16 h, 2000 pieces at once", draws(2000), "500 at once", draws(500))


BENCHES: dict[str, Callable[[Engine], None]] = {
    "import": bench_import,
    "curves": bench_curves,
    "stall": bench_stall,
    "twin": bench_twin,
    "board": bench_board,
}


def run_benches(names: list[str]) -> None:
    """Run all benches, or those named."""
    unknown = [name for name in names if name not in BENCHES]
    if unknown:
        raise Refusal(f"no bench is called {unknown[0]}; there are {', '.join(BENCHES)}")
    with throwaway_cluster() as cluster:
        cluster.ensure_database("bench")
        migrate(cluster.url("bench"))
        engine = open_engine(cluster.url("bench"))
        for name in names or BENCHES:
            BENCHES[name](engine)
        engine.dispose()
