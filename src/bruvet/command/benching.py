"""`./bruvet bench`: ratios measured side by side in one run, against a throwaway cluster."""

from __future__ import annotations

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
from .measuring import beside, timed
from .packages import say
from .scale_bench import bench_curves, bench_ingest, bench_redraw, bench_shelf
from .serving import throwaway_cluster

FloatArray = NDArray[np.float64]


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
    "redraw": bench_redraw,
    "stall": bench_stall,
    "twin": bench_twin,
    "ingest": bench_ingest,
    "board": bench_board,
}
# Long ones, only when they are asked for.
ASKED_FOR = {"shelf": bench_shelf}
# What is measured of durable writes needs a cluster that makes them so.
DURABLE = {"ingest"}


def run_benches(names: list[str]) -> None:
    """Run all benches, or those named."""
    known = BENCHES | ASKED_FOR
    unknown = [name for name in names if name not in known]
    if unknown:
        raise Refusal(f"no bench is called {unknown[0]}; there are {', '.join(known)}")
    asked = names or list(BENCHES)
    for durable in (False, True):
        mine = [name for name in asked if (name in DURABLE) == durable]
        if not mine:
            continue
        with throwaway_cluster(durable) as cluster:
            cluster.ensure_database("bench")
            migrate(cluster.url("bench"))
            engine = open_engine(cluster.url("bench"))
            for name in mine:
                known[name](engine)
            engine.dispose()
