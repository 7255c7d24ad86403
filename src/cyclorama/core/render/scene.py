"""From document to arrays: what stays for many frames is compiled once, what moves is a few numbers a frame.

Three layers, each kept until the part of the document it depends on changes: geometry (subject, placement,
set), surfaces (materials and maps), frame (camera, lights, poses).
"""

from collections import Counter
from collections.abc import Callable
from dataclasses import replace
from typing import Any, Literal

import numpy as np

from ..arrays import RGBImage
from ..framing import half_extent
from ..geometry.build import build_disc, build_sweep
from ..geometry.edges import hard_edges
from ..geometry.kept import rig_key
from ..geometry.mesh import Mesh, join
from ..geometry.placement import placement_matrix
from ..geometry.rig import Rig
from ..light.environment import BLACK, EnvironmentMap, build_environment
from ..light.sky import shining, sky_picture
from ..material.row import EDGE_RADIUS
from ..material.tables import load_tables
from ..motion import Pose, Poses, focus_distance_m, pose_project, shutter_poses, shutter_steps, turned
from ..picture.exposure import exposure_scale, shown_look
from ..picture.linear import read_linear
from ..picture.mix import light_layer_names
from ..scene import Camera, Material, Project, Subject, depending
from ..scene.base import Affects
from ..scene.camera import NEAREST_M
from ..textures import Textures, TextureShelf
from .arrays import COMPONENTS, NO_EDGES, NO_SHAPES, Edges, Materials, Recording, Shapes
from .background import background_of, blurred, fitted
from .bodies import Body, pose_keys
from .camera_rays import CameraRays, filter_table, pixel_projection
from .lights import Glow, gobo_names, lights_of
from .parameters import ReadAsset, TextureSet, has_holes, material_rows
from .standing import Piece, Standing, bend, stand
from .trace import FrameScene

_SHAPE: frozenset[Affects] = frozenset({"geometry", "transform"})
_SWEEP, _DISC = Material(id="sweep", name="Sweep"), Material(id="disc", name="Disc")
FIRST_ROWS = 3
"""Rows of the exit, the sweep and the disc come before the project's materials."""
Keep = Literal["picture", "lights", "passes"]
"""What a film keeps: the picture alone, each light's share of it as well, or all that the wanted passes ask for."""


