"""The wavefront: a batch of paths goes through ray query, shading and shadow query, bounce by bounce.

A batch runs on one thread from start to end and owns its pixels, so the picture does not depend on how many
threads there are or in which order batches are done.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..kernel import kernel
from ..light.environment import EnvironmentMap
from ..textures import Textures
from .arrays import (
    BENDS,
    I32,
    U8,
    Bodies,
    Geometry,
    Lights,
    Materials,
    Recording,
    Samples,
    Scratch,
    Shadows,
    make_paths,
    make_rays,
    make_samples,
    make_scratch,
    make_shadows,
)
from .bodies import Body, blocked, nearest_hits, pose_at
from .camera_rays import CameraRays, camera_rays
from .deform import corners_at
from .parameters import opacity_of, resolve
from .shade import collect_light, shade
from .surface import hit_surface, leave, place, texture_point, turn
from .volume import LONGEST_WALK

MAX_HOLES = 16


@dataclass(frozen=True, slots=True)
class FrameScene:
    """Everything a frame needs, ready for the kernels."""

    bodies: list[Body]
    where: Bodies
    geometry: Geometry
    materials: Materials
    textures: Textures
    lights: Lights
    environment: EnvironmentMap
    tables: NDArray[np.float32]
    camera: CameraRays
    recording: Recording
    inner: U8
    """(t,) edges that the wireframe leaves out, as bits (see `geometry.polygons`)"""
    has_holes: bool
    max_bounces: int = 12
    layers: tuple[str, ...] = ()
    """names of what is kept apart on the film"""


def trace_batch(scene: FrameScene, pixels: I32, first_sample: int, sample_count: int, seed: int) -> Samples:
    """Trace `sample_count` samples from `first_sample` on in each of `pixels`; results pixel by pixel."""
    n = len(pixels) * sample_count
    rays, paths, scratch = make_rays(n), make_paths(n), make_scratch()
    samples = make_samples(n, len(scene.layers), scene.recording.first)
    next_rays, next_paths, shadows = make_rays(n), make_paths(n), make_shadows(n)
    camera_rays(scene.camera, pixels, np.uint32(first_sample), sample_count, np.uint32(seed), scratch.matrix, rays,
                paths, samples.items)  # fmt: skip
    alive = n
    for step in range(scene.max_bounces + MAX_HOLES + LONGEST_WALK):
        hits = nearest_hits(scene.bodies, scene.where, rays, alive, samples.items, paths)
        alive, cast = shade(
            alive, step, scene.max_bounces, rays, hits, paths, scene.where, scene.geometry, scene.materials,
            scene.textures, scene.lights, scene.environment, scene.tables, scene.recording, samples, scratch,
            next_rays, next_paths, shadows,
        )  # fmt: skip
        if cast:
            _gather(scene, shadows, cast, samples, scratch)
        rays, next_rays = next_rays, rays
        paths, next_paths = next_paths, paths
        if not alive:
            break
    return samples


def _gather(scene: FrameScene, shadows: Shadows, cast: int, samples: Samples, scratch: Scratch) -> None:
    if scene.has_holes:
        is_blocked = blocked_with_holes(scene, shadows, cast, samples, scratch)
    else:
        is_blocked = blocked(
            scene.bodies, scene.where, shadows.rays, shadows.distance, cast, samples.items, shadows.items
        )
    collect_light(cast, is_blocked, shadows, scene.recording, samples)


def blocked_with_holes(scene: FrameScene, shadows: Shadows, cast: int, samples: Samples, scratch: Scratch) -> I32:
    """Follow shadow rays from hole to hole; what is half transparent dims them."""
    state = np.full(cast, -1, np.int32)
    left = shadows.distance[:cast].copy()
    for _ in range(MAX_HOLES):
        hits = nearest_hits(scene.bodies, scene.where, shadows.rays, cast, samples.items, shadows.items)
        going_on = _step_through(
            cast, hits, shadows, left, state, samples.items, scene.where, scene.geometry, scene.materials,
            scene.textures, scratch,
        )  # fmt: skip
        if not going_on:
            break
    return state


@kernel
def _step_through(count, hits, shadows, left, state, samples, bodies, geometry, materials, textures, scratch):
    """Take each open shadow ray past one hole; state 0 means blocked, −2 means it arrived."""
    going_on = 0
    m = scratch.matrix
    for i in range(count):
        if state[i] != -1:
            continue
        triangle = hits.triangle[i]
        if triangle < 0 or hits.t[i] >= left[i]:
            state[i] = -2
            continue
        u, w = hits.u[i] * 1.0, hits.v[i] * 1.0
        p, flat, _, _ = hit_surface(geometry.corners, triangle, u, w)
        row = geometry.material[triangle]
        v = materials.values[row]
        if materials.ranges[row, 4]:
            uv, density = texture_point(geometry.corners, triangle, u, w)
            v = scratch.row
            resolve(materials, textures, row, uv, p, flat, 0.0, density, v)
        opacity = opacity_of(v)
        if opacity >= 0.999:
            state[i] = 0
            continue
        body = hits.body[i]
        if bodies.moving[body]:
            time = samples[shadows.items[i].slot].time
            pose_at(bodies.keys[body], time, m)
            if bodies.moving[body] == BENDS:
                corners, at = corners_at(geometry, BENDS, triangle, time, scratch)
                p, flat, _, _ = hit_surface(corners, at, u, w)
            p, flat = place(m, p), turn(m, flat)
        direction, origin = shadows.rays.direction, shadows.rays.origin
        d = (direction[i, 0] * 1.0, direction[i, 1] * 1.0, direction[i, 2] * 1.0)
        start = leave(p, flat, d)
        for c in range(3):
            origin[i, c] = start[c]
        shadow, k = shadows.items[i], 1.0 - opacity
        shadow.dr, shadow.dg, shadow.db = shadow.dr * k, shadow.dg * k, shadow.db * k
        shadow.sr, shadow.sg, shadow.sb = shadow.sr * k, shadow.sg * k, shadow.sb * k
        left[i] -= hits.t[i]
        going_on += 1
    return going_on
