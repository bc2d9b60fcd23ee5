"""Stations that deliver readings by themselves, and where their channels sit in a trial, from when to when."""

from __future__ import annotations

from datetime import UTC, datetime

import numpy as np
from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from sqlalchemy import func, select
from werkzeug.wrappers import Response

from bruvet.core.curves.calibration import BadCalibration, calibration
from bruvet.records.models import Channel, Probe, Station, Trial
from bruvet.web.access import person, units
from bruvet.web.database import db, trial_or_404
from bruvet.web.reader import Reader
from bruvet.work.calibrations import of_channel
from bruvet.work.importing import BadMapping, probe_for
from bruvet.work.stations import add_station, seat

blueprint = Blueprint("stations", __name__, template_folder="templates")
View = str | Response | tuple[str, int]


def _page(trial: Trial, form: dict[str, str], errors: dict[str, str], token: str = "") -> View:
    channels = db().scalars(
        select(Channel).join(Probe).where(Probe.trial_id == trial.id).order_by(Channel.from_at, Channel.id)
    )
    page = render_template(
        "stations/show.html",
        trial=trial,
        stations=list(db().scalars(select(Station).order_by(Station.name))),
        channels=list(channels),
        targets=[
            *((f"piece:{piece.id}", f"{piece.name}, in the meat") for arm in trial.arms for piece in arm.pieces),
            *((f"pit:{arm.id}", f"{arm.letter}, pit") for arm in trial.arms),
        ],
        form=form,
        errors=errors,
        fresh_token=token,
        calibrated=calibrated,
        address=request.host_url.rstrip("/"),
    )
    return page, 422 if errors else 200


def calibrated(channel: Channel) -> str:
    """A channel's correction in words."""
    if not channel.calibration:
        return "not checked"
    how = of_channel(channel)
    middle = how.true_c(np.array([70.0]))[0] - 70.0
    return f"{units().step_text(middle, 1)} added near {units().temp_text(70.0)}"


@blueprint.get("/trials/<int:trial_id>/stations")
def show(trial_id: int) -> View:
    return _page(trial_or_404(trial_id), {}, {})


@blueprint.post("/trials/<int:trial_id>/stations")
def add(trial_id: int) -> View:
    trial = trial_or_404(trial_id)
    reader = Reader(request.form, units())
    name = reader.text("name", "A name", 80, required=True)
    if name and db().scalar(select(Station).where(func.lower(Station.name) == name.lower())):
        reader.fail("name", f"There is a station called {name} already.")
    if reader.errors:
        return _page(trial, request.form.to_dict(), reader.errors)
    _, token = add_station(db(), name, person().id)
    db().flush()
    return _page(trial, {}, {}, token)


@blueprint.post("/trials/<int:trial_id>/channels")
def seat_channel(trial_id: int) -> View:
    trial = trial_or_404(trial_id)
    reader = Reader(request.form, units())
    station = db().get(Station, request.form.get("station", -1, type=int))
    if station is None:
        reader.fail("station", "Choose a station; add one first.")
    name = reader.text("channel", "The channel", 40, required=True)
    place = reader.text("place", "The place", 60)
    from_at = None
    if request.form.get("from", "").strip():
        from_at = reader.when("from", None, trial.cook_date, trial.tz)
    if not reader.errors:
        assert station is not None
        try:
            probe = probe_for(db(), trial, {"to": request.form.get("to", ""), "place": place}, name)
        except BadMapping:
            reader.fail("to", "Say which pit or piece it sits in.")
        else:
            seat(station, name, probe, from_at or datetime.now(UTC))
            flash(f"{station.name}, channel {name}, sits at {probe.label}.", "good")
            return redirect(url_for("stations.show", trial_id=trial.id))
    return _page(trial, request.form.to_dict(), reader.errors)


@blueprint.post("/trials/<int:trial_id>/channels/<int:channel_id>/end")
def end_channel(trial_id: int, channel_id: int) -> View:
    trial = trial_or_404(trial_id)
    channel = db().get(Channel, channel_id) if channel_id < 2**31 else None
    if channel is None or channel.probe.trial_id != trial.id:
        abort(404)
    if channel.until_at is None:
        channel.until_at = max(datetime.now(UTC), channel.from_at)
        flash(f"Channel {channel.name} sits nowhere from now on; its readings so far stay.", "good")
    return redirect(url_for("stations.show", trial_id=trial.id))


def _channel_or_404(trial: Trial, channel_id: int) -> Channel:
    channel = db().get(Channel, channel_id) if channel_id < 2**31 else None
    if channel is None or channel.probe.trial_id != trial.id:
        abort(404)
    return channel


@blueprint.post("/trials/<int:trial_id>/channels/<int:channel_id>/swap")
def swap(trial_id: int, channel_id: int) -> View:
    """One action in mid-cook: another channel sits where this one sat, from now on; what each read stays its own."""
    trial = trial_or_404(trial_id)
    channel = _channel_or_404(trial, channel_id)
    reader = Reader(request.form, units())
    name = reader.text("channel", "The channel", 40, required=True)
    station = db().get(Station, request.form.get("station", -1, type=int))
    if station is None:
        reader.fail("station", "Choose a station.")
    if name == channel.name and station is channel.station:
        reader.fail("channel", "That is the channel that sits there already.")
    if reader.errors:
        return _page(trial, {**request.form.to_dict(), "channel_id": str(channel.id)}, reader.errors)
    assert station is not None
    now = datetime.now(UTC)
    channel.until_at = max(now, channel.from_at)
    seat(station, name, channel.probe, now)
    flash(f"{name} sits at {channel.probe.label} from now on, in place of {channel.name}.", "good")
    return redirect(url_for("stations.show", trial_id=trial.id))


@blueprint.post("/trials/<int:trial_id>/channels/<int:channel_id>/calibrate")
def calibrate(trial_id: int, channel_id: int) -> View:
    """What a probe read in ice and in boiling water; readings are corrected when shown, never as stored."""
    trial = trial_or_404(trial_id)
    channel = _channel_or_404(trial, channel_id)
    reader = Reader(request.form, units())
    ice_c = reader.temp("ice", "What it read in ice", -30.0, 60.0)
    boil_c = reader.temp("boil", "What it read in boiling water", 40.0, 130.0)
    altitude = reader.number("altitude", "The altitude", -430, 5000, "m") or 0.0
    if not reader.errors:
        try:
            calibration(ice_c, boil_c, altitude)
        except BadCalibration as error:
            reader.fail("ice", f"Not kept: {error}.")
    if reader.errors:
        for problem in reader.errors.values():
            flash(problem, "error")
        return _page(trial, {**request.form.to_dict(), "channel_id": str(channel.id)}, reader.errors)
    said = {"ice_c": ice_c, "boil_c": boil_c, "altitude_m": altitude}
    channel.calibration = said if ice_c is not None or boil_c is not None else {}
    flash(f"{channel.name}: {calibrated(channel)}.", "good")
    return redirect(url_for("stations.show", trial_id=trial.id))
