"""The interface for machines: readings in. Errors are problem documents as in RFC 9457."""

from __future__ import annotations

import json
import time
from collections import defaultdict, deque
from datetime import UTC, datetime
from typing import Any

from flask import Blueprint, Response, request

from bruvet.records.models import Station
from bruvet.web.database import db
from bruvet.work.stations import MOST_ITEMS, MOST_STRETCHES, MOST_VALUES, Taken, station_of, take, take_series

from .openapi import document

blueprint = Blueprint("api", __name__)
MOST_BYTES = 2_000_000
MOST_SERIES_BYTES = 8_000_000
# Requests a station may make in a minute, counted in each web process.
MOST_A_MINUTE = 240
_made: dict[int, deque[float]] = defaultdict(deque)


def problem(status: int, title: str, detail: str, **headers: str) -> Response:
    body = {"type": "about:blank", "title": title, "status": status, "detail": detail}
    return Response(json.dumps(body), status, headers=headers, content_type="application/problem+json")


@blueprint.post("/api/v1/readings")
def readings() -> Response:
    """Take a batch of readings from a station; see docs/api.md."""
    found = _batch("readings", MOST_BYTES, '{"readings": [{"channel": "1", "at": "…Z", "temp_c": 64.5}]}')
    if isinstance(found, Response):
        return found
    station, items = found
    if len(items) > MOST_ITEMS:
        return problem(413, "Too many", f"{len(items)} readings; a batch may have {MOST_ITEMS} at most.")
    return _kept(take(db(), station, items, datetime.now(UTC)))


@blueprint.post("/api/v1/series")
def series() -> Response:
    """Take whole stretches of readings, one channel each; see docs/api.md."""
    example = '{"series": [{"channel": "1", "from": "…Z", "step_s": 1, "temp_c": [64.5, 64.6]}]}'
    found = _batch("series", MOST_SERIES_BYTES, example)
    if isinstance(found, Response):
        return found
    station, items = found
    lists = [item.get("temp_c") for item in items if isinstance(item, dict)]
    values = sum(len(one) for one in lists if isinstance(one, list))
    if len(items) > MOST_STRETCHES or values > MOST_VALUES:
        most = f"{MOST_STRETCHES} stretches with {MOST_VALUES} readings"
        return problem(413, "Too many", f"{len(items)} stretches with {values} readings; a batch may have {most}.")
    return _kept(take_series(db(), station, items, datetime.now(UTC)))


def _kept(taken: Taken) -> Response:
    # Acknowledged means on disk.
    db().commit()
    answer = {
        "accepted": taken.accepted,
        "new": taken.new,
        "refused": [{"index": r.index, "detail": r.detail} for r in taken.refused],
    }
    return Response(json.dumps(answer), content_type="application/json")


def _batch(name: str, most_bytes: int, example: str) -> tuple[Station, list[Any]] | Response:
    """The station that sends and the items of its batch, or what is wrong."""
    scheme, _, token = request.headers.get("Authorization", "").partition(" ")
    station = station_of(db(), token.strip()) if scheme.lower() == "bearer" and token.strip() else None
    if station is None:
        told = {"WWW-Authenticate": 'Bearer realm="Bruvet"'}
        return problem(401, "No such station", "Send the station's token as Authorization: Bearer TOKEN.", **told)
    if _too_often(station.id):
        wait = {"Retry-After": "10"}
        return problem(429, "Too often", f"At most {MOST_A_MINUTE} batches a minute; send bigger ones.", **wait)
    if (request.content_length or 0) > most_bytes:
        return problem(413, "Too large", f"A batch may have {most_bytes} bytes at most.")
    if not request.is_json:
        return problem(415, "Not JSON", "Send application/json.")
    try:
        body = json.loads(request.get_data(cache=False))
    except (ValueError, RecursionError):
        return problem(400, "Not JSON", f"Send {example}.")
    items = body.get(name) if isinstance(body, dict) else None
    if not isinstance(items, list):
        return problem(422, f"No {name}", f"Send {example}: a list even when there is only one.")
    return station, items


@blueprint.get("/api/v1/openapi.json")
def described() -> Response:
    return Response(json.dumps(document()), content_type="application/json")


def _too_often(station_id: int) -> bool:
    made, now = _made[station_id], time.monotonic()
    while made and now - made[0] > 60:
        made.popleft()
    if len(made) >= MOST_A_MINUTE:
        return True
    made.append(now)
    return False
