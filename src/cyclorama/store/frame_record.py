"""Finished frames and the sums of their files."""

from dataclasses import dataclass
from typing import NamedTuple


class FileSum(NamedTuple):
    """Expected size and sum of a file."""

    sha256: str
    size: int


@dataclass(frozen=True, slots=True)
class FrameRecord:
    """A finished frame."""

    number: int
    file: str
    """name inside the take's folder"""
    files: dict[str, FileSum | None]
    """every file of the frame, by pass; None: it was shot before sums were kept of more than the beauty picture"""
    seconds: float
    clamped: float | None = None
    """share of the light that clamping took away, None where nothing is clamped"""
    key: str | None = None
    """equal for frames that show the same, where it is known"""
    machine: str | None = None
    """where it was made; None: where the studio is"""

    @property
    def bytes(self) -> int:
        """Room that its files take."""
        return sum(s.size for s in self.files.values() if s)
