"""True relief: surfaces that a map moves along their normals, so that outlines and shadows follow it."""

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ...geometry.frames import Frame, item_frame
from ...geometry.mesh import Mesh, face_normals, join, used_by
from ...geometry.normals import weld
from ...geometry.tessellate import displace, tessellate
from ...kernel import kernel
from ...material.patterns import pattern
from ...motion import Moment
from ...picture_files import decode_heights
from ...scene import Item, TextureRef
from ...scene.base import ReadAsset
from ...scene.writing import derive
from ...textures import PROJECTIONS, TILES_ACROSS, TextureShelf, map_value, tile_numbers
from ..trace.parameters import WRAP_MODES, map_transform

F32 = NDArray[np.float32]
MOST_TRIANGLES = 2_000_000
"""Triangles that all true relief of a scene may come to."""
MOST_OF_COPIES = 50_000
"""Triangles that one prototype of copies may come to."""
HALVING = 2.5
"""Triangles after halving are so many times those of equal sides; edges end up between half the step and the step."""


@dataclass(frozen=True, slots=True)
class Relief:
    """Facts of a material that say how its map moves the surface."""

    ref: TextureRef
    depth_m: float
    level: float
    step_m: float


def reliefs_of(moment: Moment) -> dict[str, Relief]:
    """Reliefs that move the surface itself, by the ids of their materials. Where a bending item wears the material, its
    relief is shaded instead."""
    bending = {w.material for item in moment.items if item.playing for w in item.variant.parts}
    return {
        m.id: Relief(m.maps.height, m.height_m, m.relief_level, m.relief_step_m)
        for m in moment.materials
        if m.displaced and m.maps.height is not None and m.height_m and m.id not in bending
    }


def with_relief(mesh: Mesh, item: Item, reliefs: dict[str, Relief], read_asset: ReadAsset, most: int) -> Mesh:
    """The mesh of an item, in studio space at rest, with the reliefs of its materials, of about `most` triangles at
    most. Raises NotFoundError for a map that is gone, IntakeError for one that cannot be read.

    A relief keeps its edge where it meets triangles without relief, or with another one, so that no gap opens.
    """
    worn = [reliefs.get(w.material) for w in item.variant.parts]
    kinds = list(dict.fromkeys(relief for relief in worn if relief is not None))
    if not kinds:
        return mesh
    number = np.array([kinds.index(relief) if relief is not None else -1 for relief in worn])[mesh.part]
    place, count = weld(mesh.vertices)
    area = np.linalg.norm(face_normals(mesh.vertices, mesh.triangles), axis=1) / 2
    whole = float(area[number >= 0].sum())
    pieces = [mesh.only(number < 0).compacted()[0]] if (number < 0).any() else []
    for k, relief in enumerate(kinds):
        mine = number == k
        if not mine.any():
            continue
        piece, vertex = mesh.only(mine).compacted()
        held = used_by(place[mesh.triangles[~mine]], count)[place[vertex]]
        share = float(area[mine].sum()) / max(whole, 1e-30)
        pieces.append(_moved(piece, held, relief, read_asset, item_frame(item.placement), int(most * share)))
    part = np.concatenate([p.part for p in pieces])
    return replace(join(pieces), part=part)


def _moved(mesh: Mesh, held: NDArray[np.bool_], relief: Relief, read_asset: ReadAsset, frame: Frame, most: int) -> Mesh:
    ref = relief.ref
    first = _heights(ref, ref.asset, read_asset)
    area = float(np.linalg.norm(face_normals(mesh.vertices, mesh.triangles), axis=1).sum()) / 2
    texel = _texel_m(mesh, ref, first.shape, area)
    room = math.sqrt(area * HALVING * 4 / math.sqrt(3) / max(most, 1))
    step = max(relief.step_m, texel, room, 1e-9)
    mesh, stays = tessellate(mesh, step, max(most, len(mesh.triangles)), held[:, None].astype(np.float32))
    halvings = round(math.log2(max(step / texel, 1.0)))
    if not ref.tiles or ref.projection != "uv":
        found = _sampled(mesh, ref, _halved(first, halvings), frame)
    else:
        found = np.full(len(mesh.vertices), relief.level, np.float32)
        tile = np.zeros(len(mesh.vertices), np.int64)  # by a triangle: on the edge of a tile, vertices belong to both
        tile[mesh.triangles] = tile_numbers(_uvs(mesh, ref)[mesh.triangles].mean(axis=1))[:, None]
        single = derive(ref, tiles=(), wrap="clamp", wrap_down=None)
        for number, asset in enumerate(ref.tiles):
            here = tile == number
            if asset and here.any():
                heights = _halved(_heights(ref, asset, read_asset), halvings)
                found[here] = _sampled(mesh, single, heights, frame, number)[here]
    return displace(mesh, (found - relief.level) * relief.depth_m, stays[:, 0] > 0.999)


