"""Camera rays: pixel filter, lens, shutter, and the state a path starts with.

Pixels are weighted by a Blackman–Harris window through filter importance sampling (Ernst, Stamminger and
Greiner, "Filter Importance Sampling", RT 2006): every sample belongs to one pixel with weight 1.
"""

import math
from functools import cache
from typing import NamedTuple

import numpy as np

from ...framing.lens import picture_factor, ray_factor
from ...kernel import device, kernel
from ...trig import sincos_turns
from .arrays import F32, FROM_CAMERA
from .bodies import pose_at
from .media import NO_MEDIA
from .sampler import combine, sample_pair

FILTER_RADIUS_PX = 1.5
FILTER_PAIR, LENS_PAIR, TIME_PAIR, SURROUNDINGS_PAIR, FIRST_BOUNCE_PAIR = 0, 1, 2, 3, 4
TILE = 8
"""Pixels are visited in 8×8 tiles so that neighbouring rays meet the same triangles."""


class CameraRays(NamedTuple):
    """A camera for one frame."""

    keys: F32
    """(k, 7) poses while the shutter is open, camera → studio; the camera looks along −z"""
    half_width: float
    """tan of half the horizontal field of view"""
    half_height: float
    lens_radius: float
    """m; 0 is a pinhole"""
    focus: float
    """m"""
    width: int
    height: int
    filter_table: F32
    blades: int = 0
    blade_turn: float = 0.0
    """turns"""
    squeeze: float = 1.0
    vignette: float = 0.0
    distortion: float = 0.0
    shift_x: float = 0.0
    """tangents by which the lens is moved to the right and up"""
    shift_y: float = 0.0


def pixel_projection(camera: CameraRays, zoomed: float = 1.0) -> F32:
    """Projection parameters of `to_pixels` (5,): pixels by the unit of the picture plane, across and down, the
    distortion, and the middle of the picture; of a lens that is so many times longer."""
    w, h = camera.half_width / zoomed, camera.half_height / zoomed
    bend, middle = camera.distortion / (w * w + h * h), (camera.shift_x / zoomed, camera.shift_y / zoomed)
    return np.array([camera.width / (2 * w), -camera.height / (2 * h), bend, *middle], np.float32)


@device
def to_pixels(projection, p):
    """Where a point (3,) of the camera's space is in the picture, px from its middle; it must not lie beside the
    camera."""
    depth = -p[2] if p[2] != 0.0 else 1e-30
    x, y = p[0] / depth, p[1] / depth
    if projection[2] != 0.0:
        factor = picture_factor(projection[2], x * x + y * y)
        x, y = x * factor, y * factor
    return (x - projection[3]) * projection[0], (y - projection[4]) * projection[1]


@cache
def filter_table(entries: int = 512) -> F32:
    """Inverse cumulative distribution of the window, in pixels from the centre."""
    x = np.linspace(0, 1, 8193)
    a = (0.35875, -0.48829, 0.14128, -0.01168)
    window = np.sum([c * np.cos(2 * np.pi * k * x) for k, c in enumerate(a)], axis=0)
    cumulative = np.concatenate([[0], np.cumsum((window[1:] + window[:-1]) / 2)])
    inverse = np.interp(np.linspace(0, 1, entries), cumulative / cumulative[-1], x)
    table = ((inverse - 0.5) * 2 * FILTER_RADIUS_PX).astype(np.float32)
    table.setflags(write=False)
    return table


@kernel
def pixel_order(width, height, out):
    """Pixel numbers (row-major from the top left) tile by tile."""
    n = 0
    for ty in range(0, height, TILE):
        for tx in range(0, width, TILE):
            for y in range(ty, min(ty + TILE, height)):
                for x in range(tx, min(tx + TILE, width)):
                    out[n] = y * width + x
                    n += 1


