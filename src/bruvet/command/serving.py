"""Starting everything that serves Bruvet, watching it, and stopping all of it again."""

from __future__ import annotations

import fcntl
import os
import secrets
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from types import FrameType

from . import Refusal
from .cluster import Cluster, port_is_free
from .packages import ensure_postgresql, offer_pango, say

OWN_DATABASE, DEMO_DATABASE = "bruvet", "bruvet_demo"
NEEDED_BYTES = 200_000_000


def home() -> Path:
    return Path(os.environ["BRUVET_HOME"])


def secret() -> str:
    """The key that signs cookies; made once, kept in the state folder. Several machines share one by BRUVET_SECRET."""
    told = os.environ.get("BRUVET_SECRET", "")
    if told:
        if len(told) < 32:
            raise Refusal("BRUVET_SECRET is too short: give 32 characters or more")
        return told
    path = home() / "secret"
    if not path.exists():
        path.touch(mode=0o600)
        path.write_text(secrets.token_urlsafe(48))
    return path.read_text()


class Stop(Exception):
    """Ctrl-C, SIGTERM or a closed terminal."""


def _stop(signum: int, frame: FrameType | None) -> None:
    raise Stop


@contextmanager
def stoppable() -> Iterator[None]:
    """Turn Ctrl-C, SIGTERM and a closed terminal into one exception, so that whatever was started is stopped."""
    wanted = [signal.SIGINT, signal.SIGTERM]
    if signal.getsignal(signal.SIGHUP) is not signal.SIG_IGN:  # as under nohup
        wanted.append(signal.SIGHUP)
    before = {s: signal.signal(s, _stop) for s in wanted}
    try:
        yield
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)


@contextmanager
def only_one() -> Iterator[None]:
    """Refuse to run twice on one state folder."""
    with (home() / "run.lock").open("a+") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            lock.seek(0)
            raise Refusal(f"Bruvet is running already from {home()} ({lock.read().strip() or 'starting'})") from None
        lock.truncate(0)
        yield
        lock.truncate(0)


def note_running(address: str, database_name: str) -> None:
    (home() / "run.lock").write_text(f"at {address}, database {database_name}")


def served_database() -> str:
    """Name of the database that is being served from this state folder now; empty when none is."""
    lock = home() / "run.lock"
    return lock.read_text().rpartition("database ")[2].strip() if lock.exists() else ""


@contextmanager
def database(name: str) -> Iterator[str]:
    """A database URL: DATABASE_URL if set, otherwise `name` in the private cluster, started and stopped here."""
    own = os.environ.get("DATABASE_URL")
    if own:
        yield own
        return
    cluster = Cluster(home() / "cluster", ensure_postgresql())
    cluster.make()
    started = not cluster.running()
    if started:
        cluster.start()
    try:
        cluster.ensure_database(name)
        yield cluster.url(name)
    finally:
        if started:
            cluster.stop()


@contextmanager
def throwaway_cluster(durable: bool = False) -> Iterator[Cluster]:
    """A cluster of its own that is gone afterwards: for tests, shots and benches."""
    folder = home() / f"throwaway-{os.getpid()}"
    cluster = Cluster(folder, ensure_postgresql())
    try:
        cluster.make()
        cluster.start(durable=durable)
        yield cluster
    finally:
        if cluster.data.exists():
            cluster.stop()
        shutil.rmtree(folder, ignore_errors=True)


def prepare(url: str, demo: bool) -> dict[str, str]:
    """Migrate, and load the demo when asked; what its station must know, as environment."""
    from sqlalchemy.exc import OperationalError

    from bruvet.records.store import migrate

    try:
        migrate(url)
    except OperationalError as error:
        raise Refusal(f"the database cannot be used: {str(error.orig).strip().splitlines()[0]}") from None
    return load_demo(url) if demo else {}


def load_demo(url: str) -> dict[str, str]:
    """Fill the demo's database, see that a trial is running; what its station must know, as environment."""
    from datetime import UTC, datetime

    from bruvet.records.store import open_engine, session_scope
    from bruvet.web.access import hasher
    from bruvet.work.demo import load
    from bruvet.work.demo_running import keep_running
    from bruvet.work.forecasts import to_learn_from
    from bruvet.work.jobs import queue_learning

    engine = open_engine(url)
    with session_scope(engine) as session:
        load(session, hasher.hash, lambda what: say(f"      loading {what}"))
        token, began = keep_running(session, datetime.now(UTC))
        waiting = to_learn_from(session)
    queue_learning(url, waiting)
    engine.dispose()
    return {"BRUVET_STATION_TOKEN": token, "BRUVET_STATION_BEGAN": began.isoformat()}


def child(name: str, command: list[str], environment: dict[str, str]) -> subprocess.Popen[bytes]:
    """Start a process that ends when this one does, however this one ends; it writes to NAME.log."""
    tied = ["setpriv", "--pdeathsig", "TERM", "--", *command] if shutil.which("setpriv") else command
    with log_file(name).open("w") as log:
        return subprocess.Popen(tied, env={**os.environ, **environment}, stdout=log, stderr=log, start_new_session=True)


