"""A small trial on record, for tests that need one."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from html.parser import HTMLParser

import numpy as np
from sqlalchemy.orm import Session

from bruvet.records.models import Arm, Event, Piece, Probe, Trial
from bruvet.records.series import save_readings, seconds

ON = datetime(2026, 5, 2, 6, 40, tzinfo=UTC)


def make_trial(session: Session, letters: str = "AB", readings: bool = False) -> Trial:
    trial = Trial(
        title="Collar test", question="Foil or nothing?", factor="wrap", cook_date=date(2026, 5, 2), tz="Europe/Lisbon"
    )
    for number, letter in enumerate(letters):
        piece = Piece(number=1, cut="pork-collar", trimmed_kg=2.0 + 0.3 * number, raw_kg=2.5, start_c=4.0)
        trial.arms.append(Arm(letter=letter, label=f"way {letter}", pit_target_c=120.0, pieces=[piece]))
    session.add(trial)
    session.flush()
    if readings:
        for number, arm in enumerate(trial.arms):
            trial.events.append(Event(arm_id=arm.id, kind="meat-on", at=ON))
            minutes = np.arange(0, 360.0 + 60 * number)
            curves = {
                None: np.full(len(minutes), 120.0),
                arm.pieces[0].id: np.interp(minutes, [0, minutes[-1]], [4, 95]),
            }
            series = []
            for piece_id, values in curves.items():
                probe = Probe(
                    trial_id=trial.id, arm_id=arm.id, piece_id=piece_id, place="middle" if piece_id else "grate"
                )
                session.add(probe)
                session.flush()
                series.append((probe.id, seconds(ON) + minutes * 60, values))
            save_readings(session, series)
            trial.events.append(Event(arm_id=arm.id, kind="pull", at=ON + timedelta(minutes=float(minutes[-1]))))
    session.commit()
    return trial


def log_curves(session: Session, arm: Arm, minutes: np.ndarray, pit_c: np.ndarray, meat_c: np.ndarray) -> None:
    """A pit at the grate and the middle of an arm's first piece, read at these minutes after `ON`."""
    for place, piece_id, values in (("grate", None, pit_c), ("middle", arm.pieces[0].id, meat_c)):
        probe = Probe(trial_id=arm.trial_id, arm_id=arm.id, piece_id=piece_id, place=place)
        session.add(probe)
        session.flush()
        save_readings(session, [(probe.id, seconds(ON) + minutes * 60, values)])


class _Fields(HTMLParser):
    """What a browser would send of a page's forms, as they stand."""

    def __init__(self) -> None:
        super().__init__()
        self.values: dict[str, str] = {}
        self.select: str | None = None
        self.area: str | None = None

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        found = dict(attrs)
        name = found.get("name")
        if tag == "input" and name and (found.get("type") != "checkbox" or "checked" in found):
            self.values[name] = found.get("value") or ("on" if found.get("type") == "checkbox" else "")
        elif tag == "select":
            self.select = name
        elif tag == "option" and self.select is not None:
            if "selected" in found or self.select not in self.values:
                self.values[self.select] = found.get("value") or ""
        elif tag == "textarea" and name:
            self.area = name
            self.values[name] = ""

    def handle_endtag(self, tag: str) -> None:
        if tag == "select":
            self.select = None
        if tag == "textarea":
            self.area = None

    def handle_data(self, data: str) -> None:
        if self.area is not None:
            self.values[self.area] += data


def fields_of(page: str) -> dict[str, str]:
    """Every field of a page as it stands filled in."""
    parser = _Fields()
    parser.feed(page)
    return parser.values
