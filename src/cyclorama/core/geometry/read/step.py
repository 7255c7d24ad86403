"""STEP (ISO 10303): surfaces of product engineers, tessellated by Open CASCADE, with names and colours."""

import cascadio
import numpy as np

from ...errors import IntakeError
from ...words import length
from .files import FileBundle
from .gltf import read_gltf
from .model import FileModel

FINE = 1 / 4000
"""How far a triangle may be off the surface, as a share of the model's size: a quarter of a pixel when it fills the
picture."""
LEAN_RAD = 0.2
"""By how much two neighbours may lean against each other."""
_FIRST_LOOK_MM = 1.0


def read_step(name: str, data: bytes, bundle: FileBundle, tolerance: float | None = None) -> FileModel:
    """Read a .step or .stp; raises IntakeError when it holds no surfaces or is damaged.

    tolerance: how far triangles may be off the surfaces (m); None: a share of the model's size.
    """
    if not data.lstrip()[:13].startswith(b"ISO-10303-21"):
        raise IntakeError(f"‘{name}’ is not a STEP file, whatever its name says. Export it again.")
    if b"END-ISO-10303-21" not in data[-4096:]:
        raise IntakeError(f"‘{name}’ ends in the middle. Copy or export it again.")
    if tolerance is None:
        rough = _tessellated(name, data, bundle, _FIRST_LOOK_MM, 0.5)
        low = np.min([p.vertices.min(axis=0) for p in rough.parts], axis=0)
        high = np.max([p.vertices.max(axis=0) for p in rough.parts], axis=0)
        tolerance = float((high - low).max()) * FINE
    tolerance_mm = max(tolerance * 1000, 1e-6)
    model = _tessellated(name, data, bundle, tolerance_mm, LEAN_RAD)
    model.up = "z"  # engineers' axes, as they are in the file; the tessellation is in metres
    model.off = tolerance
    model.notes.append(f"Tessellated to within {length(tolerance_mm / 1000)} of its surfaces.")
    return model


def _tessellated(name: str, data: bytes, bundle: FileBundle, tolerance_mm: float, lean_rad: float) -> FileModel:
    try:
        packed = cascadio.to_glb_bytes(data, tol_linear=tolerance_mm, tol_angular=lean_rad)
    except (RuntimeError, ValueError) as error:
        raise IntakeError(f"‘{name}’ is damaged or holds no surfaces. Export it as STEP AP214 or AP242.") from error
    model = read_gltf("tessellated.glb", packed, bundle) if packed else FileModel()
    if not model.parts:
        raise IntakeError(f"‘{name}’ holds no surfaces that could be seen. Export its solids.")
    return model
