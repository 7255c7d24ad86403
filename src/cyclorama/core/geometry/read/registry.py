"""Choose the reader for a bundle of files."""

import logging
from collections.abc import Callable
from functools import partial

from ...errors import IntakeError
from .files import FileBundle
from .gltf import read_gltf
from .loose_pictures import lay_on_loose_pictures
from .model import FileModel
from .obj import read_obj
from .ply import read_ply
from .stl import read_stl

Reader = Callable[[str, bytes, FileBundle], FileModel]
_READERS: dict[str, Reader] = {"glb": read_gltf, "gltf": read_gltf, "obj": read_obj, "ply": read_ply, "stl": read_stl}


def _reader(ending: str, tolerance: float | None) -> Reader:
    # the libraries of these are large: they are loaded when they are needed
    if ending.startswith("usd"):
        from .usd import read_usd

        return read_usd
    if ending in ("step", "stp"):
        from .step import read_step

        return partial(read_step, tolerance=tolerance)
    return _READERS[ending]


def _usd_root(bundle: FileBundle, names: list[str]) -> str:
    from .usd import choose_root

    return choose_root(bundle, names)


def read_model(files: dict[str, bytes], tolerance: float | None = None) -> tuple[str, FileModel]:
    """The name of the model file and what it brought.

    tolerance: how far exact surfaces may be missed, in units of the file; None: by the model's size.
    Raises IntakeError with a sentence for everything that cannot be read.
    """
    bundle = FileBundle(files)
    name, data = bundle.model(_usd_root)
    ending = name.lower().rsplit(".", 1)[-1]
    try:
        model = _reader(ending, tolerance)(name, data, bundle)
    except (IntakeError, MemoryError):
        raise
    except Exception as error:
        # Readers check what they can; a file that still trips them is damaged in a way nobody can repair here.
        logging.getLogger(__name__).exception("‘%s’ cannot be read", name)
        raise IntakeError(f"‘{name}’ is damaged or not really a {ending.upper()} file. Export it again.") from error
    lay_on_loose_pictures(model, bundle)
    if not any(len(p.triangles) for p in model.parts):
        raise IntakeError(f"‘{name}’ has no faces: nothing that could be seen. Export the mesh with its faces.")
    return name, model
