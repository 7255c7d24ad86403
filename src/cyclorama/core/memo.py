"""Memo: the newest results of a computation, by their keys."""

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

K = TypeVar("K", bound=Hashable)
V = TypeVar("V")


class Memo(Generic[K, V]):
    """A memo keeps the results that were asked for last."""

    def __init__(self, most: int):
        self._most = most
        self._lock = threading.Lock()
        self._kept: OrderedDict[K, V] = OrderedDict()

    def get(self, key: K, make: Callable[[], V]) -> V:
        """The result of a key, made where it is not kept; nothing is kept when `make` raises."""
        kept = self.find(key)
        if kept is None:
            kept = make()
            self.put(key, kept)
        return kept

    def find(self, key: K) -> V | None:
        """The result of a key where it is kept."""
        with self._lock:
            if key not in self._kept:
                return None
            self._kept.move_to_end(key)
            return self._kept[key]

    def put(self, key: K, value: V) -> None:
        """Keep a result; the one that was not asked for longest goes."""
        with self._lock:
            self._kept[key] = value
            self._kept.move_to_end(key)
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
