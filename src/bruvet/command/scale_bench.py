"""`./bruvet bench curves`, `ingest` and `shelf`: readings by the million, in and out."""

from __future__ import annotations

import gc
import http.client
import io
import json
import os
import time
from datetime import datetime
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Engine, text
from sqlalchemy.orm import Session

from .cluster import free_port
from .measuring import beside, in_turn, timed
from .packages import say
from .serving import child, end, wait_until_up, web_command

FloatArray = NDArray[np.float64]
LETTERS, PROBES, LONG_S = "ABCDEFGH", 6, 16 * 3600
BEGIN_S = datetime.fromisoformat("2026-06-02T05:30:00+00:00").timestamp()
NAME, PASSWORD = "Bench", "bench bench bench"


def _curve(number: int, place: int, at_s: FloatArray) -> FloatArray:
    since = at_s - BEGIN_S
    noise = np.random.default_rng(place).normal(0, 0.3, len(at_s))
    if place == 0:
        return np.asarray(110 + 3 * np.sin(since / 1500) + noise)
    return np.asarray(np.interp(since, [0, 18000, 30000, LONG_S], [4, 68 - place, 70 + number / 4, 95]) + noise)


def _trial(session: Session, title: str) -> tuple[int, list[tuple[int, int, int]]]:
    """A trial of eight arms with six probes each: its id, and (probe id, number of arm, place)."""
    from bruvet.records.models import Arm, Event, Piece, Probe, Trial
    from bruvet.records.series import moment

    day = moment(BEGIN_S)
    trial = Trial(title=title, question="?", factor="wrap", cook_date=day.date(), tz="UTC")
    trial.arms = [Arm(letter=a, pieces=[Piece(cut="other", number=1)], pit_target_c=110.0) for a in LETTERS]
    session.add(trial)
    session.flush()
    probes = []
    for number, arm in enumerate(trial.arms):
        for kind, at_s, wrap in (("meat-on", 0, ""), ("wrap", 30000, "foil"), ("pull", LONG_S - 1000, "")):
            trial.events.append(Event(arm_id=arm.id, kind=kind, at=moment(BEGIN_S + at_s), wrap_in=wrap))
        for place in range(PROBES):
            piece = arm.pieces[0].id if place else None
            probe = Probe(trial_id=trial.id, arm_id=arm.id, piece_id=piece, place=f"place {place}")
            session.add(probe)
            session.flush()
            probes.append((probe.id, number, place))
    return trial.id, probes


def _filled(engine: Engine, title: str, a_second: float) -> tuple[int, list[int]]:
    from bruvet.records.series import save_readings

    at_s = BEGIN_S + np.arange(int(LONG_S * a_second)) / a_second
    with Session(engine) as session:
        trial_id, probes = _trial(session, title)
        for probe_id, number, place in probes:
            save_readings(session, [(probe_id, at_s, _curve(number, place, at_s))])
        session.commit()
        session.execute(text("ANALYZE reading, reading_rollup"))
        session.commit()
    return trial_id, [probe_id for probe_id, _, _ in probes]


def _client(engine: Engine) -> Any:
    """A signed-in client of the application, in this process."""
    from bruvet.records.people import Person
    from bruvet.web import create_app
    from bruvet.web.access import hasher

    with Session(engine) as session:
        if not session.query(Person).filter_by(name=NAME).count():
            session.add(Person(name=NAME, password_hash=hasher.hash(PASSWORD), temp_unit="c", mass_unit="kg"))
            session.commit()
    url = engine.url.render_as_string(hide_password=False)
    app = create_app({"DATABASE_URL": url, "SECRET_KEY": "only for the bench", "WTF_CSRF_ENABLED": False})
    client = app.test_client()
    client.post("/sign-in", data={"name": NAME, "password": PASSWORD})
    return client


