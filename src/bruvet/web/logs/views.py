"""Logger files in: upload, preview with every guess shown, assign, save all or nothing."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any
from zoneinfo import ZoneInfo

from flask import Blueprint, abort, current_app, flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from bruvet.formats.logger import Series, Understanding, UnreadableFile, collect, understand
from bruvet.records.models import LogFile, Probe, Trial
from bruvet.records.series import extents
from bruvet.web.access import person
from bruvet.web.database import db, keep, trial_or_404
from bruvet.web.trial_page import trial_page
from bruvet.work.importing import BadMapping, add_file, choices_of, guess_target, import_now
from bruvet.work.jobs import queue_import

blueprint = Blueprint("logs", __name__, template_folder="templates")
View = str | Response | tuple[str, int]

INLINE_BYTES = 3_000_000
PREVIEW_ROWS = 9
PREVIEW_BYTES = 1_500_000
ROLES = {
    "temperature": "temperature",
    "time": "time",
    "probe": "name of the probe",
    "unit": "unit",
    "event": "event",
    "ignored": "left out",
}


@blueprint.get("/trials/<int:trial_id>/logs")
def files(trial_id: int) -> View:
    return _files_page(trial_or_404(trial_id), "")


def _files_page(trial: Trial, problem: str) -> View:
    known = extents(db(), [probe.id for probe in trial.probes])
    page = trial_page("logs/files.html", trial, problem=problem, extents=known)
    return page, 422 if problem else 200


@blueprint.post("/trials/<int:trial_id>/logs")
def upload(trial_id: int) -> View:
    trial = trial_or_404(trial_id)
    sent = request.files.get("file")
    if sent is None or not sent.filename:
        return _files_page(trial, "Choose a file first.")
    name = re.split(r"[\\/]", sent.filename)[-1]
    try:
        row, fresh = add_file(db(), trial, name, sent.read(), person().id)
    except UnreadableFile as error:
        return _files_page(trial, f"{name}: {error}")
    if not fresh and row.state == "done":
        flash(f"{name} is here already, so nothing was added.", "good")
        return redirect(url_for("logs.files", trial_id=trial.id))
    return redirect(url_for("logs.columns", trial_id=trial.id, file_id=row.id))


def _file_or_404(trial: Trial, file_id: int) -> LogFile:
    row = next((f for f in trial.log_files if f.id == file_id), None)
    if row is None:
        abort(404)
    return row


# ---- the preview ------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Assignable:
    """One column or probe of the file as the preview shows it."""

    name: str
    unit: str
    ask: str | None
    count: int
    low_c: float | None
    high_c: float | None
    to: str
    place: str


def _preview_bytes(content: bytes) -> bytes:
    """Head and tail of a large file, cut at line ends: enough to guess by, quick to read."""
    if len(content) <= PREVIEW_BYTES or content[:2] in (b"\xff\xfe", b"\xfe\xff") or b"\x00" in content[:400]:
        return content
    half = PREVIEW_BYTES // 2
    head = content[: content.rindex(b"\n", 0, half) + 1]
    tail = content[content.index(b"\n", len(content) - half) + 1 :]
    return head + tail


def _mapping_from_form() -> dict[str, Any]:
    """The mapping as the person has it in the form; whatever is not said stays open."""
    form = request.form
    mapping: dict[str, Any] = {"units": {}, "targets": {}, "roles": {}}
    for key in ("date", "tz", "order", "zero"):
        if form.get(key, "").strip():
            mapping[key] = form[key].strip()
    scale = {"seconds": 1 / 60, "minutes": 1.0, "hours": 60.0}.get(form.get("scale", ""))
    if scale:
        mapping["elapsed_scale"] = scale
    if form.get("events_to", "").isdigit():
        mapping["events_to"] = form["events_to"]
    number = 0
    while f"column-{number}" in form:
        if form.get(f"role-{number}") in ROLES:
            mapping["roles"][form[f"column-{number}"]] = form[f"role-{number}"]
        number += 1
    number = 0
    while f"name-{number}" in form:
        name = form[f"name-{number}"]
        if form.get(f"unit-{number}") in ("c", "f"):
            mapping["units"][name] = form[f"unit-{number}"]
        if form.get(f"to-{number}"):
            mapping["targets"][name] = {"to": form[f"to-{number}"], "place": form.get(f"place-{number}", "")}
        number += 1
    return mapping


def _checked(mapping: dict[str, Any]) -> str:
    """What is wrong with the dates or the zone of a mapping, or nothing."""
    try:
        ZoneInfo(mapping.get("tz") or "UTC")
    except (KeyError, ValueError, OSError):
        return f"'{mapping['tz'][:40]}' is no time zone; write one such as Europe/Lisbon."
    for key, read, how in (
        ("date", date.fromisoformat, "2026-05-02"),
        ("zero", datetime.fromisoformat, "2026-05-02 05:30"),
    ):
        if key in mapping:
            try:
                read(mapping[key])
            except ValueError:
                return f"'{mapping[key]}' cannot be read; write it as {how}."
    return ""


def _columns_page(trial: Trial, row: LogFile, mapping: dict[str, Any], problem: str) -> View:
    try:
        log = understand(_preview_bytes(row.content), choices_of(trial, mapping))
    except UnreadableFile as error:
        # Roles that leave no time or no temperature: back to the guess, with the reason.
        mapping = mapping | {"roles": {}}
        problem = str(error)
        log = understand(_preview_bytes(row.content), choices_of(trial, mapping))
    readings = collect(log, choices_of(trial, mapping))
    page = trial_page(
        "logs/columns.html",
        trial,
        row=row,
        log=log,
        mapping=mapping,
        problem=problem,
        whole=len(row.content) <= PREVIEW_BYTES,
        readings=readings,
        columns=[_assignable(trial, log, series, mapping) for series in readings.series],
        sample=[r for _, r in zip(range(PREVIEW_ROWS), log.table.rows(), strict=False)],
        begin=_begin(trial, row, mapping),
        roles=ROLES,
    )
    return page, 422 if problem else 200


def _assignable(trial: Trial, log: Understanding, series: Series, mapping: dict[str, Any]) -> Assignable:
    chosen = mapping.get("targets", {}).get(series.name)
    to = chosen["to"] if chosen else ("" if mapping.get("targets") else guess_target(series.name, trial.arms))
    known = len(series.temp_c) > 0
    return Assignable(
        name=series.name,
        unit=series.unit or "",
        ask=series.ask,
        count=len(series.at),
        low_c=float(series.temp_c.min()) if known else None,
        high_c=float(series.temp_c.max()) if known else None,
        to=to,
        place=chosen["place"] if chosen else "",
    )


def _begin(trial: Trial, row: LogFile, mapping: dict[str, Any]) -> str:
    """When a log without clock times began: as typed, or the first meat-on of the trial as a first guess."""
    if mapping.get("zero"):
        return str(mapping["zero"])
    zeros = [e.at for e in trial.events if e.kind == "meat-on"]
    if not zeros:
        return ""
    return min(zeros).astimezone(ZoneInfo(trial.tz)).strftime("%Y-%m-%dT%H:%M")


@blueprint.get("/trials/<int:trial_id>/logs/<int:file_id>")
def columns(trial_id: int, file_id: int) -> View:
    trial = trial_or_404(trial_id)
    row = _file_or_404(trial, file_id)
    if row.state in ("queued", "running"):
        return redirect(url_for("logs.progress", trial_id=trial_id, file_id=file_id))
    return _columns_page(trial, row, row.mapping or {}, str(row.outcome.get("error", "")))


@blueprint.post("/trials/<int:trial_id>/logs/<int:file_id>")
def save(trial_id: int, file_id: int) -> View:
    trial = trial_or_404(trial_id)
    row = _file_or_404(trial, file_id)
    mapping = _mapping_from_form()
    problem = _checked(mapping)
    if problem or request.form.get("do") == "again":
        mapping = mapping if not problem else {k: v for k, v in mapping.items() if k not in ("date", "zero", "tz")}
        return _columns_page(trial, row, mapping, problem)
    if not mapping["targets"]:
        return _columns_page(trial, row, mapping, "Say for at least one column where it belongs.")
    row.mapping, row.outcome = mapping, {}
    if row.size > INLINE_BYTES:
        row.state, row.done_share = "queued", 0.0
        keep()
        queue_import(current_app.config["DATABASE_URL"], row.id)
        return redirect(url_for("logs.progress", trial_id=trial_id, file_id=file_id))
    try:
        import_now(db(), row)
    except (BadMapping, UnreadableFile) as error:
        db().rollback()
        trial = trial_or_404(trial_id)
        return _columns_page(trial, _file_or_404(trial, file_id), mapping, str(error))
    return redirect(url_for("logs.progress", trial_id=trial_id, file_id=file_id))


@blueprint.get("/trials/<int:trial_id>/logs/<int:file_id>/progress")
def progress(trial_id: int, file_id: int) -> View:
    trial = trial_or_404(trial_id)
    row = _file_or_404(trial, file_id)
    if request.headers.get("HX-Request"):
        return render_template("logs/progress_part.html", trial=trial, row=row)
    return trial_page("logs/progress.html", trial, row=row)


@blueprint.post("/trials/<int:trial_id>/logs/<int:file_id>/delete")
def delete(trial_id: int, file_id: int) -> View:
    trial = trial_or_404(trial_id)
    row = _file_or_404(trial, file_id)
    db().delete(row)
    flash(f"{row.name} was put away; readings that came from it stay.", "good")
    return redirect(url_for("logs.files", trial_id=trial_id))


@blueprint.post("/trials/<int:trial_id>/probes/<int:probe_id>/delete")
def delete_probe(trial_id: int, probe_id: int) -> View:
    probe = db().get(Probe, probe_id)
    if probe is None or probe.trial_id != trial_id:
        abort(404)
    label = probe.label
    db().delete(probe)
    # The files can be brought in again: what they added is gone.
    for row in trial_or_404(trial_id).log_files:
        if row.state == "done" and any(column["to"] == label for column in row.outcome.get("columns", [])):
            row.state = "new"
    flash(f"The readings of {label} were removed. Its file is still here and can be brought in again.", "good")
    return redirect(url_for("logs.files", trial_id=trial_id))
