"""Processes: cores, limits of memory and files, starting and ending."""

import os
import signal
import subprocess
import sys
from contextlib import suppress
from typing import Any

import psutil

try:
    import resource
except ImportError:  # Windows
    resource = None  # type: ignore[assignment]


def cores() -> int:
    """Number of cores that this process may use."""
    return max(1, len(_affinity()))


def keep_to_cores(count: int) -> None:
    """Leave all but so many of the cores to others, for good; without effect where systems do not allow it."""
    process = psutil.Process()
    if hasattr(process, "cpu_affinity"):
        process.cpu_affinity(_affinity()[:count])


def _affinity() -> list[int]:
    process = psutil.Process()
    if hasattr(process, "cpu_affinity"):
        return sorted(process.cpu_affinity() or [])
    return list(range(psutil.cpu_count() or 1))  # macOS


def raise_file_limit(most: int) -> int:
    """Let this process open as many files as it may, up to `most`; returns how many that is."""
    if resource is None:
        return most
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = most if hard == resource.RLIM_INFINITY else min(hard, most)
    if soft < wanted:
        with suppress(ValueError, OSError):
            resource.setrlimit(resource.RLIMIT_NOFILE, (wanted, hard))
    return resource.getrlimit(resource.RLIMIT_NOFILE)[0]


def limit_memory(most: int) -> bool:
    """Let this process have so many bytes at most; False where the system has no such limit. Then whoever started it
    watches how much it has."""
    if resource is None or sys.platform == "darwin":  # which has the limit and does not keep to it
        return False
    resource.setrlimit(resource.RLIMIT_AS, (most, most))
    return True


def peak_memory() -> int:
    """Most bytes of memory that this process has had at a time."""
    if resource is None:
        return int(psutil.Process().memory_info().peak_wset)
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    return peak if sys.platform == "darwin" else peak * 1024


def outliving() -> dict[str, Any]:
    """Arguments of Popen for a process that goes on when this one ends, or is interrupted at its terminal."""
    if sys.platform == "win32":
        return {"creationflags": subprocess.CREATE_NEW_PROCESS_GROUP | subprocess.CREATE_NO_WINDOW}
    return {"start_new_session": True}


def end_process(pid: int) -> None:
    """End a process at once, where it is there and this one may."""
    with suppress(psutil.Error):
        psutil.Process(pid).kill()


def end_family(pid: int) -> None:
    """End a process and all that it has started, at once."""
    family = []
    with suppress(psutil.Error):
        family = psutil.Process(pid).children(recursive=True)
    end_process(pid)
    for process in family:
        with suppress(psutil.Error):
            process.kill()


ENDING = tuple(getattr(signal, name) for name in ("SIGINT", "SIGTERM", "SIGBREAK") if hasattr(signal, name))
"""Signals by which a person or the system asks a process to end."""


def calm_threads() -> None:
    """Let threads of this process that took themselves for more urgent than all others stand back among them.

    Run by root on Linux, as in a container, the AV1 encoder makes its threads and the one that called it real-time
    ones (SCHED_FIFO): nothing else on the machine would move until it is done, and all that is started later would be
    so.
    """
    if not hasattr(os, "sched_setscheduler"):
        return
    for thread in psutil.Process().threads():
        with suppress(ProcessLookupError):  # it has ended meanwhile
            if os.sched_getscheduler(thread.id) == os.SCHED_FIFO:
                os.sched_setscheduler(thread.id, os.SCHED_OTHER, os.sched_param(0))
