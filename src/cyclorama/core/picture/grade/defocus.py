"""Lens blur added to a picture from the depth of its pixels.

A thin lens of focal length f at f/N, focused at s, draws a point at depth d as a disc on the sensor whose diameter is
|d − s| / d · f² / (N (s − f)) (Hecht, Optics, 5.2.3). Pixels are sorted by what their discs measure, each kind is
spread by its own disc, and they are laid over each other from the farthest to the nearest: what is sharp keeps its edge
before what is not, and what is before it is spread over it. Behind what is spread nothing is known; its neighbours fill
it.
"""

import math

import numpy as np
from numpy.typing import NDArray

from ...arrays import Mask, RGBImage
from ...kernel import kernel

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]
STEP = 1.22
"""Discs of one kind differ by no more than this factor."""
SHARP_PX = 0.5
"""Discs of a smaller radius are points."""
LARGEST = 0.1
"""Of the picture's width: no disc has a larger radius."""


def disc_px(depth_m: F32, f_number: float, focus_m: float, focal_mm: float, sensor_mm: float, long_px: int) -> F32:
    """Radius of the disc of each pixel (h, w), px: negative before what is in focus, positive behind.

    long_px: pixels along the long side of the sensor. Where nothing is seen, depth is infinite or 0.
    """
    focal = focal_mm / 1000.0
    focus = max(focus_m, 1.001 * focal)
    far = focal * focal / (f_number * (focus - focal)) / (sensor_mm / 1000.0) * long_px / 2
    seen = np.isfinite(depth_m) & (depth_m > 0)
    share = np.where(seen, 1.0 - focus / np.where(seen, depth_m, 1.0), 1.0)
    return np.asarray(far * share, np.float32)


def apply_defocus(picture: RGBImage, alpha: Mask | None, radius: F32, blades: int = 0) -> tuple[RGBImage, Mask | None]:
    """A picture (h, w, 3), premultiplied where there is alpha (h, w), with the discs of its pixels (h, w).

    radius: px, negative before what is in focus. Discs have the corners of an aperture of three blades or more.
    """
    h, w = radius.shape
    radius = np.clip(radius, -LARGEST * w, LARGEST * w)
    kinds = np.where(np.abs(radius) < SHARP_PX, 0, np.sign(radius) * (1 + _kind(np.abs(radius)))).astype(np.int32)
    # how much of a pixel is known goes along, so that what is not can be filled
    known = np.ones((h, w, 1), np.float32)
    whole: F32 = np.concatenate([picture, known] if alpha is None else [picture, alpha[..., None], known], axis=2)
    out = np.zeros_like(whole)
    for kind in np.unique(kinds)[::-1]:
        mine = kinds == kind
        size = float(np.abs(radius[mine]).mean()) if kind else 0.0
        # where a surface goes on into the next nearer kind, nothing from behind it shines through between the two
        hides = mine | (kinds == kind - 1)
        there = np.flatnonzero(hides.any(axis=1))
        rows = slice(max(0, there[0] - math.ceil(size)), there[-1] + math.ceil(size) + 1)
        layer = np.dstack([whole[rows] * mine[rows, :, None], hides[rows].astype(np.float32)])
        if kind:
            layer = spread(layer, size, blades)
        out[rows] = layer[..., :-1] + (1 - layer[..., -1:]) * out[rows]
    known = np.maximum(out[..., -1:], np.float32(1e-6))
    if alpha is None:
        return out[..., :3] / known, None
    return out[..., :3] / known, out[..., 3] / known[..., 0]


def _kind(radius: F32) -> F32:
    return np.floor(np.log(np.maximum(radius, SHARP_PX) / SHARP_PX) / math.log(STEP))


def spread(layer: F32, radius: float, blades: int = 0) -> F32:
    """A layer (h, w, c) convolved with a disc of a radius in px, or a polygon with its corners on it.

    Nothing is lost but at the edges of the picture.
    """
    spans = disc_spans(radius, blades)
    area = float((spans[:, 1] - spans[:, 0]).sum())
    h, w, channels = layer.shape
    sums = np.zeros((h, w + 1, channels))
    np.cumsum(layer, axis=1, out=sums[:, 1:])
    rows = layer[..., -1].any(axis=1)
    out = np.zeros_like(layer)
    _gather(sums, rows, spans, 1.0 / area, out)
    return out


def disc_spans(radius: float, blades: int) -> F64:
    """From where to where a disc reaches, px, in each row about its middle (2 n + 1, 2)."""
    reach = math.ceil(radius)
    rows = np.arange(-reach, reach + 1, dtype=float)
    if blades < 3:
        half = np.sqrt(np.maximum(radius * radius - rows * rows, 0.0))
        return np.stack([-half, half], -1)
    corners = np.arange(blades + 1) * (2 * np.pi / blades) + np.pi / 2
    x, y = radius * np.cos(corners), radius * np.sin(corners)
    spans = np.zeros((len(rows), 2))
    for i, row in enumerate(rows):
        met = [
            x[k] + (row - y[k]) / (y[k + 1] - y[k]) * (x[k + 1] - x[k])
            for k in range(blades)
            if (y[k] - row) * (y[k + 1] - row) <= 0 and y[k] != y[k + 1]
        ]
        if met:
            spans[i] = min(met), max(met)
    return spans


@kernel
def _gather(sums, rows, spans, scale, out):
    """Sums over spans of rows, of which sums (h, w + 1, c) from their beginnings are given."""
    h, w, channels = out.shape
    reach = spans.shape[0] // 2
    for y in range(h):
        for k in range(2 * reach + 1):
            source = y + k - reach
            if source < 0 or source >= h or not rows[source] or spans[k, 1] <= spans[k, 0]:
                continue
            for x in range(w):
                # the middle of a pixel is half a pixel from where its sum begins
                left = min(max(x + 0.5 + spans[k, 0], 0.0), float(w))
                right = min(max(x + 0.5 + spans[k, 1], 0.0), float(w))
                i, j = min(int(left), w - 1), min(int(right), w - 1)
                a, b = left - i, right - j
                for c in range(channels):
                    low = sums[source, i, c] + a * (sums[source, i + 1, c] - sums[source, i, c])
                    high = sums[source, j, c] + b * (sums[source, j + 1, c] - sums[source, j, c])
                    out[y, x, c] += np.float32((high - low) * scale)
