"""The commands as they are called: JSON on standard output, one clear line and exit code 2 on standard error."""

from __future__ import annotations

import json
import os
import socket
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from bruvet.command.cluster import free_port, port_is_free
from core.planted import plant

ROOT = Path(__file__).resolve().parents[2]


def bruvet(*words: str, home: Path | None = None) -> subprocess.CompletedProcess[str]:
    environment = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
    environment.pop("DATABASE_URL", None)
    if home is not None:
        environment["BRUVET_HOME"] = str(home)
    return subprocess.run(
        [sys.executable, "-m", "bruvet.command", *words], capture_output=True, text=True, env=environment
    )


def wide(path: Path, seed: int = 3, event: str = "wrap foil") -> Path:
    curve = plant(seed, stall="foil")
    lines = ["elapsed_min,pit_f,flat_f,event"]
    wrap = curve.marks[0].at_min
    for minute, meat, pit in zip(curve.t_min, curve.meat_c, curve.pit_c, strict=True):
        mark = event if 0 <= minute - wrap < 1 else ""
        lines.append(f"{minute:g},{pit * 1.8 + 32:.1f},{meat * 1.8 + 32:.1f},{mark}")
    path.write_text("\n".join(lines))
    return path


def test_stall_prints_one_json_object(tmp_path: Path) -> None:
    done = bruvet("stall", str(wide(tmp_path / "curve.csv")))
    assert done.returncode == 0, done.stderr
    probe = json.loads(done.stdout)["probes"]["flat"]
    (stall,) = probe["stalls"]
    onset, end, _ = plant(3, stall="foil").stalls[0]
    assert abs(stall["onset_min"] - onset) < 10
    assert abs(stall["end_min"] - end) < 10
    assert stall["kind"] == "wrap-ended"
    assert set(stall) >= {"onset_min", "end_min", "temp_c", "kind", "reason", "onset_band_min", "end_band_min", "depth"}
    curve = plant(3, stall="foil")
    assert probe["to_c"]["60"] == pytest.approx(float(np.interp(60, curve.meat_c[50:], curve.t_min[50:])), abs=8)
    assert probe["to_c"]["98"] is None


@pytest.mark.parametrize(
    ("content", "says"),
    [
        ("", "empty"),
        ("a,b\n1,2\n", "elapsed_min"),
        ("elapsed_min,pit_c,x_c\n0,1,two\n", "line 2, x_c"),
        (None, "No such file"),
    ],
)
def test_stall_says_what_is_wrong_with_exit_code_2(tmp_path: Path, content, says) -> None:
    path = tmp_path / "curve.csv"
    if content is not None:
        path.write_text(content)
    done = bruvet("stall", str(path))
    assert done.returncode == 2
    assert done.stdout == ""
    assert says in done.stderr
    assert len(done.stderr.strip().splitlines()) == 1


def test_import_check_needs_no_database(tmp_path: Path) -> None:
    path = tmp_path / "log.csv"
    path.write_bytes("Time;Fleisch °C;Garraum °C\n23:59;4,4;107\n00:00;4,5;108\n".encode("utf-16"))
    done = bruvet("import", "--check", str(path), "--date", "2026-05-02", "--tz", "Europe/Lisbon")
    assert done.returncode == 0, done.stderr
    answer = json.loads(done.stdout)
    assert answer["encoding"] == "utf-16"
    assert answer["time"] == {"kind": "time-of-day", "ask": None}
    assert answer["columns"][1]["last"] == ["2026-05-03T00:00:00+01:00", 4.5]


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["--date", "2. May"], "not a date"),
        (["--tz", "Mars/North"], "no such time zone"),
    ],
)
def test_import_check_refuses_senseless_options(tmp_path: Path, words, says) -> None:
    path = tmp_path / "log.csv"
    path.write_text("minutes,meat_c\n0,4\n1,5\n")
    done = bruvet("import", "--check", str(path), *words)
    assert done.returncode == 2
    assert says in done.stderr


