"""Drawing from a cumulative table: a second table says where the search begins, so that it is over at once.

Chen and Asau, "On Generating Random Variates from an Empirical Distribution", AIIE Transactions 6 (1974).
"""

from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from .kernel import device

K = TypeVar("K", bound=np.integer[Any])


def guide_to(cumulative: NDArray[np.float32], kind: type[K]) -> NDArray[K]:
    """For each of n even steps, the last entry of a cumulative table (n + 1,) that is not beyond it.

    `kind`: a whole number that can hold n.
    """
    n = len(cumulative) - 1
    found = np.searchsorted(cumulative, np.arange(n) / max(n, 1), side="right") - 1
    return np.clip(found, 0, max(n - 1, 0)).astype(kind)


@device
def draw(cumulative, guide, u):
    """The entry k with cumulative[k] ≤ u < cumulative[k + 1], for u in 0…1."""
    n = guide.shape[0]
    k = int(guide[min(int(u * n), n - 1)])
    while k < n - 1 and cumulative[k + 1] <= u:
        k += 1
    return k
