"""Which frames are exposed by which machine: runs of neighbours, so that what a frame needs lies where it is made.

Runs grow shorter towards the end, so that all machines end together (guided self-scheduling, Polychronopoulos and
Kuck, "Guided Self-Scheduling: A Practical Scheduling Scheme for Parallel Supercomputers", IEEE ToC 1987).
"""

from collections.abc import Iterable

LONGEST = 8
"""Of a run: what a machine keeps of its frames takes memory."""
AHEAD = 2
"""Frames that a machine has besides the one that it exposes, and that one, so that it need not wait for the next."""


class Runs:
    """Frames that nobody exposes yet, in order."""

    def __init__(self, numbers: Iterable[int] = ()):
        self._left: list[int] = []
        self.add(numbers)

    def __len__(self) -> int:
        return len(self._left)

    def add(self, numbers: Iterable[int]) -> None:
        """Frames that are to be exposed, too."""
        self._left = sorted({*self._left, *numbers})

    def next(self, machines: int) -> list[int]:
        """The next run for one of so many machines."""
        length = min(LONGEST, max(1, len(self._left) // (2 * machines)))
        run, self._left = self._left[:length], self._left[length:]
        return run


def wants_more(runs: list[list[bool]], machines: int) -> bool:
    """True when some machine will soon have nothing to expose.

    runs: that were handed out, for each of their frames whether it is done.
    """
    left = [run.count(False) for run in runs]
    busy = sum(n >= min(AHEAD, len(run)) for n, run in zip(left, runs, strict=True))
    return busy < machines or sum(left) < AHEAD * machines
