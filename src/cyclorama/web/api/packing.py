"""The frames of a take as a zip that is made while it is sent."""

import io
import zipfile
from collections.abc import Callable, Iterator
from typing import Any

from ...core.sequence.names import sequence_stem
from ...shoot.frames.files import frame_path, read_whole
from ...store import TakeRecord
from ...store.takes import BEAUTY

PLAIN_BYTES = 3 << 30
"""A zip of more than 4 GB has longer entries (APPNOTE 4.5.3)."""


class Packing:
    """All finished frames of a take, stored as they are, or as `made` makes them with another extension.

    Every frame is compared with its sum before the first byte is sent. Raises ShootError for one that is damaged or
    missing.
    """

    def __init__(self, take: TakeRecord, made: Callable[[int], bytes] | None = None, ending: str | None = None):
        self._take, self._made, self._ending = take, made, ending
        self.stem = sequence_stem(take.project)
        self._numbers = [n for n in take.numbers if n in take.frames]
        for number in self._numbers:
            read_whole(take, number)
        self.size = self._measure() if made is None else None
        """bytes of the whole zip; None where that is not known, or so large that the format changes on the way"""

    def chunks(self) -> Iterator[bytes]:
        yield from self._packed(self._made or (lambda number: read_whole(self._take, number)))

    def _measure(self) -> int | None:
        files = sum(s.size for n in self._numbers if (s := self._take.frames[n].files[BEAUTY]))
        if files > PLAIN_BYTES:
            return None
        return files + sum(len(chunk) for chunk in self._packed(lambda number: b""))

    def _packed(self, read: Any) -> Iterator[bytes]:
        sink = Sink()
        with zipfile.ZipFile(sink, "w", zipfile.ZIP_STORED) as archive:
            for number in self._numbers:
                # a date of their own: that of a file may lie before 1980, which a zip cannot hold
                file = frame_path(self._take, number)
                file = file if self._ending is None else file.with_suffix(f".{self._ending}")
                info = zipfile.ZipInfo(f"{self.stem}/{file.name}", _date(self._take))
                archive.writestr(info, read(number))
                yield sink.taken()
        yield sink.taken()


def _date(take: TakeRecord) -> tuple[int, int, int, int, int, int]:
    at = take.finished or take.created
    return (max(at.year, 1980), at.month, at.day, at.hour, at.minute, at.second)


class Sink(io.RawIOBase):
    """A file that hands over what was written since the last look."""

    def __init__(self) -> None:
        self._chunks: list[bytes] = []

    def writable(self) -> bool:
        return True

    def write(self, data: Any) -> int:
        self._chunks.append(bytes(data))
        return len(data)

    def taken(self) -> bytes:
        data, self._chunks = b"".join(self._chunks), []
        return data
