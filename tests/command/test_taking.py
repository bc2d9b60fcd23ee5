"""A trial, or everything, out of one Bruvet and into another, by commands."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from dataclasses import dataclass
from pathlib import Path

import psycopg
import pytest
from sqlalchemy.orm import Session

from bruvet.command.__main__ import main
from made import make_trial

SRC = Path(__file__).resolve().parents[2] / "src"


@dataclass
class Done:
    returncode: int
    stdout: bytes
    stderr: bytes


@pytest.fixture
def run(database_url, tmp_path, monkeypatch, capfdbinary):
    """The command on a database of one's own, in this process; starting Python each time would take the most of it."""

    def run(*words: str, url: str = database_url) -> Done:
        monkeypatch.setenv("DATABASE_URL", url)
        monkeypatch.setenv("BRUVET_HOME", str(tmp_path))
        monkeypatch.setattr(sys, "argv", ["bruvet", *words])
        capfdbinary.readouterr()
        code = main()
        out, err = capfdbinary.readouterr()
        return Done(code, out, err)

    return run


@pytest.fixture
def empty(database_url) -> str:
    name = database_url.rsplit("/", 1)[1] + "_empty"
    with psycopg.connect(database_url.replace("+psycopg", ""), autocommit=True) as connection:
        connection.execute(f"DROP DATABASE IF EXISTS {name}")
        connection.execute(f"CREATE DATABASE {name}")
    return database_url.rsplit("/", 1)[0] + "/" + name


def test_a_trial_goes_out_and_in(run, engine, empty, tmp_path) -> None:
    with Session(engine) as session:
        make_trial(session, readings=True)
    file = tmp_path / "t.json"
    assert run("export", "Collar test", "--to", str(file)).returncode == 0
    printed = run("export", "1")
    assert printed.stdout.strip() == file.read_bytes()
    brought = run("import", str(file), url=empty)
    assert json.loads(brought.stdout)["title"] == "Collar test", brought.stderr
    assert run("export", "1", url=empty).stdout.strip() == file.read_bytes()
    again = run("import", str(file), url=empty)
    assert (again.returncode, b"here already" in again.stderr) == (2, True)
    assert run("import", str(file), "--copy", url=empty).returncode == 0


def test_everything_goes_out_and_into_an_empty_database_only(run, engine, empty, tmp_path) -> None:
    with Session(engine) as session:
        make_trial(session, readings=True)
    file = tmp_path / "all.dump"
    assert run("backup", str(file)).returncode == 0
    assert file.stat().st_mode & 0o077 == 0, "only its owner may read it"
    back = run("backup", str(file), "--restore", url=empty)
    assert back.returncode == 0, back.stderr
    assert run("export", "1", url=empty).stdout == run("export", "1").stdout
    full = run("backup", str(file), "--restore", url=empty)
    assert full.returncode == 1
    assert b"is not empty (it has 1 trials)" in full.stderr


def test_what_is_wrong_is_said(run, engine, tmp_path) -> None:
    (tmp_path / "x.json").write_text("{")
    (tmp_path / "x.dump").write_text("nothing")
    for words, said in (
        (("export", "no such"), b"no trial is called"),
        (("export", "1", "--to", "/nowhere/x"), b"no trial is called '1'"),
        (("import", str(tmp_path / "x.json")), b"is no JSON"),
        (("import", str(tmp_path / "gone.json")), b"No such file"),
        (("backup", str(tmp_path / "x.dump"), "--restore"), b"is no backup"),
        (("backup", "/nowhere/x"), b"No such file"),
        (("panel", str(tmp_path / "x.json")), b"no JSON"),
    ):
        found = run(*words)
        assert found.returncode in (1, 2), words
        assert said in found.stderr, (words, found.stderr)
        assert b"Traceback" not in found.stderr


def test_a_tasting_is_judged_by_command(tmp_path) -> None:
    """ISO 4120: 13 of 24; value from memory, confirmed by SciPy's exact binomial. As a person starts it."""
    (tmp_path / "t.json").write_text('{"tests": [{"method": "triangle", "answers": 24, "right": 13}]}')
    command = [sys.executable, "-m", "bruvet.command", "panel", str(tmp_path / "t.json")]
    environment = {**os.environ, "PYTHONPATH": str(SRC), "BRUVET_HOME": str(tmp_path)}
    done = subprocess.run(command, capture_output=True, env=environment, timeout=120)
    assert json.loads(done.stdout)["tests"][0]["needed"] == 13
