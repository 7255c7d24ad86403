"""The wavefront: a batch of paths goes through ray query, shading and shadow query, bounce by bounce.

A batch runs on one thread from start to end and owns its pixels, so the picture does not depend on how many
threads there are or in which order batches are done.
"""

from dataclasses import dataclass

import numpy as np

from ..kernel import kernel
from ..light.environment import EnvironmentMap
from ..material.tables import Tables
from .arrays import (
    I32,
    Bodies,
    Geometry,
    Lights,
    Materials,
    Samples,
    Shadows,
    Textures,
    make_paths,
    make_rays,
    make_samples,
    make_shadows,
)
from .bodies import Body, blocked, nearest_hits
from .camera_rays import CameraRays, camera_rays
from .material_rows import base_and_opacity
from .shade import collect_light, shade
from .surface import hit_surface, leave

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
    tables: Tables
    camera: CameraRays
    has_holes: bool
    max_bounces: int = 12


def trace_batch(scene: FrameScene, pixels: I32, first_sample: int, sample_count: int, seed: int) -> Samples:
    """Trace `sample_count` samples from `first_sample` on in each of `pixels`; results pixel by pixel."""
    n = len(pixels) * sample_count
    rays, paths, samples = make_rays(n), make_paths(n), make_samples(n)
    next_rays, next_paths, shadows = make_rays(n), make_paths(n), make_shadows(n)
    camera_rays(scene.camera, pixels, np.uint32(first_sample), sample_count, np.uint32(seed), rays, paths, samples)
    alive = n
    for bounce in range(scene.max_bounces + 1):
        hits = nearest_hits(scene.bodies, scene.where, rays, alive)
        alive, cast = shade(
            alive, bounce, bounce == scene.max_bounces, rays, hits, paths, scene.where, scene.geometry,
            scene.materials, scene.textures, scene.lights, scene.environment, scene.tables, samples,
            next_rays, next_paths, shadows,
        )  # fmt: skip
        if cast:
            _gather(scene, shadows, cast, samples)
        rays, next_rays = next_rays, rays
        paths, next_paths = next_paths, paths
        if not alive:
            break
    return samples


def _gather(scene: FrameScene, shadows: Shadows, cast: int, samples: Samples) -> None:
    if scene.has_holes:
        is_blocked = _blocked_with_holes(scene, shadows, cast)
    else:
        is_blocked = blocked(scene.bodies, scene.where, shadows.rays, shadows.distance, cast)
    collect_light(cast, is_blocked, shadows, samples)


def _blocked_with_holes(scene: FrameScene, shadows: Shadows, cast: int) -> I32:
    """Follow shadow rays from hole to hole; what is half transparent dims them."""
    rays = shadows.rays
    state = np.full(cast, -1, np.int32)
    left = shadows.distance[:cast].copy()
    for _ in range(MAX_HOLES):
        hits = nearest_hits(scene.bodies, scene.where, rays, cast)
        going_on = _step_through(
            cast, hits, rays, left, state, shadows.value, scene.where, scene.geometry, scene.materials, scene.textures
        )
        if not going_on:
            break
    return state


@kernel
def _step_through(count, hits, rays, left, state, value, where, geometry, materials, textures):
    """Take each open shadow ray past one hole; state 0 means blocked, −2 means it arrived."""
    going_on = 0
    for i in range(count):
        if state[i] != -1:
            continue
        triangle = hits.triangle[i]
        if triangle < 0 or hits.t[i] >= left[i]:
            state[i] = -2
            continue
        p, flat, _, uv, _ = hit_surface(geometry, triangle, hits.u[i], hits.v[i], where.matrices[hits.body[i]])
        row = geometry.material[triangle]
        _, opacity = base_and_opacity(materials.values[row], materials.maps[row], textures, uv[0], uv[1])
        if opacity >= 0.999:
            state[i] = 0
            continue
        d = (rays.direction[i, 0] * 1.0, rays.direction[i, 1] * 1.0, rays.direction[i, 2] * 1.0)
        start = leave(p, flat, d)
        for c in range(3):
            rays.origin[i, c] = start[c]
            value[i, c] *= 1.0 - opacity
        left[i] -= hits.t[i]
        going_on += 1
    return going_on
