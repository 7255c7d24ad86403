"""Surroundings that are edited as unrolled pictures: linear (h, w, 3), any number of rows and columns, w about 2·h.

Energy is illuminance: what a surface that faces a place gets from it, ∫ L cos θ dΩ over the place's region.
"""

import math
from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray
from PIL import Image

from ..arrays import RGBImage
from ..colour import LUMA

F64 = NDArray[np.float64]
Mask = NDArray[np.bool_]
BRIGHT = 0.5
"""What is at least so bright as a place belongs to its region."""
STANDS_OUT = 2.0
"""A region is so many times as bright as what lies about it."""
NEAR_DEG = 2.0
"""A place means the brightest pixel so near."""
AROUND_DEG = 4.0
"""What lies so far about a region is what it is filled with."""
COARSE_ROWS = 256
LARGEST_SR = 0.5 * math.pi
"""A region that is larger, a quarter of the sphere, is no light any more but the surroundings themselves."""


@dataclass(frozen=True, slots=True)
class BrightRegion:
    """A bright place of surroundings."""

    mask: Mask
    """(h, w)"""
    x: float
    y: float
    """its middle, shares of the picture from the top left"""
    across_deg: float
    down_deg: float
    towards: F64
    """unit direction (3,) in the surroundings' own axes"""


def solid_angles(height: int, width: int) -> F64:
    """Solid angle (h, 1) in sr of a pixel of each row; they add up to 4π."""
    edges = np.cos(np.arange(height + 1) / height * math.pi)
    return np.asarray((edges[:-1] - edges[1:])[:, None] * 2.0 * math.pi / width)


def directions_of(x: F64, y: F64) -> F64:
    """Unit directions (…, 3) of places of the picture in the surroundings' own axes: its middle lies towards −Z, as
    `environment.longitude` has it."""
    turn, polar = (np.asarray(x) - 0.5) * 2.0 * math.pi, np.asarray(y) * math.pi
    return np.stack([np.sin(turn) * np.sin(polar), np.cos(polar), -np.cos(turn) * np.sin(polar)], -1)


def sun_of(picture: RGBImage) -> tuple[float, float]:
    """Where the brightest place is, shares of the picture from the top left."""
    light = _luminance(picture)
    row, column = np.unravel_index(int(light.argmax()), light.shape)
    return (float(column) + 0.5) / light.shape[1], (float(row) + 0.5) / light.shape[0]


def region_at(picture: RGBImage, x: float, y: float) -> BrightRegion | None:
    """The bright region at a place; None where there is none that stands out of its surroundings."""
    light = _luminance(picture)
    height, width = light.shape
    directions = _directions(height, width)
    near = directions @ directions_of(np.array(x), np.array(y)) >= math.cos(math.radians(NEAR_DEG))
    near[min(int(y * height), height - 1), min(int(x * width), width - 1)] = True
    peak = float(light[near].max())
    if peak <= 0.0:
        return None
    labels, _ = scipy.ndimage.label(light >= BRIGHT * peak, structure=np.ones((3, 3)))
    _joined_at_the_seam(labels)
    wanted = np.bincount(labels[near & (light >= BRIGHT * peak)]).argmax()
    mask = labels == wanted
    omega = np.broadcast_to(solid_angles(height, width), light.shape)
    if omega[mask].sum() > LARGEST_SR:
        return None
    middle = (directions[mask] * (light * omega)[mask][:, None]).sum(axis=0)
    middle /= max(float(np.linalg.norm(middle)), 1e-12)
    region = BrightRegion(mask, *_place_of(middle), *_extent(directions[mask], omega[mask], middle), middle)
    around = light[_around(region)]
    return region if not around.size or light[mask].mean() >= STANDS_OUT * np.median(around) else None


def without_region(
    picture: RGBImage, region: BrightRegion, colour: tuple[float, float, float] | None = None
) -> RGBImage:
    """The picture in which a region is filled with what lies about it, or with a colour."""
    after = np.array(picture, np.float32)
    around = _around(region)
    if colour is None and not around.any():
        colour = (0.0, 0.0, 0.0)
    # the median, so that the soft rim of a light does not glow on
    fill = np.median(after[around], axis=0) if colour is None else np.array(colour, np.float32)
    after[_with_rim(picture, region, fill)] = fill
    return after


def lost_illuminance(before: RGBImage, after: RGBImage, region: BrightRegion) -> F64:
    """Illuminance (3,) that a surface facing a region loses when a picture becomes another, in pixel units · sr."""
    height, width = before.shape[:2]
    cosine = np.clip(_directions(height, width) @ region.towards, 0.0, None) * solid_angles(height, width)
    return np.asarray((np.asarray(before, np.float64) - after).reshape(-1, 3).T @ cosine.ravel())


