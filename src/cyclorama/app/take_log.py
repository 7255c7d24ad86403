"""The shoot log as it changes, read once for however many pages show it."""

import asyncio
import contextlib
import json
from collections.abc import Iterator

from ..core.errors import CycloramaError
from ..store import Studio
from .take_answers import shoot_log

LOOK_EVERY_S = 0.5


class TakeLog:
    """Reads the takes now and then while anybody listens, and passes on what changed. Used from one event loop."""

    def __init__(self, studio: Studio):
        self._studio = studio
        self._listeners: set[asyncio.Queue[str]] = set()
        self._reading: asyncio.Task[None] | None = None
        self._last: str | None = None
        self.reads = 0

    @contextlib.contextmanager
    def listening(self) -> Iterator["asyncio.Queue[str]"]:
        """A queue of the newest log as JSON text; a listener that is slow misses those in between."""
        news: asyncio.Queue[str] = asyncio.Queue(1)
        self._listeners.add(news)
        if self._last is not None:
            news.put_nowait(self._last)
        if self._reading is None or self._reading.done():
            self._reading = asyncio.create_task(self._read())
        try:
            yield news
        finally:
            self._listeners.discard(news)

    async def _read(self) -> None:
        while self._listeners:
            now = await asyncio.to_thread(self._log_json)
            if now != self._last:
                self._last = now
                for news in self._listeners:
                    if news.full():
                        news.get_nowait()
                    news.put_nowait(now)
            await asyncio.sleep(LOOK_EVERY_S)
        self._last = None  # the last state is old by the time somebody listens again

    def _log_json(self) -> str:
        self.reads += 1
        try:
            return json.dumps(shoot_log(self._studio).model_dump(mode="json"))
        except CycloramaError as error:
            return json.dumps({"error": error.sentence})
