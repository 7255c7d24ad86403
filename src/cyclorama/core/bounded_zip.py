"""Zips that somebody sent, read within limits: nothing is unpacked that is larger than it says, or than it may be."""

import hashlib
import lzma
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import BinaryIO, Self

from .errors import IntakeError, telling_of_space

CHUNK = 1 << 20
MOST_TIMES, ALWAYS_BYTES = 200, 200 << 20
"""A zip may unpack to so many times its size, and to ALWAYS_BYTES in any case: more is made to fill a disk."""
_UNREADABLE = (
    zipfile.BadZipFile,
    zlib.error,
    lzma.LZMAError,
    RuntimeError,
    NotImplementedError,
    OSError,
    EOFError,
    ValueError,
)


class BoundedZip:
    """A zip whose entries are read one by one, in pieces. All may raise IntakeError."""

    def __init__(self, path: Path, what: str, most_files: int, most_bytes: int):
        """what: how messages call it, “The bundle” say."""
        self.what = what
        if not path.is_file():  # a pipe or a device could be waited for without end
            raise IntakeError(f"{what} is not a file.")
        with self._telling():
            self._zip = zipfile.ZipFile(path)
        entries = [entry for entry in self._zip.infolist() if entry.filename and not entry.is_dir()]
        self.names = {entry.filename for entry in entries}
        size = sum(entry.file_size for entry in entries)
        most = min(most_bytes, max(ALWAYS_BYTES, MOST_TIMES * path.stat().st_size))
        if len(entries) > most_files or size > most:
            self._zip.close()
            raise IntakeError(f"{what} unpacks to more than it may ({len(entries)} files, {size >> 20} MB).")

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self._zip.close()

    def read(self, name: str, most_bytes: int) -> bytes:
        """A small entry as a whole."""
        with self._telling(), self._open(name) as file:
            data = file.read(most_bytes + 1)
        if len(data) > most_bytes:
            raise IntakeError(f"‘{name}’ in {_lower(self.what)} is too large.")
        return data

    def extract(self, name: str, target: Path) -> tuple[str, int]:
        """Write an entry to a file, whatever its size; SHA-256 and number of bytes."""
        digest, size = hashlib.sha256(), 0
        with self._telling(), telling_of_space(), self._open(name) as source, target.open("wb") as file:
            while chunk := source.read(CHUNK):
                digest.update(chunk)
                size += len(chunk)
                file.write(chunk)
        return digest.hexdigest(), size

    def _open(self, name: str) -> BinaryIO:
        if name not in self.names:
            raise IntakeError(f"{self.what} lacks ‘{name[:80]}’. Make it again.")
        opened: BinaryIO = self._zip.open(name)  # type: ignore[assignment]  # ends at the size that it says
        return opened

    @contextmanager
    def _telling(self) -> Iterator[None]:
        try:
            yield
        except _UNREADABLE as error:
            raise IntakeError(f"{self.what} is damaged, or no zip. Make it again.") from error


def _lower(what: str) -> str:
    return what[:1].lower() + what[1:]