def test_import_by_command_maps_columns_and_adds_nothing_twice(engine, database_url: str, tmp_path: Path) -> None:
    from sqlalchemy import func, select
    from sqlalchemy.orm import Session

    from bruvet.records.models import Probe, Reading
    from made import make_trial

    with Session(engine) as session:
        make_trial(session)
    path = tmp_path / "log.csv"
    path.write_text("time,Left,Right\n2026-05-02 07:40,250,40\n2026-05-02 07:41,251,41\n")
    words = ["import", "Collar test", str(path), "--map", "Left=A pit:f", "--map", "Right=A1 thick end:f"]
    environment = {**os.environ, "PYTHONPATH": str(ROOT / "src"), "DATABASE_URL": database_url}
    for new in (4, 0):
        done = subprocess.run(
            [sys.executable, "-m", "bruvet.command", *words], capture_output=True, text=True, env=environment
        )
        assert done.returncode == 0, done.stderr
        assert json.loads(done.stdout)["new"] == new
    with Session(engine) as session:
        assert session.scalar(select(func.count()).select_from(Reading)) == 4
        assert sorted(p.label for p in session.scalars(select(Probe))) == ["A pit, grate", "A1 thick end"]
    for bad, says in (
        ("Left=Z pit", "no arm"),
        ("Left", "COLUMN=TARGET"),
        ("Left=A9", "no piece 9"),
        ("Nope=A pit", "no column"),
    ):
        done = subprocess.run(
            [sys.executable, "-m", "bruvet.command", "import", "1", str(path), "--map", bad],
            capture_output=True,
            text=True,
            env=environment,
        )
        assert done.returncode == 2, bad
        assert says in done.stderr


def test_a_taken_port_is_said_in_one_line_and_nothing_is_left(tmp_path: Path) -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        assert not port_is_free(port)
        done = bruvet("serve", "--port", str(port), home=tmp_path)
    assert done.returncode == 1
    assert f"port {port} on 127.0.0.1 is taken" in done.stderr
    assert not (tmp_path / "cluster").exists()
    assert port_is_free(free_port())


def test_a_database_that_does_not_answer_is_said_in_one_line(tmp_path: Path) -> None:
    environment = {**os.environ, "PYTHONPATH": str(ROOT / "src"), "BRUVET_HOME": str(tmp_path)}
    environment["DATABASE_URL"] = f"postgresql://nobody@127.0.0.1:{free_port()}/none"
    done = subprocess.run(
        [sys.executable, "-m", "bruvet.command", "serve", "--port", str(free_port())],
        capture_output=True,
        text=True,
        env=environment,
    )
    assert done.returncode == 1
    assert "database cannot be used" in done.stderr
    assert "Traceback" not in done.stderr


def test_serve_starts_answers_and_stops_all_it_started(request) -> None:
    import shutil
    import signal
    import time
    import urllib.request

    # Below the state folder of this run: pytest's own folders are closed to the account that runs PostgreSQL.
    home = Path(os.environ["BRUVET_HOME"]) / f"try-{os.getpid()}"
    home.mkdir()
    port = free_port()
    environment = {**os.environ, "PYTHONPATH": str(ROOT / "src"), "BRUVET_HOME": str(home)}
    environment.pop("DATABASE_URL", None)
    log = home / "out.txt"
    with log.open("w") as sink:
        process = subprocess.Popen(
            [sys.executable, "-m", "bruvet.command", "serve", "--port", str(port)],
            stdout=sink,
            stderr=sink,
            env=environment,
        )
    # A busy machine is slow, not wrong; and whatever comes of it, nothing stays behind.
    request.addfinalizer(process.terminate)
    until = time.monotonic() + 180
    while "Ctrl-C" not in log.read_text() and process.poll() is None and time.monotonic() < until:
        time.sleep(0.1)
    assert "Ctrl-C" in log.read_text(), log.read_text()
    with urllib.request.urlopen(f"http://127.0.0.1:{port}/", timeout=5) as answer:
        assert "This is the first visit" in answer.read().decode()
    second = bruvet("serve", "--port", str(free_port()), home=home)
    assert "running already" in second.stderr
    process.send_signal(signal.SIGTERM)
    assert process.wait(timeout=30) == 0, log.read_text()
    assert port_is_free(port)
    assert not (home / "cluster" / "data" / "postmaster.pid").exists()
    shutil.rmtree(home)
