"""Calibrations of the channels that sat in a trial, from when to when."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from bruvet.core.curves.calibration import Calibration, calibration
from bruvet.records.models import Channel
from bruvet.records.series import seconds

Stretch = tuple[int, float, float | None, Calibration]


def of_channel(channel: Channel) -> Calibration:
    """A channel's correction, none when it was never held in ice or boiling water."""
    said = channel.calibration
    return calibration(said.get("ice_c"), said.get("boil_c"), said.get("altitude_m", 0.0))


def calibrations(session: Session, probe_ids: Sequence[int]) -> list[Stretch]:
    """Probe, from and until in UTC seconds, and the correction, of every stretch that has one."""
    rows = session.scalars(select(Channel).where(Channel.probe_id.in_(probe_ids), Channel.calibration != {}))
    return [
        (row.probe_id, seconds(row.from_at), None if row.until_at is None else seconds(row.until_at), of_channel(row))
        for row in rows
    ]