class SceneCompiler:
    """Compiles projects, keeping what has not changed since the last call. Not for several threads at once."""

    def __init__(self, read_asset: ReadAsset):
        self._read = read_asset
        self._kept: dict[str, tuple[object, object]] = {}
        self._made: Counter[str] = Counter()

    def _keep(self, what: str, key: object, build: Callable[[], Any]) -> Any:
        kept = self._kept.get(what)
        if kept is None or kept[0] != key:
            self._kept.pop(what, None)  # free the old one before the new one is made
            self._kept[what] = kept = (key, build())
            self._made[what] += 1  # what depends on it has this number in its key
        return kept[1]

    def compile(self, project: Project, frame: int, width: int, height: int, keep: Keep = "picture") -> FrameScene:
        """Everything needed to trace one frame at a size in pixels.

        Raises NotFoundError or IntakeError when a file the project refers to is gone or unreadable.
        """
        poses = pose_project(project)
        pose = poses.at(frame)
        open_shutter = shutter_poses(project, frame, shutter_steps(project))
        look_of_set = project.set.sweep, project.set.disc
        surfaces: tuple[Materials, Textures] = self._keep(
            "surfaces", (project.materials, look_of_set), lambda: self._surfaces(project)
        )
        standing: Standing = self._keep("standing", self._geometry_key(project), lambda: self._standing(project))
        stood = self._made["standing"]
        edges: Edges = self._keep("edges", (stood, surfaces[0].values[:, EDGE_RADIUS].tobytes()),
                                  lambda: _edges(standing, surfaces[0]))  # fmt: skip
        neighbours = poses.at(frame + 1), poses.at(frame - 1)
        bodies, shapes = self._bodies(project, frame, standing, (pose, *neighbours) if keep == "passes" else ())
        geometry = standing.geometry._replace(edges=edges, shapes=shapes)
        glow: Glow = self._keep("glow", (stood, self._made["bent"], self._made["surfaces"]),
                                lambda: Glow(geometry, surfaces[0], standing.body_of))  # fmt: skip
        environment = self._environment(project)
        lights = shining(project)
        names = gobo_names(lights, frame - project.move.first_frame)
        gobos: TextureShelf = self._keep("gobos", names, TextureShelf)
        where = standing.where(bodies, open_shutter.subject_deg)
        camera = camera_rays_of(project.camera, pose, open_shutter, width, height)
        layers = _layers(project, keep)
        return FrameScene(
            bodies=bodies,
            where=where,
            geometry=geometry,
            materials=surfaces[0],
            textures=surfaces[1],
            lights=lights_of(
                project, lights, pose, open_shutter, environment, glow, self._read, part_ids(project), gobos
            ),
            environment=environment,
            tables=load_tables(),
            camera=camera,
            recording=_recording(project, layers, pose, neighbours, standing.turns, camera, keep == "passes"),
            inner=standing.inner,
            has_holes=has_holes(project.materials, standing.sheer),
            max_bounces=project.shoot.bounces,
            layers=layers,
        )

    def _bodies(
        self, project: Project, frame: int, standing: Standing, around: tuple[Pose, ...]
    ) -> tuple[list[Body], Shapes]:
        """All bodies of a frame, and the triangles that bend in it."""
        bending = standing.bending
        if bending is None:
            return [b for b in standing.bodies if b is not None], NO_SHAPES
        first, last = shutter_poses(project, frame, 2).animation_s
        # a loop may begin again while the shutter is open
        length = bending.rig.skeleton.length_s(bending.animation)
        end = last if last >= first else last + length
        steps = bending.rig.steps(bending.animation, (float(first), float(end)))
        times = shutter_poses(project, frame, steps).animation_s
        around_s = tuple(p.animation_s for p in around)
        key = (self._made["standing"], times.tobytes(), around_s)
        body, shapes = self._keep("bent", key, lambda: bend(bending, times, around_s))
        return [body if b is None else b for b in standing.bodies], shapes

    def background(self, project: Project, frame: int, width: int, height: int) -> RGBImage:
        """What is seen behind subject and set, (height, width, 3) in nit."""
        b = project.environment.background

        def picture() -> RGBImage:
            key = (b.picture, b.blur, width, height)
            return self._keep("backdrop", key, lambda: fitted(self._read(b.picture or ""), b, width, height))

        def surroundings() -> RGBImage:
            pixels = self._environment(project).pixels
            key = (self._made["environment"], project.environment_lit, b.blur)
            return self._keep("surroundings", key, lambda: blurred(pixels, b.blur))

        return background_of(project, frame, width, height, picture, surroundings)

    def _surfaces(self, project: Project) -> tuple[Materials, Textures]:
        stage = project.set
        sweep = _SWEEP.model_copy(update={"base_color": stage.sweep.color, "specular_roughness": stage.sweep.roughness})
        disc = _DISC.model_copy(update={"base_color": stage.disc.color, "specular_roughness": stage.disc.roughness})
        # the pictures stay until other maps are used: unpacking them takes longer than all the rest
        maps = tuple(m.maps for m in project.materials)
        textures: TextureSet = self._keep("maps", maps, lambda: TextureSet(self._read))
        rows = material_rows((sweep, disc, *project.materials), textures)
        return rows, textures.shelf.arrays()

    def _geometry_key(self, project: Project) -> object:
        stands, spins = depending(project.set, _SHAPE), project.move.kind == "spin"
        subject = None if project.subject is None else depending(project.subject, _SHAPE)
        return subject, stands, spins, [m.id for m in project.materials]

    def _standing(self, project: Project) -> Standing:
        stage, spins = project.set, project.move.kind == "spin"
        pieces = [Piece(build_sweep(stage.sweep), np.array([1], np.int32), 0, False)] if stage.sweep.on else []
        if stage.disc.on:
            pieces.append(Piece(build_disc(stage.disc), np.array([2], np.int32), 1, spins))
        subject = project.subject
        if subject is None:
            return stand(pieces, None)
        row_of = {m.id: i + FIRST_ROWS for i, m in enumerate(project.materials)}
        rows = np.array([row_of[p.material] for p in subject.parts], np.int32)
        pieces.append(Piece(self.subject_mesh(project), rows, 2, spins))
        rig = None
        if subject.playing:
            rig = (self.rig(subject), subject.playing[0], placement_matrix(subject.placement))
        return stand(pieces, rig)

    def rig(self, subject: Subject) -> Rig:
        """What moves the subject from within."""
        rig: Rig = self._keep("rig", subject.asset, lambda: Rig.from_bytes(self._read(rig_key(subject.asset))))
        return rig

    def subject_mesh(self, project: Project) -> Mesh:
        """The visible parts of the subject in studio space at rest."""
        if project.subject is None:
            return join([])
        mesh = Mesh.from_bytes(self._read(project.subject.asset))
        visible = np.array([p.visible for p in project.subject.parts], bool)
        keep = visible[mesh.part]
        finite = np.all(np.isfinite(mesh.vertices), axis=1)
        if not finite.all():
            keep &= np.all(finite[mesh.triangles], axis=1)
            mesh = replace(mesh, vertices=np.where(finite[:, None], mesh.vertices, np.float32(0)))
        if not keep.all():
            mesh = mesh.only(keep)
        return mesh.transformed(placement_matrix(project.subject.placement))

    def _environment(self, project: Project) -> EnvironmentMap:
        """What shines all round, as built for its picture or sky; black when it is off."""
        env = project.environment
        if not project.environment_lit:
            return BLACK

        def build() -> EnvironmentMap:
            if env.kind == "sky":
                return build_environment(sky_picture(env.sky))
            return build_environment(read_linear(self._read(env.asset or ""), "environment"))

        built: EnvironmentMap = self._keep("environment", env.sky if env.kind == "sky" else env.asset, build)
        return built