def _notebook(engine: Engine, probe_ids: list[int]) -> int:
    """What a data-frame notebook does for the same table and plot: all rows out, half minutes, figures, a picture."""
    import matplotlib

    matplotlib.use("Agg")
    import pandas as pd
    from matplotlib import pyplot

    with engine.connect() as connection:
        statement = text("SELECT probe_id, at, temp_c FROM reading WHERE probe_id = ANY(:ids) ORDER BY 1, 2")
        frame = pd.read_sql(statement, connection, params={"ids": probe_ids})
    figures: dict[Any, dict[Any, float]] = {}
    figure, axes = pyplot.subplots(figsize=(12, 6))
    for probe_id, rows in frame.groupby("probe_id"):
        level = rows.set_index("at")["temp_c"].resample("30s").agg(["mean", "min", "max"])
        minutes = (level.index - level.index[0]).total_seconds() / 60
        figures[probe_id] = {t: minutes[level["mean"] >= t].min() for t in (60.0, 73.9, 90.6, 95.0)}
        figures[probe_id] |= {"mean": level["mean"].mean(), "spread": level["mean"].std(), "high": level["max"].max()}
        smooth = level["mean"].rolling(48, center=True).mean().diff() * 120
        figures[probe_id]["slow"] = (smooth < 3.4).sum() / 2
        axes.plot(minutes, level["mean"])
    pd.DataFrame(figures).T.to_csv(io.StringIO())
    sink = io.BytesIO()
    figure.savefig(sink, format="png")
    pyplot.close(figure)
    return len(sink.getvalue())


def bench_curves(engine: Engine) -> None:
    """8 arms, 6 probes each, 16 h at one and at four a second in turn; page and curves beside a data-frame notebook."""
    from bruvet.work.kept import forget

    client = _client(engine)
    filled = {a_second: _filled(engine, f"Bench {a_second:g}", a_second) for a_second in (1.0, 4.0)}

    def get(trial_id: int, path: str, anew: bool = False) -> None:
        if anew:
            forget()
        answer = client.get(f"/trials/{trial_id}/curves{path}")
        assert answer.status_code == 200, answer.status

    works = {}
    for a_second, (trial_id, _) in filled.items():
        works[a_second, "anew"] = partial(get, trial_id, "", anew=True)
        for what, path in (("page", ""), ("data", "/data.json"), ("detail", "/data.json?from=200&to=260")):
            works[a_second, what] = partial(get, trial_id, path)
    gc.collect()
    in_turn(works, 1)
    took = in_turn(works)
    for a_second, (_, probe_ids) in filled.items():
        say(
            f"curves   {int(len(probe_ids) * LONG_S * a_second):,} readings: page {took[a_second, 'anew']:.3f} s where "
            f"nothing was worked out before, {took[a_second, 'page']:.3f} s again, its curves "
            f"{took[a_second, 'data']:.3f} s, an hour in detail {took[a_second, 'detail']:.3f} s"
        )
    once, four_times = (took[a_second, "page"] + took[a_second, "data"] for a_second in filled)
    say(f"curves   four times the readings: {four_times / once:.2f} times the time")
    theirs = timed(partial(_notebook, engine, filled[1.0][1]), 1)
    beside("curves", "page and curves", once, "data-frame notebook, same rows", theirs)


def bench_redraw(engine: Engine) -> None:
    """The same 48 curves in headless Chromium: how long each frame takes while somebody zooms in and out."""
    from playwright.sync_api import sync_playwright

    from .shooting import browser_options

    _client(engine)
    trial_id, _ = _filled(engine, "Bench redraw", 0.2)
    address = f"127.0.0.1:{free_port()}"
    environment = {
        "DATABASE_URL": engine.url.render_as_string(hide_password=False),
        "BRUVET_SECRET": "only for the bench",
    }
    web = child("bench-web", web_command(address), environment)
    try:
        wait_until_up(address, [web])
        with sync_playwright() as play:
            browser = play.chromium.launch(**browser_options())  # type: ignore[arg-type]
            page = browser.new_page(base_url=f"http://{address}", viewport={"width": 1280, "height": 800})
            page.goto("/sign-in")
            page.fill("#name", NAME)
            page.fill("#password", PASSWORD)
            page.click("main button")
            opened = []
            for _ in range(5):
                begin = time.perf_counter()
                page.goto(f"/trials/{trial_id}/curves")
                page.wait_for_selector("[data-chart][data-ready]")
                opened.append(time.perf_counter() - begin)
                page.wait_for_load_state("networkidle")
            took = page.evaluate(ZOOMING, 120)
            browser.close()
    finally:
        end([web])
    work, frames = (np.array(column) for column in zip(*took, strict=True))
    say(
        f"redraw   48 curves drawn {opened[0]:.1f} s after they were asked for of a server that has just begun, "
        f"{min(opened[1:]):.1f} to {max(opened[1:]):.1f} s after that"
    )
    say(
        f"redraw   zooming, 120 redraws: {np.median(work):.1f} ms of work each in the median, 95 % within "
        f"{np.percentile(work, 95):.1f} ms; {1000 / np.median(frames):.0f} frames a second, 95 % within "
        f"{np.percentile(frames, 95):.0f} ms"
    )


