"""Photos beside one another: those of one view drawn to one scale, in millimetres."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass

from PIL import Image
from sqlalchemy import select
from sqlalchemy.orm import Session

from bruvet.core.trial.terms import PhotoView
from bruvet.records.models import Photo

GAP_MM, CAPTION = 0.02, 0.06


@dataclass(frozen=True)
class Laid:
    """One photo in its row: its place and size in millimetres."""

    photo: Photo
    x: float
    width: float
    height: float


@dataclass(frozen=True)
class ScaledRow:
    """Photos of one view under one scale. All in millimetres; `bar` is the length of the scale drawn under them."""

    view: PhotoView
    laid: tuple[Laid, ...]
    width: float
    height: float
    bar: float

    @property
    def text(self) -> float:
        """Height of letters."""
        return round(self.width * CAPTION / 2.4, 2)


def photos_of(session: Session, trial_id: int) -> list[Photo]:
    """A trial's photos, oldest first; a picture itself is fetched when it is drawn."""
    wanted = select(Photo).where(Photo.trial_id == trial_id).order_by(Photo.at, Photo.id)
    return list(session.scalars(wanted))


def rows_of(photos: Sequence[Photo]) -> list[ScaledRow]:
    """A row for each view of which a photo has its scale, arms in order."""
    rows = []
    for view in PhotoView:
        mine = sorted(
            (p for p in photos if p.view == view and p.spans_mm and p.arm is not None),
            key=lambda p: (p.arm.letter if p.arm else "", p.id),
        )
        if not mine:
            continue
        gap = GAP_MM * sum(p.spans_mm or 0.0 for p in mine)
        laid, x = [], 0.0
        for photo in mine:
            width = photo.spans_mm or 0.0
            with Image.open(io.BytesIO(photo.content)) as picture:
                height = width * picture.height / picture.width
            laid.append(Laid(photo, round(x, 2), round(width, 2), round(height, 2)))
            x += width + gap
        rows.append(ScaledRow(view, tuple(laid), round(x - gap, 2), max(one.height for one in laid), _bar(x)))
    return rows


def _bar(width_mm: float) -> float:
    """A round length of about an eighth of the row."""
    return max((b for b in (1, 2, 5, 10, 20, 50, 100, 200, 500) if b <= width_mm / 8), default=1)
