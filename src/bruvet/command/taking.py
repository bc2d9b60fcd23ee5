"""`./bruvet export`, `import BUNDLE.json` and `backup`: a trial, or everything, out and in."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

from sqlalchemy import func, select, text
from sqlalchemy.engine import make_url

from bruvet.formats.trial_bundle import BadBundle
from bruvet.records.models import Trial
from bruvet.records.store import migrate, open_engine, session_scope
from bruvet.work.bundles import bring_in, export

from . import Refusal
from .answers import read_file
from .bringing import trial_called
from .cluster import server_binaries
from .packages import say
from .serving import DEMO_DATABASE, OWN_DATABASE, database, served_database


def _name(demo: bool) -> str:
    return DEMO_DATABASE if demo else served_database() or OWN_DATABASE


def take_out(name: str, to: str | None, demo: bool) -> None:
    """Write a trial's bundle to a file, or to the standard output."""
    with database(_name(demo)) as url:
        migrate(url)
        engine = open_engine(url)
        with session_scope(engine) as session:
            content = export(session, trial_called(session, name))
        engine.dispose()
    if to is None:
        sys.stdout.buffer.write(content + b"\n")
        return
    _write(Path(to), content)
    say(f"{to}: {len(content):,} bytes")


def _write(path: Path, content: bytes) -> None:
    """The whole file or none of it."""
    part = path.with_name(path.name + ".part")
    try:
        part.write_bytes(content)
        part.replace(path)
    except OSError as error:
        part.unlink(missing_ok=True)
        raise Refusal(f"{path}: {error.strerror or error}") from None


def bring_bundle(path: str, demo: bool, copy: bool) -> None:
    content = read_file(path)
    with database(_name(demo)) as url:
        migrate(url)
        engine = open_engine(url)
        try:
            with session_scope(engine) as session:
                trial = bring_in(session, content, copy=copy)
                outcome = {"trial": trial.id, "title": trial.title, "arms": len(trial.arms)}
        except BadBundle as error:
            raise Refusal(f"{path}: {error}") from None
        finally:
            engine.dispose()
    print(json.dumps(outcome, ensure_ascii=False, indent=1))


# ---- everything --------------------------------------------------------------------------------------------


def back_up(path: str, restore: bool, demo: bool) -> None:
    """Write everything there is to a file, or put such a file into a database that is still empty."""
    with database(_name(demo)) as url:
        if restore:
            _put_back(url, path)
        else:
            _take_all(url, path)


def _program(name: str) -> str:
    folder = server_binaries()
    if folder is None or not (folder / name).exists():
        raise Refusal(f"needs PostgreSQL's program {name}, in Debian's package postgresql-client")
    return str(folder / name)


def _environment(url: str) -> tuple[dict[str, str], str]:
    """What PostgreSQL's programs must know, without a password on the command line; and the database's name."""
    where = make_url(url.replace("postgres://", "postgresql://"))
    known = {"PGHOST": where.host, "PGPORT": where.port, "PGUSER": where.username, "PGPASSWORD": where.password}
    told = {key: str(value) for key, value in known.items() if value is not None}
    return {**os.environ, **told}, where.database or "postgres"


def _take_all(url: str, path: str) -> None:
    environment, name = _environment(url)
    part = Path(path + ".part")
    try:
        with part.open("wb") as sink:
            command = [_program("pg_dump"), "--format=custom", "--no-owner", "--dbname", name]
            done = subprocess.run(command, stdout=sink, stderr=subprocess.PIPE, env=environment)
        if done.returncode:
            raise Refusal(f"pg_dump failed: {done.stderr.decode(errors='replace').strip().splitlines()[-1]}")
        part.chmod(0o600)
        part.replace(path)
    except OSError as error:
        raise Refusal(f"{path}: {error.strerror or error}") from None
    finally:
        part.unlink(missing_ok=True)
    size = Path(path).stat().st_size
    say(f"{path}: {size:,} bytes. It holds everything, password hashes too: keep it where only you can read it.")


def _put_back(url: str, path: str) -> None:
    content = read_file(path)
    if content[:5] != b"PGDMP":
        raise Refusal(f"{path}: is no backup that ./bruvet backup wrote")
    engine = open_engine(url)
    try:
        with engine.begin() as connection:
            if connection.execute(text("SELECT to_regclass('trial')")).scalar() is not None:
                trials = connection.execute(select(func.count()).select_from(Trial)).scalar_one()
                raise Refusal(
                    f"the database is not empty (it has {trials} trials): put a backup into a new state folder, "
                    "with BRUVET_HOME, or an empty database of your own, with DATABASE_URL"
                )
    finally:
        engine.dispose()
    environment, name = _environment(url)
    command = [_program("pg_restore"), "--no-owner", "--exit-on-error", "--single-transaction", "--dbname", name]
    done = subprocess.run(command, input=content, stderr=subprocess.PIPE, env=environment)
    if done.returncode:
        raise Refusal(f"nothing was put back: {done.stderr.decode(errors='replace').strip().splitlines()[-1]}")
    migrate(url)
    say(f"{path}: put back")
