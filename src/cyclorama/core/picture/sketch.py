"""A drawing of a moment from its items' stand-ins: no light, no rays, there within a blink.

Triangles are drawn from far to near, each in one tone: its part's colour, darker the more it turns away from where
the key usually stands.
"""

import io

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from ..framing import Projection
from ..geometry.placement import placement_matrix
from ..geometry.standin_file import unpack
from ..motion import Moment
from ..scene import Item
from .view_transform import srgb_encode

WIDTH = 480
MAT = (118, 118, 118)
_FLOOR = (150, 148, 145)
_KEY = np.array([-0.5, 0.7, 0.5]) / np.linalg.norm([-0.5, 0.7, 0.5])
_SMOOTH = 2
"""Drawn so many times larger, then made smaller, which softens edges."""


def sketch(moment: Moment, standins: dict[str, bytes]) -> bytes:
    """The drawing as PNG, WIDTH wide; `standins` of the items by their id, as `standin_file.pack` makes them.

    Raises ValueError or KeyError when one is damaged or missing.
    """
    width = WIDTH * _SMOOTH
    height = max(1, round(width * moment.shoot.height / moment.shoot.width))
    image = Image.new("RGB", (width, height), MAT)
    draw = ImageDraw.Draw(image)
    camera = moment.around.cameras[0]
    lens = Projection.of(moment.camera, moment.shoot.width, moment.shoot.height)
    horizon = height / 2 * (1 - np.tan(np.arcsin(np.clip(camera[1, 2], -0.9999, 0.9999))) / lens.half_h)
    if moment.set.sweep.on and horizon < height:
        draw.rectangle((0, max(0.0, horizon), width, height), fill=_FLOOR)
    drawn = [_faces(moment, item, standins[item.id], camera) for item in moment.items]
    corners = np.concatenate([np.zeros((0, 3, 3)), *(faces for faces, _ in drawn)])
    colours = np.concatenate([np.zeros((0, 3), np.uint8), *(tones for _, tones in drawn)])
    depth = -corners[..., 2]
    seen = depth.min(axis=1, initial=np.inf) > 1e-6
    corners, colours, depth = corners[seen], colours[seen], depth[seen]
    x, y = lens.places(corners[..., 0] / depth, corners[..., 1] / depth)
    x, y = (x / lens.half_w + 1) / 2 * width, (1 - y / lens.half_h) / 2 * height
    points = np.stack([x, y], axis=2).clip(-1e5, 1e5)
    for i in np.argsort(-depth.mean(axis=1)):
        draw.polygon([tuple(p) for p in points[i].tolist()], fill=tuple(colours[i].tolist()))
    buffer = io.BytesIO()
    image = image.reduce(_SMOOTH)
    image.save(buffer, "PNG")
    return buffer.getvalue()


def _faces(
    moment: Moment, item: Item, standin: bytes, camera: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.uint8]]:
    """Corners (t, 3, 3) in the camera's space and the colours (t, 3) of an item's visible triangles."""
    positions, colours, triangles, part = unpack(standin)
    worn = item.variant.parts
    shown = np.array([w.visible for w in worn])
    triangles, part = triangles[shown[part]], part[shown[part]]
    m = moment.carried(moment.carriages[item.id], moment.around)[0] @ placement_matrix(item.placement)
    world = positions @ m[:3, :3].T + m[:3, 3]
    corners = world[triangles]
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-20)
    paint = {material.id: np.array(material.base_color) for material in moment.materials}
    base = np.array([paint[w.material] for w in worn])[part]
    tone = srgb_encode(base.astype(np.float32)) * colours[triangles[:, 0], :3] / 255.0
    light = 0.35 + 0.65 * np.clip(np.abs(normal @ _KEY), 0, 1)
    shaded = (np.clip(tone * light[:, None], 0, 1) * 255).astype(np.uint8)
    return (corners - camera[:3, 3]) @ camera[:3, :3], shaded
