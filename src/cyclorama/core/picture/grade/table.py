"""Look-up tables from .cube files (Cube LUT Specification 1.0, 2013): of one or of three dimensions."""

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from ...arrays import RGBImage
from ...errors import IntakeError
from ...scene.grade import BRIGHTEST, DARKEST
from .operators import GREY, stops_about_grey

MOST_1D, MOST_3D = 65536, 129
MOST_BYTES = 120_000_000
_HEADER_LINES = 200
F32 = NDArray[np.float32]


@dataclass(frozen=True, slots=True)
class Cube:
    """A table that was read."""

    title: str
    values: F32
    """(n, 3) of one dimension, (b, g, r, 3) of three"""
    least: tuple[float, float, float]
    most: tuple[float, float, float]
    """domain of what goes in"""

    @property
    def in_words(self) -> str:
        n = self.values.shape[0]
        return f"{n} steps of each channel" if self.values.ndim == 2 else f"{n}×{n}×{n} colours"


def read_cube(data: bytes, name: str) -> Cube:
    """Read a .cube file. Raises IntakeError with a sentence when it is none, or too large."""
    if len(data) > MOST_BYTES:
        raise IntakeError(
            f"‘{name}’ has {len(data) / 1e6:.0f} MB. Tables of up to {MOST_3D}×{MOST_3D}×{MOST_3D} are used."
        )
    try:
        lines = data.decode("utf-8-sig").splitlines()
    except UnicodeDecodeError as error:
        raise IntakeError(f"‘{name}’ is no .cube file: it is not text.") from error
    head, begins = _header(lines, name)
    dimensions, size = _size(head, name)
    rows = _rows(lines[begins:], size**dimensions if dimensions == 3 else size, name)
    least, most = (
        _three(head.get(key, start), name) for key, start in (("DOMAIN_MIN", "0 0 0"), ("DOMAIN_MAX", "1 1 1"))
    )
    if any(b - a < 1e-6 for a, b in zip(least, most, strict=True)):
        raise IntakeError(f"‘{name}’ is damaged: its domain ends where it begins.")
    shape = (size, size, size, 3) if dimensions == 3 else (size, 3)
    return Cube(head.get("TITLE", "").strip('" '), rows.reshape(shape), least, most)


def _header(lines: list[str], name: str) -> tuple[dict[str, str], int]:
    """Keywords with what follows them, and the number of the first line of numbers."""
    head: dict[str, str] = {}
    for i, line in enumerate(lines[:_HEADER_LINES]):
        word, _, rest = line.strip().partition(" ")
        if word and (word[0].isdigit() or word[0] in "+-."):
            return head, i
        if word and not word.startswith("#"):
            head[word.upper()] = rest.strip()
    raise IntakeError(f"‘{name}’ is no .cube file: it has no numbers.")


def _size(head: dict[str, str], name: str) -> tuple[int, int]:
    """Dimensions, 1 or 3, and the steps of each."""
    for dimensions, most in ((3, MOST_3D), (1, MOST_1D)):
        if told := head.get(f"LUT_{dimensions}D_SIZE"):
            size = int(told) if told.isdigit() else 0
            if size < 2:
                raise IntakeError(f"‘{name}’ is damaged: ‘{told[:20]}’ is no size of a table.")
            if size > most:
                times = "×".join([str(size)] * dimensions)
                limit = "×".join([str(most)] * dimensions)
                raise IntakeError(f"‘{name}’ has {times} entries; up to {limit} are used. Export it smaller.")
            return dimensions, size
    raise IntakeError(f"‘{name}’ is no .cube file: it does not say how large its table is.")


def _rows(lines: list[str], count: int, name: str) -> F32:
    numbers = [line for raw in lines if (line := raw.strip()) and not line.startswith("#")]
    if len(numbers) != count:
        raise IntakeError(f"‘{name}’ is damaged: it has {len(numbers)} entries where {count} should be.")
    try:
        values = np.array(" ".join(numbers).split(), np.float64)
        rows = values.reshape(count, 3)
    except ValueError as error:
        raise IntakeError(f"‘{name}’ is damaged: not all its entries are three numbers.") from error
    if not np.isfinite(rows).all() or np.abs(rows).max() > 1e6:
        raise IntakeError(f"‘{name}’ is damaged: it has entries that are no numbers.")
    return rows.astype(np.float32)


def _three(text: str, name: str) -> tuple[float, float, float]:
    try:
        a, b, c = (float(x) for x in text.split())
    except ValueError as error:
        raise IntakeError(f"‘{name}’ is damaged: ‘{text[:40]}’ is no domain.") from error
    if not all(map(math.isfinite, (a, b, c))):
        raise IntakeError(f"‘{name}’ is damaged: ‘{text[:40]}’ is no domain.")
    return a, b, c


@lru_cache(maxsize=4)
def _read_once(data: bytes) -> "Applied":
    return Applied(read_cube(data, "The table"))


def apply_table(data: bytes) -> "Applied":
    """A kept table, ready to be used."""
    return _read_once(data)


class Applied:
    """A table that is looked up: straight between entries of one dimension, by tetrahedra between those of three."""

    def __init__(self, cube: Cube):
        self._least = np.array(cube.least, np.float32)
        self._span = np.array(cube.most, np.float32) - self._least
        n = cube.values.shape[0]
        if cube.values.ndim == 2:
            table = ocio.Lut1DTransform(n, False)
            table.setInterpolation(ocio.INTERP_LINEAR)
        else:
            table = ocio.Lut3DTransform(n)
            table.setInterpolation(ocio.INTERP_TETRAHEDRAL)
        # blue runs fastest where the library keeps them, red in the file
        table.setData(np.ascontiguousarray(cube.values if cube.values.ndim == 2 else cube.values.transpose(2, 1, 0, 3)))
        self._processor = ocio.Config.CreateRaw().getProcessor(table).getDefaultCPUProcessor()

    def of(self, picture: RGBImage) -> RGBImage:
        """The picture (…, 3) through the table; values outside its domain are taken to its edge."""
        flat = np.ascontiguousarray((picture - self._least) / self._span, np.float32).reshape(-1, 3)
        self._processor.applyRGB(flat)
        return flat.reshape(picture.shape)

    def of_light(self, picture: RGBImage) -> RGBImage:
        """The same for a table that was made for stops about middle grey, from −8 to +6 as 0…1."""
        span = np.float32(BRIGHTEST - DARKEST)
        told = self.of((stops_about_grey(picture) - np.float32(DARKEST)) / span)
        return np.exp2(told * span + np.float32(DARKEST)) * GREY


def mix_pictures(picture: RGBImage, changed: RGBImage, amount: float) -> RGBImage:
    """A share of the way from one picture to another."""
    return changed if amount == 1.0 else picture + np.float32(amount) * (changed - picture)
