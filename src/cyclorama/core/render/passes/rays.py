"""Passes that need rays of their own: occlusion, wireframe, clay and the shadow catcher."""

import math
from dataclasses import replace

import numpy as np

from ...arrays import Mask
from ...kernel import device, kernel
from ...motion import Moment
from ...scene import Item, Material, Stage
from ...scene.writing import derive
from ...trig import sincos_turns
from ...vectors import basis
from ..trace.arrays import I32, Hits, Rays, Records, Scratch, make_hits, make_paths, make_rays, make_scratch
from ..trace.bodies import moving_as, nearest_hits, put_ray, stand_at
from ..trace.camera_rays import FIRST_BOUNCE_PAIR, camera_rays, to_pixels
from ..trace.deform import corners_at
from ..trace.sampler import sample_pair
from ..trace.surface import corner, hit_surface, leave, mix3, place, scale_point, turn
from ..trace.wavefront import FrameScene

RAYS_A_BATCH = 1 << 16


@kernel
def _into_the_open(count, hits, rays, paths, bodies, geometry, scratch, second, met):  # type: ignore[no-untyped-def]
    """A cosine-weighted ray from every first hit; `met` says which sample it belongs to, returns how many."""
    n = 0
    for i in range(count):
        triangle = hits.triangle[i]
        if triangle < 0:
            continue
        body, copy = hits.body[i], hits.copy[i]
        corners, at = corners_at(geometry, moving_as(bodies, body, copy), triangle, rays.time[i], scratch)
        _, flat, smooth, lifted = hit_surface(corners, at, hits.u[i] * 1.0, hits.v[i] * 1.0)
        if moving_as(bodies, body, copy):
            m = scratch.matrix
            size = stand_at(bodies, body, copy, rays.time[i], m)
            lifted, flat, smooth = place(m, scale_point(lifted, size)), turn(m, flat), turn(m, smooth)
        d = rays.direction[i]
        if flat[0] * d[0] + flat[1] * d[1] + flat[2] * d[2] > 0.0:
            flat, smooth = (-flat[0], -flat[1], -flat[2]), (-smooth[0], -smooth[1], -smooth[2])
        u1, u2 = sample_pair(paths[i].seed, paths[i].number, FIRST_BOUNCE_PAIR)
        r = math.sqrt(u1)
        s, c = sincos_turns(u2)
        x, y, z = r * c, r * s, math.sqrt(max(1.0 - u1, 1e-12))
        t, b = basis(smooth)
        w = (
            x * t[0] + y * b[0] + z * smooth[0],
            x * t[1] + y * b[1] + z * smooth[1],
            x * t[2] + y * b[2] + z * smooth[2],
        )
        if w[0] * flat[0] + w[1] * flat[1] + w[2] * flat[2] <= 0.0:
            continue
        put_ray(second, n, leave(lifted, flat, w), w, rays.time[i])
        met[n] = i
        n += 1
    return n


