"""From a moment to arrays: what stays for many frames is compiled once, what moves is a few numbers a frame.

Three layers, each kept until what it depends on changes: geometry (items, set), surfaces (materials and maps), frame
(camera, lights, poses).
"""

from collections.abc import Callable
from dataclasses import replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ...arrays import RGBImage
from ...framing import half_extent
from ...geometry.build import build_disc, build_sweep
from ...geometry.cache_keys import hollow_key, rig_key
from ...geometry.edges import curvature, hard_edges
from ...geometry.filling import Hollow, fill, find_hollow
from ...geometry.frames import item_frame
from ...geometry.mesh import Mesh, join
from ...geometry.placement import placement_matrix
from ...geometry.primitives import build_made
from ...geometry.rig import Rig
from ...light.environment import BLACK, EnvironmentMap, build_environment
from ...light.set_occlusion import with_set_occlusion
from ...light.sky import shining, sky_picture
from ...material.layers import EDGES, HOLLOWS, REACH, WHERE
from ...material.row import EDGE_RADIUS
from ...material.tables import load_tables
from ...motion import STILL, Moment
from ...picture.backdrop import fit_picture
from ...picture.exposure import exposure_scale
from ...picture.light_mix import light_layer_names
from ...picture.linear import read_linear
from ...picture_files import decode_picture
from ...scene import Item, Material, MaterialMaps, Sweep, TextureRef, dependency_key
from ...scene.base import Affects, ReadAsset
from ...scene.item import SET_PARTS
from ...scene.shot import DISC
from ...scene.writing import derive
from ...textures import Textures, TextureShelf, Versions
from ..trace.arrays import (
    AIR,
    COMPONENTS,
    F32,
    KINDS_OF_LIGHT,
    NO_EDGES,
    NO_SHAPES,
    Edges,
    Materials,
    Recording,
    Shapes,
)
from ..trace.bodies import Body, pose_keys
from ..trace.camera_rays import CameraRays, filter_table, pixel_projection
from ..trace.caustic_roughening import least_roughness
from ..trace.parameters import TextureSet, WornOn, has_holes, material_rows
from ..trace.wavefront import FrameScene
from .background import background_of, blur_background
from .copies import copied_meshes, density_picture, prototype_rows, tints
from .glow_targets import targets_of
from .haze import air_of
from .instances import CopiedMesh, Instances, RestMesh, Rigged, bend, build_instances
from .kept import SceneCache
from .lights import Glow, gobo_names, lights_of
from .relief import MOST_OF_COPIES, MOST_TRIANGLES, reliefs_of, with_relief
from .views import views_of

_SHAPE: frozenset[Affects] = frozenset({"geometry", "transform"})
_FILLED: frozenset[Affects] = _SHAPE.union(("amount",))
_SWEEP, _DISC = Material(id="sweep", name="Sweep"), Material(id="disc", name="Disc")
FIRST_ROWS = 3
"""Rows of the exit, the sweep and the disc come before the project's materials."""
Keep = Literal["picture", "lights", "passes"]
"""What a film keeps: the picture alone, each light's share of it as well, or all that the wanted passes ask for."""


