"""Asking for memory before it is needed.

What paths ahead will read lies anywhere in triangles and samples. Rays, hits and paths lie end to end, but so many
rows are read side by side that the processor does not foresee them all. An address beyond the end does no harm.
"""

from typing import Any

import numpy as np
from llvmlite import ir
from numba import types
from numba.core import cgutils
from numba.extending import intrinsic

from ..kernel import device
from .arrays import PATH, SAMPLE

AHEAD = 6
"""So many paths ahead; shading one takes a few times as long as memory takes to answer."""
ROWS_AHEAD = 24
"""The same for what lies end to end; further, because the path's own row says where its sample is."""
NUMBER_BYTES, VECTOR_BYTES = np.uint64(4), np.uint64(12)
PATH_BYTES = np.uint64(PATH.itemsize)
TRIANGLE_BYTES = np.uint64(128)
SAMPLE_BYTES = np.uint64(SAMPLE.itemsize)
LINE_BYTES = np.uint64(64)


@intrinsic
def _fetch(typing_context: Any, address: Any) -> Any:
    """LLVM's prefetch: for reading, to stay, data."""

    def build(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        place, flag = ir.IntType(8).as_pointer(), ir.IntType(32)
        kind = ir.FunctionType(ir.VoidType(), [place, flag, flag, flag])
        function = cgutils.get_or_insert_function(builder.module, kind, "llvm.prefetch.p0i8")
        builder.call(function, [builder.inttoptr(arguments[0], place), flag(0), flag(3), flag(1)])
        return context.get_dummy_value()

    return types.none(types.uint64), build


@device
def address_of(array):
    return np.uint64(array.ctypes.data)


@device
def fetch_rays(i, rays):
    """Bring rays ROWS_AHEAD of the i-th near; a line of memory holds five vectors, or sixteen numbers."""
    ahead = np.uint64(i + ROWS_AHEAD)
    if i & 3 == 0:
        _fetch(address_of(rays.origin) + ahead * VECTOR_BYTES)
        _fetch(address_of(rays.direction) + ahead * VECTOR_BYTES)
    if i & 15 == 0:
        _fetch(address_of(rays.time) + ahead * NUMBER_BYTES)


@device
def _fetch_rows(i, rays, hits, paths):
    """Bring rays, hits and paths ROWS_AHEAD of the i-th near."""
    fetch_rays(i, rays)
    ahead = np.uint64(i + ROWS_AHEAD)
    _fetch(address_of(paths) + ahead * PATH_BYTES)
    if i & 15 == 0:
        at = ahead * NUMBER_BYTES
        _fetch(address_of(hits.t) + at)
        _fetch(address_of(hits.u) + at)
        _fetch(address_of(hits.v) + at)
        _fetch(address_of(hits.triangle) + at)
        _fetch(address_of(hits.body) + at)


@device
def fetch_triangle(corners, triangle):
    """Bring a triangle near."""
    at = address_of(corners) + np.uint64(triangle) * TRIANGLE_BYTES
    _fetch(at)
    _fetch(at + LINE_BYTES)


@device
def fetch_pixels(pixels, u, v):
    """Bring the pixels (h, w, 3) around a place 0…1 near."""
    h, w = pixels.shape[0], pixels.shape[1]
    row, column = max(int(v * h - 0.5), 0), max(int(u * w - 0.5), 0)
    at = address_of(pixels) + np.uint64(row * w + column) * VECTOR_BYTES
    _fetch(at)
    _fetch(at + np.uint64(w) * VECTOR_BYTES)


@device
def fetch_ahead(i, count, rays, hits, paths, samples, corners):
    """Bring what shading the paths after the i-th will read near."""
    _fetch_rows(i, rays, hits, paths)
    ahead = i + AHEAD
    if ahead < count:
        _fetch(address_of(samples) + np.uint64(paths[ahead].slot) * SAMPLE_BYTES)
        triangle = hits.triangle[ahead]
        if triangle >= 0:
            fetch_triangle(corners, triangle)
