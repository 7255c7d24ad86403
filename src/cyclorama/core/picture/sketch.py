"""A drawing of a project's first frame from its stand-in: no light, no rays, there within a blink.

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
from ..motion import pose_project
from ..scene import Project
from .view import srgb_encode

WIDTH = 480
MAT = (118, 118, 118)
_FLOOR = (150, 148, 145)
_KEY = np.array([-0.5, 0.7, 0.5]) / np.linalg.norm([-0.5, 0.7, 0.5])
_SMOOTH = 2
"""Drawn so many times larger, then made smaller, which softens edges."""


def sketch(project: Project, standin: bytes | None) -> bytes:
    """The drawing as PNG, WIDTH wide; `standin` as `standin_file.pack` makes it, None without a subject.

    Raises ValueError or KeyError when the stand-in is damaged.
    """
    width = WIDTH * _SMOOTH
    height = max(1, round(width * project.shoot.height / project.shoot.width))
    image = Image.new("RGB", (width, height), MAT)
    draw = ImageDraw.Draw(image)
    pose = pose_project(project).at(project.move.first_frame)
    lens = Projection.of_project(project)
    horizon = height / 2 * (1 - np.tan(np.radians(project.camera.elevation_deg)) / lens.half_h)
    if project.set.sweep.on and horizon < height:
        draw.rectangle((0, max(0.0, horizon), width, height), fill=_FLOOR)
    if project.subject is not None and standin is not None:
        corners, colours = _faces(project, standin, pose.camera)
        depth = -corners[..., 2]
        seen = depth.min(axis=1) > 1e-6
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


def _faces(project: Project, standin: bytes, camera: NDArray[np.float64]) -> tuple[NDArray, NDArray[np.uint8]]:
    """Corners (t, 3, 3) in the camera's space and the colours (t, 3) of visible triangles."""
    subject = project.subject
    assert subject is not None
    positions, colours, triangles, part = unpack(standin)
    shown = np.array([p.visible for p in subject.parts])
    triangles, part = triangles[shown[part]], part[shown[part]]
    m = placement_matrix(subject.placement)
    world = positions @ m[:3, :3].T + m[:3, 3]
    corners = world[triangles]
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-20)
    paint = {material.id: np.array(material.base_color) for material in project.materials}
    base = np.array([paint[p.material] for p in subject.parts])[part]
    tone = srgb_encode(base.astype(np.float32)) * colours[triangles[:, 0], :3] / 255.0
    light = 0.35 + 0.65 * np.clip(np.abs(normal @ _KEY), 0, 1)
    shaded = (np.clip(tone * light[:, None], 0, 1) * 255).astype(np.uint8)
    return (corners - camera[:3, 3]) @ camera[:3, :3], shaded
