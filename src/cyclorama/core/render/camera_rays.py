"""Camera rays: pixel filter, lens, and the state a path starts with.

Pixels are weighted by a Blackman–Harris window through filter importance sampling (Ernst, Stamminger and
Greiner, "Filter Importance Sampling", RT 2006): every sample belongs to one pixel with weight 1.
"""

import math
from functools import cache
from typing import NamedTuple

import numpy as np

from ..kernel import kernel
from .arrays import F32, FROM_CAMERA
from .sampler import combine, sample_pair

FILTER_RADIUS_PX = 1.5
FILTER_PAIR, LENS_PAIR = 0, 1
TILE = 8
"""Pixels are visited in 8×8 tiles so that neighbouring rays meet the same triangles."""


class CameraRays(NamedTuple):
    """A camera for one frame."""

    matrix: F32
    """(3, 4) camera → studio; the camera looks along −z"""
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


@kernel
def camera_rays(camera, pixels, first_sample, sample_count, frame_seed, rays, paths, samples):
    """Start `sample_count` paths in each of `pixels`; sample s of pixel k lies at k·sample_count + s."""
    m = camera.matrix
    table = camera.filter_table
    steps = table.shape[0] - 1
    for k in range(pixels.shape[0]):
        px, py = pixels[k] % camera.width, pixels[k] // camera.width
        seed = combine(combine(px, py), frame_seed)
        for s in range(sample_count):
            i = k * sample_count + s
            samples.seed[i] = seed
            samples.number[i] = first_sample + s
            u1, u2 = sample_pair(seed, first_sample + s, FILTER_PAIR)
            a, b = int(u1 * steps), int(u2 * steps)
            fa, fb = u1 * steps - a, u2 * steps - b
            x = px + 0.5 + table[a] * (1 - fa) + table[a + 1] * fa
            y = py + 0.5 + table[b] * (1 - fb) + table[b + 1] * fb
            dx = (2.0 * x / camera.width - 1.0) * camera.half_width
            dy = (1.0 - 2.0 * y / camera.height) * camera.half_height
            dz = -1.0
            ox = oy = 0.0
            if camera.lens_radius > 0.0:
                l1, l2 = sample_pair(seed, first_sample + s, LENS_PAIR)
                r, phi = camera.lens_radius * math.sqrt(l1), 2.0 * math.pi * l2
                ox, oy = r * math.cos(phi), r * math.sin(phi)
                dx, dy, dz = dx * camera.focus - ox, dy * camera.focus - oy, -camera.focus
            inv = 1.0 / math.sqrt(dx * dx + dy * dy + dz * dz)
            for c in range(3):
                rays.origin[i, c] = m[c, 0] * ox + m[c, 1] * oy + m[c, 3]
                rays.direction[i, c] = (m[c, 0] * dx + m[c, 1] * dy + m[c, 2] * dz) * inv
                paths.throughput[i, c] = 1.0
            paths.density[i] = 0.0
            paths.inside[i] = -1
            paths.slot[i] = i
            paths.flags[i] = FROM_CAMERA
