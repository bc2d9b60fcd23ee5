"""The watcher: works out every trial under way, every few seconds, until told to stop. One does for a database."""

from __future__ import annotations

import logging
import os
import sys
import time
from collections.abc import Callable
from datetime import UTC, datetime

from pythonjsonlogger.json import JsonFormatter
from sqlalchemy import Engine, text
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from bruvet.records.store import open_engine

from .jobs import queue_telling
from .live import LiveTrial, keep, tell_on, under_way
from .stand_in import deliver

log = logging.getLogger("bruvet.watcher")
EVERY_S = 2.0
# The number that watchers of one database take turns by.
LOCK = 0x6272_7576


def look(
    engine: Engine, live: dict[int, LiveTrial], now: datetime, tell: Callable[[list[int]], None] | None = None
) -> int:
    """One look at every trial under way; returns how many there are.

    Parameters
    ----------
    tell : callable, optional
        Is given the arms whose forecast is old.
    """
    with Session(engine) as session:
        if not session.scalar(text("SELECT pg_try_advisory_xact_lock(:lock)"), {"lock": LOCK}):
            return 0
        trials = under_way(session, now)
        ids = [trial.id for trial in trials]
        for trial in trials:
            kept = live.setdefault(trial.id, LiveTrial(trial.id))
            try:
                with session.begin_nested():
                    deliver(session, trial, now)
                    facts = kept.facts(session, trial, now)
                    keep(session, facts, now)
                    tell_on(session, trial, now)
            except DBAPIError:
                raise
            except Exception:
                # One trial that cannot be worked out must not silence the others.
                log.exception("trial", extra={"trial": trial.id})
        waiting = [arm_id for trial in trials for arm_id in live[trial.id].due_to_tell(trial, now)]
        session.commit()
    if waiting and tell is not None:
        tell(waiting)
    for gone in set(live) - set(ids):
        del live[gone]
    return len(ids)


def watch_forever(url: str) -> None:
    """Look again and again; a database that is away is waited for."""
    engine = open_engine(url)
    live: dict[int, LiveTrial] = {}
    while True:
        began = time.monotonic()
        try:
            look(engine, live, datetime.now(UTC), lambda arms: queue_telling(url, arms))
        except DBAPIError as error:
            log.warning("database", extra={"why": str(error)[:200]})
            live.clear()
            time.sleep(2.0)
        time.sleep(max(0.2, EVERY_S - (time.monotonic() - began)))


if __name__ == "__main__":
    handler = logging.StreamHandler(sys.stderr)
    handler.setFormatter(JsonFormatter("%(asctime)s %(levelname)s %(name)s %(message)s"))
    logging.getLogger().addHandler(handler)
    watch_forever(os.environ["DATABASE_URL"])
