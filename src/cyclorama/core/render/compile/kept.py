"""Cache of compiled scenes: the latest of each kind, and as many more as fit into a limit."""

from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, fields, is_dataclass
from typing import Any

import numpy as np

LIMIT_BYTES = 1 << 30


@dataclass(slots=True)
class _Entry:
    what: str
    key: object
    value: Any
    number: int
    bytes: int


class SceneCache:
    """Values by what they are and what they depend on, the one used last first. Not for several threads at once."""

    def __init__(self, limit_bytes: int = LIMIT_BYTES):
        self._limit = limit_bytes
        self._entries: list[_Entry] = []
        self._number = 0
        self.made: Counter[str] = Counter()
        """how often something of each kind was made"""

    def get(self, what: str, key: object, build: Callable[[], Any]) -> Any:
        """The value built for a key, which is compared by ==, or built now."""
        return self.numbered(what, key, build)[0]

    def numbered(self, what: str, key: object, build: Callable[[], Any]) -> tuple[Any, int]:
        """The same with a number that no other value has: for the keys of what depends on it."""
        entry = next((e for e in self._entries if e.what == what and e.key == key), None)
        if entry is None:
            self._make_room()
            value = build()
            self._number += 1
            self.made[what] += 1
            entry = _Entry(what, key, value, self._number, bytes_of(value))
        else:
            self._entries.remove(entry)
        self._entries.insert(0, entry)
        return entry.value, entry.number

    @property
    def bytes(self) -> int:
        """About how much room all of it takes."""
        return sum(e.bytes for e in self._entries)

    def trim(self, most_bytes: int) -> None:
        """Drop the least recently used entries until the rest has a size, if need be all of them."""
        total = self.bytes
        while self._entries and total > most_bytes:
            total -= self._entries.pop().bytes

    def _make_room(self) -> None:
        """Drop what was not used for longest while all together take more than the limit; one of each kind stays."""
        total = self.bytes
        for entry in reversed(self._entries[:]):
            if total <= self._limit:
                return
            if sum(e.what == entry.what for e in self._entries) > 1:
                self._entries.remove(entry)
                total -= entry.bytes


def bytes_of(value: Any) -> int:
    """About how many bytes a value's arrays take."""
    if isinstance(value, np.ndarray):
        return value.nbytes
    if isinstance(value, bytes):
        return len(value)
    if isinstance(value, list | tuple):
        return sum(map(bytes_of, value))
    if isinstance(value, dict):
        return sum(map(bytes_of, value.values()))
    if is_dataclass(value) and not isinstance(value, type):
        return sum(bytes_of(getattr(value, f.name)) for f in fields(value))
    return sum(map(bytes_of, vars(value).values())) if hasattr(value, "__dict__") else getattr(value, "bytes", 0)
