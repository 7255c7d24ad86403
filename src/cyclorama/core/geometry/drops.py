"""Drops of water that condense on a surface and merge where they touch."""

import numpy as np
import scipy
from numpy.typing import NDArray

from ..arrays import Points
from ..kernel import kernel

F64 = NDArray[np.float64]
SMALLEST = 0.07
"""Radius of the smallest drop, as a share of that of the largest before they merge."""
GROWTH = 1.6
"""No drop is looked at farther away than where one touches that has grown so much."""
FACING = 0.3
"""Least cosine between the normals of two drops that merge: those on two sides of a thin wall do not."""


def condensed_radii(fractions: F64) -> F64:
    """Radii (n,) of drops as shares of the largest, for numbers (n,) 0…1.

    So many have a radius r as r⁻³ says: where drops condense on a plane, numbers of volumes v go by v^(−5/3) (Family
    and Meakin, "Kinetics of droplet growth processes: simulations, theory, and experiments", Physical Review A 40(7),
    1989), and v grows with r³.
    """
    low = SMALLEST**-2.0
    return np.asarray((low + fractions * (1.0 - low)) ** -0.5)


def merge_drops(places: Points, normals: F64, radii: F64) -> tuple[NDArray[np.intp], F64]:
    """Drops that are left when all that touch have merged, and their radii; no volume is lost.

    A drop takes smaller ones in where it stands; as it grows, it may touch others.
    """
    if not len(places):
        return np.zeros(0, np.intp), np.zeros(0)
    order = np.argsort(-radii, kind="stable")
    places, normals, radii = places[order], normals[order], radii[order].copy()
    pairs = scipy.spatial.cKDTree(places).query_pairs(2.0 * GROWTH * float(radii[0]), output_type="ndarray")
    pairs = np.concatenate([pairs, pairs[:, ::-1]]).astype(np.int64)
    pairs = pairs[np.argsort(pairs[:, 0], kind="stable")]
    starts = np.searchsorted(pairs[:, 0], np.arange(len(places) + 1))
    alive = np.ones(len(places), np.bool_)
    _merge(places, normals, radii, starts, pairs[:, 1].copy(), alive)
    return order[alive], radii[alive]


@kernel
def _merge(places, normals, radii, starts, near, alive):  # type: ignore[no-untyped-def]
    changed = True
    while changed:  # one that has grown may be touched by one before it
        changed = False
        for i in range(places.shape[0]):
            k = starts[i]
            while alive[i] and k < starts[i + 1]:
                j = near[k]
                k += 1
                if not alive[j] or radii[j] > radii[i]:
                    continue
                x, y, z = places[i, 0] - places[j, 0], places[i, 1] - places[j, 1], places[i, 2] - places[j, 2]
                touch = radii[i] + radii[j]
                facing = normals[i, 0] * normals[j, 0] + normals[i, 1] * normals[j, 1] + normals[i, 2] * normals[j, 2]
                if x * x + y * y + z * z < touch * touch and facing > FACING:
                    radii[i] = (radii[i] ** 3 + radii[j] ** 3) ** (1.0 / 3.0)
                    alive[j] = False
                    changed = True