def log_file(name: str) -> Path:
    return home() / f"{name}.log"


def web_command(*addresses: str) -> list[str]:
    binds = [word for address in addresses for word in ("--bind", address)]
    return [
        *(sys.executable, "-m", "gunicorn", *binds, "--workers", "2", "--threads", "4"),
        *(
            "--worker-class",
            "gthread",
            "--timeout",
            "120",
            "--keep-alive",
            "10",
            "--log-level",
            "warning",
            "bruvet.web:create_app()",
        ),
    ]


def lan_address() -> str | None:
    """This machine's own address on the home network; None when it has none but the loopback."""
    import socket

    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:
        try:
            # Nothing is sent: this only asks the system which of its addresses such a packet would leave by.
            probe.connect(("192.0.2.1", 9))
            own = str(probe.getsockname()[0])
        except OSError:
            return None
    return None if own.startswith("127.") else own


def _say_where(binds: list[str]) -> None:
    """The address for phones, as words and as a QR code for the terminal."""
    import io

    import segno

    if len(binds) < 2:
        say("This machine has no address on a home network now, so only its own browser can reach Bruvet.")
        return
    address = f"http://{binds[1]}"
    picture = io.StringIO()
    segno.make(address, error="l").terminal(out=picture, compact=True)
    say(f"Phones in the yard: {address} (they sign in as everybody does)\n{picture.getvalue()}")


def wait_until_up(address: str, processes: list[subprocess.Popen[bytes]]) -> None:
    import urllib.error
    import urllib.request

    until = time.monotonic() + 60
    while time.monotonic() < until:
        for process in processes:
            if process.poll() is not None:
                raise Refusal(f"the web server did not start (log: {log_file('web')})")
        try:
            with urllib.request.urlopen(f"http://{address}/healthz", timeout=2):
                return
        except (urllib.error.URLError, OSError):
            time.sleep(0.1)
    raise Refusal("the web server did not answer within a minute")


def end(processes: list[subprocess.Popen[bytes]]) -> None:
    for process in processes:
        if process.poll() is None:
            process.terminate()
    for process in processes:
        try:
            process.wait(timeout=12)
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait()


def serve(port: int, demo: bool, lan: bool = False) -> None:
    """Serve until stopped: database, migrations, demo data, job worker, web."""
    if not port_is_free(port):
        raise Refusal(f"port {port} on 127.0.0.1 is taken: end what uses it, or choose another with --port")
    if shutil.disk_usage(home()).free < NEEDED_BYTES:
        raise Refusal(f"less than {NEEDED_BYTES // 1_000_000} MB are free in {home()}: the disk is full")
    began = time.monotonic()
    processes: list[subprocess.Popen[bytes]] = []
    # These may come to their end while Bruvet goes on.
    children: list[subprocess.Popen[bytes]] = []
    with only_one(), stoppable():
        try:
            say("[1/4] Database" if not os.environ.get("DATABASE_URL") else "[1/4] Database of DATABASE_URL")
            name = DEMO_DATABASE if demo else OWN_DATABASE
            with database(name) as url:
                offer_pango()
                say("[2/4] Migrations" + (" and demo data" if demo else ""))
                for_station = prepare(url, demo)
                from bruvet.work.demo import SIGN_IN

                environment = {"DATABASE_URL": url, "BRUVET_SECRET": secret()}
                if demo:
                    environment["BRUVET_DEMO_SIGN_IN"] = SIGN_IN
                address = f"127.0.0.1:{port}"
                try:
                    say("[3/4] Worker for long jobs, watcher of what is cooked")
                    processes.append(child("worker", [sys.executable, "-m", "bruvet.work.worker"], environment))
                    processes.append(child("watcher", [sys.executable, "-m", "bruvet.work.watcher"], environment))
                    say("[4/4] Web server")
                    binds = [address, *([f"{own}:{port}" for own in [lan_address()] if own] if lan else [])]
                    processes.append(child("web", web_command(*binds), environment))
                    wait_until_up(address, processes)
                    if demo:
                        station = [
                            sys.executable,
                            "-m",
                            "bruvet.command",
                            "station",
                            "--demo",
                            "--url",
                            f"http://{address}",
                        ]
                        children.append(child("station", station, for_station))
                    note_running(f"http://{address}", name)
                    say(f"\nBruvet is at http://{address} (ready in {time.monotonic() - began:.1f} s)")
                    say(SIGN_IN if demo else "The first visit sets up the owner's account.")
                    if lan:
                        _say_where(binds)
                    say(f"Logs are in {home()}. Ctrl-C stops everything.")
                    _watch(processes)
                finally:
                    end([*children, *processes])
        except Stop:
            say("\nStopped.")


def _watch(processes: list[subprocess.Popen[bytes]]) -> None:
    while True:
        time.sleep(0.5)
        for process in processes:
            if process.poll() is not None:
                code = process.returncode
                raise Refusal(f"a part of Bruvet ended by itself (exit code {code}; logs in {home()}); all was stopped")
