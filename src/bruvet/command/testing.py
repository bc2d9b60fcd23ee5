"""`./bruvet test`: lint, types, and all tests against a cluster of their own."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

from .packages import ensure_chromium, offer_pango, say
from .serving import throwaway_cluster

ROOT = Path(__file__).resolve().parents[3]


def run_tests(rest: list[str]) -> int:
    """Run everything; with arguments, only pytest with them. Returns the exit code."""
    rest = [word for word in rest if word != "--"]
    chromium = ensure_chromium()
    offer_pango()
    environment = {**os.environ, "BRUVET_CHROMIUM": chromium}
    environment.pop("DATABASE_URL", None)
    checks = [] if rest else [["ruff", "check", "."], ["ruff", "format", "--check", "."], ["mypy"]]
    for command in checks:
        say(f"== {' '.join(command)}")
        if subprocess.run([sys.executable, "-m", *command], cwd=ROOT, env=environment).returncode:
            return 1
    with throwaway_cluster() as cluster:
        environment["BRUVET_TEST_SERVER"] = cluster.url("postgres")
        pytest = [sys.executable, "-m", "pytest", *(rest or ["-n", "2", "--dist", "loadfile"])]
        return subprocess.run(pytest, cwd=ROOT, env=environment).returncode
