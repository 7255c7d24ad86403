"""Prototypes and poses of copied items in a moment."""

import colorsys
from collections.abc import Callable, Iterator
from functools import partial

import numpy as np
from numpy.typing import NDArray

from ...arrays import Mask, Mat4, Points
from ...geometry.build import build_disc
from ...geometry.copies import CELLS, TINTS, Ground, arrange, footprint, fractions, prototype_count, prototype_values
from ...geometry.mesh import Mesh
from ...motion import Moment
from ...motion.paths import along, length_m
from ...picture_files import decode_picture
from ...scene import Item, Material
from ...scene.base import ReadAsset
from ...scene.copies import Copies
from ...scene.item import ON_DISC, ON_SET
from ...scene.writing import derive
from ..trace.arrays import F32, F64, I32, STANDS, Bodies, Rays, make_scratch
from ..trace.bodies import Body, addresses_of, find_blocked, pose_keys
from ..trace.embree import Structure
from .instances import CopiedMesh, RestMesh

OFF = 1e-4
"""Distance from the surface, as a share of the size of what is looked at, at which it is looked out."""
LIGHTNESS = 0.4
"""Largest difference of tints, as a share."""
MeshOf = Callable[[Item], Mesh]
"""The visible parts of an item in studio space at rest."""
RowsOf = Callable[[Item, int], I32]
"""Material rows of the parts of an item in the colourway that it wears, by the number of the prototype."""


def tints(moment: Moment) -> list[tuple[str, int, Material]]:
    """Tinted materials of all copied items: the item, the prototype's number, and the material as it wears it there."""
    found = []
    for item in moment.items:
        if item.copies is None or not item.copies.in_tints:
            continue
        worn = {w.material for v in item.variants for w in v.parts}
        for material in (m for m in moment.materials if m.id in worn):
            for number in range(prototype_count(item)):
                colour = _tint(material.base_color, item.copies, number)
                found.append((item.id, number, derive(material, base_color=colour)))
    return found


def _tint(colour: tuple[float, float, float], copies: Copies, number: int) -> tuple[float, float, float]:
    """A colour a little lighter or darker, and of a little different hue."""
    up = 2.0 * fractions(copies.seed + number, 1, 4)[0] - 1.0
    round_about = 2.0 * (number + 0.5) / TINTS - 1.0
    hue, light, saturation = colorsys.rgb_to_hls(*colour)
    hue = (hue + copies.hue_spread * round_about / 2.0) % 1.0
    light = min(max(light * (1.0 + copies.tint_spread * LIGHTNESS * up), 0.0), 1.0)
    red, green, blue = (min(max(c, 0.0), 1.0) for c in colorsys.hls_to_rgb(hue, light, saturation))
    return red, green, blue


def prototype_rows(moment: Moment, first: int) -> RowsOf:
    """Material rows of the parts of copied items. first: row of the moment's first material; tints come after all."""
    materials = moment.materials
    row_of = {m.id: number for number, m in enumerate(materials, first)}
    tinted = {(of, k, m.id): row for row, (of, k, m) in enumerate(tints(moment), first + len(materials))}

    def rows(item: Item, number: int) -> I32:
        names = [w.material for w in item.variant.parts]
        return np.array([tinted.get((item.id, number, name), row_of[name]) for name in names], np.int32)

    return rows


def density_picture(item: Item, read: ReadAsset) -> Mask | None:
    """Lightness (h, w) 0…1 of the picture that says where copies of an item are dense."""
    copies = item.copies
    if copies is None or copies.denser not in ("picture", "painted") or not copies.picture:
        return None
    pixels = decode_picture(read(copies.picture), copies.picture_name or "density")
    return np.asarray(pixels[..., :3].mean(axis=2) / 255.0, np.float32)


def copied_meshes(
    moment: Moment, item: Item, rows_of: RowsOf, first_part: int, mesh_of: MeshOf, picture: Mask | None
) -> Iterator[CopiedMesh]:
    """Prototypes of an item with the poses of their copies. rows_of: material rows of its parts, by prototype."""
    prototypes = [_prototype(item, number, mesh_of) for number in range(prototype_count(item))]
    for number, (mesh, poses) in enumerate(
        zip(prototypes, poses_of(moment, item, prototypes, mesh_of, picture), strict=True)
    ):
        if len(poses) and len(mesh.triangles):
            piece = RestMesh(
                mesh,
                rows_of(derive(item, **prototype_values(item, number)), number),
                first_part,
                moment.carriages[item.id],
            )
            yield CopiedMesh(piece, poses, number)


def matrix_of(pose: F32) -> Mat4:
    """A copy's pose (12,) as a matrix."""
    found = np.eye(4)
    found[:3] = pose.reshape(4, 3).T
    return found


def _prototype(item: Item, number: int, mesh_of: MeshOf) -> Mesh:
    """The mesh of one prototype, in studio space at rest."""
    return mesh_of(derive(item, **prototype_values(item, number)))


def poses_of(moment: Moment, item: Item, prototypes: list[Mesh], mesh_of: MeshOf, picture: Mask | None) -> list[F32]:
    """Poses (n, 12) of the copies of each prototype of an item (see `trace.arrays.Bodies`)."""
    copies = item.copies
    full = [mesh for mesh in prototypes if len(mesh.triangles)]
    if copies is None or not full:
        return [np.zeros((0, 12), np.float32) for _ in prototypes]
    foot = np.array([item.placement.x_m, _foot_height(moment, item, full), item.placement.z_m], np.float64)
    lies = copies.arrangement in ("scatter", "drops")
    ground = _ground(moment, item, full, foot, mesh_of, picture) if lies else None
    poses = iter(arrange(copies, full, foot, ground, _path(moment, copies)))
    return [next(poses) if len(mesh.triangles) else np.zeros((0, 12), np.float32) for mesh in prototypes]


