"""The start: how soon the terminal answers, and how soon the wall is on screen."""

import statistics
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Callable
from contextlib import suppress
from functools import partial

ROUNDS = 3
PORT = 8799
LONGEST_S = 120.0


def run_start(tell: Callable[[str], None]) -> None:
    """Tell the median of some starts, with everything compiled and in the system's cache: the first is not counted."""
    with tempfile.TemporaryDirectory() as folder:
        for name, once in (("--help", _help), ("wall on screen", partial(_wall, folder))):
            times = [once() for _ in range(ROUNDS + 1)][1:]
            tell(f"{name:36}{statistics.median(times):8.2f} s   {min(times):.2f} to {max(times):.2f}")


def _help() -> float:
    begun = time.monotonic()
    subprocess.run([sys.executable, "-m", "cyclorama", "--help"], check=True, stdout=subprocess.DEVNULL)
    return time.monotonic() - begun


def _wall(folder: str) -> float:
    """Seconds from the command to the answer of the wall of a studio that was opened before."""
    begun = time.monotonic()
    command = [sys.executable, "-m", "cyclorama", "run", "--no-open", "--port", str(PORT), "--data", folder]
    studio = subprocess.Popen(command, stdout=subprocess.DEVNULL)
    try:
        while time.monotonic() - begun < LONGEST_S:
            with suppress(OSError):
                urllib.request.urlopen(f"http://127.0.0.1:{PORT}/").read()
                return time.monotonic() - begun
            time.sleep(0.02)
        raise TimeoutError("The wall did not answer.")
    finally:
        studio.terminate()
        studio.wait()
