"""Rows that are alike, found by hashing: the same place, the same face, the same edge."""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from ..kernel import kernel

I32 = NDArray[np.int32]


def distinct_rows(rows: NDArray[np.int32]) -> tuple[I32, int]:
    """For each row (n, k), which of the distinct rows it is, and how many there are; counted as they first appear."""
    rows = np.ascontiguousarray(rows)
    index = np.empty(len(rows), np.int32)
    slots = np.full(1 << max(2 * len(rows) - 1, 1).bit_length(), -1, np.int32)
    return index, int(_number(rows, slots, np.empty(len(rows), np.int32), index))


def runs(count: int, most: int = 1 << 17) -> Iterator[slice]:
    """0…count in runs that are worked on one after the other, to save memory."""
    for begin in range(0, count, most):
        yield slice(begin, min(begin + most, count))


def first_of(index: I32, count: int) -> NDArray[np.intp]:
    """Where each of the distinct rows (count,) first appears."""
    first = np.empty(count, np.intp)
    first[index[::-1]] = np.arange(len(index) - 1, -1, -1)
    return first


def place_bits(points: NDArray[np.floating]) -> I32:
    """Points (n, 3) as whole numbers (n, 3) that are alike where the points are, to single precision."""
    single = np.ascontiguousarray(points, np.float32) + np.float32(0)  # −0 and 0 are one place
    return single.view(np.int32)


@kernel
def _number(rows, slots, first, index):  # type: ignore[no-untyped-def]
    n, k = rows.shape
    mask = np.uint64(slots.shape[0] - 1)
    count = 0
    for i in range(n):
        h = np.uint64(0x9E3779B97F4A7C15)
        for c in range(k):
            h = (h ^ np.uint64(np.uint32(rows[i, c]))) * np.uint64(0xFF51AFD7ED558CCD)
            h ^= h >> np.uint64(32)
        at = h & mask
        while True:
            known = slots[at]
            if known < 0:
                slots[at] = count
                first[count] = i
                index[i] = count
                count += 1
                break
            same = True
            for c in range(k):
                if rows[first[known], c] != rows[i, c]:
                    same = False
                    break
            if same:
                index[i] = known
                break
            at = (at + np.uint64(1)) & mask
    return count
