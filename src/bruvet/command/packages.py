"""Debian packages that a command needs: asked for by what they bring, installed only when it is missing."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from ctypes.util import find_library
from pathlib import Path

from . import Refusal
from .cluster import server_binaries


def say(text: str) -> None:
    print(text, file=sys.stderr, flush=True)


def _apt(*words: str, sink: Path) -> None:
    command = ["apt-get", "-q", "-y", *words]
    if os.geteuid() != 0:
        if not shutil.which("sudo"):
            raise Refusal(f"needs Debian packages; as root: apt-get {' '.join(words)}")
        command = ["sudo", "env", "DEBIAN_FRONTEND=noninteractive", *command]
    environment = {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}
    with sink.open("a") as log:
        done = subprocess.run(command, stdin=subprocess.DEVNULL, stdout=log, stderr=log, env=environment)
    if done.returncode != 0:
        last = sink.read_text(errors="replace").strip().splitlines()[-1:]
        raise Refusal(f"apt-get {' '.join(words)} failed: {' '.join(last)} (log: {sink})")


def _require_apt(what: str) -> Path:
    if not shutil.which("apt-get"):
        raise Refusal(f"{what} is not installed and this machine has no apt-get: install it, then start again")
    log = Path(os.environ["BRUVET_HOME"]) / "apt.log"
    log.unlink(missing_ok=True)
    return log


def _installed(what: str, wanted: str, *packages: str) -> Path:
    """Install packages, saying what they are wanted for; the log of it."""
    log = _require_apt(what)
    say(f"Installing Debian's {', '.join(packages)} ({wanted})")
    _apt("update", sink=log)
    _apt("install", "--no-install-recommends", *packages, sink=log)
    return log


def ensure_postgresql() -> Path:
    """Folder of the server binaries, installing Debian's package when there is none."""
    found = server_binaries()
    if found:
        return found
    log = _require_apt("PostgreSQL")
    say("Installing the Debian packages postgresql-common and postgresql (the server)")
    _apt("update", sink=log)
    _apt("install", "--no-install-recommends", "postgresql-common", sink=log)
    # Debian would make and start a cluster on port 5432; Bruvet keeps one of its own instead.
    setting = Path("/etc/postgresql-common/createcluster.conf")
    edit = ["sed", "-i", "s/^#\\?create_main_cluster.*/create_main_cluster = false/", str(setting)]
    subprocess.run(edit if os.geteuid() == 0 else ["sudo", *edit], check=False)
    _apt("install", "--no-install-recommends", "postgresql", sink=log)
    found = server_binaries()
    if not found:
        raise Refusal(f"the package postgresql brought no server (log: {log})")
    return found


def offer_pango() -> None:
    """The libraries that a PDF is drawn with; without them everything else works, so nothing is refused."""
    wanted = {"pangoft2-1.0": "libpangoft2-1.0-0", "pango-1.0": "libpango-1.0-0"}
    wanted["harfbuzz-subset"] = "libharfbuzz-subset0"
    missing = [package for library, package in wanted.items() if find_library(library) is None]
    # Asked for once: a later start needs no network.
    asked = Path(os.environ["BRUVET_HOME"]) / ".pango-asked"
    if not missing or asked.exists():
        return
    asked.touch()
    try:
        _installed("Pango", "for verdicts as PDF", *missing)
    except Refusal as refusal:
        say(f"Verdicts cannot be given as PDF: {refusal}")


def ensure_chromium() -> str:
    found = shutil.which("chromium")
    if not found:
        log = _installed("Chromium", "for the browser tests", "chromium")
        found = shutil.which("chromium")
        if not found:
            raise Refusal(f"the package chromium brought no program of that name (log: {log})")
    return found
