"""Directions along surfaces: the grain of metals and cloth, and strands."""

import math

from ...kernel import device, routine
from ...material.row import ANISOTROPY, GRAIN, STRAND
from ...vectors import basis, cross, dot, normalize
from .arrays import BENDS
from .surface import gradients, grain_tangent, leave, step_off, turn, turn_back

STRAND_SIDES, STRAND_FLAT = 1.075, 0.8
"""Strands have flat sides: their corners lie so many times as far out as coordinates round them say, with a little to
spare, and the middles of their sides at this share of it."""


@routine
def strand_frame(geometry, triangle, normal):
    """Direction of a strand towards its tip, in the plane of the normal, and its radius, m: along it runs the first of
    its second texture coordinates, the other goes once round it. Radius 0 where there are none."""
    gu, gv, side = gradients(geometry, triangle, 1)
    t, _ = basis(normal)
    turns = math.sqrt(dot(gv, gv))
    if side == 0.0 or geometry.more_uvs.shape[0] == 0:
        return t, 0.0
    along = (
        gu[0] - dot(gu, normal) * normal[0],
        gu[1] - dot(gu, normal) * normal[1],
        gu[2] - dot(gu, normal) * normal[2],
    )
    return normalize(along[0], along[1], along[2]), STRAND_SIDES / (2.0 * math.pi * turns)


@device
def leave_strand(p, n, smooth, along, radius, towards):
    """A ray origin beyond a strand: where a ray from its surface (normals n of the side, smooth of the round) has left
    the circle through its corners."""
    if dot(n, towards) >= 0.0:
        return leave(p, n, towards)
    slant = dot(along, towards)
    w2 = max(1.0 - slant * slant, 0.01)
    out = STRAND_FLAT * radius * dot(smooth, towards)
    way = (math.sqrt(out * out + w2 * (1.0 - STRAND_FLAT * STRAND_FLAT) * radius * radius) - out) / w2
    way += step_off(p[0], p[1], p[2])
    return p[0] + way * towards[0], p[1] + way * towards[1], p[2] + way * towards[2]


@device
def grain_frame(geometry, triangle, normal, v, moving, scratch):
    """Tangent and bitangent along the grain of a surface, where it has one, or along a strand; radius of that, m."""
    tangent, bitangent = basis(normal)
    radius = 0.0
    if v[ANISOTROPY] > 0.0 or v[STRAND] > 0.0:
        n_body = turn_back(scratch.matrix, normal) if moving else normal
        if moving == BENDS:
            n_body = turn_back(scratch.carry, n_body)
        if v[STRAND] > 0.0:
            tangent, radius = strand_frame(geometry, triangle, n_body)
        else:
            tangent = grain_tangent(geometry, triangle, n_body, v[GRAIN] * 1.0)
        if moving == BENDS:
            tangent = turn(scratch.carry, tangent)
        if moving:
            tangent = turn(scratch.matrix, tangent)
        bitangent = cross(normal, tangent)
    return tangent, bitangent, radius
