"""`./bruvet bench board`: 24 probes at one reading a second, fifty boards open: how long from POST to screen."""

from __future__ import annotations

import http.client
import json
import re
import statistics
import sys
import threading
import time
import urllib.parse
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Engine
from sqlalchemy.orm import Session

from .cluster import free_port
from .packages import say
from .serving import child, end, wait_until_up, web_command

ARMS, INNER, HISTORY_S = 6, 3, 4 * 3600
BOARDS, POLL_S, SECONDS = 50, 3.0, 75
NAME, PASSWORD = "Bench", "bench bench bench"


def _filled(engine: Engine) -> tuple[str, datetime]:
    """A trial of six arms with four hours of readings a second, a station that sits in it, a person; the token."""
    from bruvet.records.models import Arm, Event, Piece, Probe, Trial
    from bruvet.records.people import Person
    from bruvet.records.series import save_readings, seconds
    from bruvet.web.access import hasher
    from bruvet.work.stations import add_station, seat

    now = datetime.now(UTC).replace(microsecond=0)
    began = now - timedelta(seconds=HISTORY_S)
    with Session(engine) as session:
        session.add(Person(name=NAME, password_hash=hasher.hash(PASSWORD), temp_unit="c", mass_unit="kg"))
        trial = Trial(title="Board bench", question="?", factor="wrap", cook_date=now.date(), tz="UTC")
        trial.arms = [
            Arm(
                letter=letter,
                pit_target_c=121.0,
                done_at_c=95.0,
                pieces=[Piece(cut="pork-shoulder", number=1, trimmed_kg=3.0)],
            )
            for letter in "ABCDEF"[:ARMS]
        ]
        session.add(trial)
        session.flush()
        station, token = add_station(session, "Bench", None)
        series: list[tuple[int, NDArray[np.float64], NDArray[np.float64]]] = []
        at = seconds(began) + np.arange(HISTORY_S, dtype=float)
        for arm in trial.arms:
            trial.events.append(Event(arm_id=arm.id, kind="meat-on", at=began))
            for number in range(INNER + 1):
                piece = arm.pieces[0].id if number else None
                probe = Probe(
                    trial_id=trial.id, arm_id=arm.id, piece_id=piece, place=f"place {number}" if number else "grate"
                )
                session.add(probe)
                session.flush()
                seat(station, f"{arm.letter}{number}", probe, began)
                level = np.full(HISTORY_S, 121.0) if number == 0 else np.linspace(4.0, 19.0, HISTORY_S)
                series.append((probe.id, at, level.astype(np.float64)))
        save_readings(session, series)
        session.commit()
    return token, began


class _Browser:
    """One signed-in connection that polls a board as its script does."""

    def __init__(self, address: str, cookie: str) -> None:
        self.connection = http.client.HTTPConnection(address, timeout=20)
        self.cookie, self.version, self.shown = cookie, "", -1
        self.delays: list[float] = []
        self.took: list[float] = []
        self.bytes = 0

    def poll(self, posted: dict[int, float]) -> None:
        begin = time.monotonic()
        self.connection.request("GET", f"/trials/1/board.json?since={self.version}", headers={"Cookie": self.cookie})
        answer = self.connection.getresponse()
        body = answer.read()
        now = time.monotonic()
        self.took.append(now - begin)
        self.bytes += len(body)
        if answer.status != 200:
            return
        said = json.loads(body)
        self.version = said["version"]
        number = int(said["texts"]["A.temp.0"].rstrip("°"))
        for seen in range(self.shown + 1, number + 1):
            if seen in posted:
                self.delays.append(now - posted[seen])
        self.shown = max(self.shown, number)


def _sign_in(address: str) -> str:
    connection = http.client.HTTPConnection(address, timeout=20)
    connection.request("GET", "/sign-in")
    first = connection.getresponse()
    token = re.search(r'csrf_token" value="([^"]+)', first.read().decode())
    cookie = (first.getheader("Set-Cookie") or "").split(";")[0]
    assert token
    form = urllib.parse.urlencode({"csrf_token": token[1], "name": NAME, "password": PASSWORD})
    headers = {
        "Cookie": cookie,
        "Content-Type": "application/x-www-form-urlencoded",
        "Referer": f"http://{address}/sign-in",
    }
    connection.request("POST", "/sign-in", form, headers)
    second = connection.getresponse()
    second.read()
    return (second.getheader("Set-Cookie") or "").split(";")[0]


