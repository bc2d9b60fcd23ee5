"""The interface for machines, described as OpenAPI 3.1."""

from __future__ import annotations

from typing import Any

from bruvet.work.stations import HIGHEST_C, LOWEST_C, MOST_ITEMS, MOST_STRETCHES

PROBLEM = {
    "description": "What is wrong and how to mend it, as in RFC 9457",
    "content": {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}},
}


def document() -> dict[str, Any]:
    """The whole description."""
    reading: dict[str, Any] = {
        "type": "object",
        "required": ["channel", "at", "temp_c"],
        "properties": {
            "channel": {
                "type": "string",
                "minLength": 1,
                "maxLength": 40,
                "description": "The station's own name for it",
            },
            "at": {"type": "string", "format": "date-time", "description": "With its zone"},
            "temp_c": {"type": "number", "minimum": LOWEST_C, "maximum": HIGHEST_C},
        },
    }
    taken = {
        "type": "object",
        "required": ["accepted", "new", "refused"],
        "properties": {
            "accepted": {"type": "integer", "description": "Readings that are kept now, on disk"},
            "new": {"type": "integer", "description": "How many of them were not kept before"},
            "refused": {
                "type": "array",
                "items": {
                    "type": "object",
                    "required": ["index", "detail"],
                    "properties": {"index": {"type": "integer"}, "detail": {"type": "string"}},
                },
            },
        },
    }
    problem = {
        "type": "object",
        "required": ["type", "title", "status", "detail"],
        "properties": {
            "type": {"type": "string"},
            "title": {"type": "string"},
            "status": {"type": "integer"},
            "detail": {"type": "string"},
        },
    }
    batch = {
        "type": "object",
        "required": ["readings"],
        "properties": {
            "readings": {"type": "array", "maxItems": MOST_ITEMS, "items": {"$ref": "#/components/schemas/Reading"}}
        },
    }
    post = {
        "operationId": "takeReadings",
        "summary": "Deliver a batch of readings",
        "description": "Late, early, repeated and out of order is all right: a reading is told by its probe and time.",
        "security": [{"station": []}],
        "requestBody": {
            "required": True,
            "content": {"application/json": {"schema": {"$ref": "#/components/schemas/Batch"}}},
        },
        "responses": {
            "200": {
                "description": "What became of each reading; refused ones do not hold up the others",
                "content": {"application/json": {"schema": {"$ref": "#/components/schemas/Taken"}}},
            },
            **dict.fromkeys(("400", "401", "413", "415", "422", "429"), PROBLEM),
        },
    }
    stretch = {
        "type": "object",
        "required": ["channel", "from", "temp_c"],
        "properties": {
            "channel": reading["properties"]["channel"],
            "from": {"type": "string", "format": "date-time", "description": "Of the first reading, with its zone"},
            "step_s": {"type": "number", "description": "Seconds from reading to reading"},
            "offset_s": {
                "type": "array",
                "items": {"type": "number"},
                "description": "In place of step_s: each reading's seconds after `from`",
            },
            "temp_c": {"type": "array", "items": {"type": ["number", "null"]}, "minItems": 1},
        },
    }
    stretches = {
        "type": "object",
        "required": ["series"],
        "properties": {
            "series": {"type": "array", "maxItems": MOST_STRETCHES, "items": {"$ref": "#/components/schemas/Stretch"}}
        },
    }
    post_series = post | {
        "operationId": "takeSeries",
        "summary": "Deliver whole stretches of readings, one channel each",
        "requestBody": {
            "required": True,
            "content": {"application/json": {"schema": {"$ref": "#/components/schemas/Stretches"}}},
        },
    }
    schemas = {
        "Reading": reading,
        "Batch": batch,
        "Stretch": stretch,
        "Stretches": stretches,
        "Taken": taken,
        "Problem": problem,
    }
    return {
        "openapi": "3.1.0",
        "info": {"title": "Bruvet: readings in", "version": "1"},
        "paths": {"/api/v1/readings": {"post": post}, "/api/v1/series": {"post": post_series}},
        "components": {
            "securitySchemes": {"station": {"type": "http", "scheme": "bearer"}},
            "schemas": schemas,
        },
    }
