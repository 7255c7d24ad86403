"""Locks on files that the system frees when their holder ends, however it ends.

Who looks must not take the lock, not even for a moment: somebody who tries to take it just then would believe that it
is held. So it is one on an open file description (Linux, fcntl(2), F_OFD_SETLK), which can be asked after.
"""

import fcntl
import os
import struct
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Self

_FLOCK = "hhqqi4x"
"""struct flock: kind, whence, start, length, process."""
LOCK = "studio.lock"


def _whole(kind: int) -> bytes:
    return struct.pack(_FLOCK, kind, os.SEEK_SET, 0, 0, 0)


def hold(descriptor: int, shared: bool = False) -> bool:
    """Hold an open file until it is closed, alone or beside others who share it; False where somebody is in the way."""
    try:
        fcntl.fcntl(descriptor, fcntl.F_OFD_SETLK, _whole(fcntl.F_RDLCK if shared else fcntl.F_WRLCK))
    except (BlockingIOError, PermissionError):
        return False
    return True


def is_held(descriptor: int) -> bool:
    """True when somebody holds an open file, through another opening than this. Takes nothing."""
    kind = struct.unpack(_FLOCK, fcntl.fcntl(descriptor, fcntl.F_OFD_GETLK, _whole(fcntl.F_WRLCK)))[0]
    return bool(kind != fcntl.F_UNLCK)


class FolderLock:
    """Shared by all who have a data folder open; taken alone by whoever replaces its database."""

    def __init__(self, folder: Path):
        self._file = (folder / LOCK).open("a+b")

    @classmethod
    def shared(cls, folder: Path) -> Self | None:
        """The lock of a data folder, shared until `close` or the process ends; None while somebody has it alone."""
        lock = cls(folder)
        if hold(lock._file.fileno(), shared=True):
            return lock
        lock.close()
        return None

    @classmethod
    @contextmanager
    def exclusive(cls, folder: Path) -> Iterator[bool]:
        """The lock of a data folder, held alone; yields False when somebody has the folder open."""
        lock = cls(folder)
        try:
            yield hold(lock._file.fileno())
        finally:
            lock.close()

    def close(self) -> None:
        self._file.close()
