"""STEP (ISO 10303): surfaces of product engineers, tessellated by Open CASCADE, with names and colours."""

from typing import Any

import cascadio
import numpy as np

from ...errors import IntakeError
from ...words import length, number
from ..glb import glb_bytes
from .files import FileBundle
from .gltf import read_gltf, split
from .model import FileModel
from .names import label

FINE = 1 / 4000
"""How far a triangle may be off the surface, as a share of the model's size: a quarter of a pixel when it fills the
picture."""
LEAN_RAD = 0.2
"""By how much two neighbours may lean against each other."""
_FIRST_LOOK_MM = 1.0
_EMPTY = "‘{}’ holds no surfaces that could be seen. Export its solids."
_LOST_NAMED = 5
_REFERENCE = "=>["
"""First characters of the name that the tessellator gives to an instance without a name of its own."""


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
    if not packed:
        raise IntakeError(_EMPTY.format(name))
    document, chunk = split("tessellated.glb", packed)
    lost = _lost(document)
    for node in document.get("nodes", []):
        if str(node.get("name", "")).startswith(_REFERENCE):
            del node["name"]  # the name of its product stays
    model = read_gltf("tessellated.glb", glb_bytes(document, bytes(chunk or b"")), bundle)
    if not model.parts:
        raise IntakeError(_EMPTY.format(name))
    if lost:
        parts = "part" if len(lost) == 1 else "parts"
        named = ", ".join(f"‘{x}’" for x in lost[:_LOST_NAMED])
        more = f" and {number(len(lost) - _LOST_NAMED)} more" if len(lost) > _LOST_NAMED else ""
        model.notes.append(
            f"{number(len(lost))} {parts} of the file could not be tessellated and {'is' if len(lost) == 1 else 'are'}"
            f" missing: {named}{more}. Repair the file and export it again where that matters."
        )
    return model


def _lost(document: dict[str, Any]) -> list[str]:
    """Names of the parts that the file has and the tessellator gave no surface: nodes with nothing in or below them."""
    nodes = document.get("nodes", [])
    return [
        label(node.get("name"), f"part {i + 1}")
        for i, node in enumerate(nodes)
        if "mesh" not in node and not node.get("children")
    ]