@device
def on_aperture(camera, u1, u2):
    """A point of the aperture, in units of its radius: a disc, or a polygon of as many sides as there are blades."""
    radius = math.sqrt(u1)
    if camera.blades < 3:
        s, c = sincos_turns(u2)
        return radius * c, radius * s
    # a triangle of the polygon, an even point on its outer edge, pulled in by √u
    side = min(int(u2 * camera.blades), camera.blades - 1)
    f = u2 * camera.blades - side
    sa, ca = sincos_turns(camera.blade_turn + side / camera.blades)
    sb, cb = sincos_turns(camera.blade_turn + (side + 1.0) / camera.blades)
    return radius * (ca + f * (cb - ca)), radius * (sa + f * (sb - sa))


@device
def lens_falloff(dx, dy, vignette):
    """Share of light at a direction (dx, dy, −1): the fourth power of the cosine, as far as it is wanted."""
    cos2 = 1.0 / (1.0 + dx * dx + dy * dy)
    return 1.0 + vignette * (cos2 * cos2 - 1.0)


@kernel
def camera_rays(camera, pixels, first_sample, sample_count, frame_seed, m, rays, paths):
    """Start `sample_count` paths in each of `pixels`; sample s of pixel k lies at k·sample_count + s."""
    table = camera.filter_table
    steps = table.shape[0] - 1
    moving = camera.keys.shape[0] > 1
    pose_at(camera.keys, 0.5, m)
    corner2 = camera.half_width * camera.half_width + camera.half_height * camera.half_height
    # half a pixel: what maps lose to averaging is kept low, the many samples of a pixel do the rest
    spread = camera.half_width / camera.width
    for k in range(pixels.shape[0]):
        px, py = pixels[k] % camera.width, pixels[k] // camera.width
        seed = combine(combine(px, py), frame_seed)
        for s in range(sample_count):
            i = k * sample_count + s
            u1, u2 = sample_pair(seed, first_sample + s, FILTER_PAIR)
            a, b = int(u1 * steps), int(u2 * steps)
            fa, fb = u1 * steps - a, u2 * steps - b
            x = px + 0.5 + table[a] * (1 - fa) + table[a + 1] * fa
            y = py + 0.5 + table[b] * (1 - fb) + table[b + 1] * fb
            dx = (2.0 * x / camera.width - 1.0) * camera.half_width
            dy = (1.0 - 2.0 * y / camera.height) * camera.half_height
            dx, dy = dx + camera.shift_x, dy + camera.shift_y
            weight = 1.0
            if camera.distortion != 0.0:
                bend = ray_factor(camera.distortion / corner2, dx * dx + dy * dy)
                dx, dy = dx * bend, dy * bend
            if camera.vignette > 0.0:
                weight = lens_falloff(dx, dy, camera.vignette)
            dz = -1.0
            ox = oy = 0.0
            if camera.lens_radius > 0.0:
                l1, l2 = sample_pair(seed, first_sample + s, LENS_PAIR)
                ox, oy = on_aperture(camera, l1, l2)
                ox, oy = ox * camera.lens_radius / camera.squeeze, oy * camera.lens_radius
                dx, dy, dz = dx * camera.focus - ox, dy * camera.focus - oy, -camera.focus
            time = 0.5
            if moving:
                time, _ = sample_pair(seed, first_sample + s, TIME_PAIR)
                pose_at(camera.keys, time, m)
            rays.time[i] = time
            inv = 1.0 / math.sqrt(dx * dx + dy * dy + dz * dz)
            for c in range(3):
                rays.origin[i, c] = m[c, 0] * ox + m[c, 1] * oy + m[c, 3]
                rays.direction[i, c] = (m[c, 0] * dx + m[c, 1] * dy + m[c, 2] * dz) * inv
            path = paths[i]
            path.r = path.g = path.b = weight
            path.density = path.total = path.width = path.way = 0.0
            path.facing = np.uint32(0)
            path.spread = spread
            path.inside, path.under, path.third, path.fourth = NO_MEDIA
            path.part = -1
            path.slot = i
            path.depth = 0
            path.flags = FROM_CAMERA
            path.seed = seed
            path.number = first_sample + s
