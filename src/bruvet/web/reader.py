"""Reading a form: every value checked, every error kept beside its field, what was typed never lost."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from datetime import date, datetime, time

from bruvet.core.trial.when import BadTime, read_span, read_when
from bruvet.core.units import Units


class Reader:
    """Values of a form by name. A bad value gives None and an entry in `errors`."""

    def __init__(self, form: Mapping[str, str], units: Units) -> None:
        self.form = form
        self.units = units
        self.errors: dict[str, str] = {}

    def fail(self, name: str, message: str) -> None:
        self.errors.setdefault(name, message)

    def text(self, name: str, label: str, most: int, required: bool = False) -> str:
        value = self.form.get(name, "").replace("\x00", "").strip()
        if required and not value:
            self.fail(name, f"{label} is needed.")
        if len(value) > most:
            self.fail(name, f"{label} may have {most} characters at most; this has {len(value)}.")
        return value

    def choice(self, name: str, label: str, allowed: Sequence[str], default: str | None = None) -> str:
        value = self.form.get(name, "").strip()
        if value in allowed:
            return value
        if not value and default is not None:
            return default
        self.fail(name, f"Choose one of the list for {label.lower()}.")
        return default if default is not None else allowed[0]

    def flag(self, name: str) -> bool:
        return self.form.get(name, "") in ("on", "1", "true", "yes")

    def number(self, name: str, label: str, low: float, high: float, unit: str = "") -> float | None:
        """A number between `low` and `high`, or None when blank; a comma is a decimal point."""
        text = self.form.get(name, "").strip().replace("−", "-")
        if not text:
            return None
        bare = re.sub(r"\s*(°\s*[CF]|lb|lbs|kg|min|mm|in|g)\s*$", "", text, flags=re.IGNORECASE)
        try:
            value = float(bare.replace(",", "."))
        except ValueError:
            self.fail(name, f"{label}: '{text[:20]}' is not a number.")
            return None
        if not low <= value <= high:
            around = f"{low:g} and {high:g}{' ' + unit if unit else ''}"
            self.fail(name, f"{label} must be between {around}; this is {value:g}.")
            return None
        return value

    def temp(self, name: str, label: str, low_c: float = -30.0, high_c: float = 450.0) -> float | None:
        low, high = round(self.units.temp_shown(low_c)), round(self.units.temp_shown(high_c))
        value = self.number(name, label, low, high, self.units.degree)
        return None if value is None else self.units.temp_stored(value)

    def mass(self, name: str, label: str) -> float | None:
        value = self.number(name, label, 0.01, round(self.units.mass_shown(100.0)), self.units.mass)
        return None if value is None else self.units.mass_stored(value)

    def length(self, name: str, label: str) -> float | None:
        value = self.number(name, label, 0.1, round(self.units.length_shown(600.0)), self.units.length)
        return None if value is None else self.units.length_stored(value)

    def span_min(self, name: str, label: str, most_min: float = 72 * 60) -> float | None:
        """Minutes from `90`, `90 min`, `1:30` or `1 h 30`; None when blank."""
        text = self.form.get(name, "").strip()
        if not text:
            return None
        clean = re.sub(r"^(\d{1,3}:\d{2})$", r"+\1", text)
        if re.fullmatch(r"\d+([.,]\d+)?", clean):
            minutes = float(clean.replace(",", "."))
        else:
            try:
                span = read_span(clean)
            except BadTime:
                span = None
            if span is None:
                self.fail(name, f"{label}: write minutes, or hours and minutes as 1:30; '{text[:20]}' is neither.")
                return None
            minutes = span.total_seconds() / 60
        if not 0 <= minutes <= most_min:
            self.fail(name, f"{label} must be between 0 and {most_min / 60:g} h.")
            return None
        return minutes

    def clock(self, name: str, label: str, required: bool = False) -> time | None:
        """A clock time as 18:00; None when blank."""
        text = self.text(name, label, 8, required=required)
        found = re.fullmatch(r"(\d{1,2})[:.h](\d{2})", text)
        if text and (not found or int(found[1]) > 23 or int(found[2]) > 59):
            self.fail(name, f"{label}: '{text}' is no clock time; write one like 18:00.")
            return None
        return time(int(found[1]), int(found[2])) if found else None

    def day(self, name: str, label: str) -> date | None:
        text = self.form.get(name, "").strip()
        try:
            value = date.fromisoformat(text)
        except ValueError:
            self.fail(name, f"{label} is needed, as 2026-05-02.")
            return None
        if not 1990 <= value.year <= 2100:
            self.fail(name, f"{label}: {value.year} is too far away.")
            return None
        return value

    def when(self, name: str, zero: datetime | None, day: date, tz: str) -> datetime | None:
        try:
            return read_when(self.form.get(name, ""), zero, day, tz)
        except BadTime as error:
            self.fail(name, str(error))
            return None