def _used(pid: int) -> tuple[float, float]:
    """CPU seconds and MB of a process and those below it."""
    cpu = memory = 0.0
    for stat in Path("/proc").glob("[0-9]*/stat"):
        try:
            fields = stat.read_text().rsplit(")", 1)[1].split()
        except OSError:
            continue
        own = int(stat.parent.name)
        if own == pid or int(fields[1]) == pid:
            cpu += (int(fields[11]) + int(fields[12])) / 100
            memory += int(fields[21]) * 4096 / 1e6
    return cpu, memory


def bench_board(engine: Engine) -> None:
    """Median and 95 % of the delay from the sending of a batch to the boards that show it, with what it costs."""
    token, _ = _filled(engine)
    address = f"127.0.0.1:{free_port()}"
    environment = {
        "DATABASE_URL": engine.url.render_as_string(hide_password=False),
        "BRUVET_SECRET": "only for the bench",
    }
    web = child("bench-web", web_command(address), environment)
    watcher = child("bench-watcher", [sys.executable, "-m", "bruvet.work.watcher"], environment)
    worker = child("bench-worker", [sys.executable, "-m", "bruvet.work.worker"], environment)
    parts = (("web", web), ("watcher", watcher), ("worker", worker))
    try:
        wait_until_up(address, [web, watcher])
        cookie = _sign_in(address)
        time.sleep(6)
        before = {name: _used(process.pid) for name, process in parts}
        posted: dict[int, float] = {}
        browsers = [_Browser(address, cookie) for _ in range(BOARDS)]
        over = threading.Event()

        def watch(browser: _Browser, first: float) -> None:
            time.sleep(first)
            while not over.is_set():
                begin = time.monotonic()
                browser.poll(posted)
                over.wait(max(0.05, POLL_S - (time.monotonic() - begin)))

        threads = [threading.Thread(target=watch, args=(b, i * POLL_S / BOARDS)) for i, b in enumerate(browsers)]
        for thread in threads:
            thread.start()
        acknowledged = _send(address, token, posted)
        over.set()
        for thread in threads:
            thread.join()
        delays = [delay for browser in browsers for delay in browser.delays]
        took = [t for browser in browsers for t in browser.took]
        seen = f"median {statistics.median(delays):.2f} s, 95 % {np.percentile(delays, 95):.2f} s ({len(delays)} seen)"
        cost = f"POST {statistics.median(acknowledged) * 1000:.0f} ms, poll {statistics.median(took) * 1000:.0f} ms"
        size = sum(browser.bytes for browser in browsers) / len(took)
        say(f"board    24 probes a second, {BOARDS} boards: POST to screen {seen}; {cost}, {size:.0f} bytes a poll")
        for name, process in parts:
            cpu, memory = _used(process.pid)
            say(f"board    {name}: {(cpu - before[name][0]) / SECONDS:.0%} of a core, {memory:.0f} MB")
    finally:
        end([web, watcher, worker])


def _send(address: str, token: str, posted: dict[int, float]) -> list[float]:
    """A batch of all probes each second; every third one raises what A's first inner probe shows by a degree."""
    connection = http.client.HTTPConnection(address, timeout=20)
    headers = {"Authorization": f"Bearer {token}", "Content-Type": "application/json"}
    took = []
    begin = time.monotonic()
    for n in range(SECONDS):
        at = datetime.now(UTC).isoformat()
        level = 20 + n // 3
        rows = [
            {"channel": f"{letter}{number}", "at": at, "temp_c": 121.0 if number == 0 else float(level)}
            for letter in "ABCDEF"[:ARMS]
            for number in range(INNER + 1)
        ]
        sent = time.monotonic()
        connection.request("POST", "/api/v1/readings", json.dumps({"readings": rows}), headers)
        answer = connection.getresponse()
        answer.read()
        took.append(time.monotonic() - sent)
        assert answer.status == 200, answer.status
        posted.setdefault(level, sent)
        time.sleep(max(0.0, begin + n + 1 - time.monotonic()))
    return took