# Zoom at every frame, in and out by turns: milliseconds of work, and from frame to frame.
ZOOMING = """
(count) => new Promise((done) => {
  const [closer, wider] = ["in", "out"].map((way) => document.querySelector(`[data-zoom=${way}]`));
  const took = [];
  let last = performance.now();
  const frame = async () => {
    const began = performance.now();
    (Math.floor(took.length / 4) % 2 ? wider : closer).click();
    // The chart draws in a microtask.
    await null;
    await null;
    const now = performance.now();
    took.push([now - began, began - last]);
    last = began;
    if (took.length < count) requestAnimationFrame(frame);
    else done(took.slice(2));
  };
  requestAnimationFrame(frame);
})
"""


def bench_ingest(engine: Engine) -> None:
    """The same 1.2 million rows by batches over HTTP, committed to disk, beside a bare COPY into the same table."""
    from bruvet.records.series import moment, save_readings
    from bruvet.work.stations import add_station, seat

    each, batch_s = 25_000, 5_000
    at_s = BEGIN_S + np.arange(each, dtype=float)
    with Session(engine) as session:
        _, probes = _trial(session, "Bench in")
        _, bare = _trial(session, "Bench bare")
        _, plain = _trial(session, "Bench plain")
        station, token = add_station(session, "Bench", None)
        from bruvet.records.models import Probe

        for probe_id, _, _ in probes:
            probe = session.get(Probe, probe_id)
            assert probe is not None
            seat(station, str(probe_id), probe, moment(BEGIN_S - 60))
        session.commit()
        # The quarter's room is made beforehand for both.
        save_readings(session, [(bare[0][0], np.array([BEGIN_S - 10]), np.array([20.0]))])
        session.commit()
    curves = {(number, place): np.round(_curve(number, place, at_s), 2) for _, number, place in probes}
    bodies = []
    for start in range(0, each, batch_s):
        part = slice(start, start + batch_s)
        series = [
            {
                "channel": str(probe_id),
                "from": moment(BEGIN_S + start).isoformat(),
                "step_s": 1,
                "temp_c": curves[number, place][part].tolist(),
            }
            for probe_id, number, place in probes
        ]
        bodies.append(json.dumps({"series": series}).encode())
    address = f"127.0.0.1:{free_port()}"
    environment = {
        "DATABASE_URL": engine.url.render_as_string(hide_password=False),
        "BRUVET_SECRET": "only for the bench",
    }
    web = child("bench-web", web_command(address), environment)
    rows = each * len(probes)
    try:
        wait_until_up(address, [web])
        connection = http.client.HTTPConnection(address, timeout=120)
        headers = {"Authorization": f"Bearer {token}", "Content-Type": "application/json"}
        begin = time.perf_counter()
        new = 0
        for body in bodies:
            connection.request("POST", "/api/v1/series", body, headers)
            answer = connection.getresponse()
            said = json.loads(answer.read())
            assert answer.status == 200, said
            new += said["new"]
        ours = time.perf_counter() - begin
    finally:
        end([web])
    assert new == rows, (new, rows)
    copied = _copied(engine, bare, curves, at_s)
    with engine.begin() as database:
        database.execute(text("ALTER TABLE reading DISABLE TRIGGER readings_are_rolled_up"))
    unrolled = _copied(engine, plain, curves, at_s)
    with engine.begin() as database:
        database.execute(text("ALTER TABLE reading ENABLE TRIGGER readings_are_rolled_up"))
    for name, took in (("over HTTP", ours), ("bare COPY", copied), ("bare COPY, no roll-up", unrolled)):
        say(f"ingest   {name}: {rows / took:,.0f} readings a second, durable")
    beside("ingest", f"{rows:,} rows over HTTP", ours, "bare COPY into the same table", copied)
    beside("ingest", f"{rows:,} rows over HTTP", ours, "bare COPY, its roll-up switched off", unrolled)


