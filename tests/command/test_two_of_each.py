"""Two web servers and two workers on one database: one sign-in serves both, and each job is done once."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from pathlib import Path

import pytest
from sqlalchemy import func, select, text
from sqlalchemy.orm import Session

from bruvet.command.cluster import free_port
from bruvet.command.serving import end, wait_until_up, web_command
from bruvet.records.models import LogFile, Reading
from bruvet.work.importing import add_file
from bruvet.work.jobs import queue_import
from conftest import NAME, PASSWORD
from made import make_trial

ROOT = Path(__file__).resolve().parents[2]
FILES, ROWS = 6, 400


@pytest.fixture
def two(engine, database_url: str, app):
    environment = {**os.environ, "PYTHONPATH": str(ROOT / "src"), "DATABASE_URL": database_url}
    environment["BRUVET_SECRET"] = "only for tests, and long enough"
    addresses = [f"127.0.0.1:{free_port()}" for _ in range(2)]
    commands = [web_command(address) for address in addresses]
    commands += [[sys.executable, "-m", "bruvet.work.worker"]] * 2
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    started = [subprocess.Popen(c, env=environment, start_new_session=True, **quiet) for c in commands]
    for address in addresses:
        wait_until_up(address, started)
    yield addresses
    end(started)


def test_a_sign_in_at_one_is_good_at_the_other(two, chromium, engine) -> None:
    with Session(engine) as session:
        make_trial(session, readings=True)
    context = chromium.new_context()
    page = context.new_page()
    page.goto(f"http://{two[0]}/sign-in")
    page.fill("#name", NAME)
    page.fill("#password", PASSWORD)
    page.click("main button")
    page.goto(f"http://{two[1]}/trials/1/curves")
    page.wait_for_selector("[data-chart][data-ready]")
    context.close()


def test_jobs_are_shared_and_each_is_done_once(two, engine, database_url, monkeypatch) -> None:
    monkeypatch.setenv("DATABASE_URL", database_url)
    with Session(engine) as session:
        trial = make_trial(session)
        ids = []
        for number in range(FILES):
            lines = [f"2026-05-02 {7 + n // 60:02d}:{n % 60:02d}:{number:02d},{100 + n % 9}" for n in range(ROWS)]
            content = ("time,A pit C\n" + "\n".join(lines)).encode()
            row, _ = add_file(session, trial, f"log-{number}.csv", content, None)
            row.mapping = {"targets": {"A pit C": {"to": f"pit:{trial.arms[0].id}", "place": "grate"}}}
            session.commit()
            ids.append(row.id)
        for file_id in ids:
            queue_import(database_url, file_id)
        deadline = time.monotonic() + 60
        while time.monotonic() < deadline:
            session.expire_all()
            if all(row.state == "done" for row in session.scalars(select(LogFile))):
                break
            time.sleep(0.2)
        outcomes = [(row.state, row.outcome) for row in session.scalars(select(LogFile))]
        assert {state for state, _ in outcomes} == {"done"}, outcomes
        assert session.scalar(select(func.count()).select_from(Reading)) == FILES * ROWS
        attempts = session.execute(
            text("SELECT DISTINCT attempts FROM procrastinate_jobs WHERE task_name = 'import-log'")
        )
        assert attempts.scalars().all() == [1]