class SceneCompiler:
    """Compiles moments, keeping what has not changed since the last calls. Not for several threads at once."""

    def __init__(self, read_asset: ReadAsset):
        self.read_asset = read_asset
        self._kept = SceneCache()

    @property
    def made(self) -> dict[str, int]:
        """Number of builds of each kind."""
        return dict(self._kept.made)

    @property
    def kept_bytes(self) -> int:
        """Approximate size of all kept structures."""
        return self._kept.bytes

    def trim(self, most_bytes: int) -> None:
        """Drop the least recently used structures until the rest has a size."""
        self._kept.trim(most_bytes)

    def compile(self, moment: Moment, width: int, height: int, keep: Keep = "picture") -> FrameScene:
        """Everything needed to trace one moment at a size in pixels.

        Raises NotFoundError or IntakeError when a file the moment refers to is gone or unreadable.
        """
        (materials, textures), painted = self._surfaces(moment)
        instances, stood = self._instances(moment)
        asked = materials.values[:, EDGE_RADIUS].tobytes(), _reach(materials).tobytes()
        edges: Edges = self._kept.get("edges", (stood, asked), lambda: _edges(instances, materials))
        bodies, shapes, bent = self._bodies(moment, instances, stood, keep == "passes")
        curved: F32 = self._kept.get("curved", (stood, asked[1]), lambda: _curved(instances, materials))
        geometry = instances.geometry._replace(edges=edges, shapes=shapes, curved=curved)
        glow: Glow = self._kept.get("glow", (stood, bent, painted), lambda: Glow(geometry, materials, instances))
        environment, number = self._environment(moment)
        lights = shining(moment.look)
        gobos: TextureShelf = self._kept.get("gobos", gobo_names(lights, moment.since_first), TextureShelf)
        camera = camera_rays_of(moment, width, height)
        layers = _layers(moment, keep)
        shine = lights_of(moment, lights, environment, glow, self.read_asset, part_ids(moment), gobos)
        where = instances.where(bodies, moment)
        recording = _recording(moment, layers, instances, camera, keep == "passes")
        return FrameScene(
            bodies=bodies,
            where=where,
            geometry=geometry,
            materials=materials,
            textures=textures,
            lights=shine,
            environment=self._past_set(moment, environment, number, shine.env_turn),
            tables=load_tables(),
            softening=least_roughness(moment.shoot.caustics),
            air=air_of(moment),
            targets=targets_of(glow, recording.bodies[0], where, geometry, materials),
            camera=camera,
            recording=recording,
            inner=instances.inner,
            has_holes=has_holes(moment.materials, instances.sheer),
            max_bounces=moment.shoot.bounces,
            layers=layers,
        )

    def _bodies(self, moment: Moment, instances: Instances, stood: int, first: bool) -> tuple[list[Body], Shapes, int]:
        """All bodies of a frame, the triangles that bend in it, and a number that stands for these."""
        if not instances.bending:
            return [b for b in instances.bodies if b is not None], NO_SHAPES, 0
        playing = {b.rigged.item: moment.playing[b.rigged.item] for b in instances.bending}
        around = {item: moment.acting[item] for item in playing} if first else {}
        (bent, shapes), number = self._kept.numbered(
            "bent", (stood, playing, around), lambda: bend(instances.bending, playing, around)
        )
        ready = iter(bent)
        return [next(ready) if b is None else b for b in instances.bodies], shapes, number

    def background(self, moment: Moment, width: int, height: int) -> RGBImage:
        """Background behind items and set, (height, width, 3) in nit."""
        b = moment.look.background

        def picture() -> RGBImage:
            found: RGBImage = self._kept.get(
                "backdrop", (b, width, height), lambda: fit_picture(self.read_asset(b.picture or ""), b, width, height)
            )
            return found

        def surroundings() -> RGBImage:
            environment, number = self._environment(moment)
            found: RGBImage = self._kept.get(
                "surroundings", (number, b.blur), lambda: blur_background(environment.pixels, b.blur)
            )
            return found

        return background_of(moment, width, height, picture, surroundings)

    def _surfaces(self, moment: Moment) -> tuple[tuple[Materials, Textures], int]:
        stage, materials, tinted = moment.set, moment.materials, tints(moment)

        def build() -> tuple[Materials, Textures]:
            sweep = derive(_SWEEP, base_color=stage.sweep.color, specular_roughness=stage.sweep.roughness)
            disc = derive(_DISC, base_color=stage.disc.color, specular_roughness=stage.disc.roughness)
            if stage.sweep.picture and stage.sweep.form == "straight":
                sweep = self._printed(sweep, stage.sweep)
            maps = (
                (sweep.maps, *(m.maps for m in materials)),
                [decal.asset for on in worn.values() for decal, _ in on.decals],
            )
            textures: TextureSet = self._kept.get("maps", maps, lambda: TextureSet(self.read_asset, self._picture))
            rows = material_rows((sweep, disc, *materials, *(m for _, _, m in tinted)), textures, worn)
            row_of = {m.id: number for number, m in enumerate(materials, FIRST_ROWS)}
            rows.ranges[FIRST_ROWS + len(materials) :, 9] = [row_of[m.id] for _, _, m in tinted]
            return rows, textures.shelf.arrays()

        printed = stage.sweep.picture, stage.sweep.picture_shift, stage.sweep.form
        painted = stage.sweep.color, stage.sweep.roughness, printed, stage.disc.color, stage.disc.roughness
        worn = worn_on(moment)
        return self._kept.numbered("surfaces", (materials, tinted, painted, worn), build)

    def _picture(self, key: object, build: Callable[[], Versions]) -> Versions:
        """A picture of a map: it stays when other maps change, as unpacking takes longer than all the rest."""
        versions: Versions = self._kept.get("picture", key, build)
        return versions

    def _printed(self, material: Material, sweep: Sweep) -> Material:
        """The sweep's material with a picture on it, in its own proportions."""
        height, width = decode_picture(self.read_asset(sweep.picture or ""), sweep.picture_name or "backdrop").shape[:2]
        ref = TextureRef(
            asset=sweep.picture or "",
            name=sweep.picture_name,
            wrap="clamp",
            scale_v=width / height,
            offset_v=-sweep.picture_shift * width / height,
        )
        return derive(material, maps=MaterialMaps(base_color=ref))

    def _instances(self, moment: Moment) -> tuple[Instances, int]:
        things = [(dependency_key(item, _FILLED), moment.carriages[item.id]) for item in moment.items]
        paths = moment.paths if any(item.copies for item in moment.items) else ()
        worn = [m.id for m in moment.materials], reliefs_of(moment)
        key = (things, dependency_key(moment.set, _SHAPE), moment.disc_turns, worn, paths)
        return self._kept.numbered("instances", key, lambda: build_instances(*self._pieces(moment)))

    def _pieces(self, moment: Moment) -> tuple[list[RestMesh], list[CopiedMesh]]:
        stage = moment.set
        pieces, copied = [], []
        if stage.sweep.on:
            pieces.append(RestMesh(build_sweep(stage.sweep), np.array([1], np.int32), 0, STILL))
        if stage.disc.on:
            carriage = DISC if moment.disc_turns else STILL
            pieces.append(RestMesh(build_disc(stage.disc), np.array([2], np.int32), 1, carriage))
        row_of = {m.id: i + FIRST_ROWS for i, m in enumerate(moment.materials)}
        part, reliefs = len(SET_PARTS), reliefs_of(moment)
        for item in moment.items:
            if item.copies is not None:
                copied += self.copied(moment, item, part)
                part += len(item.parts)
                continue
            rows = np.array([row_of[w.material] for w in item.variant.parts], np.int32)
            rigged = None
            if item.playing:
                rigged = Rigged(item.id, self.rig(item), item.playing, placement_matrix(item.placement))
            mesh = self.item_mesh(item)
            if rigged is None:
                mesh = with_relief(mesh, item, reliefs, self.read_asset, MOST_TRIANGLES // len(moment.items))
            pieces.append(RestMesh(mesh, rows, part, moment.carriages[item.id], rigged))
            part += len(item.parts)
            if item.filling is not None and item.variant.parts[-1].visible:
                pieces.append(RestMesh(self.filling_mesh(item), rows[-1:], part - 1, moment.carriages[item.id]))
        return pieces, copied

    def copied(self, moment: Moment, item: Item, first_part: int = 0) -> list[CopiedMesh]:
        """Prototypes and poses of a copied item, whose parts are numbered from `first_part` on."""
        rows_of = prototype_rows(moment, FIRST_ROWS)
        picture = density_picture(item, self.read_asset)
        reliefs = reliefs_of(moment)

        def mesh_of(one: Item) -> Mesh:
            return with_relief(self._filled_mesh(one), one, reliefs, self.read_asset, MOST_OF_COPIES)

        return list(copied_meshes(moment, item, rows_of, first_part, mesh_of, picture))

    def _filled_mesh(self, item: Item) -> Mesh:
        """The visible parts of an item with what it is filled with, in studio space at rest."""
        mesh = self.item_mesh(item)
        if item.filling is None or not item.variant.parts[-1].visible:
            return mesh
        held = self.filling_mesh(item)
        part = np.concatenate([mesh.part, np.full(len(held.triangles), len(item.parts) - 1, np.int32)])
        return replace(join([mesh, held]), part=part)

    def rig(self, item: Item) -> Rig:
        """Rig of an item."""
        rig: Rig = self._kept.get("rig", item.asset, lambda: Rig.from_bytes(self.read_asset(rig_key(item.asset))))
        return rig

    def item_mesh(self, item: Item | None) -> Mesh:
        """The visible parts of an item in studio space at rest."""
        if item is None:
            return join([])
        mesh = build_made(item.made, self.read_asset) if item.made else Mesh.from_bytes(self.read_asset(item.asset))
        visible = np.array([w.visible for w in item.variant.parts], bool)
        keep = visible[mesh.part]
        finite = np.all(np.isfinite(mesh.vertices), axis=1)
        if not finite.all():
            keep &= np.all(finite[mesh.triangles], axis=1)
            mesh = replace(mesh, vertices=np.where(finite[:, None], mesh.vertices, np.float32(0)))
        if not keep.all():
            mesh = mesh.only(keep)
        return mesh.transformed(placement_matrix(item.placement))

    def hollow(self, item: Item) -> Hollow | None:
        """The hollow of an item as it lies, wherever it stands; None where it has none."""
        lying = derive(item, placement=item.placement.stance)
        found: Hollow | None = self._kept.get("hollow", hollow_key(item), lambda: find_hollow(self.item_mesh(lying)))
        return found

    def filling_mesh(self, item: Item) -> Mesh:
        """Mesh of what an item is filled with, in studio space at rest; empty where its hollow is gone."""
        hollow, filling = self.hollow(item), item.filling
        if hollow is None or filling is None:
            return join([])
        placed = placement_matrix(item.placement) @ np.linalg.inv(placement_matrix(item.placement.stance))
        return fill(hollow, filling.level, filling.meniscus_m).transformed(placed)

    def _environment(self, moment: Moment) -> tuple[EnvironmentMap, int]:
        """Environment as built for its picture or sky, and its number; black, 0, when it is off."""
        env = moment.look.environment
        if not moment.look.environment_lit:
            return BLACK, 0

        def build() -> EnvironmentMap:
            if env.kind == "sky":
                return build_environment(sky_picture(env.sky))
            return build_environment(read_linear(self.read_asset(env.asset or ""), "environment"))

        return self._kept.numbered("environment", env.sky if env.kind == "sky" else env.asset, build)

    def _past_set(self, moment: Moment, environment: EnvironmentMap, number: int, turn: F32) -> EnvironmentMap:
        """The environment, turned so, as it is aimed at past the sweep."""
        sweep = moment.set.sweep
        if not sweep.on or not number:
            return environment
        views, of_set = self._kept.numbered(
            "views", dependency_key(sweep, _SHAPE), lambda: views_of(build_sweep(sweep))
        )
        found: EnvironmentMap = self._kept.get(
            "past", (number, of_set, turn.tobytes()), lambda: with_set_occlusion(environment, turn, views)
        )
        return found


def worn_on(moment: Moment) -> dict[str, WornOn]:
    """Facts about the items that wear materials, by their ids: those whose maps are projected or that have layers, and
    those under decals. A material that several items wear lies in the space of the first."""
    laid = {m.id for m in moment.materials if m.layers or any(ref and ref.projection != "uv" for _, ref in m.maps)}
    found: dict[str, WornOn] = {}
    for item in moment.items:
        frame = item_frame(item.placement)
        decals = tuple((decal, frame) for decal in item.decals if decal.on)
        for material in sorted({w.material for w in item.variant.parts if w.visible}):
            if material in laid or decals:
                on = found.get(material, WornOn(frame))
                found[material] = replace(on, decals=on.decals + decals)
    return found | {material: replace(found.get(material, WornOn()), moved=True) for material in reliefs_of(moment)}


def part_ids(moment: Moment) -> tuple[str, ...]:
    """Ids of all parts by number: the sweep, the disc, then the items', the subject's last."""
    return (*SET_PARTS, *(part.id for item in moment.items for part in item.parts))


def _edges(instances: Instances, materials: Materials) -> Edges:
    radius = np.maximum(materials.values[:, EDGE_RADIUS], _reach(materials))[instances.geometry.material]
    if not radius.any():
        return NO_EDGES
    return Edges(*hard_edges(instances.vertices, instances.triangles, radius))


def _reach(materials: Materials) -> NDArray[np.float64]:
    """Distance from edges at which layers of each material (m,) lie, m; 0 where none asks for edges or hollows."""
    reach = np.zeros(len(materials.values))
    for row, (first, last) in enumerate(materials.ranges[:, 7:9]):
        asking = [k for k in range(first, last) if materials.layers[k, WHERE] in (EDGES, HOLLOWS)]
        reach[row] = max((float(materials.layers[k, REACH]) * 4.0 for k in asking), default=0.0)
    return reach


def _curved(instances: Instances, materials: Materials) -> F32:
    """Mean curvature at the corners of all triangles, where some layer asks for it."""
    if not _reach(materials).any():
        return np.zeros((0, 3), np.float32)
    return curvature(instances.vertices, instances.triangles)[instances.triangles]


def camera_rays_of(moment: Moment, width: int, height: int) -> CameraRays:
    """The camera of a moment, with its poses while the shutter is open, for the kernels."""
    camera = moment.camera
    half_w, half_h = half_extent(camera, width, height)
    radius = 0.0
    if camera.f_number is not None and camera.blurs:
        radius = camera.focal_mm / 1000 / (2 * camera.f_number)
    return CameraRays(
        pose_keys(moment.shutter.cameras), half_w, half_h, radius, camera.focus_m or 1.0, width, height,
        filter_table(), camera.blades, camera.blade_rotation_deg / 360.0, camera.squeeze, camera.vignette,
        camera.distortion, 2 * half_w * camera.shift_x, 2 * half_h * camera.shift_y,
    )  # fmt: skip


def _layers(moment: Moment, keep: Keep) -> tuple[str, ...]:
    """Names of a film's layers: of the lights, of the components, of haze."""
    wanted = moment.shoot.passes.wanted if keep == "passes" else ()
    lights = tuple(light_layer_names(moment.look)) if keep == "lights" or "lights" in wanted else ()
    components = COMPONENTS if "components" in wanted else ()
    hazy = "air" in wanted or (components and moment.set.haze.on)
    return (*lights, *components, *((AIR,) if hazy else ()))


def _recording(
    moment: Moment, layers: tuple[str, ...], instances: Instances, camera: CameraRays, first: bool
) -> Recording:
    lights = sum(name not in KINDS_OF_LIGHT for name in layers)
    clamp = 0.0
    if moment.shoot.clamp_indirect is not None:
        clamp = moment.shoot.clamp_indirect / exposure_scale(moment.look.tone)
    subject = moment.subject
    before = sum(len(item.parts) for item in moment.items if item is not subject)
    around = moment.around.focal_mm
    return Recording(
        groups=np.arange(lights, dtype=np.int32),
        components=lights if COMPONENTS[0] in layers else -1,
        air=layers.index(AIR) if AIR in layers else -1,
        clamp=clamp,
        first=first,
        cameras=np.stack([np.linalg.inv(m)[:3] for m in moment.around.cameras]).astype(np.float32),
        bodies=instances.placed(moment, moment.around),
        projection=np.stack([pixel_projection(camera, float(mm / around[0])) for mm in around]),
        subject_from=len(SET_PARTS) + before,
    )
