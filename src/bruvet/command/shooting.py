"""`./bruvet shots`: one picture of each main view, from the demo data."""

from __future__ import annotations


def shoot() -> None:
    raise NotImplementedError