def _batches(scene: FrameScene, samples: int) -> list[I32]:
    pixels = np.arange(scene.camera.width * scene.camera.height, dtype=np.int32)
    per_batch = max(1, RAYS_A_BATCH // samples)
    return [pixels[i : i + per_batch] for i in range(0, len(pixels), per_batch)]


def _first_hits(scene: FrameScene, pixels: I32, samples: int, seed: int) -> tuple[Rays, Records, Scratch, Hits]:
    """Camera rays through some pixels and what they meet."""
    count = len(pixels) * samples
    rays, paths, scratch = make_rays(count), make_paths(count), make_scratch()
    camera_rays(scene.camera, pixels, np.uint32(0), samples, np.uint32(seed), scratch.matrix, rays, paths)
    hits = make_hits(count)
    nearest_hits(scene.where, rays, count, scratch, hits)
    return rays, paths, scratch, hits


def occlusion(scene: FrameScene, samples: int, reach_m: float, falloff: float, seed: int = 0) -> tuple[Mask, Mask]:
    """Openness of every pixel (h, w), 1 fully, and coverage (h, w).

    What is met at a distance hides (1 − distance / reach)^falloff of its direction: 0 counts all within reach alike.
    """
    n = scene.camera.width * scene.camera.height
    openness, coverage = np.zeros(n, np.float32), np.zeros(n, np.float32)
    for pixels in _batches(scene, samples):
        count = len(pixels) * samples
        rays, paths, scratch, hits = _first_hits(scene, pixels, samples, seed)
        second, met = make_rays(count), np.zeros(count, np.int32)
        cast = _into_the_open(count, hits, rays, paths, scene.where, scene.geometry, scratch, second, met)
        values = np.zeros(count, np.float32)
        if cast:
            found = make_hits(cast)
            nearest_hits(scene.where, second, cast, scratch, found)
            near = (found.triangle >= 0) & (found.t < reach_m)
            share = np.where(near, found.t, 0.0) / reach_m
            values[met[:cast]] = np.where(near, 1.0 - (1.0 - share) ** falloff, 1.0)
        coverage[pixels] = (hits.triangle >= 0).reshape(-1, samples).mean(axis=1)
        openness[pixels] = values.reshape(-1, samples).mean(axis=1)
    shape = scene.camera.height, scene.camera.width
    open_share = np.divide(openness, coverage, out=np.ones_like(openness), where=coverage > 0)
    return open_share.reshape(shape), coverage.reshape(shape)


@device
def _gap_px(here, projection, first, second, x, y):  # type: ignore[no-untyped-def]
    """Distance (px, squared) between a place of the picture and an edge of the scene; huge behind the camera."""
    a, b = place(here, first), place(here, second)
    if a[2] > -1e-6 or b[2] > -1e-6:
        return 1e30
    ax, ay = to_pixels(projection, a)
    bx, by = to_pixels(projection, b)
    ex, ey = bx - ax, by - ay
    along = ((x - ax) * ex + (y - ay) * ey) / max(ex * ex + ey * ey, 1e-12)
    along = min(max(along, 0.0), 1.0)
    gx, gy = x - ax - along * ex, y - ay - along * ey
    return gx * gx + gy * gy


@kernel
def _on_lines(count, hits, bodies, geometry, inner, here, projection, scratch, half_line, steps, rays, out):  # type: ignore[no-untyped-def]
    """1 where a sample lies within half a line of a drawn line of its triangle, seen from the camera.

    Lines run along each drawn edge and, when it is divided, evenly between it and the corner across: the halves of a
    quad meet in the same points of its diagonal.
    """
    for i in range(count):
        triangle = hits.triangle[i]
        if triangle < 0:
            continue
        body, copy = hits.body[i], hits.copy[i]
        moving = moving_as(bodies, body, copy)
        corners, at = corners_at(geometry, moving, triangle, rays.time[i], scratch)
        a, b, c = corner(corners, at, 0), corner(corners, at, 3), corner(corners, at, 6)
        if moving:
            m = scratch.matrix
            size = stand_at(bodies, body, copy, rays.time[i], m)
            a, b, c = place(m, scale_point(a, size)), place(m, scale_point(b, size)), place(m, scale_point(c, size))
        o, d, t = rays.origin[i], rays.direction[i], hits.t[i]
        p = (o[0] + t * d[0], o[1] + t * d[1], o[2] + t * d[2])
        x, y = to_pixels(projection, place(here, p))
        u, v = hits.u[i] * 1.0, hits.v[i] * 1.0
        for e in range(3):
            if inner[triangle] >> e & 1:
                continue
            first = a if e == 0 else (b if e == 1 else c)
            second = b if e == 0 else (c if e == 1 else a)
            across = c if e == 0 else (a if e == 1 else b)
            height = v if e == 0 else (1.0 - u - v if e == 1 else u)
            k = min(int(height * steps + 0.5), steps - 1) / steps
            from_first = mix3(first, across, across, k, 0.0)
            from_second = mix3(second, across, across, k, 0.0)
            if _gap_px(here, projection, from_first, from_second, x, y) <= half_line * half_line:
                out[i] = 1.0
                break


def wireframe(scene: FrameScene, samples: int, line_px: float, level: int = 0, seed: int = 0) -> tuple[Mask, Mask]:
    """Coverage by the edges of polygons (h, w) and by surfaces (h, w). `level`: how often each polygon is divided."""
    n = scene.camera.width * scene.camera.height
    lines, coverage = np.zeros(n, np.float32), np.zeros(n, np.float32)
    for pixels in _batches(scene, samples):
        count = len(pixels) * samples
        rays, _, scratch, hits = _first_hits(scene, pixels, samples, seed)
        out = np.zeros(count, np.float32)
        _on_lines(
            count,
            hits,
            scene.where,
            scene.geometry,
            scene.inner,
            scene.recording.cameras[0],
            scene.recording.projection[0],
            scratch,
            line_px / 2,
            2**level,
            rays,
            out,
        )
        lines[pixels] = out.reshape(-1, samples).mean(axis=1)
        coverage[pixels] = (hits.triangle >= 0).reshape(-1, samples).mean(axis=1)
    shape = scene.camera.height, scene.camera.width
    return lines.reshape(shape), coverage.reshape(shape)


def in_clay(moment: Moment) -> Moment:
    """The moment with one grey material over all but the spared parts."""
    passes, stage = moment.shoot.passes, moment.set
    clay = Material(id="clay", name="Clay", base_color=passes.clay_color, specular_roughness=0.7)
    grey = {"color": passes.clay_color, "roughness": 0.7}
    return replace(
        moment,
        items=tuple(_in_clay(item, passes.clay_spares) for item in moment.items),
        materials=(*moment.materials, clay),
        set=Stage.model_construct(sweep=derive(stage.sweep, **grey), disc=derive(stage.disc, **grey)),
    )


def _in_clay(item: Item, spares: tuple[str, ...]) -> Item:
    worn = tuple(w if w.id in spares else derive(w, material="clay") for w in item.variant.parts)
    return derive(item, variants=(derive(item.variant, parts=worn),))


def without_set(moment: Moment) -> Moment:
    """The items alone."""
    stage, off = moment.set, {"on": False}
    bare = Stage.model_construct(sweep=derive(stage.sweep, **off), disc=derive(stage.disc, **off))
    return replace(moment, set=bare)
