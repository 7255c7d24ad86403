"""From document to arrays: what stays for many frames is compiled once, what moves is a few numbers a frame.

Three layers, each kept until the part of the document it depends on changes: geometry (subject, placement,
set), surfaces (materials and maps), frame (camera, lights, poses).
"""

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from ..framing import half_extent
from ..geometry.build import build_disc, build_sweep
from ..geometry.mesh import Mesh, join
from ..geometry.placement import placement_matrix
from ..light.environment import BLACK, EnvironmentMap, build_environment
from ..light.rect import RECT_COLUMNS, rect_row
from ..material.tables import load_tables
from ..motion import Pose, aim_point, pose_project
from ..picture.exposure import exposure_scale
from ..picture.files import read_linear
from ..scene import Camera, Material, Project
from ..scene.light import BASE_ENVIRONMENT_NIT
from .arrays import Bodies, Geometry, Lights, Materials, Textures
from .bodies import Body, build_body
from .camera_rays import CameraRays, filter_table
from .material_rows import has_holes, material_rows
from .textures import TextureSet
from .trace import FrameScene

ReadAsset = Callable[[str], bytes]
"""Gives the bytes of an asset by its content hash; raises NotFoundError."""

_SWEEP, _DISC = Material(id="sweep", name="Sweep"), Material(id="disc", name="Disc")


@dataclass(frozen=True, slots=True)
class _Standing:
    """Compiled geometry: one body when nothing turns, set and subject apart when the subject turns."""

    bodies: list[Body]
    geometry: Geometry


class SceneCompiler:
    """Compiles projects, keeping what has not changed since the last call. Not for several threads at once."""

    def __init__(self, read_asset: ReadAsset):
        self._read = read_asset
        self._kept: dict[str, tuple[object, object]] = {}

    def _keep(self, what: str, key: object, build: Callable[[], object]) -> object:
        kept = self._kept.get(what)
        if kept is None or kept[0] != key:
            self._kept.pop(what, None)  # free the old one before the new one is made
            self._kept[what] = kept = (key, build())
        return kept[1]

    def compile(self, project: Project, frame: int, width: int, height: int) -> FrameScene:
        """Everything needed to trace one frame at a size in pixels.

        Raises NotFoundError or IntakeError when a file the project refers to is gone or unreadable.
        """
        pose = pose_project(project).at(frame)
        surfaces: tuple[Materials, Textures] = self._keep(  # type: ignore[assignment]
            "surfaces", (project.materials, project.set), lambda: self._surfaces(project)
        )
        standing: _Standing = self._keep(  # type: ignore[assignment]
            "standing", self._geometry_key(project), lambda: self._standing(project)
        )
        env_key = project.environment.asset if project.environment_lit else None
        environment: EnvironmentMap = self._keep("environment", env_key, lambda: self._environment(env_key))  # type: ignore[assignment]
        return FrameScene(
            bodies=standing.bodies,
            where=_where(len(standing.bodies), pose),
            geometry=standing.geometry,
            materials=surfaces[0],
            textures=surfaces[1],
            lights=_lights(project, pose, environment),
            environment=environment,
            tables=load_tables(),
            camera=camera_rays_of(project.camera, pose, width, height),
            has_holes=has_holes(project.materials),
        )

    def _surfaces(self, project: Project) -> tuple[Materials, Textures]:
        stage = project.set
        sweep = _SWEEP.model_copy(update={"base_color": stage.sweep.color, "specular_roughness": stage.sweep.roughness})
        disc = _DISC.model_copy(update={"base_color": stage.disc.color, "specular_roughness": stage.disc.roughness})
        textures = TextureSet(self._read)
        return material_rows((sweep, disc, *project.materials), textures), textures.arrays()

    def _geometry_key(self, project: Project) -> object:
        sweep = project.set.sweep.model_copy(update={"color": (0, 0, 0), "roughness": 0})
        disc = project.set.disc.model_copy(update={"color": (0, 0, 0), "roughness": 0})
        return project.subject, sweep, disc, project.move.kind == "spin", [m.id for m in project.materials]

    def _standing(self, project: Project) -> _Standing:
        stage = project.set
        fixed = [(build_sweep(stage.sweep), np.array([0]), False)] if stage.sweep.on else []
        moving = [(build_disc(stage.disc), np.array([1]), False)] if stage.disc.on else []
        if project.subject:
            row_of = {m.id: i + 2 for i, m in enumerate(project.materials)}
            rows = np.array([row_of[p.material] for p in project.subject.parts])
            moving.append((self.subject_mesh(project), rows, True))
        groups = [fixed, moving] if project.move.kind == "spin" else [fixed + moving]
        bodies, first = [], 0
        for group in groups:
            mesh = join([m for m, _, _ in group])
            if len(mesh.triangles):
                bodies.append(build_body(mesh.vertices, mesh.triangles, first))
            first += len(mesh.triangles)
        pieces = [piece for group in groups for piece in group]
        whole = join([m for m, _, _ in pieces])
        material = np.concatenate([[0], *(rows[m.part] for m, rows, _ in pieces)])[1:]
        subject = np.concatenate([[0], *(np.full(len(m.part), s) for m, _, s in pieces)])[1:]
        geometry = Geometry(
            _packed_corners(whole), material.astype(np.int32), subject.astype(np.uint8),
        )  # fmt: skip
        return _Standing(bodies, geometry)

    def subject_mesh(self, project: Project) -> Mesh:
        """The visible parts of the subject in studio space at rest."""
        if project.subject is None:
            return join([])
        mesh = Mesh.from_bytes(self._read(project.subject.asset))
        visible = np.array([p.visible for p in project.subject.parts], bool)
        keep = visible[mesh.part]
        if not keep.all():
            mesh = Mesh(mesh.vertices, mesh.normals, mesh.uvs, mesh.triangles[keep], mesh.part[keep])
        return mesh.transformed(placement_matrix(project.subject.placement))

    def _environment(self, asset: str | None) -> EnvironmentMap:
        return BLACK if asset is None else build_environment(read_linear(self._read(asset), "environment"))


