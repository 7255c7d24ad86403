"""Colours as the eye orders them: OKLab by Björn Ottosson ("A perceptual color space for image processing", 2020),
and as lightness, chroma and hue.

Linear Rec.709 of a display is within 0…1; where a colour is beyond, its chroma is lowered until it is there, at its
lightness and hue (CSS Color Module Level 4, section 13.2, without its last step of clipping).
"""

import numpy as np
from numpy.typing import NDArray

F64 = NDArray[np.float64]
TO_CONES = np.array(
    [
        [0.4122214708, 0.5363325363, 0.0514459929],
        [0.2119034982, 0.6806995451, 0.1073969566],
        [0.0883024619, 0.2817188376, 0.6299787005],
    ]
)
TO_LAB = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]
)
FROM_CONES, FROM_LAB = np.linalg.inv(TO_CONES), np.linalg.inv(TO_LAB)
MOST_CHROMA = 0.33
"""No colour of a display has more: that of its blue is 0.313, of its magenta 0.323."""
SLACK = 1e-5
"""So far beyond 0…1 a colour is still counted as one that a display can show."""
_HALVINGS = 20


def oklab_of(rgb: F64) -> F64:
    """OKLab (…, 3) of linear Rec.709 (…, 3)."""
    return np.asarray(np.cbrt(np.asarray(rgb, np.float64) @ TO_CONES.T) @ TO_LAB.T)


def rgb_of_oklab(lab: F64) -> F64:
    """Linear Rec.709 (…, 3) of OKLab (…, 3); beyond 0…1 where no display can show it."""
    return np.asarray((np.asarray(lab, np.float64) @ FROM_LAB.T) ** 3 @ FROM_CONES.T)


def oklch_of(rgb: F64) -> F64:
    """Lightness 0…1, chroma and hue in degrees 0…360 (…, 3) of linear Rec.709 (…, 3)."""
    lab = oklab_of(rgb)
    hue = np.degrees(np.arctan2(lab[..., 2], lab[..., 1])) % 360.0
    return np.stack([lab[..., 0], np.hypot(lab[..., 1], lab[..., 2]), hue], -1)


def rgb_of_oklch(lch: F64) -> F64:
    """Linear Rec.709 (…, 3) of lightness, chroma and hue in degrees (…, 3)."""
    lch = np.asarray(lch, np.float64)
    hue = np.radians(lch[..., 2])
    return rgb_of_oklab(np.stack([lch[..., 0], lch[..., 1] * np.cos(hue), lch[..., 1] * np.sin(hue)], -1))


def can_be_shown(rgb: F64) -> NDArray[np.bool_]:
    """True when a display of Rec.709 can show colours (…, 3), (…)."""
    return np.asarray(((rgb >= -SLACK) & (rgb <= 1.0 + SLACK)).all(axis=-1))


def nearest_shown(lch: F64) -> F64:
    """Linear Rec.709 (3,) 0…1 of the colour (3,) with as much of its chroma as a display can show."""
    lightness, chroma, hue = (float(x) for x in lch)
    low, high = 0.0, max(chroma, 0.0)
    if not can_be_shown(rgb_of_oklch(np.array([lightness, high, hue]))):
        for _ in range(_HALVINGS):
            middle = (low + high) / 2.0
            fits = can_be_shown(rgb_of_oklch(np.array([lightness, middle, hue])))
            low, high = (middle, high) if fits else (low, middle)
        high = low
    return np.clip(rgb_of_oklch(np.array([lightness, high, hue])), 0.0, 1.0)


def plane(hue_deg: float, width: int, height: int) -> tuple[F64, NDArray[np.bool_]]:
    """All colours of a hue, linear Rec.709 (h, w, 3): lightness grows upwards, chroma to the right; and which of them a
    display can show (h, w)."""
    lightness = 1.0 - (np.arange(height) + 0.5) / height
    chroma = MOST_CHROMA * (np.arange(width) + 0.5) / width
    lch = np.empty((height, width, 3))
    lch[..., 0], lch[..., 1], lch[..., 2] = lightness[:, None], chroma, hue_deg
    rgb = rgb_of_oklch(lch)
    return np.clip(rgb, 0.0, 1.0), can_be_shown(rgb)


def main_colours(rgb: F64, count: int) -> F64:
    """The colours (count or fewer, 3) that a picture (n, 3), linear Rec.709, is made of, the most frequent first.

    k-means in OKLab, begun with the places that are farthest from each other (Gonzalez, "Clustering to minimize the
    maximum intercluster distance", 1985), so that small accents are found and the same picture gives the same colours.
    """
    lab = oklab_of(np.clip(rgb, 0.0, 1.0))
    centres = [lab.mean(axis=0)]
    away = np.linalg.norm(lab - centres[0], axis=1)
    centres[0] = lab[int(away.argmin())]
    away = np.linalg.norm(lab - centres[0], axis=1)
    while len(centres) < count and away.max() > 0.02:
        centres.append(lab[int(away.argmax())])
        away = np.minimum(away, np.linalg.norm(lab - centres[-1], axis=1))
    middle = np.array(centres)
    for _ in range(12):
        nearest = np.linalg.norm(lab[:, None] - middle, axis=2).argmin(axis=1)
        middle = np.array([lab[nearest == k].mean(axis=0) if (nearest == k).any() else m for k, m in enumerate(middle)])
    shares = np.bincount(nearest, minlength=len(middle))
    return np.clip(rgb_of_oklab(middle[np.argsort(-shares, kind="stable")]), 0.0, 1.0)
