"""Asking for memory before it is needed: what paths ahead will read lies anywhere in triangles and samples."""

from typing import Any

import numpy as np
from llvmlite import ir
from numba import types
from numba.core import cgutils
from numba.extending import intrinsic

from ..kernel import device
from .arrays import SAMPLE

AHEAD = 6
"""So many paths ahead; shading one takes a few times as long as memory takes to answer."""
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
def fetch_ahead(i, count, paths, hits, samples_at, corners_at):
    """Bring the sample and the triangle of a path AHEAD of the i-th near; `…_at` are addresses of arrays."""
    ahead = i + AHEAD
    if ahead < count:
        _fetch(samples_at + np.uint64(paths[ahead].slot) * SAMPLE_BYTES)
        triangle = hits.triangle[ahead]
        if triangle >= 0:
            at = corners_at + np.uint64(triangle) * TRIANGLE_BYTES
            _fetch(at)
            _fetch(at + LINE_BYTES)
