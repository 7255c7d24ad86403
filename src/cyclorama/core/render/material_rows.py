"""Materials of the document as rows of numbers, and what the kernel reads from a row at a surface point."""

import math

import numpy as np

from ..kernel import device
from ..scene import Material
from .arrays import Materials
from .textures import TextureSet, texel

# Columns of Materials.values.
(BASE, METAL, ROUGH, IOR, TRANSMISSION, DIFFUSE_ROUGH, ABSORB, EMIT, OPACITY, CUTOFF, NORMAL_SCALE, TINT,
 BASE_ALPHA, VALUE_COLUMNS) = (0, 3, 4, 5, 6, 7, 8, 11, 14, 15, 16, 17, 20, 21)  # fmt: skip


def material_rows(materials: tuple[Material, ...], textures: TextureSet) -> Materials:
    """Rows for all materials; their maps are taken into the texture set."""
    values = np.zeros((max(1, len(materials)), VALUE_COLUMNS), np.float32)
    maps = np.full((len(values), 4), -1, np.int32)
    for row, m in enumerate(materials):
        values[row, BASE : BASE + 3] = m.base_color
        values[row, METAL] = m.base_metalness
        values[row, ROUGH] = m.specular_roughness
        values[row, IOR] = m.specular_ior
        values[row, TRANSMISSION] = m.transmission_weight
        values[row, DIFFUSE_ROUGH] = m.base_diffuse_roughness
        values[row, EMIT : EMIT + 3] = np.array(m.emission_color) * m.emission_nit
        values[row, OPACITY] = m.opacity
        values[row, CUTOFF] = -1.0 if m.opacity_cutoff is None else m.opacity_cutoff
        values[row, NORMAL_SCALE] = m.normal_scale
        values[row, BASE_ALPHA] = m.opacity_from_base_alpha
        colour = np.maximum(np.array(m.transmission_color), 1e-4)
        if m.transmission_depth_m > 0:
            # Beer–Lambert: colour = exp(−absorption · depth)
            values[row, ABSORB : ABSORB + 3] = -np.log(colour) / m.transmission_depth_m
            colour = np.ones(3)
        values[row, TINT : TINT + 3] = colour
        refs = (m.base_color_map, m.metal_rough_map, m.normal_map, m.emission_map)
        maps[row] = [textures.index_of(ref) for ref in refs]
    return Materials(values, maps)


def has_holes(materials: tuple[Material, ...]) -> bool:
    """Whether rays may pass through any surface, so that shadow rays must look closer."""
    return any(m.opacity < 1 or m.opacity_from_base_alpha for m in materials)


@device
def base_and_opacity(values, maps, textures, u, v):
    """Base colour (3,) linear and opacity at a point."""
    r, g, b = values[BASE], values[BASE + 1], values[BASE + 2]
    opacity = values[OPACITY]
    if maps[0] >= 0:
        tr, tg, tb, ta = texel(textures, maps[0], u, v, True)
        r, g, b = r * tr, g * tg, b * tb
        if values[BASE_ALPHA] > 0.0:
            opacity *= ta
    if values[CUTOFF] >= 0.0:
        opacity = 1.0 if opacity >= values[CUTOFF] else 0.0
    return (r, g, b), opacity


@device
def metal_and_rough(values, maps, textures, u, v):
    """Metalness and roughness at a point."""
    metal, rough = values[METAL], values[ROUGH]
    if maps[1] >= 0:
        _, tg, tb, _ = texel(textures, maps[1], u, v, False)
        rough, metal = rough * tg, metal * tb
    return metal, rough


@device
def emission_at(values, maps, textures, u, v):
    """Emitted radiance (3,) nit at a point."""
    r, g, b = values[EMIT], values[EMIT + 1], values[EMIT + 2]
    if maps[3] >= 0 and r + g + b > 0.0:
        tr, tg, tb, _ = texel(textures, maps[3], u, v, True)
        r, g, b = r * tr, g * tg, b * tb
    return r, g, b


@device
def attenuation(values, distance):
    """Beer–Lambert transmittance (3,) of the medium over a distance in m."""
    return (
        math.exp(-values[ABSORB] * distance),
        math.exp(-values[ABSORB + 1] * distance),
        math.exp(-values[ABSORB + 2] * distance),
    )
