"""Cameras (UsdGeomCamera) and lights (UsdLux) of a USD stage, at rest."""

import math

import numpy as np
from pxr import Usd, UsdGeom, UsdLux

from ...arrays import Mat4
from ...colour_temperature import temperature_to_rgb
from ...scene.came_with import FileCamera, FileLight
from ...scene.light import MOST_POWER, PowerUnit, Shape
from .gltf_scene_extras import along
from .model import FileModel
from .names import label


def read_around(stage: Usd.Stage, model: FileModel) -> None:
    """Add cameras with perspective, and lights of the shapes that the studio has; others are named."""
    places, flat, domes, others = UsdGeom.XformCache(), 0, 0, 0
    for prim in Usd.PrimRange.Stage(stage, Usd.TraverseInstanceProxies()):
        if prim.IsA(UsdGeom.Camera):
            matrix = np.array(places.GetLocalToWorldTransform(prim)).T
            camera = _camera(UsdGeom.Camera(prim), matrix, len(model.cameras) + 1)
            flat += camera is None
            model.cameras += [camera] if camera else []
        elif prim.HasAPI(UsdLux.LightAPI) and not prim.IsA(UsdGeom.Mesh):
            matrix = np.array(places.GetLocalToWorldTransform(prim)).T
            light = _light(prim, matrix, len(model.lights) + 1)
            domes += prim.IsA(UsdLux.DomeLight)
            others += light is None and not prim.IsA(UsdLux.DomeLight)
            model.lights += [light] if light else []
    if flat:
        model.notes.append("Cameras without perspective are left out.")
    if domes:
        model.notes.append("Its dome light is left out; bring its picture in as an environment on the Light card.")
    if others:
        model.notes.append("Lights of shapes that the studio does not have are left out.")


def _camera(camera: UsdGeom.Camera, matrix: Mat4, number: int) -> FileCamera | None:
    if camera.GetProjectionAttr().Get() == UsdGeom.Tokens.orthographic:
        return None
    focal, height = float(camera.GetFocalLengthAttr().Get()), float(camera.GetVerticalApertureAttr().Get())
    if not (focal > 0 and height > 0):
        return None
    return FileCamera(
        id=f"camera-{number}",
        name=label(camera.GetPrim().GetName(), f"Camera {number}"),
        at=tuple(matrix[:3, 3]),
        towards=along(matrix),
        half_height=min(height / (2 * focal), 100.0),
    )


def _light(prim: Usd.Prim, matrix: Mat4, number: int) -> FileLight | None:
    """A light as UsdLux defines it: luminance of its face, which `normalize` divides by its area."""
    found = _face(prim, np.linalg.norm(matrix[:3, :3], axis=0))
    if found is None:
        return None
    shape, width, height, area = found
    light = UsdLux.LightAPI(prim)
    power = float(light.GetIntensityAttr().Get()) * 2.0 ** float(light.GetExposureAttr().Get())
    colour = np.array(light.GetColorAttr().Get(), float).clip(0, None)
    if light.GetEnableColorTemperatureAttr().Get():
        colour = colour * temperature_to_rgb(float(light.GetColorTemperatureAttr().Get()))
    unit: PowerUnit = "lx" if shape == "sun" else "nit"
    normalised = bool(light.GetNormalizeAttr().Get())  # a sun's is its illuminance then
    if shape == "sun" and not normalised:
        power *= area
    elif shape != "sun" and normalised:
        power /= area
    brightest = max(float(colour.max()), 1e-9)
    more = {"sun_deg": min(max(width, 0.05), 30.0)} if shape == "sun" else {"width": width, "height": height}
    return FileLight(
        id=f"light-{number}",
        name=label(prim.GetName(), f"Light {number}"),
        shape=shape,
        at=tuple(matrix[:3, 3]),
        towards=along(matrix),
        power=min(max(power, 0.0) * brightest, MOST_POWER),
        power_unit=unit,
        colour=tuple((colour / brightest).tolist()),
        **more,
    )


def _face(prim: Usd.Prim, scale: np.ndarray) -> tuple[Shape, float, float, float] | None:
    """Shape, width and height (units of the stage; degrees for a sun) and the area that shines (sr for a sun)."""
    x, y = float(scale[0]), float(scale[1])
    if prim.IsA(UsdLux.RectLight):
        rect = UsdLux.RectLight(prim)
        width, height = float(rect.GetWidthAttr().Get()) * x, float(rect.GetHeightAttr().Get()) * y
        return "rectangle", width, height, max(width * height, 1e-30)
    if prim.IsA(UsdLux.DiskLight):
        radius = float(UsdLux.DiskLight(prim).GetRadiusAttr().Get()) * x
        return "disc", 2 * radius, 2 * radius, max(math.pi * radius**2, 1e-30)
    if prim.IsA(UsdLux.SphereLight):
        radius = float(UsdLux.SphereLight(prim).GetRadiusAttr().Get()) * x
        return "sphere", 2 * radius, 2 * radius, max(4 * math.pi * radius**2, 1e-30)
    if prim.IsA(UsdLux.CylinderLight):
        tube = UsdLux.CylinderLight(prim)
        length, radius = float(tube.GetLengthAttr().Get()) * x, float(tube.GetRadiusAttr().Get()) * y
        return "tube", length, 2 * radius, max(2 * math.pi * radius * length, 1e-30)
    if prim.IsA(UsdLux.DistantLight):
        angle = max(float(UsdLux.DistantLight(prim).GetAngleAttr().Get()), 0.05)
        return "sun", angle, angle, math.pi * math.sin(math.radians(angle / 2)) ** 2
    return None
