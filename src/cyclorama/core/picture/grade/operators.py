"""Grade operators on single pixels, on linear light.

All take and give (…, 3) float32, scene-linear Rec.709 in which 0.18 is middle grey and 1 the white of diffuse things;
values beyond 1 and below 0 stay what they are as far as an operator can say what that means. They may write into what
they are given.
"""

from functools import lru_cache

import numpy as np
import scipy
from numpy.typing import NDArray

from ...arrays import RGBImage
from ...colour_spaces import FROM_CONES, FROM_LAB, TO_CONES, TO_LAB
from ...colour_temperature import white_balance_rgb
from ...scene.grade import BRIGHTEST, DARKEST, HUES, CurvePoint, HueRange, Hues
from .pixelwise import PLACES, angles, by_matrix, lines, power_factors, rotate_hues, saturate, scale, scaled_by_luma

F32 = NDArray[np.float32]
GREY = np.float32(0.18)
NOTHING = np.zeros(3, np.float32)
CURVE_STEPS = 4096
"""Of a curve's table; between them it goes straight, which is off by 0.001 stops at most where a curve has a kink."""
_SMALLEST = np.float32(2.0**-24)
"""The smallest half float: what is darker is black."""


def apply_exposure(picture: RGBImage, stops: float, white_k: float, white_tint: float) -> RGBImage:
    """Multiplied by 2^stops, and by the factors that show light of a temperature (K) and tint as white (von Kries)."""
    return lines(picture, _exposure(stops, white_k, white_tint), NOTHING)


@lru_cache(maxsize=32)
def _exposure(stops: float, white_k: float, white_tint: float) -> F32:
    factors = np.full(3, 2.0**stops)
    if white_k != 5600.0 or white_tint != 0.0:
        factors *= white_balance_rgb(white_k, white_tint)
    return factors.astype(np.float32)


def apply_contrast(picture: RGBImage, contrast: float) -> RGBImage:
    """Stops about middle grey multiplied: 0.18 · (x / 0.18)^c. Below zero the curve goes on point-symmetrically."""
    return scale(picture, power_factors(contrast - 1, float(GREY)))


def cdl(
    picture: RGBImage, slope: tuple[float, ...], offset: tuple[float, ...], power: tuple[float, ...], saturation: float
) -> RGBImage:
    """ASC Color Decision List 1.2: (x · slope + offset)^power, then luma + saturation · (x − luma).

    Nothing is clamped, as scene-linear light asks: what is below zero before the power stays as it is (the transform's
    style without clamping in OpenColorIO). Luma has the weights of Rec.709.
    """
    out = picture
    if slope != (1.0,) * 3 or offset != (0.0,) * 3:
        out = lines(picture, np.array(slope, np.float32), np.array(offset, np.float32))
    if any(p != 1.0 for p in power):
        for c, p in enumerate(power):
            lifted = scale(out[..., c], power_factors(p - 1))
            out[..., c] = np.where(out[..., c] < 0, out[..., c], lifted)
    return saturate(out, saturation) if saturation != 1.0 else out


def by_hue(picture: RGBImage, hues: Hues) -> RGBImage:
    """Hue turned, saturation and brightness changed by range of hue, in OKLab (Ottosson, 2020).

    Ranges go over into their neighbours by smoothsteps that add up to one. Greys keep their brightness: the change in
    stops is weighed by chroma up to a tenth.
    """
    roots = scale(by_matrix(picture, TO_CONES32), power_factors(-2 / 3))
    return by_matrix(rotate_hues(roots, TO_LAB32, FROM_LAB32, _hue_table(hues)), FROM_CONES32)


@lru_cache(maxsize=32)
def _hue_table(hues: Hues) -> F32:
    """For `rotate_hues`."""
    centres = np.array(list(HUES.values()))
    each: list[HueRange] = [getattr(hues, name) for name in HUES]
    rows = np.array([[np.radians(h.turn_deg), h.saturation, h.stops] for h in each])
    turn, saturation, stops = (hue_weights(np.degrees(angles()), centres) @ rows).T
    return np.stack([saturation * np.cos(turn), saturation * np.sin(turn), stops], -1).astype(np.float32)


def hue_weights(hue_deg: NDArray[np.float64], centres: NDArray[np.float64]) -> NDArray[np.float64]:
    """Weight of each hue range (n, k) at a hue (n,)."""
    k = len(centres)
    after = np.searchsorted(centres, hue_deg, side="right") % k
    before = (after - 1) % k
    span = (centres[after] - centres[before]) % 360.0
    t = ((hue_deg - centres[before]) % 360.0) / span
    t = t * t * (3 - 2 * t)
    weights = np.zeros((len(hue_deg), k))
    rows = np.arange(len(hue_deg))
    weights[rows, before] += 1 - t
    weights[rows, after] += t
    return weights


def curve_table(points: tuple[CurvePoint, ...]) -> F32:
    """Stops (CURVE_STEPS + 1,) by which light is lifted, by its own about grey from DARKEST to BRIGHTEST.

    Through the points a monotone cubic of Fritsch and Butland (SIAM J. Sci. Stat. Comput. 5, 1984); beyond the first
    and the last the lift stays.
    """
    stops = np.linspace(DARKEST, BRIGHTEST, CURVE_STEPS + 1)
    come, go = np.round(np.array(points, float).T, 6)
    if len(points) == 1:
        return np.full(CURVE_STEPS + 1, go[0] - come[0], np.float32)
    held = np.clip(stops, come[0], come[-1])
    return np.asarray(scipy.interpolate.PchipInterpolator(come, go)(held) - held, np.float32)


@lru_cache(maxsize=32)
def curve_factors(points: tuple[CurvePoint, ...]) -> F32:
    """By what a curve multiplies light, for `apply_curves` and `curved_by_luma`."""
    steps = (stops_about_grey(PLACES) - DARKEST) * (CURVE_STEPS / (BRIGHTEST - DARKEST))
    return np.exp2(_between(curve_table(points), np.clip(steps, 0, CURVE_STEPS).astype(np.float32)))


def apply_curves(values: F32, factors: F32) -> F32:
    """Light (…) by a curve's factors."""
    return scale(np.maximum(values, 0), factors) + np.minimum(values, 0) * factors[0]


def curved_by_luma(picture: RGBImage, factors: F32) -> RGBImage:
    """Light multiplied by what a curve does to its luminance: hue and saturation stay."""
    return scaled_by_luma(picture, factors)


def apply_levels(picture: RGBImage, black: float, white: float) -> RGBImage:
    """Straight so that `black` becomes 0 and `white` 1."""
    return np.asarray((picture - np.float32(black)) * np.float32(1.0 / (white - black)), np.float32)


def stops_about_grey(values: F32) -> F32:
    """log2(x / 0.18); what is black or below has the stops of the smallest half float."""
    return np.log2(np.maximum(values, _SMALLEST) * (1 / GREY))


def _between(table: F32, at: F32) -> F32:
    low = np.minimum(at.astype(np.int32), len(table) - 2)
    share = at - low
    return table[low] * (1 - share) + table[low + 1] * share


TO_CONES32, TO_LAB32, FROM_LAB32, FROM_CONES32 = (
    np.asarray(m, np.float32) for m in (TO_CONES, TO_LAB, FROM_LAB, FROM_CONES)
)
