"""Files by content hash, in folders of two letters."""

import hashlib
import os
import re
import secrets
from pathlib import Path

from ..core.errors import NotFoundError, telling_of_space
from ..core.geometry.cache_keys import HASH_LENGTH

PART = ".part"
"""Ending of files that are being written; what ends so and is old was left behind by a crash."""
_KEY = re.compile(r"^[0-9a-f]{32}(\.[a-z]+)?$")


class AssetStore:
    """Bytes that never change, under a hash of what they are (or were made from)."""

    def __init__(self, folder: Path):
        self._folder = folder

    def path(self, key: str) -> Path:
        """Where an asset lies, whether or not it is there. Raises NotFoundError for what is not a key."""
        if not _KEY.match(key):
            raise NotFoundError(f"‘{key[:60]}’ is not the name of a kept file.")
        return self._folder / key[:2] / key[2:]

    def put(self, key: str, data: bytes) -> None:
        """Keep bytes; what was damaged meanwhile is mended. Written to the side and renamed, so never half there."""
        path = self.path(key)
        if path.exists() and path.stat().st_size == len(data) and path.read_bytes() == data:
            os.utime(path)  # it is needed again: not to be tidied away just now
            return
        path.parent.mkdir(parents=True, exist_ok=True)
        write_whole(path, data)

    def take(self, path: Path) -> str:
        """Keep a file as it is, under its content hash, which is returned; however large it is. `path` is gone then."""
        digest = hashlib.sha256()
        with path.open("r+b") as file:
            while chunk := file.read(1 << 20):
                digest.update(chunk)
            os.fsync(file.fileno())
        key = digest.hexdigest()[:HASH_LENGTH]
        target = self.path(key)
        if target.exists():
            os.utime(target)
            path.unlink()
        else:
            target.parent.mkdir(parents=True, exist_ok=True)
            put_in_place(path, target)
        return key

    def keep_file(self, key: str, path: Path) -> None:
        """Keep a finished file under a key, unless that is there; `path` is gone then."""
        target = self.path(key)
        if target.exists():
            os.utime(target)  # it is needed again: not to be collected just now
            path.unlink()
            return
        target.parent.mkdir(parents=True, exist_ok=True)
        with path.open("r+b") as file:
            os.fsync(file.fileno())
        put_in_place(path, target)

    def keep_all(self, other: Path) -> None:
        """Keep all files of another store, which lies on the same disk; they are gone there."""
        for path in other.glob("??/*"):
            self.keep_file(path.parent.name + path.name, path)

    def put_all(self, assets: dict[str, bytes]) -> None:
        for key, data in assets.items():
            self.put(key, data)

    def get(self, key: str) -> bytes:
        """The bytes; raises NotFoundError when they are gone."""
        try:
            return self.path(key).read_bytes()
        except FileNotFoundError as error:
            raise NotFoundError(f"A file this project needs is gone from the data folder ({key}).") from error

    def disk_bytes(self, keys: set[str]) -> int:
        """Room that files take, with everything that was made from them."""
        parts = [p for key in keys for p in (self._folder / key[:2]).glob(f"{key[2:]}*")]
        return sum(p.stat().st_size for p in parts)

    def has(self, key: str) -> bool:
        return self.path(key).exists()


def write_whole(path: Path, data: bytes) -> None:
    """Write a file so that it is either there whole or not at all, also after a crash.

    Raises SpaceError when the disk is full; the file is then as it was.
    """
    part = path.with_name(f".{secrets.token_hex(6)}{PART}")
    with telling_of_space():
        try:
            with part.open("xb") as file:
                file.write(data)
                file.flush()
                os.fsync(file.fileno())
            put_in_place(part, path)
        except BaseException:
            part.unlink(missing_ok=True)
            raise


def link_whole(source: Path, path: Path) -> None:
    """Make another file's contents a file here: the same on disk where the file system can, a copy where it cannot."""
    try:
        part = path.with_name(f".{secrets.token_hex(6)}{PART}")
        os.link(source, part)
    except OSError:
        write_whole(path, source.read_bytes())
        return
    put_in_place(part, path)


def put_in_place(part: Path, path: Path) -> None:
    """Give a finished file its name; the folder is written too, so that the name survives a power cut."""
    os.replace(part, path)
    folder = os.open(path.parent, os.O_RDONLY)
    try:
        os.fsync(folder)
    finally:
        os.close(folder)


def clear_parts(folder: Path) -> int:
    """Remove what a crash left half written in a folder that nobody writes to at the moment; how many files."""
    left = list(folder.glob(f".*{PART}"))
    for path in left:
        path.unlink(missing_ok=True)
    return len(left)
