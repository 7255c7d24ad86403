"""Looking at pictures that somebody sends, before anything of the studio relies on them.

Apart from what uses pictures, so that a process that only looks at them is there at once.
"""

from pathlib import Path

from ..errors import IntakeError
from ..picture_files import decode_picture
from .grade.table import MOST_BYTES, read_cube
from .linear import broken_pixels, read_linear


def examine_picture(path: Path, name: str) -> None:
    """Raises IntakeError when a file is no picture that can be used for maps, gobos and backgrounds."""
    decode_picture(path.read_bytes(), name)


def examine_environment(path: Path, name: str) -> int:
    """The number of broken pixels of an environment.

    Raises IntakeError when a file is not an equirectangular HDR or EXR picture with some light in it.
    """
    data = path.read_bytes()
    if not data:
        raise IntakeError(f"‘{name}’ is empty.")
    picture = read_linear(data, name)
    if not 1.8 < picture.shape[1] / picture.shape[0] < 2.2:
        raise IntakeError(f"‘{name}’ is not twice as wide as high; an equirectangular environment is needed.")
    broken = broken_pixels(picture)
    if broken == picture.shape[0] * picture.shape[1]:
        raise IntakeError(f"‘{name}’ holds no light at all: every pixel is broken. Export it again.")
    return broken


def examine_table(path: Path, name: str) -> str:
    """Description of a .cube file. Raises IntakeError when it cannot be used."""
    if path.stat().st_size > MOST_BYTES:
        raise IntakeError(f"‘{name}’ is too large for a table of colours.")
    return read_cube(path.read_bytes(), name).in_words
