"""Materials of the document as rows for the kernels, with the maps that vary them.

A row holds every OpenPBR parameter; a binding says that a map multiplies one or three of its columns. At a
surface point `resolve` copies the row and works the maps in where there are any.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...geometry.frames import NO_FRAME, Frame, decal_frame, standing_in
from ...kernel import device, routine
from ...material.layers import LAYER_COLUMNS, decal_row, lay_over, layer_pattern, layer_row
from ...material.patterns import pattern
from ...material.record import MIRROR_ALPHA
from ...material.row import (
    ABSORB,
    BASE,
    COLOURS,
    CUTOFF,
    EDGE_RADIUS,
    EMISSION,
    EVEN,
    FILM_TABLE,
    METALNESS,
    OPACITY,
    PLAIN,
    PROFILE,
    PROFILE_MEAN,
    PROFILED,
    ROUGHNESS,
    SCALARS,
    row_of,
)
from ...material.tables import load_tables, profile
from ...material.thin_film import THIN_FILM_ANGLES, THIN_FILM_STEPS, thin_film_table
from ...picture.adjust import adjust_colours
from ...picture_files import decode_picture, open_picture
from ...scene import Material, TextureRef
from ...scene.base import ReadAsset
from ...scene.surface_layer import Decal, SurfaceLayer
from ...textures import (
    CLAMP,
    MIRROR,
    MOST_TILES,
    PLANAR,
    PROJECTIONS,
    REPEAT,
    TRIPLANAR,
    KeepVersions,
    TextureShelf,
    map_value,
    smaller_versions,
)
from .arrays import Materials

_MAPPED = (
    {name: (column, 1) for column, name in SCALARS.items()}
    | {name: (column, 3) for column, name in COLOURS.items()}
    | {"emission_color": (EMISSION, 3)}
)
_COLOUR_MAPS = {*COLOURS.values(), "emission_color"}
WRAP_MODES = {"repeat": REPEAT, "mirror": MIRROR, "clamp": CLAMP}
_CHANNEL = {"r": 0, "g": 1, "b": 2, "a": 3}
_MEAN = 4
_AS_IT_IS = (0.0, 1.0, 0.0, 1.0)
_WHITE, _FLAT = (255, 255, 255, 255), (128, 128, 255, 255)
"""What stands for a missing tile: the parameter as it is, or a normal that leans nowhere."""
MOST_TILE_TEXELS = 1 << 27
"""Pixels that all tiles of maps may come to; with their smaller versions, 700 MB."""


class TextureSet:
    """Takes in the maps that materials refer to; `read` gives the bytes of an asset, and `keep` may have a picture from
    another set."""

    def __init__(self, read: ReadAsset, keep: KeepVersions = lambda key, build: build()):
        self._read = read
        self.shelf = TextureShelf(keep)
        self._halvings: int | None = None

    def index_of(self, ref: TextureRef | None, is_colour: bool, single: bool = False, frame: Frame = NO_FRAME) -> int:
        """Row of a map, −1 for none. `single`: it drives one number; frame: from the space of the parts that wear it
        into that of their item."""
        if ref is None or not (ref.asset or ref.pattern):
            return -1
        channel = _CHANNEL.get(ref.channel, _MEAN if single else -1)
        changed = (ref.hue_deg, ref.saturation, ref.brightness_stops, ref.contrast)

        def row(asset: str, blank: tuple[int, ...] = (), tiles: tuple[str, ...] = ()) -> int:
            def pixels() -> np.ndarray:
                if blank:
                    return np.array(blank, np.uint8).reshape(1, 1, 4)
                made = pattern(ref.pattern) if ref.pattern else decode_picture(self._read(asset), ref.name or asset)
                made = adjust_colours(made, *changed) if changed != _AS_IT_IS else made
                return smaller_versions(made, is_colour)[: (self._halvings or 0) + 1][-1] if ref.tiles else made

            picture: object = blank or ref.pattern or asset
            if ref.tiles and not blank:
                picture = (picture, self._halvings)
            return self.shelf.row(
                picture if changed == _AS_IT_IS else (picture, changed),
                pixels,
                is_colour,
                CLAMP if ref.tiles else WRAP_MODES[ref.wrap],
                channel,
                PROJECTIONS.index(ref.projection),
                map_transform(ref, frame),
                None if ref.wrap_down is None or ref.tiles else WRAP_MODES[ref.wrap_down],
                ref.uv_set,
                tiles,
            )

        if not ref.tiles or ref.projection != "uv":
            return row(ref.asset)
        nothing = row("", _FLAT if not is_colour and not single else _WHITE)
        rows = [row(asset) if asset else nothing for asset in ref.tiles]
        first = row(ref.asset, tiles=ref.tiles)
        self.shelf.tiled(first, rows + [nothing] * (MOST_TILES + 1 - len(rows)))
        return first

    def fit_tiles(self, materials: tuple[Material, ...]) -> None:
        """Read tiles of maps in so small a version that all of them have room. A set has the same maps all its life, so
        their sizes are looked at once."""
        if self._halvings is not None:
            return
        refs = {ref for m in materials for _, ref in m.maps if ref is not None and ref.tiles}
        texels = 0
        for asset in sorted({asset for ref in refs for asset in ref.assets}):
            with open_picture(self._read(asset), asset) as picture:
                texels += picture.width * picture.height
        self._halvings = max(0, math.ceil(math.log(max(texels / MOST_TILE_TEXELS, 1.0), 4)))

    def mask(self, layer: SurfaceLayer, frame: Frame) -> int:
        """Row of a layer's pattern."""
        turn = (1.0, 0.0, 0.0, 0.0, 1.0, 0.0, layer.size_m, 0.0, *frame)
        return self.shelf.row(
            ("layer", layer.kind), lambda: layer_pattern(layer.kind), False, REPEAT, 0, TRIPLANAR, turn
        )

    def decal(self, decal: Decal, frame: Frame) -> NDArray[np.float32]:
        """The row of a decal on an item."""

        def pixels() -> np.ndarray:
            return decode_picture(self._read(decal.asset), decal.name)

        lies = (1.0, 0.0, 0.0, 0.0, 1.0, 0.0, decal.width_m, 0.0, *decal_frame(decal, frame))
        colour = self.shelf.row(decal.asset, pixels, True, CLAMP, -1, PLANAR, lies)
        alpha = self.shelf.row(decal.asset, pixels, True, CLAMP, 3, PLANAR, lies)
        width, height = self.shelf.size(alpha)
        return decal_row(decal, colour, alpha, height / width)