def _packed_corners(mesh: Mesh) -> np.ndarray:
    corners = np.empty((len(mesh.triangles), 24), np.float32)
    for i in range(3):
        index = mesh.triangles[:, i]
        corners[:, 3 * i : 3 * i + 3] = mesh.vertices[index]
        corners[:, 9 + 3 * i : 12 + 3 * i] = mesh.normals[index]
        corners[:, 18 + 2 * i : 20 + 2 * i] = mesh.uvs[index]
    return corners


def _where(bodies: int, pose: Pose) -> Bodies:
    matrices = np.tile(np.eye(4, dtype=np.float32)[:3], (max(bodies, 1), 1, 1))
    a = math.radians(pose.subject_deg)
    # the subject is the last body; when nothing turns there is one body and the angle is 0
    matrices[-1, 0, 0] = matrices[-1, 2, 2] = math.cos(a)
    matrices[-1, 0, 2], matrices[-1, 2, 0] = math.sin(a), -math.sin(a)
    return Bodies(matrices)


def _lights(project: Project, pose: Pose, environment: EnvironmentMap) -> Lights:
    aim = aim_point(project.camera)
    rows = [rect_row(light, aim, pose.lights_deg) for light in project.lit_lights]
    rects = np.array(rows, np.float32).reshape(-1, RECT_COLUMNS)
    env = project.environment
    scale = BASE_ENVIRONMENT_NIT * 2.0**env.strength_stops if project.environment_lit else 0.0
    power = [float(row[12:15].mean() * row[15] / np.sum((row[0:3] - aim) ** 2)) for row in rects]
    power.append(environment.mean_luminance * scale * math.pi)
    share = np.array(power) / max(sum(power), 1e-30)
    share = np.where(share > 0, share + 0.05, 0.0)
    pick = np.concatenate([[0.0], np.cumsum(share / max(share.sum(), 1e-30))])
    background = np.array(env.background) / exposure_scale(project.look)
    return Lights(
        rects, pick.astype(np.float32), scale, math.radians(env.rotation_deg + pose.environment_deg),
        background.astype(np.float32), env.seen_by_camera and scale > 0,
    )  # fmt: skip


def camera_rays_of(camera: Camera, pose: Pose, width: int, height: int) -> CameraRays:
    """The camera of one frame for the kernels."""
    half_w, half_h = half_extent(camera, width, height)
    radius = 0.0 if camera.f_number is None else camera.focal_mm / 1000 / (2 * camera.f_number)
    focus = camera.distance_m if camera.focus_m is None else camera.focus_m
    matrix = np.ascontiguousarray(pose.camera[:3], np.float32)
    return CameraRays(matrix, half_w, half_h, radius, focus, width, height, filter_table())
