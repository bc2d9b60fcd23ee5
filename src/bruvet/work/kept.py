"""What was worked out of a cook, kept by a digest of all that it was worked out from.

Pages ask for the same figures again and again; the same arrays and marks have the same answer, so nothing kept here can
be out of date. Each process keeps its own.
"""

from __future__ import annotations

import hashlib
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import fields
from threading import Lock
from typing import Any, TypeVar

import numpy as np

from bruvet.core.curves.clean import CleanCurve
from bruvet.core.curves.measures import Cook

T = TypeVar("T")
MOST = 1024
_answers: OrderedDict[bytes, Any] = OrderedDict()
_lock = Lock()


def digest(*parts: Any) -> bytes:
    """A digest of arrays by their bytes and of everything else by its `repr`."""
    found = hashlib.blake2b(digest_size=16)
    for part in parts:
        if isinstance(part, np.ndarray):
            found.update(np.ascontiguousarray(part).data)
            found.update(str(part.shape).encode())
        else:
            found.update(repr(part).encode())
    return found.digest()


def digest_of(cook: Cook) -> bytes:
    """A digest of everything that a cook's figures depend on."""
    curve: CleanCurve = cook.curve
    plain = [getattr(cook, f.name) for f in fields(cook) if f.name != "cleaned"]
    return digest(*plain, curve.t_min, curve.temp_c, curve.jumps, curve.quantum_c)


def kept(key: bytes, work_out: Callable[[], T]) -> T:
    """The answer kept under a key, or worked out now."""
    with _lock:
        if key in _answers:
            _answers.move_to_end(key)
            return _answers[key]  # type: ignore[no-any-return]
    answer = work_out()
    with _lock:
        _answers[key] = answer
        while len(_answers) > MOST:
            _answers.popitem(last=False)
    return answer


def forget() -> None:
    """Give up every answer, as a process that has just begun has none."""
    with _lock:
        _answers.clear()