def _heights(ref: TextureRef, asset: str, read_asset: ReadAsset) -> F32:
    if ref.pattern:
        return pattern(ref.pattern)[..., 0].astype(np.float32) / 255.0
    return decode_heights(read_asset(asset), ref.name or asset, ref.channel)


def _uvs(mesh: Mesh, ref: TextureRef) -> F32:
    return mesh.more_uvs if ref.uv_set == 1 and len(mesh.more_uvs) else mesh.uvs


def _texel_m(mesh: Mesh, ref: TextureRef, shape: tuple[int, ...], area: float) -> float:
    """Side of a pixel of the map on the surface, m, on the average."""
    if ref.projection != "uv":
        return ref.size_m / max(shape)
    uvs = _uvs(mesh, ref)
    (ax, ay), (bx, by), (cx, cy) = np.moveaxis(uvs[mesh.triangles].astype(np.float64), (1, 2), (0, 1))
    covered = float(np.abs((bx - ax) * (cy - ay) - (by - ay) * (cx - ax)).sum()) / 2
    covered *= abs(ref.scale_u * ref.scale_v)
    return math.sqrt(area / max(covered, 1e-12)) / max(shape)


def _halved(heights: F32, times: int) -> F32:
    """A picture of half the size, each pixel the mean of four, so many times."""
    for _ in range(times):
        h, w = heights.shape
        padded = np.pad(heights, ((0, h % 2), (0, w % 2)), mode="edge")
        heights = padded.reshape((h + 1) // 2, 2, (w + 1) // 2, 2).mean(axis=(1, 3))
    return heights


def _sampled(mesh: Mesh, ref: TextureRef, heights: F32, frame: Frame, tile: int = 0) -> F32:
    """Heights (v,) of the vertices, 0…1, looked up as every map is.

    A height of sixteen bits is split into two channels. Looking up mixes pixels, and the mix of each channel gives the
    mix of the heights.
    """
    whole = np.round(heights * 65535.0).astype(np.uint16)
    texels = np.zeros((*whole.shape, 4), np.uint8)
    texels[..., 0], texels[..., 1] = whole >> 8, whole & 255
    shelf = TextureShelf(lambda key, build: [texels])
    down = None if ref.wrap_down is None else WRAP_MODES[ref.wrap_down]
    row = shelf.row(
        "heights", lambda: texels, False, WRAP_MODES[ref.wrap], -1, PROJECTIONS.index(ref.projection),
        map_transform(ref, frame), down, ref.uv_set,
    )  # fmt: skip
    out = np.empty(len(mesh.vertices), np.float32)
    corner = np.array([tile % TILES_ACROSS, -(tile // TILES_ACROSS)], np.float32)
    first, second = mesh.uvs - corner, (mesh.more_uvs if len(mesh.more_uvs) else mesh.uvs) - corner
    _sample(shelf.arrays(), row, mesh.vertices, mesh.normals, first, second, out)
    return out


@kernel
def _sample(textures, index, places, normals, uvs, more_uvs, out):  # type: ignore[no-untyped-def]
    for i in range(out.shape[0]):
        at = (uvs[i, 0] * 1.0, uvs[i, 1] * 1.0, 0.0, more_uvs[i, 0] * 1.0, more_uvs[i, 1] * 1.0, 0.0)
        p = (places[i, 0] * 1.0, places[i, 1] * 1.0, places[i, 2] * 1.0)
        n = (normals[i, 0] * 1.0, normals[i, 1] * 1.0, normals[i, 2] * 1.0)
        high, low, _ = map_value(textures, index, at, p, n, 0.0)
        out[i] = (high * 65280.0 + low * 255.0) / 65535.0
