"""`./bruvet bench`: ratios measured side by side in one run."""

from __future__ import annotations


def run_benches(names: list[str]) -> None:
    raise NotImplementedError