def part_ids(project: Project) -> tuple[str, ...]:
    """Ids of all parts by number: the sweep, the disc, then the subject's."""
    return ("sweep", "disc", *(p.id for p in (project.subject.parts if project.subject else ())))


def _edges(standing: Standing, materials: Materials) -> Edges:
    radius = materials.values[standing.geometry.material, EDGE_RADIUS]
    if not radius.any():
        return NO_EDGES
    return Edges(*hard_edges(standing.vertices, standing.triangles, radius))


def _focus_m(camera: Camera, pose: Pose) -> float:
    if camera.focus_m is not None:
        return camera.focus_m
    if camera.focus_point_m is None:
        return camera.distance_m
    turn = turned(np.array([pose.subject_deg]))[0, :3, :3]
    return max(focus_distance_m(turn @ np.array(camera.focus_point_m), pose.camera), NEAREST_M)


def camera_rays_of(camera: Camera, pose: Pose, poses: Poses, width: int, height: int) -> CameraRays:
    """The camera of a frame, with its poses while the shutter is open, for the kernels."""
    half_w, half_h = half_extent(camera, width, height)
    radius = 0.0 if camera.f_number is None else camera.focal_mm / 1000 / (2 * camera.f_number)
    return CameraRays(
        pose_keys(poses.cameras), half_w, half_h, radius, _focus_m(camera, pose), width, height, filter_table(),
        camera.blades, camera.blade_rotation_deg / 360.0, camera.squeeze, camera.vignette, camera.distortion,
    )  # fmt: skip


def _layers(project: Project, keep: Keep) -> tuple[str, ...]:
    """Names of what is kept apart: the lights', then the components'."""
    wanted = project.shoot.passes.wanted if keep == "passes" else ()
    lights = tuple(light_layer_names(project)) if keep == "lights" or "lights" in wanted else ()
    return lights + (COMPONENTS if "components" in wanted else ())


def _recording(
    project: Project, layers: tuple[str, ...], pose: Pose, neighbours: tuple[Pose, Pose], turns: list[bool],
    camera: CameraRays, first: bool,
) -> Recording:  # fmt: skip
    lights = sum(name not in COMPONENTS for name in layers)
    clamp = 0.0
    if project.shoot.clamp_indirect is not None:
        clamp = project.shoot.clamp_indirect / exposure_scale(shown_look(project))
    around = (pose, *neighbours)
    bodies = np.tile(np.eye(4)[:3], (3, max(len(turns), 1), 1, 1))
    bodies[:, np.flatnonzero(turns)] = turned(np.array([p.subject_deg for p in around]))[:, None, :3]
    return Recording(
        groups=np.arange(lights, dtype=np.int32),
        components=lights if lights < len(layers) else -1,
        clamp=clamp,
        first=first,
        cameras=np.stack([np.linalg.inv(p.camera)[:3] for p in around]).astype(np.float32),
        bodies=bodies.astype(np.float32),
        projection=pixel_projection(camera),
    )  # fmt: skip