def blur_environment(picture: RGBImage, sigma_deg: float) -> RGBImage:
    """The picture blurred evenly on the sphere by a Gaussian; its light as a whole stays the same."""
    height, width = picture.shape[:2]
    down = sigma_deg / 180.0 * height
    pad = min(height, math.ceil(4.0 * down) + 1)
    turned = np.roll(picture, width // 2, axis=1)
    tall = np.concatenate([turned[:pad][::-1], picture, turned[-pad:][::-1]]).astype(np.float64)
    polar = (np.arange(height) + 0.5) / height * math.pi
    omega = np.sin(polar)[:, None, None]
    weight = np.concatenate([omega[:pad][::-1], omega, omega[-pad:][::-1]])
    # rows near the poles stand for less, and are drawn apart: blurred across first, then down, weighed by what they are
    across = sigma_deg / 360.0 * width / np.maximum(np.sin(polar), 1e-3)
    across = np.concatenate([across[:pad][::-1], across, across[-pad:][::-1]])
    wave = 2.0 * math.pi * np.fft.rfftfreq(width)
    damp = np.exp(-0.5 * (across[:, None] * wave) ** 2)[..., None]
    rows = np.fft.irfft(np.fft.rfft(tall, axis=1) * damp, width, axis=1)
    smooth = scipy.ndimage.gaussian_filter1d(rows * weight, down, axis=0, mode="nearest", truncate=4.0)
    smooth /= np.maximum(scipy.ndimage.gaussian_filter1d(weight, down, axis=0, mode="nearest", truncate=4.0), 1e-12)
    after = np.maximum(smooth[pad : pad + height], 0.0)
    return (after * (_whole(picture) / np.maximum(_whole(after), 1e-30))).astype(np.float32)


def clamp_luminance(picture: RGBImage, most: float) -> tuple[RGBImage, float]:
    """The picture in which nothing is brighter than a luminance, colours kept, and which share of its light that
    costs."""
    light = _luminance(picture)
    factor = np.minimum(1.0, most / np.maximum(light, 1e-30)).astype(np.float32)
    after = np.asarray(picture, np.float32) * factor[..., None]
    before = float(_whole(picture) @ LUMA)
    return after, 1.0 - float(_whole(after) @ LUMA) / before if before > 0 else 0.0


def resize_environment(picture: RGBImage, height: int) -> RGBImage:
    """The picture with so many rows, twice as many columns; every pixel the mean of what it covers."""
    size = (2 * height, height)
    way = Image.Resampling.BOX if height < picture.shape[0] else Image.Resampling.BILINEAR
    channels = [Image.fromarray(np.ascontiguousarray(picture[..., c], np.float32)) for c in range(3)]
    return np.stack([np.asarray(channel.resize(size, way)) for channel in channels], axis=2)


def _luminance(picture: RGBImage) -> F64:
    clean = np.nan_to_num(np.asarray(picture, np.float64), nan=0.0, posinf=65504.0, neginf=0.0)
    return np.asarray(np.maximum(clean, 0.0) @ LUMA)


def _whole(picture: NDArray[np.floating]) -> F64:
    """∫ L dΩ (3,)."""
    omega = solid_angles(*picture.shape[:2])
    return np.asarray((np.asarray(picture, np.float64) * omega[..., None]).sum(axis=(0, 1)))


def _directions(height: int, width: int) -> F64:
    x, y = np.meshgrid((np.arange(width) + 0.5) / width, (np.arange(height) + 0.5) / height)
    return directions_of(x, y)


def _place_of(direction: F64) -> tuple[float, float]:
    turn = math.atan2(direction[0], -direction[2]) / (2.0 * math.pi)
    return (0.5 + turn) % 1.0, math.acos(max(-1.0, min(1.0, float(direction[1])))) / math.pi


def _extent(directions: F64, omega: F64, middle: F64) -> tuple[float, float]:
    """Width and height of a region in degrees: those of a rectangle with the same second moments."""
    side = np.cross([0.0, 1.0, 0.0], middle)
    side = side / max(float(np.linalg.norm(side)), 1e-9)
    share = omega / omega.sum()
    spread = [math.sqrt(12.0 * float(share @ (directions @ axis) ** 2)) for axis in (side, np.cross(middle, side))]
    pixel = math.degrees(math.sqrt(float(omega.max())))
    across, down = (max(pixel, math.degrees(2.0 * math.atan(s / 2.0))) for s in spread)
    return across, down


def _joined_at_the_seam(labels: NDArray[np.int32]) -> None:
    """Regions joined where they go on over the picture's sides."""
    for row in range(labels.shape[0]):
        left, right = labels[row, 0], labels[row, -1]
        if left and right and left != right:
            labels[labels == right] = left


def _grown(region: BrightRegion, degrees: float) -> Mask:
    """A region and what lies so near on the sphere; told on a coarse picture, which is enough for a rim."""
    height, width = region.mask.shape
    rows, columns = min(height, COARSE_ROWS), min(width, 2 * COARSE_ROWS)
    row, column = np.arange(height) * rows // height, np.arange(width) * columns // width
    coarse = np.zeros((rows, columns), bool)
    coarse[row[:, None].repeat(width, 1)[region.mask], column[None].repeat(height, 0)[region.mask]] = True
    directions = _directions(rows, columns)
    reach = 2.0 * math.sin(math.radians(max(degrees, 270.0 / rows)) / 2.0)
    away, _ = scipy.spatial.cKDTree(directions[coarse]).query(directions.reshape(-1, 3), distance_upper_bound=reach)
    return np.asarray(np.isfinite(away).reshape(rows, columns)[row][:, column])


def _around(region: BrightRegion) -> Mask:
    return _grown(region, 2.0 * AROUND_DEG) & ~_grown(region, AROUND_DEG)


def _with_rim(picture: RGBImage, region: BrightRegion, fill: NDArray[np.float32]) -> Mask:
    """A region with its soft rim: what lies near it and is brighter than what it is filled with."""
    brighter = _luminance(picture) > 1.02 * float(fill @ LUMA)
    return region.mask | (_grown(region, AROUND_DEG) & brighter)
