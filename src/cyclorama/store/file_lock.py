"""Files that somebody holds: a lock that the system frees when its holder ends, however it ends.

Who looks must not take the lock, not even for a moment: somebody who tries to take it just then would believe that it
is held. So it is one on an open file description (Linux, fcntl(2), F_OFD_SETLK), which can be asked after.
"""

import fcntl
import os
import struct

_FLOCK = "hhqqi4x"
"""struct flock: kind, whence, start, length, process."""
_WHOLE = struct.pack(_FLOCK, fcntl.F_WRLCK, os.SEEK_SET, 0, 0, 0)


def hold(descriptor: int) -> bool:
    """Hold an open file until it is closed; whether nobody else does."""
    try:
        fcntl.fcntl(descriptor, fcntl.F_OFD_SETLK, _WHOLE)
    except (BlockingIOError, PermissionError):
        return False
    return True


def is_held(descriptor: int) -> bool:
    """Whether somebody holds an open file, through another opening than this. Takes nothing."""
    kind = struct.unpack(_FLOCK, fcntl.fcntl(descriptor, fcntl.F_OFD_GETLK, _WHOLE))[0]
    return bool(kind != fcntl.F_UNLCK)
