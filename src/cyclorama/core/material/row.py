"""A material as a row of plain numbers for kernels: OpenPBR's parameters, and what follows from them."""

import math

import numpy as np
from numpy.typing import NDArray

from ..scene import Material

BASE_WEIGHT = 0
BASE = 1
METALNESS = 4
DIFFUSE_ROUGHNESS = 5
SPECULAR = 6
SPECULAR_COLOR = 7
ROUGHNESS = 10
ANISOTROPY = 11
GRAIN = 12
"""Rotation of the tangent, radians."""
IOR = 13
TRANSMISSION = 14
TINT = 15
"""Colour of light that crosses the surface."""
ABSORB = 18
"""1/m"""
SUBSURFACE = 21
SUBSURFACE_COLOR = 22
"""Colour of a thin sheet, and what maps do to light that enters a solid; the solid's own colour is below."""
SUBSURFACE_ALBEDO = 25
"""Single-scattering albedo of the medium."""
SCATTER = 28
"""Extinction of the scattering medium, 1/m; 0: no such medium."""
COAT = 31
COAT_COLOR = 32
COAT_ROUGHNESS = 35
COAT_IOR = 36
COAT_DARKENING = 37
FUZZ = 38
FUZZ_COLOR = 39
FUZZ_ROUGHNESS = 42
FILM = 43
FILM_THICKNESS = 44
"""nm"""
FILM_TABLE = 45
"""Which table of interference colours."""
EMISSION = 46
"""nit"""
OPACITY = 49
CUTOFF = 50
"""−1: blend"""
THIN = 51
NORMAL_SCALE = 52
RELIEF = 53
"""Depth of the height map, m."""
EDGE_RADIUS = 54
"""m"""
PLAIN = 55
"""1: a metal or dielectric without anything above or below, the short way."""
PRIORITY = 56
"""Of transparent bodies that overlap, the one of higher priority fills the place."""
CLOUDY = 57
"""1: the scattering medium lies behind a boundary that refracts, as milk does."""
FORWARD = 58
"""Mean cosine of scattering in the medium (Henyey–Greenstein)."""
PROFILED, PROFILE_MEAN, PROFILE = 59, 60, 61
"""Whether the dielectric's reflectance over √cos follows, its mean, and the MU values."""
EVEN = PROFILE + 32
"""1: as `even` has it, so that many are shaded side by side."""
STRAND = EVEN + 1
"""1: a fibre, whose colour is that of many together."""
COLUMNS = STRAND + 1

SCALARS = {
    BASE_WEIGHT: "base_weight", METALNESS: "base_metalness", DIFFUSE_ROUGHNESS: "base_diffuse_roughness",
    SPECULAR: "specular_weight", ROUGHNESS: "specular_roughness", ANISOTROPY: "specular_roughness_anisotropy",
    IOR: "specular_ior", TRANSMISSION: "transmission_weight", SUBSURFACE: "subsurface_weight", COAT: "coat_weight",
    COAT_ROUGHNESS: "coat_roughness", COAT_IOR: "coat_ior", COAT_DARKENING: "coat_darkening", FUZZ: "fuzz_weight",
    FUZZ_ROUGHNESS: "fuzz_roughness", FILM: "thin_film_weight", FILM_THICKNESS: "thin_film_thickness_nm",
    OPACITY: "opacity", THIN: "thin_walled", NORMAL_SCALE: "normal_scale", EDGE_RADIUS: "edge_radius_m",
    PRIORITY: "priority",
}  # fmt: skip
COLOURS = {
    BASE: "base_color",
    SPECULAR_COLOR: "specular_color",
    COAT_COLOR: "coat_color",
    FUZZ_COLOR: "fuzz_color",
    SUBSURFACE_COLOR: "subsurface_color",
}
SHORTEST_FREE_PATH_M = 1e-6
"""Mean free paths below a thousandth of a millimetre cannot be told from an opaque surface."""
LEAST_EXTINCTION = 1e-6
"""1/m, so that a colour which is neither absorbed nor scattered has a free path."""


