"""A bundle of uploaded files, with zips unpacked safely."""

import io
import lzma
import re
import shutil
import stat
import zipfile
import zlib
from pathlib import Path, PurePosixPath

from ...errors import IntakeError
from ...file_names import relative_name
from ...textures import FIRST_TILE, MOST_TILES

USD_ENDINGS = (".usd", ".usda", ".usdc", ".usdz")
MAX_TOTAL_BYTES = 2 << 30
MAX_FILES = 2000
TILE_PATTERN = re.compile(r"<udim>", re.I)
TILE_NUMBER = re.compile(r"(?<=[._-])1[01]\d\d(?=\.[a-z]+$)", re.I)
"""Number of a map tile at the end of a file's name."""
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


def declares_entities(document: bytes) -> bool:
    """True for an XML document that declares entities: a few of them can unpack to any size."""
    return re.search(rb"<!ENTITY", document, re.I) is not None


class FileBundle:
    """Files by relative path; looked up as models refer to them, by path or, failing that, by name."""

    def __init__(self, files: dict[str, bytes]):
        self._files: dict[str, bytes] = {}
        for name, data in files.items():
            if name.lower().endswith(".zip"):
                if not data:
                    raise IntakeError(f"‘{name}’ is empty. Pack the model again.")
                self._files.update(unpack(name, data))
            else:
                self._files[relative_name(name)] = data

    def all(self) -> dict[str, bytes]:
        """Every file by its path."""
        return dict(self._files)

    def tiles(self, name: str) -> dict[int, str]:
        """Map tiles (UDIM) whose names differ in their number alone, by it; of a name that says `<UDIM>` or has the
        number of a tile."""
        stem = PurePosixPath(name.replace("\\", "/")).name.lower()
        match = TILE_PATTERN.search(stem) or TILE_NUMBER.search(stem)
        if match is None:
            return {}
        before, after = stem[: match.start()], stem[match.end() :]
        found = {}
        for path in self._files:
            other = PurePosixPath(path).name.lower()
            number = other[len(before) : len(other) - len(after)]
            fits = other.startswith(before) and other.endswith(after) and re.fullmatch(r"\d{4}", number)
            if fits and FIRST_TILE <= int(number) < FIRST_TILE + MOST_TILES:
                found[int(number)] = path
        return found

    def beside(self, model: str, reference: str) -> bytes | None:
        """A file that `model` refers to, or None."""
        reference = reference.replace("\\", "/")
        if match := TILE_PATTERN.search(reference):
            reference = next((n for _, n in sorted(self.tiles(reference).items())), reference[: match.start()])
        path = (PurePosixPath(model).parent / reference).as_posix()
        if path in self._files:
            return self._files[path]
        name = PurePosixPath(reference).name.lower()
        return next((d for n, d in self._files.items() if PurePosixPath(n).name.lower() == name), None)


def pack_sources(files: dict[str, Path], target: Path) -> None:
    """Write an archive from which the same can be brought in again: of all files, or the one that is a zip already."""
    if len(files) == 1 and next(iter(files)).lower().endswith(".zip"):
        shutil.copyfile(next(iter(files.values())), target)
        return
    with zipfile.ZipFile(target, "w", zipfile.ZIP_STORED) as archive:
        for name, path in files.items():
            entry = zipfile.ZipInfo(name.replace("\\", "/"))  # of no date: the same files are kept once
            with path.open("rb") as source, archive.open(entry, "w", force_zip64=True) as place:
                shutil.copyfileobj(source, place, 1 << 20)


def unpack(name: str, data: bytes) -> dict[str, bytes]:
    """The files of a zip.

    Raises IntakeError for damaged, hostile (paths that lead outside) and oversized archives; sizes are counted
    while unpacking, so that an archive that lies about them is caught too.
    """
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
    except zipfile.BadZipFile as error:
        raise IntakeError(f"‘{name}’ is not a readable zip. Pack it again.") from error
    named = [e for e in archive.infolist() if e.filename]
    entries = [e for e in named if not e.is_dir() and not stat.S_ISLNK(e.external_attr >> 16)]
    if len(entries) > MAX_FILES:
        raise IntakeError(f"‘{name}’ holds {len(entries)} files; at most {MAX_FILES} are taken.")
    most = min(MAX_TOTAL_BYTES, max(200 << 20, 200 * len(data)))
    if sum(e.file_size for e in entries) > most:
        raise IntakeError(f"‘{name}’ unpacks to far more than a model needs. It was not taken in.")
    files: dict[str, bytes] = {}
    total = 0
    for entry in entries:
        if not PurePosixPath(entry.filename.replace("\\", "/")).parts:  # “.” or nothing: no file could be called that
            continue
        path = PurePosixPath(relative_name(entry.filename))
        if path.parts[0] == "__MACOSX" or path.name.startswith("."):
            continue
        try:
            with archive.open(entry) as file:
                content = file.read(most - total + 1)
        except _UNREADABLE as error:
            locked = entry.flag_bits & 1
            why = "is locked with a password" if locked else f"is damaged: ‘{path.name[:60]}’ in it cannot be unpacked"
            raise IntakeError(f"‘{name}’ {why}. Pack it again.") from error
        total += len(content)
        if total > most:
            raise IntakeError(f"‘{name}’ unpacks to far more than a model needs. It was not taken in.")
        files[path.as_posix()] = content
    if not files:
        raise IntakeError(f"‘{name}’ holds no files with a name that can be seen. Pack the model again.")
    return files
