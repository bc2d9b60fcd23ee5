"""Nothing acknowledged is lost or doubled, though web, watcher and database are killed in mid-stream."""

from __future__ import annotations

import contextlib
import os
import signal
import subprocess
import sys
import threading
import time
import urllib.request
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from bruvet.command import Refusal
from bruvet.command.cluster import Cluster, free_port, port_is_free, server_binaries
from bruvet.command.serving import web_command
from bruvet.instruments.station import Delivery, Sent
from bruvet.records.models import Reading
from bruvet.records.store import migrate, open_engine
from bruvet.work.importing import probe_for
from bruvet.work.stations import add_station, seat
from made import make_trial

ROOT = Path(__file__).resolve().parents[2]
READINGS, BATCH = 6000, 40
BEGAN = datetime.now(UTC).replace(microsecond=0) - timedelta(hours=2)


@pytest.fixture
def cluster() -> Iterator[Cluster]:
    """A durable cluster of this test's own, to be killed."""
    binaries = server_binaries()
    home = os.environ.get("BRUVET_HOME")
    if binaries is None or home is None:
        pytest.skip("no PostgreSQL server: run the tests with ./bruvet test")
    found = Cluster(Path(home) / f"kills-{os.getpid()}", binaries)
    found.make()
    found.start()
    found.ensure_database("kills")
    yield found
    found.stop()
    import shutil

    shutil.rmtree(found.folder, ignore_errors=True)


class Server:
    """The web and watcher processes of one database, started again after each kill."""

    def __init__(self, url: str) -> None:
        self.address = f"127.0.0.1:{free_port()}"
        self.environment = {
            **os.environ,
            "PYTHONPATH": str(ROOT / "src"),
            "DATABASE_URL": url,
            "BRUVET_SECRET": "only for tests",
        }
        self.web = self.start(web_command(self.address))
        self.watcher = self.start([sys.executable, "-m", "bruvet.work.watcher"])

    def start(self, command: list[str]) -> subprocess.Popen[bytes]:
        return subprocess.Popen(
            command, env=self.environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True
        )

    def kill_web(self) -> None:
        os.killpg(self.web.pid, signal.SIGKILL)
        self.web.wait()
        self.web = self.start(web_command(self.address))

    def kill_watcher(self) -> None:
        os.killpg(self.watcher.pid, signal.SIGKILL)
        self.watcher.wait()
        self.watcher = self.start([sys.executable, "-m", "bruvet.work.watcher"])

    def end(self) -> None:
        for process in (self.web, self.watcher):
            with contextlib.suppress(ProcessLookupError):
                os.killpg(process.pid, signal.SIGKILL)
            process.wait()


def kill_database(cluster: Cluster) -> None:
    """SIGKILL the postmaster and everything below it, then start it again at the same port."""
    pid = int((cluster.data / "postmaster.pid").read_text().splitlines()[0])
    below = subprocess.run(["pgrep", "-P", str(pid)], capture_output=True, text=True).stdout.split()
    for one in (pid, *map(int, below)):
        with contextlib.suppress(ProcessLookupError):
            os.kill(one, signal.SIGKILL)
    until = time.monotonic() + 30
    while not port_is_free(cluster.port) and time.monotonic() < until:
        time.sleep(0.1)
    while True:
        try:
            return cluster.start()
        except Refusal:
            # Its shared memory may still be held by a process that is being ended.
            if time.monotonic() > until:
                print((cluster.folder / "server.log").read_text()[-2000:])
                raise
            time.sleep(0.5)


def test_kills_in_mid_stream_lose_and_double_nothing_that_was_acknowledged(cluster: Cluster) -> None:
    url = cluster.url("kills")
    migrate(url)
    engine = open_engine(url)
    with Session(engine) as session:
        trial = make_trial(session)
        station, token = add_station(session, "Yard", None)
        probe = probe_for(session, trial, {"to": f"piece:{trial.arms[0].pieces[0].id}"}, "1")
        seat(station, "1", probe, BEGAN - timedelta(hours=1))
        session.commit()
        probe_id = probe.id
    server = Server(url)
    acknowledged: set[datetime] = set()
    over = threading.Event()

    def deliver() -> None:
        waiting = [Sent("1", BEGAN + timedelta(seconds=n), 20.0 + n / 100) for n in range(READINGS)]
        while waiting:
            batch = Delivery(f"http://{server.address}", token, waiting[:BATCH])
            if batch.send(urllib.request.urlopen):
                assert batch.refused == 0
                acknowledged.update(one.at for one in waiting[:BATCH])
                waiting = waiting[BATCH:]
            else:
                time.sleep(0.1)
        over.set()

    sender = threading.Thread(target=deliver, daemon=True)
    sender.start()
    try:
        for kill in (server.kill_web, server.kill_watcher, lambda: kill_database(cluster), server.kill_web):
            reached = len(acknowledged) + READINGS // 8
            until = time.monotonic() + 60
            while len(acknowledged) < min(reached, READINGS - BATCH) and time.monotonic() < until:
                time.sleep(0.01)
            kill()
            before = set(acknowledged)
            engine.dispose()
            with Session(engine) as session:
                kept = set(session.scalars(select(Reading.at).where(Reading.probe_id == probe_id)))
            assert before <= kept, "what was acknowledged before the kill is there after it"
        assert over.wait(120), f"{len(acknowledged)} of {READINGS} after the kills"
        with Session(engine) as session:
            assert session.scalar(select(func.count()).select_from(Reading)) == READINGS
            total = session.scalar(select(func.sum(Reading.temp_c)))
        assert total == pytest.approx(sum(20.0 + n / 100 for n in range(READINGS)), rel=1e-5)
    finally:
        server.end()
        engine.dispose()
