"""The wavefront: a batch of paths goes through ray query, shading and shadow query, bounce by bounce.

A batch runs on one thread from start to end and owns its pixels, so the picture does not depend on how many
threads there are or in which order batches are done.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...kernel import kernel, routine
from ...light.environment import EnvironmentMap
from ...material.row import COAT, EVEN, METALNESS, ROUGHNESS, THIN, TRANSMISSION
from ...textures import Textures
from ...vectors import get
from .air import gather_light, go_on_in_haze, meet_in_haze
from .arrays import (
    BENDS,
    I32,
    STANDS,
    U8,
    Bodies,
    Geometry,
    Lights,
    Materials,
    PathState,
    Recording,
    Samples,
    World,
    make_samples,
    make_work,
)
from .bodies import Body, find_blocked, moving_as, nearest_hits, put_ray, stand_at
from .camera_rays import CameraRays, camera_rays
from .deform import corners_at
from .escaped_rays import shade_misses
from .glow_targets import Targets
from .haze import Air
from .parameters import opacity_of, resolve
from .shade import collect_light, shade
from .shade_batched import shade_wide
from .surface import hit_surface, leave, place, scale_point, texture_point, turn
from .volume import LONGEST_WALK

MAX_HOLES = 16
LEAST_MATTE = 0.3
"""Roughness of the smoothest dielectric whose look is about the same from everywhere."""


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
    softening: NDArray[np.float32]
    air: Air
    targets: Targets
    camera: CameraRays
    recording: Recording
    inner: U8
    """(t,) edges that the wireframe leaves out, as bits (see `geometry.polygons`)"""
    has_holes: bool
    max_bounces: int = 12
    layers: tuple[str, ...] = ()
    """names of what is kept apart on the film"""

    @property
    def matte(self) -> U8:
        """Which materials look alike from everywhere, one a row: their light can be taken from other frames."""
        v = self.materials.values
        clear = (v[:, METALNESS] < 0.1) & (v[:, TRANSMISSION] == 0) & (v[:, COAT] == 0) & (v[:, THIN] == 0)
        return np.asarray(clear & (v[:, ROUGHNESS] >= LEAST_MATTE), np.uint8)

    @property
    def world(self) -> World:
        """Bodies and lights as the kernels take them."""
        return World(
            self.where,
            self.geometry,
            self.materials,
            self.textures,
            self.lights,
            self.environment,
            self.tables,
            self.softening,
            self.air,
            self.targets,
        )


def trace_batch(scene: FrameScene, pixels: I32, first_sample: int, sample_count: int, seed: int) -> Samples:
    """Trace `sample_count` samples from `first_sample` on in each of `pixels`; results pixel by pixel."""
    n = len(pixels) * sample_count
    work = make_work(n, len(scene.lights.rows) + 2, scene.air.on)
    samples = make_samples(n, len(scene.layers), scene.recording.first)
    camera_rays(
        scene.camera,
        pixels,
        np.uint32(first_sample),
        sample_count,
        np.uint32(seed),
        work.scratch.matrix,
        work.rays,
        work.paths,
    )
    wavefront(n, scene.max_bounces, scene.has_holes, scene.world, scene.recording, samples, work)
    return samples


@kernel
def wavefront(count, max_bounces, has_holes, world, recording, samples, work):
    """Take `count` paths whose camera rays lie in `work` from bounce to bounce until none is left.

    world: arrays.World; recording: arrays.Recording; samples: arrays.Samples of `count`; work: arrays.Work.
    """
    rays, paths, rays_out, paths_out = work.rays, work.paths, work.next_rays, work.next_paths
    hits, shadows, scratch, bodies = work.hits, work.shadows, work.scratch, world.bodies
    alive = count
    for step in range(max_bounces + MAX_HOLES + LONGEST_WALK):
        flight = PathState(rays, paths, hits, rays_out, paths_out, shadows)
        nearest_hits(bodies, rays, alive, scratch, hits)
        so_far = 0, 0
        if world.air.on:
            meet_in_haze(alive, world, flight, recording, samples)
            cast = gather_light(alive, step, world, flight, recording, scratch)
            so_far = go_on_in_haze(alive, step, max_bounces, world, flight, samples), cast
        even, rest, gone = sort_out(alive, world, flight, work.lists)
        shade_misses(work.lists[2], gone, world, flight, recording, samples, work.block)
        so_far = shade(work.lists[1], rest, so_far, step, max_bounces, world, flight, recording, samples, scratch)
        alive, cast = shade_wide(
            work.lists[0], even, so_far, step, max_bounces, world, flight, recording, samples, scratch, work.block
        )
        if has_holes:
            find_blocked_with_holes(world, shadows, cast, rays, work)
        else:
            find_blocked(bodies, shadows.rays, shadows.distance, cast, scratch, work.blocked)
        collect_light(cast, work.blocked, shadows, recording, samples)
        rays, rays_out = rays_out, rays
        paths, paths_out = paths_out, paths
        if alive == 0:
            break


@routine
def sort_out(count, world, flight, lists):
    """Put the numbers of paths on three lists (3, n): those that meet an even surface that stands, from the air; those
    that meet any other surface; those that leave the set. Returns how many each has."""
    hits, paths, bodies = flight.hits, flight.paths, world.bodies
    geometry, materials = world.geometry, world.materials
    even, rest, gone = 0, 0, 0
    for i in range(count):
        triangle = hits.triangle[i]
        if paths[i].depth > 0 and not paths[i].r + paths[i].g + paths[i].b > 0.0:
            continue  # haze has scattered or absorbed it
        if triangle < 0:
            lists[2, gone] = i
            gone += 1
        elif (
            paths[i].inside < 0
            and bodies.moving[hits.body[i]] == STANDS
            and materials.values[geometry.material[triangle], EVEN] > 0.0
        ):
            lists[0, even] = i
            even += 1
        else:
            lists[1, rest] = i
            rest += 1
    return even, rest, gone


@routine
def find_blocked_with_holes(world, shadows, count, under_way, work):
    """Follow shadow rays from hole to hole; what is half transparent dims them.

    Those that have not arrived yet lie end to end in `under_way`.
    """
    for i in range(count):
        work.blocked[i], work.left[i], work.number[i] = -1, shadows.distance[i], i
        put_ray(under_way, i, shadows.rays.origin[i], shadows.rays.direction[i], shadows.rays.time[i])
    for _ in range(MAX_HOLES):
        nearest_hits(world.bodies, under_way, count, work.scratch, work.hits)
        count = _step_through(count, under_way, shadows.items, world, work)
        if count == 0:
            break


@routine
def _step_through(count, rays, items, world, work):
    """Take shadow rays past one hole, or note that they are blocked; returns how many go on."""
    bodies, geometry, materials = world.bodies, world.geometry, world.materials
    going_on = 0
    hits, scratch = work.hits, work.scratch
    m = scratch.matrix
    for k in range(count):
        i = work.number[k]
        triangle = hits.triangle[k]
        if triangle < 0 or hits.t[k] >= work.left[i]:
            continue
        u, w = hits.u[k] * 1.0, hits.v[k] * 1.0
        p, flat, _, _ = hit_surface(geometry.corners, triangle, u, w)
        row = np.uint64(geometry.material[triangle])
        v = materials.values[row]
        if materials.ranges[row, 4]:
            v = scratch.row
            resolve(materials, world.textures, row, texture_point(geometry, triangle, u, w), p, flat, 0.0, v)
        opacity = opacity_of(v)
        if opacity >= 0.999:
            work.blocked[i] = 0
            continue
        body, copy = hits.body[k], hits.copy[k]
        if moving_as(bodies, body, copy):
            time = rays.time[k] * 1.0
            size = stand_at(bodies, body, copy, time, m)
            if bodies.moving[body] == BENDS:
                corners, at = corners_at(geometry, BENDS, triangle, time, scratch)
                p, flat, _, _ = hit_surface(corners, at, u, w)
            p, flat = place(m, scale_point(p, size)), turn(m, flat)
        d = get(rays.direction, k)
        shadow, share = items[i], 1.0 - opacity
        shadow.dr, shadow.dg, shadow.db = shadow.dr * share, shadow.dg * share, shadow.db * share
        shadow.sr, shadow.sg, shadow.sb = shadow.sr * share, shadow.sg * share, shadow.sb * share
        work.left[i] -= hits.t[k]
        put_ray(rays, going_on, leave(p, flat, d), d, rays.time[k])
        work.number[going_on] = i
        going_on += 1
    return going_on
