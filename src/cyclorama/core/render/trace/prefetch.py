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

from ...kernel import device
from .arrays import PATH, SAMPLE, SHADOW

AHEAD = 6
"""So many paths ahead; shading one takes a few times as long as memory takes to answer."""
ROWS_AHEAD = 24
"""The same for what lies end to end; further, because the path's own row says where its sample is."""
CLAIMED_AHEAD = 16
"""The same for what will be written."""
NUMBER_BYTES, VECTOR_BYTES = np.uint64(4), np.uint64(12)
PATH_BYTES = np.uint64(PATH.itemsize)
TRIANGLE_BYTES = np.uint64(128)
SHADOW_BYTES = np.uint64(SHADOW.itemsize)
SAMPLE_BYTES = np.uint64(SAMPLE.itemsize)
LINE_BYTES = np.uint64(64)


def _prefetch(to_write: int) -> Any:
    """LLVM's prefetch of an address: to stay, data."""

    @intrinsic
    def ask(typing_context: Any, address: Any) -> Any:
        def build(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
            place, flag = ir.IntType(8).as_pointer(), ir.IntType(32)
            kind = ir.FunctionType(ir.VoidType(), [place, flag, flag, flag])
            function = cgutils.get_or_insert_function(builder.module, kind, "llvm.prefetch.p0i8")
            builder.call(function, [builder.inttoptr(arguments[0], place), flag(to_write), flag(3), flag(1)])
            return context.get_dummy_value()

        return types.none(types.uint64), build

    return ask


_fetch, _claim = _prefetch(0), _prefetch(1)


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
def claim_rows(n, rays, items, item_bytes):
    """Bring where the n-th ray and item are written CLAIMED_AHEAD later near."""
    ahead = np.uint64(n + CLAIMED_AHEAD)
    _claim(address_of(rays.origin) + ahead * VECTOR_BYTES)
    _claim(address_of(rays.direction) + ahead * VECTOR_BYTES)
    _claim(address_of(items) + ahead * item_bytes)


@device
def fetch_rows(i, rays, hits, paths):
    """Bring the i-th ray, hit and path near."""
    _fetch(address_of(rays.origin) + i * VECTOR_BYTES)
    _fetch(address_of(rays.direction) + i * VECTOR_BYTES)
    _fetch(address_of(paths) + i * PATH_BYTES)
    at = i * NUMBER_BYTES
    _fetch(address_of(hits.u) + at)
    _fetch(address_of(hits.v) + at)
    _fetch(address_of(hits.triangle) + at)


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
def fetch_sample(slot, samples):
    """Bring a sample near."""
    _fetch(address_of(samples) + np.uint64(slot) * SAMPLE_BYTES)


@device
def fetch_ahead(k, count, which, rays, hits, paths, samples, corners):
    """Bring what shading the paths after the k-th of `which` will read near."""
    fetch_rows(np.uint64(which[min(k + ROWS_AHEAD, count - 1)]), rays, hits, paths)
    ahead = k + AHEAD
    if ahead < count:
        i = np.uint64(which[ahead])
        fetch_sample(paths[i].slot, samples)
        fetch_triangle(corners, hits.triangle[i])
