"""Long work, queued in PostgreSQL: any number of workers on the same database take it in turn."""

from __future__ import annotations

import os

import procrastinate

from bruvet.records.store import engine_url, open_engine

from .importing import import_in_background

queue = procrastinate.App(connector=procrastinate.SyncPsycopgConnector())


@queue.task(name="import-log")
def import_log(file_id: int) -> None:
    engine = open_engine(os.environ["DATABASE_URL"])
    try:
        import_in_background(engine, file_id)
    finally:
        engine.dispose()


def _plain(url: str) -> str:
    return engine_url(url).replace("postgresql+psycopg://", "postgresql://")


def queue_import(url: str, file_id: int) -> None:
    """Put an import in the queue of the database at `url`."""
    with queue.replace_connector(procrastinate.SyncPsycopgConnector(conninfo=_plain(url))) as app, app.open():
        app.configure_task("import-log").defer(file_id=file_id)


def work_forever(url: str) -> None:
    """Run jobs until told to stop."""
    with queue.replace_connector(procrastinate.PsycopgConnector(conninfo=_plain(url))) as app:
        app.run_worker(concurrency=1, fetch_job_polling_interval=2.0)
