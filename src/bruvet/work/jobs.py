"""Long work, queued in PostgreSQL: any number of workers on the same database take it in turn."""

from __future__ import annotations

import os
from collections.abc import Iterable
from contextlib import suppress
from datetime import UTC, datetime

import procrastinate

from bruvet.core.units import Units
from bruvet.records.models import Arm, Trial
from bruvet.records.store import engine_url, open_engine, session_scope

from .analysis import TrialFacts
from .forecasts import learn_from
from .importing import import_in_background
from .live import tell_ahead

queue = procrastinate.App(connector=procrastinate.SyncPsycopgConnector())


@queue.task(name="import-log")
def import_log(file_id: int) -> None:
    engine = open_engine(os.environ["DATABASE_URL"])
    try:
        import_in_background(engine, file_id)
    finally:
        engine.dispose()


@queue.task(name="learn-from-trial")
def learn_from_trial(trial_id: int) -> None:
    """What the twin can learn from a trial's finished pieces."""
    engine = open_engine(os.environ["DATABASE_URL"])
    try:
        with session_scope(engine) as session:
            trial = session.get(Trial, trial_id)
            if trial is not None:
                learn_from(TrialFacts(session, trial, Units()))
    finally:
        engine.dispose()


@queue.task(name="tell-arm")
def tell_arm(arm_id: int) -> None:
    """What an arm under way will do, from its readings so far."""
    engine = open_engine(os.environ["DATABASE_URL"])
    try:
        with session_scope(engine) as session:
            arm = session.get(Arm, arm_id)
            if arm is not None:
                tell_ahead(session, arm, datetime.now(UTC))
    finally:
        engine.dispose()


def _plain(url: str) -> str:
    return engine_url(url).replace("postgresql+psycopg://", "postgresql://")


def queue_import(url: str, file_id: int) -> None:
    """Put an import in the queue of the database at `url`."""
    with queue.replace_connector(procrastinate.SyncPsycopgConnector(conninfo=_plain(url))) as app, app.open():
        app.configure_task("import-log").defer(file_id=file_id)


def queue_learning(url: str, trial_ids: Iterable[int]) -> None:
    """Have the twin look at these trials again, in their order."""
    with queue.replace_connector(procrastinate.SyncPsycopgConnector(conninfo=_plain(url))) as app, app.open():
        for trial_id in trial_ids:
            # A few seconds on, when whatever asked for it has been committed.
            task = app.configure_task(
                "learn-from-trial",
                lock="learning",
                queueing_lock=f"learn-{trial_id}",
                schedule_in={"seconds": 3},
            )
            with suppress(procrastinate.exceptions.AlreadyEnqueued):
                task.defer(trial_id=trial_id)


def queue_telling(url: str, arm_ids: Iterable[int]) -> None:
    """Have arms under way told ahead; one that waits already waits once."""
    with queue.replace_connector(procrastinate.SyncPsycopgConnector(conninfo=_plain(url))) as app, app.open():
        for arm_id in arm_ids:
            with suppress(procrastinate.exceptions.AlreadyEnqueued):
                app.configure_task("tell-arm", queueing_lock=f"tell-{arm_id}").defer(arm_id=arm_id)


def work_forever(url: str) -> None:
    """Run jobs until told to stop."""
    with queue.replace_connector(procrastinate.PsycopgConnector(conninfo=_plain(url))) as app:
        app.run_worker(concurrency=1, fetch_job_polling_interval=2.0)
