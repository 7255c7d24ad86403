"""The lock of a data folder."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Self

from ..core.host.holds import HeldFile, hold

LOCK = "studio.lock"


class FolderLock:
    """Shared by all who have a data folder open; taken alone by whoever replaces its database."""

    def __init__(self, held: HeldFile):
        self._held = held

    @classmethod
    def shared(cls, folder: Path) -> Self | None:
        """The lock of a data folder, shared until `close` or the process ends; None while somebody has it alone."""
        held = hold(folder / LOCK, shared=True)
        return None if held is None else cls(held)

    @classmethod
    @contextmanager
    def exclusive(cls, folder: Path) -> Iterator[bool]:
        """The lock of a data folder, held alone; yields False when somebody has the folder open."""
        held = hold(folder / LOCK)
        try:
            yield held is not None
        finally:
            if held is not None:
                held.close()

    def close(self) -> None:
        self._held.close()
