"""Bringing a picture to a reference: exposure by the median of light, white by the mean colour of what is neither dark
nor burnt (grey world: Buchsbaum, "A spatial processor model for object colour perception", 1980)."""

import numpy as np

from ..arrays import RGBImage
from ..colour import LUMA32
from ..colour_temperature import white_balance_rgb, white_of
from ..errors import ShootError
from ..scene import Grade
from ..scene.grade import MOST_STOPS
from ..textures import srgb_to_linear_table

DARK, BURNT = 0.02, 0.9
"""Linear light between which a pixel tells something."""
LEAST = 0.02
"""Share of a picture that has to."""


def match_reference(grade: Grade, shown: RGBImage, reference: RGBImage) -> tuple[Grade, str]:
    """A grade with exposure and white so that a picture (h, w, 3), shown through it, is like a reference; and what was
    done. Both in display values 0…1. Raises ShootError where a picture is too dark or too bright to tell.
    """
    (here, colour), (there, wanted) = (_told(p, what) for p, what in ((shown, "frame"), (reference, "reference")))
    stops = float(np.log2(there / here))
    now = (
        white_balance_rgb(grade.white_k, grade.white_tint) if (grade.white_k, grade.white_tint) != (5600.0, 0.0) else 1
    )
    change = wanted / colour
    white = white_of(1.0 / np.maximum(now * change / change[1], 1e-3))
    new_stops = round(grade.exposure_stops + stops, 2)
    values: dict[str, float] = {"exposure_stops": min(max(new_stops, -MOST_STOPS), MOST_STOPS)}
    said = f"Exposure {stops:+.2f} stops"
    if white is None:
        said += "; no white balance brings its colour here, so that stays"
    else:
        values |= {"white_k": float(round(white[0])), "white_tint": round(white[1], 3)}
        said += f", white {values['white_k']:.0f} K, tint {values['white_tint']:+.2f}"
    return Grade.model_validate(grade.model_dump() | values), said + "."


def _told(picture: RGBImage, what: str) -> tuple[float, np.ndarray]:
    """Median luminance and mean colour (3,) of what tells something."""
    linear = srgb_to_linear_table()[(np.clip(picture, 0, 1) * 255 + 0.5).astype(np.uint8)].reshape(-1, 3)
    luminance = linear @ LUMA32
    tells = (luminance > DARK) & (linear.max(axis=1) < BURNT)
    if tells.mean() < LEAST:
        raise ShootError(f"The {what} is too dark or too bright to be matched.")
    colour = linear[tells].mean(axis=0).astype(np.float64)
    return float(np.median(luminance[tells])), colour / colour[1]
