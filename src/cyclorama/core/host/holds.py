"""Files that a process holds, alone or with others, until it lets go or ends, however it ends.

Who looks must not take the hold, not even for a moment: somebody who tries to take it just then would believe that the
file is held. On Linux holds are locks on open file descriptions (fcntl(2), F_OFD_SETLK), which can be asked after.
Elsewhere a hold is a marker in a folder beside the file, named after its process and the time at which that began:
markers of processes that have ended count no more.
"""

import os
import secrets
import shutil
import struct
import subprocess
import time
from abc import ABC, abstractmethod
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

import psutil
from filelock import FileLock

from .processes import outliving

try:
    import fcntl

    HAS_OFD = hasattr(fcntl, "F_OFD_SETLK")
except ImportError:  # Windows
    HAS_OFD = False
_FLOCK = "hhqqi4x"
"""struct flock: kind, whence, start, length, process."""
GIVEN_S = 30.0
_EXACT_S = 0.02
"""Times at which a process began differ by less, whoever asks."""


class HeldFile(ABC):
    """A file that is held until `close`, or until the process ends."""

    @abstractmethod
    def close(self) -> None:
        """Let go."""

    @abstractmethod
    def hand_over(self, command: list[str], option: str, **more: Any) -> "subprocess.Popen[bytes]":
        """Start a process that outlives this one and holds the file from its birth on, instead of this one.

        option: argument after which the process finds what `taken_over` needs
        """


def hold(path: Path, shared: bool = False) -> HeldFile | None:
    """Hold a file, alone or beside others who share it; None where somebody is in the way."""
    return _LockedFile.of(path, shared) if HAS_OFD else _Marker.of(path, shared)


def taken_over(told: str) -> HeldFile:
    """File that a process was handed at its start."""
    return _LockedFile(int(told)) if HAS_OFD else _Marker.given(Path(told))


def is_held(path: Path) -> bool:
    """True when somebody holds a file. Takes nothing."""
    if not HAS_OFD:
        return bool(_alive(path))
    try:
        descriptor = os.open(path, os.O_RDWR)
    except FileNotFoundError:
        return False
    try:
        kind = struct.unpack(_FLOCK, fcntl.fcntl(descriptor, fcntl.F_OFD_GETLK, _whole(fcntl.F_WRLCK)))[0]
        return bool(kind != fcntl.F_UNLCK)
    finally:
        os.close(descriptor)


def forget(path: Path) -> None:
    """Remove a file that nobody will hold any more."""
    path.unlink(missing_ok=True)
    shutil.rmtree(_holders(path), ignore_errors=True)


@contextmanager
def alone(path: Path) -> Iterator[None]:
    """Wait until no other process is in this block with the same file."""
    # the library's lock and its substitute for systems that have none do not know each other
    with FileLock(path if HAS_OFD else path.with_name(f"{path.name}.marker")):
        yield


def _whole(kind: int) -> bytes:
    return struct.pack(_FLOCK, kind, os.SEEK_SET, 0, 0, 0)


class _LockedFile(HeldFile):
    """A lock on an open file description."""

    def __init__(self, descriptor: int):
        self._descriptor = descriptor

    @classmethod
    def of(cls, path: Path, shared: bool) -> "_LockedFile | None":
        descriptor = os.open(path, os.O_RDWR | os.O_CREAT, 0o644)
        try:
            fcntl.fcntl(descriptor, fcntl.F_OFD_SETLK, _whole(fcntl.F_RDLCK if shared else fcntl.F_WRLCK))
        except (BlockingIOError, PermissionError):
            os.close(descriptor)
            return None
        return cls(descriptor)

    def close(self) -> None:
        os.close(self._descriptor)

    def hand_over(self, command: list[str], option: str, **more: Any) -> "subprocess.Popen[bytes]":
        given = [*command, option, str(self._descriptor)]
        try:
            return subprocess.Popen(given, pass_fds=(self._descriptor,), **outliving(), **more)
        finally:
            self.close()  # the process has it now


class _Marker(HeldFile):
    """A marker in the folder of a file's holders."""

    def __init__(self, path: Path):
        self._path = path

    @classmethod
    def of(cls, path: Path, shared: bool) -> "_Marker | None":
        path.touch()
        folder = _holders(path)
        folder.mkdir(exist_ok=True)
        with alone(folder / "guard"):
            if any(not (shared and other.endswith("shared")) for other in _alive(path)):
                return None
            marker = folder / _name(os.getpid(), "shared" if shared else "alone")
            marker.touch()
        return cls(marker)

    @classmethod
    def given(cls, folder: Path) -> "_Marker":
        """The marker in a folder of holders that this process was given; its name is known once the process is there,
        so it may come a moment later."""
        until = time.monotonic() + GIVEN_S
        while time.monotonic() < until:
            for marker in folder.glob(f"{os.getpid()} * alone"):
                return cls(marker)
            time.sleep(0.01)
        return cls(folder / "none")

    def close(self) -> None:
        self._path.unlink(missing_ok=True)

    def hand_over(self, command: list[str], option: str, **more: Any) -> "subprocess.Popen[bytes]":
        try:
            child = subprocess.Popen([*command, option, str(self._path.parent)], **outliving(), **more)
            with suppress(psutil.NoSuchProcess):
                os.replace(self._path, self._path.with_name(_name(child.pid, "alone")))
            return child
        finally:
            self.close()


def _holders(path: Path) -> Path:
    return path.with_name(f"{path.name}.holders")


def _name(pid: int, how: str) -> str:
    return f"{pid} {psutil.Process(pid).create_time():.2f} {secrets.token_hex(4)} {how}"


def _alive(path: Path) -> list[str]:
    """Names of the markers of processes that live; others are removed."""
    found = []
    for marker in _holders(path).glob("* * * *"):
        pid, begun, *_ = marker.name.split()
        try:
            lives = abs(psutil.Process(int(pid)).create_time() - float(begun)) < _EXACT_S
        except psutil.NoSuchProcess:
            lives = False
        if lives:
            found.append(marker.name)
        else:
            marker.unlink(missing_ok=True)
    return found
