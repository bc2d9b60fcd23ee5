"""Phones in the yard: what is bound, and what the terminal says. Nothing here listens beyond loopback."""

from __future__ import annotations

import socket

import pytest

from bruvet.command import serving


def test_one_server_listens_on_loopback_and_on_the_home_network() -> None:
    command = serving.web_command("127.0.0.1:8600", "192.0.2.7:8600")
    binds = [command[i + 1] for i, word in enumerate(command) if word == "--bind"]
    assert binds == ["127.0.0.1:8600", "192.0.2.7:8600"]


class OneAddress:
    """Stands for a socket of a machine that leaves by this address."""

    def __init__(self, own: str | None) -> None:
        self.own = own

    def __call__(self, *_: object) -> OneAddress:
        return self

    def __enter__(self) -> OneAddress:
        return self

    def __exit__(self, *_: object) -> None:
        return None

    def connect(self, _: object) -> None:
        if self.own is None:
            raise OSError("no route")

    def getsockname(self) -> tuple[str | None, int]:
        return self.own, 1


@pytest.mark.parametrize(("own", "found"), [("192.0.2.7", "192.0.2.7"), ("127.0.0.1", None), (None, None)])
def test_its_own_address_is_asked_of_the_system_and_never_the_loopback(monkeypatch, own, found) -> None:
    monkeypatch.setattr(socket, "socket", OneAddress(own))
    assert serving.lan_address() == found


def test_the_terminal_shows_the_address_and_a_code(monkeypatch) -> None:
    said: list[str] = []
    monkeypatch.setattr(serving, "say", said.append)
    serving._say_where(["127.0.0.1:8600", "192.0.2.7:8600"])
    assert "http://192.0.2.7:8600" in said[0]
    assert "sign in" in said[0]
    assert said[0].count("\n") > 8, "a code of several lines"
    serving._say_where(["127.0.0.1:8600"])
    assert "no address on a home network" in said[1]
