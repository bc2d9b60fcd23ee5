"""What the demo's cook saw at the board, with photos drawn, not taken: slices of invented meat beside a ruler."""

from __future__ import annotations

import io
from datetime import datetime

import numpy as np
from PIL import Image, ImageDraw, ImageFilter
from sqlalchemy.orm import Session

from bruvet.records.models import Cutting, Photo, Trial

SEEN = {
    "A": {"bend": "drapes", "pull": "light-tug", "squeeze": "moist", "bark_colour": "mahogany", "bark_firm": "tacky"},
    "B": {"bend": "cracks", "pull": "light-tug", "squeeze": "moist", "bark_colour": "dark", "bark_firm": "firm"},
}
MEASURED = {"A": (4.0, 8.0, "mostly"), "B": (7.0, 8.0, "rendered")}
# Millimetres that each drawn slice is wide and high, and that its picture spans.
SLICES = {"A": (104.0, 62.0, 150.0), "B": (96.0, 58.0, 130.0)}
YIELDS = {"A": 0.63, "B": 0.6}
WIDTH_PX = 900


def cut(session: Session, trial: Trial, at: datetime) -> None:
    for arm in trial.arms:
        ring, thick, fat = MEASURED[arm.letter]
        piece = arm.pieces[0]
        piece.cooked_kg = (piece.trimmed_kg or 2.0) * YIELDS[arm.letter]
        piece.cutting = Cutting(**SEEN[arm.letter], ring_mm=ring, slice_mm=thick, fat=fat)
        content = slice_drawn(*SLICES[arm.letter], ring, dark=arm.letter == "B")
        photo = Photo(trial_id=trial.id, arm_id=arm.id, at=at, content=content, view="slice")
        photo.spans_mm = SLICES[arm.letter][2]
        session.add(photo)
    trial.supplies = {**trial.supplies, "prices": {"Lamb shoulder": 14.5}}
    session.flush()


def slice_drawn(wide_mm: float, high_mm: float, spans_mm: float, ring_mm: float, dark: bool) -> bytes:
    """A JPEG of a slice on a board, with a ruler under it."""
    px = WIDTH_PX / spans_mm
    size = (WIDTH_PX, round(WIDTH_PX * 0.66))
    picture = Image.new("RGB", size, (196, 164, 120))
    draw = ImageDraw.Draw(picture)
    noise = np.random.default_rng(round(wide_mm))
    for y in range(0, size[1], 7):
        shade = int(noise.integers(-9, 9))
        draw.line([(0, y), (size[0], y)], fill=(190 + shade, 158 + shade, 114 + shade), width=3)
    middle = (size[0] / 2, size[1] * 0.42)

    def body(in_mm: float, colour: tuple[int, int, int]) -> None:
        turn = np.linspace(0, 2 * np.pi, 90)
        lobes = 1 + 0.05 * np.sin(3 * turn + wide_mm) + 0.03 * np.sin(7 * turn)
        x = middle[0] + (wide_mm / 2 - in_mm) * px * np.cos(turn) * lobes
        y = middle[1] + (high_mm / 2 - in_mm) * px * np.sin(turn) * lobes
        draw.polygon(list(zip(x.tolist(), y.tolist(), strict=True)), fill=colour)

    body(0.0, (52, 30, 20) if dark else (92, 50, 30))
    body(2.5, (196, 96, 92))
    body(2.5 + ring_mm, (160, 124, 98))
    for _ in range(60):
        along, across = noise.uniform(-0.32, 0.32) * wide_mm * px, noise.uniform(-0.28, 0.28) * high_mm * px
        at = (middle[0] + along, middle[1] + across)
        draw.line([at, (at[0] + noise.uniform(14, 46), at[1] + noise.uniform(-6, 6))], fill=(184, 152, 126), width=2)
    picture = picture.filter(ImageFilter.GaussianBlur(1.4))
    draw = ImageDraw.Draw(picture)
    top = size[1] * 0.86
    draw.rectangle([(0, top), size], fill=(236, 236, 226))
    for mm in range(0, int(spans_mm) + 1, 5):
        long = 34 if mm % 10 == 0 else 18
        draw.line([(mm * px, top), (mm * px, top + long)], fill=(20, 20, 20), width=2)
    out = io.BytesIO()
    picture.save(out, "JPEG", quality=82, optimize=True)
    return out.getvalue()
