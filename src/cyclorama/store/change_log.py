"""Changes of versioned documents since the studio was opened: by which window, and told to all others."""

import asyncio
import threading
from collections import defaultdict
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar

from ..core.errors import StaleError

writer: ContextVar[str] = ContextVar("writer", default="")
"""Name of the window whose request or job is being done; empty where it is none's."""
REMEMBERED = 64
"""Changes of a document that are remembered; a window that is farther behind has missed others' as well."""
WAITING = 16

Version = int
Document = tuple[str, str]
"""Kind and id of a document."""


class Listener:
    """A window that hears which version a document has by changes of others."""

    def __init__(self, window: str):
        self.window = window
        self._loop = asyncio.get_running_loop()
        self._news: asyncio.Queue[Version] = asyncio.Queue(WAITING)

    async def heard(self) -> Version:
        """The newest version; waits for the next change."""
        version = await self._news.get()
        while not self._news.empty():
            version = self._news.get_nowait()
        return version

    def tell(self, version: Version) -> None:
        """Called by whoever changed it, in any thread."""
        self._loop.call_soon_threadsafe(self._put, version)

    def _put(self, version: Version) -> None:
        if self._news.full():
            self._news.get_nowait()
        self._news.put_nowait(version)


class ChangeLog:
    """Changes of documents in this process."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._writers: defaultdict[Document, dict[Version, str]] = defaultdict(dict)
        self._listeners: defaultdict[Document, list[Listener]] = defaultdict(list)

    def claim(self, document: Document, version: Version) -> None:
        """Note that the present writer makes a version of a document. Called before anyone can see that version, while
        no other can be made; a claim of one that fails to be saved is replaced by whoever makes it."""
        with self._lock:
            writers = self._writers[document]
            writers[version] = writer.get()
            for old in [one for one in writers if one <= version - REMEMBERED]:
                del writers[old]

    def tell(self, document: Document, version: Version) -> None:
        """Tell all windows but the present writer's that a version of a document is there."""
        window = writer.get()
        with self._lock:
            told = [one for one in self._listeners[document] if not window or one.window != window]
        for listener in told:
            listener.tell(version)

    def require_version(self, document: Document, what: str, current: Version, base: Version, label: str) -> None:
        """Raises StaleError, which says what changed, when somebody else changed a document after the version on which
        the present writer makes a change."""
        if current == base or (base < current and self._all_mine(document, base, current)):
            return
        changed = f" (‘{label}’)" if label else ""
        raise StaleError(
            f"{what} was changed in another window meanwhile{changed}. Your change was not saved yet.", current, label
        )

    def _all_mine(self, document: Document, base: Version, current: Version) -> bool:
        """True when the present writer made every version after one up to another."""
        window = writer.get()
        with self._lock:
            writers = self._writers[document]
            return bool(window) and all(writers.get(version) == window for version in range(base + 1, current + 1))

    @contextmanager
    def listening(self, document: Document, window: str) -> Iterator[Listener]:
        """Hear of changes by other windows."""
        listener = Listener(window)
        with self._lock:
            self._listeners[document].append(listener)
        try:
            yield listener
        finally:
            with self._lock:
                self._listeners[document].remove(listener)
