"""The watcher: works out every trial under way, every few seconds, until told to stop. One does for a database."""

from __future__ import annotations

import logging
import os
import sys
import time
from datetime import UTC, datetime

from pythonjsonlogger.json import JsonFormatter
from sqlalchemy import Engine, text
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from bruvet.records.store import open_engine

from .live import LiveTrial, keep, tell_on, under_way
from .stand_in import deliver

log = logging.getLogger("bruvet.watcher")
EVERY_S = 2.0
# The number that watchers of one database take turns by.
LOCK = 0x6272_7576


def look(engine: Engine, live: dict[int, LiveTrial], now: datetime) -> int:
    """One look at every trial under way; returns how many there are."""
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
        session.commit()
        if trials:
            _tell_one(session, [live[trial_id] for trial_id in ids], now)
    for gone in set(live) - set(ids):
        del live[gone]
    return len(ids)


def _tell_one(session: Session, live: list[LiveTrial], now: datetime) -> None:
    """Forecast one arm anew, after the boards are kept: it takes the longest."""
    from bruvet.records.models import Trial

    for kept in live:
        trial = session.get(Trial, kept.trial_id)
        if trial is None:
            continue
        try:
            if kept.tell_ahead(kept.facts(session, trial, now), now):
                session.commit()
                return
        except DBAPIError:
            raise
        except Exception:
            session.rollback()
            log.exception("forecast", extra={"trial": kept.trial_id})


def watch_forever(url: str) -> None:
    """Look again and again; a database that is away is waited for."""
    engine = open_engine(url)
    live: dict[int, LiveTrial] = {}
    while True:
        began = time.monotonic()
        try:
            look(engine, live, datetime.now(UTC))
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
