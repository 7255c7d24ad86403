"""Formats of models: their endings, the files that may come beside them, and their readers."""

import logging
from collections.abc import Callable
from dataclasses import dataclass

from ...errors import IntakeError
from .files import USD_ENDINGS, FileBundle
from .gltf import read_gltf
from .loose_pictures import PICTURE_ENDINGS, lay_on_loose_pictures
from .map_tiles import take_tiles
from .model import FileModel
from .obj import read_obj
from .ply import read_ply
from .point_caches import ENDINGS as CACHE_ENDINGS
from .stl import read_stl

Reader = Callable[[str, bytes, FileBundle, float | None], FileModel]
"""From a file's name, its bytes, what came with it, and how far exact surfaces may be missed, in units of the file
(None: by the model's size)."""


def _exact(read: Callable[[str, bytes, FileBundle], FileModel]) -> Reader:
    """The reader of a format without curved surfaces."""
    return lambda name, data, bundle, tolerance: read(name, data, bundle)


def _usd(name: str, data: bytes, bundle: FileBundle, tolerance: float | None) -> FileModel:
    from .usd import read_usd  # its library is large, as is that of STEP: loaded when it is needed

    return read_usd(name, data, bundle)


def _step(name: str, data: bytes, bundle: FileBundle, tolerance: float | None) -> FileModel:
    from .step import read_step

    return read_step(name, data, bundle, tolerance)


def _collada(name: str, data: bytes, bundle: FileBundle, tolerance: float | None) -> FileModel:
    from .collada import read_collada

    return read_collada(name, data, bundle)


def _3mf(name: str, data: bytes, bundle: FileBundle, tolerance: float | None) -> FileModel:
    from .threemf import read_3mf

    return read_3mf(name, data, bundle)


def _usd_root(bundle: FileBundle, names: list[str]) -> str:
    from .usd import choose_root

    return choose_root(bundle, names)


@dataclass(frozen=True)
class ModelFormat:
    """A format that models come in."""

    title: str
    endings: tuple[str, ...]
    read: Reader
    beside: tuple[str, ...] = ()
    """endings of files that it may refer to, beside pictures"""
    root: Callable[[FileBundle, list[str]], str] | None = None
    """of several files of this format, chooses the one to read; None: there must be one"""


FORMATS = (
    ModelFormat("GLB", (".glb",), _exact(read_gltf)),
    ModelFormat("glTF", (".gltf",), _exact(read_gltf), (".bin",)),
    ModelFormat("OBJ", (".obj",), _exact(read_obj), (".mtl", *CACHE_ENDINGS)),
    ModelFormat("PLY", (".ply",), _exact(read_ply)),
    ModelFormat("STL", (".stl",), _exact(read_stl)),
    ModelFormat("USD", USD_ENDINGS, _usd, root=_usd_root),
    ModelFormat("COLLADA", (".dae",), _collada),
    ModelFormat("3MF", (".3mf",), _3mf),
    ModelFormat("STEP", (".step", ".stp"), _step),
)


def file_endings() -> tuple[str, ...]:
    """Endings of all files that an intake takes."""
    own = [ending for format in FORMATS for ending in (*format.endings, *format.beside)]
    return (*own, ".zip", *PICTURE_ENDINGS)


def format_of(name: str) -> ModelFormat | None:
    """The format that a file's name tells, None when it is no model."""
    return next((f for f in FORMATS if name.lower().endswith(f.endings)), None)


def model_in(files: dict[str, bytes]) -> tuple[str, ModelFormat, FileBundle]:
    """The one model among files, its format, and all of them. Raises IntakeError when there is none, or several."""
    for name, data in files.items():
        if not data and format_of(name):
            raise IntakeError(f"‘{name}’ is empty. Export the model again.")
    bundle = FileBundle(files)
    found = {name: format for name in bundle.all() if (format := format_of(name))}
    if not found:
        names = ", ".join(f"‘{n}’" for n in list(bundle.all())[:3]) or "nothing"
        *titles, last = (f.title for f in FORMATS)
        raise IntakeError(f"There is no model in {names}. Models come as {', '.join(titles)} or {last}.")
    name, format = next(iter(found.items()))
    if len(found) == 1:
        return name, format, bundle
    if format.root and set(found.values()) == {format}:
        return format.root(bundle, list(found)), format, bundle
    first, second, *_ = found
    raise IntakeError(f"There are {len(found)} models (‘{first}’, ‘{second}’ …). Bring them in one at a time.")


def read_model(files: dict[str, bytes], tolerance: float | None = None) -> tuple[str, FileModel]:
    """Read the one model among files: its name and its contents.

    tolerance: how far exact surfaces may be missed, in units of the file; None: by the model's size.
    Raises IntakeError with a sentence for everything that cannot be read.
    """
    name, format, bundle = model_in(files)
    try:
        model = format.read(name, bundle.all()[name], bundle, tolerance)
    except (IntakeError, MemoryError):
        raise
    except Exception as error:
        # Readers check what they can; a file that still trips them is damaged in a way nobody can repair here.
        logging.getLogger(__name__).exception("‘%s’ cannot be read", name)
        ending = name.rsplit(".", 1)[-1].upper()
        raise IntakeError(f"‘{name}’ is damaged or not really a {ending} file. Export it again.") from error
    lay_on_loose_pictures(model, bundle)
    take_tiles(model, bundle)
    if not any(len(p.triangles) for p in model.parts):
        raise IntakeError(f"‘{name}’ has no faces: nothing that could be seen. Export the mesh with its faces.")
    return name, model