def _is_plain(m: Material) -> bool:
    absent = (
        m.coat_weight,
        m.fuzz_weight,
        m.thin_film_weight,
        m.transmission_weight,
        m.subsurface_weight,
        m.specular_roughness_anisotropy,
        m.base_diffuse_roughness,
        float(m.thin_walled),
        float(m.strand),
    )
    return not any(absent) and m.specular_weight == 1.0 and m.maps.specular_weight is None


def row_of(m: Material) -> NDArray[np.float32]:
    """The row (COLUMNS,) of a material, without its maps and without a film's table."""
    row = np.zeros(COLUMNS, np.float32)
    for column, name in SCALARS.items():
        row[column] = getattr(m, name)
    for column, name in COLOURS.items():
        row[column : column + 3] = getattr(m, name)
    row[EMISSION : EMISSION + 3] = np.array(m.emission_color) * m.emission_luminance
    row[GRAIN] = math.radians(m.specular_rotation_deg)
    row[RELIEF] = m.height_m
    row[STRAND] = m.strand
    row[PLAIN] = _is_plain(m)
    row[CUTOFF] = -1.0 if m.opacity_cutoff is None else m.opacity_cutoff
    colour = np.maximum(np.array(m.transmission_color), 1e-4)
    if m.transmission_depth_m > 0:
        # Beer–Lambert: colour = exp(−absorption · depth)
        row[ABSORB : ABSORB + 3] = -np.log(colour) / m.transmission_depth_m
        colour = np.ones(3)
        _cloud(row, m)
    row[TINT : TINT + 3] = colour
    if not m.thin_walled:
        row[SUBSURFACE_COLOR : SUBSURFACE_COLOR + 3] = 1.0
    if m.subsurface_weight > 0 and not m.thin_walled:
        radius = m.subsurface_radius_m * np.array(m.subsurface_radius_scale)
        row[SCATTER : SCATTER + 3] = 1.0 / np.maximum(radius, SHORTEST_FREE_PATH_M)
        row[SUBSURFACE_ALBEDO : SUBSURFACE_ALBEDO + 3] = single_scattering_albedo(np.array(m.subsurface_color))
    return row


def _cloud(row: NDArray[np.float32], m: Material) -> None:
    """Fill in the medium that scatters transmitted light, as OpenPBR has it (section "Translucent base").

    Extinction is what the colour at the depth asks for. Scattering is a part of it; where it is more, all three colours
    are dimmed by as much again. Light below a surface has a medium of its own.
    """
    scatter = np.array(m.transmission_scatter)
    if m.thin_walled or m.transmission_weight == 0.0 or m.subsurface_weight > 0.0 or not scatter.any():
        return
    scattered, extinction = scatter / m.transmission_depth_m, row[ABSORB : ABSORB + 3].astype(np.float64)
    extinction += max(float((scattered - extinction).max()), 0.0)
    row[ABSORB : ABSORB + 3] = 0.0
    row[SCATTER : SCATTER + 3] = np.clip(extinction, LEAST_EXTINCTION, 1.0 / SHORTEST_FREE_PATH_M)
    row[SUBSURFACE_ALBEDO : SUBSURFACE_ALBEDO + 3] = scattered / np.maximum(extinction, LEAST_EXTINCTION)
    row[CLOUDY], row[FORWARD] = 1.0, m.transmission_scatter_anisotropy


def single_scattering_albedo(colour: NDArray[np.float64]) -> NDArray[np.float64]:
    """Albedo (3,) of one scattering event that makes a deep isotropic medium look `colour`.

    Van de Hulst's similarity solution inverted, as given in the OpenPBR specification, section "Subsurface".
    """
    a = np.clip(colour, 0.0, 1.0)
    s = 4.09712 + 4.20863 * a - np.sqrt(9.59217 + 41.6808 * a + 17.7126 * a * a)
    return np.asarray(np.clip(1.0 - s * s, 0.0, 1.0))
