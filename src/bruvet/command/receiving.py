"""`./bruvet receive`: a stand-in for whatever takes warnings by webhook; it prints each on a line."""

from __future__ import annotations

from bruvet.instruments.receiver import make_receiver

from .packages import say


def receive(port: int) -> None:
    """Listen on loopback and print until stopped."""
    server = make_receiver(port, lambda message: say(f"{message.get('level', '?')}: {message.get('words', message)}"))
    say(f"Warnings sent to http://127.0.0.1:{server.server_port}/ are printed here. Ctrl-C stops it.")
    try:
        server.serve_forever()
    finally:
        server.server_close()