def map_transform(ref: TextureRef, frame: Frame) -> tuple[float, ...]:
    """offset · rotation · scale, as KHR_texture_transform lays them out; the size of a repeat; the frame."""
    a = math.radians(ref.rotation_deg)
    c, s = math.cos(a), math.sin(a)
    lies = standing_in(frame, (ref.at_x_m, ref.at_y_m, ref.at_z_m), ref.turn_deg, ref.tip_deg, 0.0)
    return (
        c * ref.scale_u,
        s * ref.scale_v,
        ref.offset_u,
        -s * ref.scale_u,
        c * ref.scale_v,
        ref.offset_v,
        ref.size_m,
        0.0,
        *lies,
    )


EXIT = Material(id="exit", name="Exit", base_color=(1, 1, 1), specular_ior=1.0)
"""Where light leaves a scattering medium: evenly, all of it."""


@dataclass(frozen=True, slots=True)
class WornOn:
    """Facts about the item that wears a material: its space, and its decals."""

    frame: Frame = NO_FRAME
    decals: tuple[tuple[Decal, Frame], ...] = ()
    moved: bool = False
    """its relief moves the surface, and is not shaded"""


def material_rows(
    materials: tuple[Material, ...], textures: TextureSet, worn: Mapping[str, WornOn] | None = None
) -> Materials:
    """Rows for all materials after EXIT; their maps are taken into the texture set. worn: by ids of materials."""
    textures.fit_tiles(materials)
    values = np.stack([row_of(m) for m in (EXIT, *materials)]).astype(np.float64)
    ranges = np.full((len(values), 10), -1, np.int32)
    ranges[:, 9] = np.arange(len(values))
    ranges[:, [0, 1, 4, 7, 8]] = 0
    ranges[1:, 6] = [m.vertex_colours for m in materials]
    ranges[0, 6] = 0
    bindings: list[tuple[int, int, int]] = []
    films: list[np.ndarray] = []
    layers: list[NDArray[np.float32]] = []
    for row, m in enumerate(materials, 1):
        on = (worn or {}).get(m.id, WornOn())
        if m.thin_film_weight > 0:
            values[row, FILM_TABLE] = len(films)
            films.append(thin_film_table(m))
        ranges[row, 0] = len(bindings)
        for name, (column, width) in _MAPPED.items():
            index = textures.index_of(getattr(m.maps, name, None), name in _COLOUR_MAPS, width == 1, on.frame)
            if index >= 0:
                bindings.append((column, width, index))
        ranges[row, 1] = len(bindings)
        ranges[row, 2] = textures.index_of(m.maps.normal, False, frame=on.frame)
        ranges[row, 3] = -1 if on.moved else textures.index_of(m.maps.height, False, True, on.frame)
        ranges[row, 5] = textures.index_of(m.maps.coat_normal, False, frame=on.frame)
        ranges[row, 7] = len(layers)
        layers += [layer_row(x, textures.mask(x, on.frame)) for x in m.layers if x.on and x.amount > 0]
        layers += [textures.decal(decal, frame) for decal, frame in on.decals if decal.on]
        ranges[row, 8] = len(layers)
        if ranges[row, 8] > ranges[row, 7]:  # it may become what it is not without them
            values[row, PLAIN] = 0.0
        fixed = (m.maps.specular_roughness,)
        if values[row, PLAIN] and not any(fixed):
            values[row, PROFILED] = 1.0
            values[row, PROFILE:EVEN], values[row, PROFILE_MEAN] = profile(
                load_tables(), m.specular_ior, m.specular_roughness
            )
        ranges[row, 4] = (
            ranges[row, 1] > ranges[row, 0]
            or max(ranges[row, [2, 3, 5]].max() + 1, ranges[row, 6], ranges[row, 8] - ranges[row, 7]) > 0
        )
        values[row, EVEN] = not ranges[row, 4] and _is_even(values[row])
    return Materials(
        values,
        ranges,
        np.array(bindings or [(0, 0, 0)], np.int32),
        np.ascontiguousarray(np.stack(films or [np.zeros((THIN_FILM_STEPS, THIN_FILM_ANGLES, 3))]), np.float32),
        np.stack(layers or [np.zeros(LAYER_COLUMNS, np.float32)]),
    )


