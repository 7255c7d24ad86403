"""Results of children that read foreign files: values only.

A pickle can name any function and have it called by whoever reads it; a reader that a hostile file has taken over must
not reach the studio that way. So only the program's own documents and value objects, and arrays, are let through
("Restricting Globals", documentation of Python's `pickle`).
"""

import dataclasses
import enum
import io
import pickle
import sys
from collections.abc import Callable
from multiprocessing.connection import Connection
from typing import Any

from pydantic import BaseModel

MOST_BYTES = 1 << 31
_OURS = __package__.partition(".")[0]
_ARRAYS = {
    ("numpy", "ndarray"),
    ("numpy", "dtype"),
    ("numpy._core.multiarray", "_reconstruct"),
    ("numpy._core.multiarray", "scalar"),
    ("numpy._core.numeric", "_frombuffer"),
}


def send_result(connection: Connection, *values: Any) -> None:
    """Send values to the process at the other end."""
    connection.send_bytes(pickle.dumps(values, pickle.HIGHEST_PROTOCOL))


def receive_result(connection: Connection) -> tuple[Any, ...]:
    """The values that were sent. Raises EOFError when the other end is closed, or sent anything else than values."""
    try:
        values = _ValueReader(io.BytesIO(connection.recv_bytes(MOST_BYTES))).load()
    except EOFError:
        raise
    except Exception as error:  # whatever a made-up pickle can raise
        raise EOFError from error
    if not isinstance(values, tuple) or not values:
        raise EOFError
    return values


class _ValueReader(pickle.Unpickler):
    def find_class(self, module: str, name: str) -> Any:
        if (module, name) in _ARRAYS:
            return super().find_class(module, name)
        if module.partition(".")[0] == _OURS:
            found = getattr(sys.modules.get(module), name, None)
            if isinstance(found, type) and _is_value(found):
                return found
        raise pickle.UnpicklingError(f"{module}.{name} is no value")


def _is_value(kind: type) -> bool:
    return dataclasses.is_dataclass(kind) or issubclass(kind, BaseModel | enum.Enum)


Tell = Callable[[str, float], None]
"""Told what is being done, and how much of the whole is done, 0…1."""
