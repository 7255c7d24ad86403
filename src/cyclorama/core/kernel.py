"""How kernels are compiled: one place for the options, so that every kernel is cached and releases the GIL."""

from collections.abc import Callable
from typing import TypeVar

from numba import njit

F = TypeVar("F", bound=Callable[..., object])

_CONTRACT = {"contract", "nsz", "arcp"}
"""Fused multiply-add and reciprocals are welcome; NaN and infinity keep their meaning."""


def kernel(function: F) -> F:
    """Compile on first use, cache on disk, release the GIL while running."""
    return njit(nogil=True, cache=True, fastmath=_CONTRACT, error_model="numpy")(function)  # type: ignore[no-any-return]


def device(function: F) -> F:
    """A small function that kernels call: compiled into them."""
    return njit(nogil=True, cache=True, fastmath=_CONTRACT, error_model="numpy", inline="never")(function)  # type: ignore[no-any-return]
