"""Files that a page gives to take away: their names, and cells that no spreadsheet runs."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Sequence
from typing import Any

from flask import Response


def as_file(title: str, what: str, kind: str) -> dict[str, str]:
    """Headers under which a browser saves an answer, by the trial's title."""
    name = re.sub(r"[^A-Za-z0-9]+", "-", title).strip("-").lower() or "trial"
    return {"Content-Disposition": f'attachment; filename="{name}-{what}.{kind}"'}


def as_csv(title: str, what: str, rows: Iterable[Sequence[Any]]) -> Response:
    sink = io.StringIO()
    csv.writer(sink).writerows(rows)
    return Response(sink.getvalue(), mimetype="text/csv", headers=as_file(title, what, "csv"))


def plain(text: str) -> str:
    """Somebody's words as a cell that no spreadsheet takes for a formula."""
    return f"'{text}" if text[:1] in "=+-@\t\r" and text else text
