"""Giving up the network and files, where the system can do that (Landlock, Linux 5.13)."""

import logging
import sys
from collections.abc import Sequence
from pathlib import Path

_log = logging.getLogger(__name__)
_SYSTEM = ("/usr", "/lib", "/lib64", "/etc", "/proc", "/sys", "/dev")


def confine(writes: Path, reads: Sequence[Path]) -> bool:
    """Give up the network and all files but those of the system and of Python, and `reads`, to be read, and those below
    `writes`; whether the system can do that. Cannot be taken back."""
    try:
        from py_landlock import AccessFs, Landlock, LandlockError
    except ImportError:
        return False
    program = [*map(Path, (sys.prefix, sys.base_prefix, *_SYSTEM)), *reads]
    try:
        rules = Landlock(strict=False).allow_read(*(p for p in program if p.exists()))
        rules.add_path_rule("/dev/null", access=AccessFs.READ_FILE | AccessFs.WRITE_FILE)
        shared = [p for p in (writes, Path("/dev/shm")) if p.exists()]
        rules.allow_read_write(*shared).add_path_rule(*shared, access=AccessFs.REFER).apply()
    except (LandlockError, OSError) as error:
        _log.warning("Foreign files are read with limits of memory and time only: %s", error)
        return False
    return True
