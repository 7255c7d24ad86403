"""Surface layers and decals: patterns over materials, pictures on items where the lens is touched."""

import math
from typing import Any, Literal

import numpy as np

from ..errors import ChangeError
from ..geometry.frames import item_frame
from ..motion import moment
from ..scene import Doc, Project, insert_item, put_all
from ..scene.base import AssetRef, Id, Name, new_id
from ..scene.surface_layer import MOST_DECALS, MOST_LAYERS, Decal, LayerKind, SurfaceLayer
from ..scene.writing import revise
from .base import PicturePoint, performs
from .looks import subject_size
from .names import free_name
from .tools import Tools

DECAL_SHARE = 0.25
"""A decal is so wide at first, of the subject's size."""
_SIZES: dict[LayerKind, float] = {"scratches": 0.5, "fingerprints": 0.35, "dust": 0.4, "edge wear": 0.2, "smudges": 0.8}
"""Size of a pattern at first, of the subject's size."""
_USUAL: dict[LayerKind, dict[str, Any]] = {
    "scratches": {"amount": 0.05, "strength": 0.7, "roughness": 0.55},
    "fingerprints": {"amount": 0.18, "strength": 0.6, "roughness": 0.35},
    "dust": {"amount": 0.45, "where": "above", "strength": 0.7, "roughness": 0.95, "colour": (0.42, 0.4, 0.37),
             "colour_share": 0.7, "metalness": 0.0},
    "edge wear": {"amount": 0.5, "where": "edges", "roughness": 0.35, "colour": (0.56, 0.54, 0.51), "colour_share": 1.0,
                  "metalness": 1.0, "strips_coat": True},
    "smudges": {"amount": 0.4, "strength": 0.5, "roughness": 0.45},
}  # fmt: skip
"""What each kind begins with."""


class AddLayer(Doc):
    """Lay a pattern over a material."""

    kind: Literal["add_layer"] = "add_layer"
    material: Id
    layer: LayerKind


@performs(AddLayer)
def _with_layer(project: Project, change: AddLayer, tools: Tools) -> tuple[Project, str]:
    material = next((m for m in project.materials if m.id == change.material), None)
    if material is None:
        raise ChangeError("That material is not in this project any more.")
    if len(material.layers) >= MOST_LAYERS:
        raise ChangeError(f"No more than {MOST_LAYERS} layers lie on a material.")
    size, _ = subject_size(project, tools)
    new = SurfaceLayer(
        id=new_id("layer"),
        kind=change.layer,
        size_m=float(f"{size * _SIZES[change.layer]:.3g}"),
        reach_m=float(f"{size * 0.006:.2g}"),
        **_USUAL[change.layer],
    )
    return insert_item(
        project, f"materials/{material.id}/layers", new
    ), f"{change.layer.capitalize()} on {material.name}"


class AddDecal(PicturePoint):
    """Put a picture onto the surface at a point of the picture, facing as the surface does."""

    kind: Literal["add_decal"] = "add_decal"
    asset: AssetRef
    name: Name


@performs(AddDecal)
def _with_decal(project: Project, change: AddDecal, tools: Tools) -> tuple[Project, str]:
    size, _ = subject_size(project, tools)
    item_id, lies = _place(project, change, tools)
    item = next(x for x in project.items if x.id == item_id)
    if len(item.decals) >= MOST_DECALS:
        raise ChangeError(f"No more than {MOST_DECALS} pictures are put onto one thing.")
    width = float(f"{size * DECAL_SHARE:.3g}")
    name = free_name((d.name for d in item.decals), change.name)
    new = Decal(id=new_id("decal"), name=name, asset=change.asset, width_m=width, depth_m=width / 2)
    new = revise(new, **lies)
    return insert_item(project, f"items/{item_id}/decals", new), f"Put {name} on {item.name}"


class MoveDecal(PicturePoint):
    """Move a decal to the surface at a point of the picture; it keeps its size and faces as the surface does."""

    kind: Literal["move_decal"] = "move_decal"
    decal: Id


@performs(MoveDecal)
def _moved_decal(project: Project, change: MoveDecal, tools: Tools) -> tuple[Project, str]:
    item = next((x for x in project.items if any(d.id == change.decal for d in x.decals)), None)
    if item is None:
        raise ChangeError("That picture is not there any more.")
    item_id, lies = _place(project, change, tools)
    if item_id != item.id:
        raise ChangeError(f"It belongs to ‘{item.name}’: point at that.")
    name = next(d.name for d in item.decals if d.id == change.decal)
    values = {f"items/{item.id}/decals/{change.decal}/{field}": value for field, value in lies.items()}
    return put_all(project, values), f"Move {name}"


def _place(project: Project, change: AddDecal | MoveDecal, tools: Tools) -> tuple[str, dict[str, float]]:
    """The item that is seen at a place of the picture, and where there, and which way it faces, in its own space."""
    here = moment(project, change.frame)
    seen, surface = tools.eye.point(here, change.x, change.y), tools.eye.surface(here, change.x, change.y)
    item = None if seen is None or seen.item is None else project.item(seen.item)
    if seen is None or surface is None or item is None:
        raise ChangeError("Point at something that stands on the set.")
    carried = here.carried(here.carriages[item.id], here.around)[0]
    frame = np.array(item_frame(item.placement)).reshape(3, 4)
    at = frame[:, :3] @ seen.point + frame[:, 3]
    x, y, z = (float(c) for c in frame[:, :3] @ carried[:3, :3].T @ surface.normal)
    return item.id, {
        "at_x_m": float(f"{at[0]:.6g}"),
        "at_y_m": float(f"{at[1]:.6g}"),
        "at_z_m": float(f"{at[2]:.6g}"),
        "azimuth_deg": round(math.degrees(math.atan2(x, z)), 2),
        "elevation_deg": round(math.degrees(math.asin(max(-1.0, min(1.0, y)))), 2),
    }
