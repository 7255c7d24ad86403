"""Answers that take long: few at a time, in threads of their own, one for all who ask for the same.

Requests of pages have a pool of threads between them; a few hundred long answers would take all of it, and with it the
whole studio.
"""

import asyncio
import threading
from collections.abc import Callable, Hashable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any, Protocol, TypeVar

from ..core.errors import OverloadError
from .jobs import Unwanted

T = TypeVar("T")
IsUnwanted = Callable[[], bool]
LOOK_EVERY_S = 0.5


class Asker(Protocol):
    """A request, which may go away."""

    async def is_disconnected(self) -> bool: ...


@dataclass(slots=True)
class _Task:
    """One answer that is worked on, or waits for its turn."""

    outcome: "asyncio.Future[Any]"
    unwanted: threading.Event = field(default_factory=threading.Event)
    waiting: int = 0


class SharedWork:
    """Works on answers of one kind. Used from one event loop."""

    def __init__(self, name: str, at_once: int, most_waiting: int = 32):
        self._most = most_waiting
        self._tasks: dict[Hashable, _Task] = {}
        self._threads = ThreadPoolExecutor(at_once, thread_name_prefix=name)

    async def answer(self, request: Asker, key: Hashable, work: Callable[[IsUnwanted], T]) -> T:
        """Result of `work`, which is told whether anybody still waits for it. Requests of an equal `key` share one.

        Raises OverloadError when too many others wait, Unwanted when the browser went away, and whatever `work` raises.
        """
        task = self._tasks.get(key)
        if task is None:
            if len(self._tasks) >= self._most:
                raise OverloadError
            task = self._begin(key, work)
        task.waiting += 1
        try:
            while True:
                done, _ = await asyncio.wait({task.outcome}, timeout=LOOK_EVERY_S)
                if done:
                    result: T = task.outcome.result()
                    return result
                if await request.is_disconnected():
                    raise Unwanted
        finally:
            task.waiting -= 1
            if not task.waiting and not task.outcome.done():
                task.unwanted.set()
                self._tasks.pop(key, None)

    def close(self) -> None:
        """End what is worked on. Threads without work end with the process."""
        for task in self._tasks.values():
            task.unwanted.set()

    def _begin(self, key: Hashable, work: Callable[[IsUnwanted], T]) -> _Task:
        unwanted = threading.Event()

        def run() -> T:
            if unwanted.is_set():
                raise Unwanted
            return work(unwanted.is_set)

        outcome = asyncio.get_running_loop().run_in_executor(self._threads, run)
        task = self._tasks[key] = _Task(outcome, unwanted)
        outcome.add_done_callback(lambda done: self._end(key, task, done))
        return task

    def _end(self, key: Hashable, task: _Task, done: "asyncio.Future[Any]") -> None:
        if self._tasks.get(key) is task:
            del self._tasks[key]
        if not done.cancelled():
            done.exception()  # whoever asked may have gone