def _is_even(row: NDArray[np.float64]) -> bool:
    """True when an unmapped row is a plain opaque dielectric, no mirror, without glow or rounded edges."""
    absent = row[METALNESS], row[EDGE_RADIUS], *row[EMISSION : EMISSION + 3]
    opaque = row[OPACITY] == 1.0 and row[CUTOFF] <= 1.0
    return bool(row[PROFILED] and opaque and row[ROUGHNESS] ** 2 > MIRROR_ALPHA and not any(absent))


def has_holes(materials: tuple[Material, ...], sheer: bool) -> bool:
    """True when rays may pass through any surface, so that shadow rays must look closer.

    sheer: the mesh's own colours are not opaque everywhere.
    """
    return any(m.opacity < 1 or m.maps.opacity is not None or (sheer and m.vertex_colours) for m in materials)


@routine
def resolve(materials, textures, row, at, p, n, width, out):
    """Fill `out` with the row, its mapped columns multiplied by their maps (arguments as in `map_value`)."""
    source = materials.values[row]
    for c in range(PROFILED if source[PROFILED] == 0.0 else source.shape[0]):
        out[c] = source[c]
    out[PROFILED] = source[PROFILED]
    for k in range(materials.ranges[row, 0], materials.ranges[row, 1]):
        column, columns, index = materials.bindings[k, 0], materials.bindings[k, 1], materials.bindings[k, 2]
        r, g, b = map_value(textures, index, at, p, n, width)
        out[column] *= r
        if columns == 3:
            out[column + 1] *= g
            out[column + 2] *= b
    if materials.ranges[row, 6]:
        out[BASE] *= at[6]
        out[BASE + 1] *= at[7]
        out[BASE + 2] *= at[8]
        out[OPACITY] *= at[9]
    for k in range(materials.ranges[row, 7], materials.ranges[row, 8]):
        lay_over(materials.layers[k], textures, at, p, n, width, out)


@device
def opacity_of(values):
    """Opacity of a resolved row; a cut-off makes it a hole or solid."""
    opacity = values[OPACITY] * 1.0
    if values[CUTOFF] >= 0.0:
        opacity = 1.0 if opacity >= values[CUTOFF] else 0.0
    return opacity


@device
def attenuation(values, distance):
    """Beer–Lambert transmittance (3,) of the medium over a distance in m."""
    return (
        math.exp(-values[ABSORB] * distance),
        math.exp(-values[ABSORB + 1] * distance),
        math.exp(-values[ABSORB + 2] * distance),
    )
