"""A part of a picture that is shot by itself and put into what is there."""

import numpy as np
from numpy.typing import NDArray

from ...scene.shoot import Region
from ..trace.wavefront import FrameScene
from .film import Film
from .tracer import Cancel, Tell, Tracer

CONTEXT_PX = 32
"""What is around a part is exposed as well: the denoiser looks at it."""
ELSEWHERE = 2
"""Samples of all else, so that there is a picture."""
FEATHER_PX = 6
"""Width of the passage into what is there, inside of the part."""


def within(region: Region, width: int, height: int) -> NDArray[np.bool_]:
    """The pixels (n,) that a part needs."""
    across = _distance(region.left, region.right, width) > -CONTEXT_PX
    down = _distance(region.top, region.bottom, height) > -CONTEXT_PX
    return np.asarray(down[:, None] & across[None, :]).ravel()


def share_of_new(region: Region, width: int, height: int) -> NDArray[np.float32]:
    """Share of each pixel (h, w) from the new picture: 0 outside, 1 inside, with a soft edge between."""
    across, down = _distance(region.left, region.right, width), _distance(region.top, region.bottom, height)
    inside = np.minimum(down[:, None], across[None, :])
    return np.asarray(np.clip(inside / FEATHER_PX, 0.0, 1.0), np.float32)


def expose_first(
    film: Film,
    scene: FrameScene,
    tracer: Tracer,
    samples: int,
    pixels: NDArray[np.bool_] | None,
    seed: int,
    cancelled: Cancel = lambda: False,
    progress: Tell = lambda share: None,
) -> None:
    """Expose an empty film, or only some of its pixels (n,) and all else as little as may be. Raises Cancelled."""
    everywhere = samples if pixels is None else min(ELSEWHERE, samples)
    tracer.expose(film, scene, everywhere, seed, cancelled, progress if pixels is None else lambda share: None)
    if pixels is not None and samples > everywhere:
        tracer.expose_more(film, scene, pixels, samples - everywhere, seed, cancelled, progress)


def _distance(low: float, high: float, size: int) -> NDArray[np.float64]:
    """Distance of each pixel of a row inside of two edges; edges of the picture count as none."""
    at = np.arange(size) + 0.5
    from_low = at - low * size if low > 0 else np.full(size, np.inf)
    to_high = high * size - at if high < 1 else np.full(size, np.inf)
    return np.asarray(np.minimum(from_low, to_high))
