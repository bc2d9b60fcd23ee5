"""A stand-in receiver of webhooks, on loopback."""

from __future__ import annotations

import json
from collections.abc import Callable
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

MOST_BYTES = 100_000


def make_receiver(port: int, take: Callable[[dict[str, Any]], None]) -> ThreadingHTTPServer:
    """A server on loopback that hands each JSON object posted to it to `take`. Port 0 picks a free one."""

    class Handler(BaseHTTPRequestHandler):
        def do_POST(self) -> None:
            length = min(int(self.headers.get("Content-Length") or 0), MOST_BYTES)
            try:
                message = json.loads(self.rfile.read(length))
            except ValueError:
                message = None
            good = isinstance(message, dict)
            if good:
                take(message)
            self.send_response(204 if good else 400)
            self.end_headers()

        def log_message(self, *words: Any) -> None:
            """Nothing: what is taken is said by `take`."""

    return ThreadingHTTPServer(("127.0.0.1", port), Handler)
