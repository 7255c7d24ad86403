"""Softened caustics: what light that was scattered widely can still tell of a polished surface.

Light that comes to an even surface by way of glass or polished metal is found by chance alone, and rarely: bright
specks stay for thousands of samples. After a wide scattering such surfaces therefore count as rough as a path could
tell them from, so that light can be aimed at through them (Kaplanyan and Dachsbacher, "Path Space Regularization for
Holistic and Robust Light Transport", Computer Graphics Forum 32(2), 2013; roughness that follows how widely the path
was scattered, after Jendersie and Grosch, "Microfacet Model Regularization for Robust Light Transport", Computer
Graphics Forum 38(4), 2019). The roughness falls with the number of samples, so that a picture with ever more of them
becomes that of full caustics.
"""

import math
from typing import Literal

import numpy as np

from ...kernel import device
from ...material.row import COAT, COAT_ROUGHNESS, ROUGHNESS
from .arrays import F32

Caustics = Literal["full", "soft", "off"]
_LEAST = {"full": 0.0, "soft": 0.4, "off": 0.7}
"""Roughness that polished surfaces have at least, seen from where light was scattered widely, at the first sample."""
_OCTAVES = 32
_SHRINKS = 1.0 / 12.0
"""Power of the sample's number with which roughness falls; its square, by which facets are spread, with 1/6."""
WIDE = 0.3
"""Spread (rad) of a path that was scattered widely."""


def least_roughness(caustics: Caustics) -> F32:
    """Least roughness by how often the number of a sample can be halved, (_OCTAVES,); what is off stays off."""
    falls = 0.0 if caustics == "off" else _SHRINKS
    return (_LEAST[caustics] * 2.0 ** (-falls * np.arange(_OCTAVES))).astype(np.float32)


@device
def roughness_for(least, spread, number):
    """The roughness that a surface has at least for a path that is spread so (rad), of the sample of this number."""
    if least[0] == 0.0 or spread < 0.03:
        return 0.0
    octave = int(math.log2(number + 1.5))
    return least[octave] * min(spread / WIDE, 1.0)


@device
def soften_row(values, least, row):
    """The row of a surface, or where it is more polished than `least` a copy in `row` that is not."""
    if values[ROUGHNESS] >= least and (values[COAT] == 0.0 or values[COAT_ROUGHNESS] >= least):
        return values
    for k in range(row.shape[0]):
        row[k] = values[k]
    row[ROUGHNESS] = max(values[ROUGHNESS], least)
    row[COAT_ROUGHNESS] = max(values[COAT_ROUGHNESS], least)
    return row