def _copied(
    engine: Engine, probes: list[tuple[int, int, int]], curves: dict[tuple[int, int], FloatArray], at_s: FloatArray
) -> float:
    stamps = [datetime.fromtimestamp(at, tz=None).astimezone().isoformat() for at in at_s]
    lines = io.StringIO()
    for probe_id, number, place in probes:
        for stamp, temp in zip(stamps, curves[number, place].tolist(), strict=True):
            lines.write(f"{probe_id}\t{stamp}\t{temp}\n")
    content = lines.getvalue().encode()
    raw = engine.raw_connection()
    driver = raw.driver_connection
    assert driver is not None
    begin = time.perf_counter()
    with driver.cursor() as cursor, cursor.copy("COPY reading (probe_id, at, temp_c) FROM STDIN") as copy:
        copy.write(content)
    raw.commit()
    took = time.perf_counter() - begin
    raw.close()
    return took


def bench_shelf(engine: Engine) -> None:
    """A shelf of 100 million readings (or BRUVET_BENCH_READINGS of them): plans, page and retention as it grows."""
    wanted = int(os.environ.get("BRUVET_BENCH_READINGS", "100000000"))
    each = len(LETTERS) * PROBES * LONG_S // 4
    client = _client(engine)
    held, trial_id, begin = 0, 0, time.perf_counter()
    marks = [wanted // 100, wanted // 10, wanted]
    while held < wanted:
        trial_id = _spread(engine, held // each)
        held += each
        if marks and held >= marks[0]:
            marks.pop(0)
            with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
                connection.execute(text("ANALYZE reading, reading_rollup"))
            page = timed(partial(client.get, f"/trials/{trial_id}/curves"), 5)
            data = timed(partial(client.get, f"/trials/{trial_id}/curves/data.json"), 5)
            took = time.perf_counter() - begin
            say(f"shelf    {held:,} readings ({took:.0f} s): newest trial's page {page:.3f} s, curves {data:.3f} s")
            _plans(engine, trial_id)


def _spread(engine: Engine, number: int) -> int:
    """One trial a week, at a reading each four seconds."""
    from bruvet.records.models import Event, Trial
    from bruvet.records.series import save_readings

    shift = number * 7 * 86_400.0
    at_s = BEGIN_S + np.arange(0.0, LONG_S, 4.0)
    with Session(engine) as session:
        trial_id, probes = _trial(session, f"Shelf {number}")
        trial = session.get(Trial, trial_id)
        assert trial is not None
        for event in session.query(Event).filter_by(trial_id=trial_id):
            event.at = datetime.fromtimestamp(event.at.timestamp() + shift, event.at.tzinfo)
        series = [(probe_id, at_s + shift, _curve(n, place, at_s)) for probe_id, n, place in probes]
        save_readings(session, series)
        session.commit()
    return trial_id


def _plans(engine: Engine, trial_id: int) -> None:
    """How PostgreSQL answers the two questions that pages ask: what it touches, and how long it takes."""
    questions = {
        "roll-up": "SELECT count(*) FROM reading_rollup WHERE probe_id = ANY(:ids)",
        "detail": "SELECT count(*) FROM reading WHERE probe_id = ANY(:ids) AND at BETWEEN :low AND :high",
    }
    with engine.connect() as connection:
        ids = list(connection.scalars(text("SELECT id FROM probe WHERE trial_id = :t"), {"t": trial_id}))
        low = connection.scalar(text("SELECT min(at) FROM event WHERE trial_id = :t"), {"t": trial_id})
        assert low is not None
        asked = {"ids": ids, "low": low, "high": datetime.fromtimestamp(low.timestamp() + 3600, low.tzinfo)}
        for name, statement in questions.items():
            found = connection.scalar(text(f"EXPLAIN (ANALYZE, BUFFERS, FORMAT JSON) {statement}"), asked)
            assert found is not None
            plan = found[0]["Plan"]
            scans = _scans(plan)
            blocks = plan["Shared Hit Blocks"] + plan["Shared Read Blocks"]
            say(f"shelf    {name}: {found[0]['Execution Time']:.1f} ms, {blocks} blocks, by {', '.join(scans)}")


def _scans(plan: dict[str, Any]) -> list[str]:
    own = [f"{plan['Node Type']} on {plan.get('Relation Name', '?')}"] if "Scan" in plan["Node Type"] else []
    for below in plan.get("Plans", []):
        own += _scans(below)
    return list(dict.fromkeys(own))