def _path(moment: Moment, copies: Copies) -> tuple[Points, Points] | None:
    """Places and directions along the path of an item: at the spacing, or evenly where there is none."""
    path = next((p for p in moment.paths if p.id == copies.path), None)
    if copies.arrangement != "path" or path is None:
        return None
    step = copies.spacing_m / max(length_m(path), 1e-9)
    if copies.spacing_m == 0:
        step = 1 / max(copies.count - (0 if path.closed else 1), 1)
    shares: F64 = np.arange(copies.count, dtype=np.float64) * step
    return along(path, shares[shares <= 1.0 + 1e-9])


def _carrier(moment: Moment, item: Item) -> Item | None:
    return next((x for x in moment.items if x.id == item.rides), None)


def _foot_height(moment: Moment, item: Item, prototypes: list[Mesh]) -> float:
    """Height of the ground that an item stands on, m; on another item, that of its own lowest point."""
    if _carrier(moment, item) is not None:
        return min(float(mesh.vertices[:, 1].min()) for mesh in prototypes)
    stage = moment.set
    return stage.disc.height_m if item.rides == ON_DISC and stage.disc.on else 0.0


def _ground(
    moment: Moment, item: Item, prototypes: list[Mesh], foot: F64, mesh_of: MeshOf, picture: Mask | None
) -> Ground:
    """Ground that copies of an item are scattered over."""
    assert item.copies is not None
    reach = item.copies.radius_m
    carrier = _carrier(moment, item)
    mesh = _level(foot, reach) if carrier is None else mesh_of(carrier)
    if carrier is not None and item.copies.part is not None:
        mesh = mesh.only(np.array([p.id == item.copies.part for p in carrier.parts])[mesh.part])
    tall = max(float(np.ptp(m.vertices[:, 1])) for m in prototypes)
    cell = 2 * reach / CELLS
    others = [mesh_of(x) for x in moment.items if x not in (item, carrier) and x.copies is None]
    stage = moment.set
    if stage.disc.on and item.rides == ON_SET:
        others.append(build_disc(stage.disc, 64))
    high = float(mesh.vertices[:, 1].max(initial=0.0))
    return Ground(
        mesh,
        tuple(footprint(_near(other, foot, reach), high + 1.5 * tall, cell) for other in others),
        picture,
        None if carrier is not None else _limit(moment, item),
        partial(_is_open, mesh),
    )


def _is_open(mesh: Mesh, places: Points, normals: F64) -> NDArray[np.bool_]:
    """True for places (n, 3) of a mesh from which nothing of it stands in the way of their normals (n, 3)."""
    size = float(np.ptp(mesh.vertices, axis=0).max())
    body = Body(Structure(mesh.vertices, mesh.triangles), 0)
    where = Bodies(pose_keys(np.eye(4)[None])[None], np.array([STANDS], np.uint8), *addresses_of([body]))
    blocked, far = np.empty(len(places), np.int32), np.full(len(places), 4 * size, np.float32)
    origins = (places + OFF * size * normals).astype(np.float32)
    rays = Rays(origins, normals.astype(np.float32), np.full(len(places), 0.5, np.float32))
    find_blocked(where, rays, far, len(places), make_scratch(), blocked)
    return np.asarray(blocked < 0)


def _near(mesh: Mesh, foot: F64, reach: float) -> Mesh:
    """The triangles of a mesh that are seen within reach from above."""
    at = mesh.vertices[mesh.triangles][..., [0, 2]].astype(np.float64) - foot[[0, 2]]
    return mesh.only((at.min(axis=1) < reach).all(axis=1) & (at.max(axis=1) > -reach).all(axis=1))


def _level(foot: F64, reach: float) -> Mesh:
    """A level square around a place."""
    corners = np.array([[-1.0, 0, -1], [-1, 0, 1], [1, 0, 1], [1, 0, -1]]) * reach + foot
    up = np.tile(np.array([0, 1, 0], np.float32), (4, 1))
    triangles = np.array([[0, 1, 2], [0, 2, 3]], np.int32)
    return Mesh(corners.astype(np.float32), up, np.zeros((4, 2), np.float32), triangles, np.zeros(2, np.int32))


def _limit(moment: Moment, item: Item) -> Callable[[F64, F64], np.ndarray] | None:
    """Places on the level part of what an item lies on: the disc, or the floor before it bends up."""
    stage = moment.set
    if item.rides == ON_DISC and stage.disc.on:
        radius = stage.disc.radius_m - stage.disc.edge_m
        return lambda x, z: np.hypot(x, z) < radius
    sweep = stage.sweep
    if not sweep.on:
        return None
    if sweep.form == "round":
        level = min(sweep.width_m, sweep.depth_m) / 2 - sweep.fillet_m
        return lambda x, z: np.hypot(x, z) < level
    wide, deep = sweep.width_m / 2, sweep.depth_m / 2
    return lambda x, z: (np.abs(x) < wide) & (z < deep) & (z > sweep.fillet_m - deep)
