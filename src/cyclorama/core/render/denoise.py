"""Denoising a film with Open Image Denoise, guided by albedo and normal."""

import numpy as np
import pyoidn

from ..arrays import RGBImage
from .film import Film

BORDER_PX = 12
"""The filter is weak at the border of its input (single bright or dark pixels stay); it gets this much mirrored
picture all round, which is cut off again."""


def denoise(film: Film, quality: str = "high", prefilter: bool = True, radiance: RGBImage | None = None) -> RGBImage:
    """Radiance (h, w, 3) without noise; the film is left as it is. quality: high, balanced or fast.

    `radiance` takes the place of the film's own, when it was worked on before. With `prefilter` the guides are
    cleaned first, as the library's documentation recommends for final frames.
    """
    noisy = film.radiance if radiance is None else radiance
    colour, albedo, normal = (_bordered(x) for x in (noisy, film.albedo, film.normal))
    # The filter is trained on values around 1; nit of a studio are thousands.
    scale = np.float32(1.0 / max(float(np.mean(colour)), 1e-6))
    if prefilter:
        albedo = pyoidn.denoise(albedo, quality=quality)
        normal = pyoidn.denoise(normal, quality=quality)
    clean = pyoidn.denoise(colour * scale, albedo, normal, hdr=True, clean_aux=prefilter, quality=quality)
    inside = slice(BORDER_PX, -BORDER_PX)
    return np.ascontiguousarray(clean[inside, inside] / scale, np.float32)


def _bordered(picture: RGBImage) -> RGBImage:
    return np.pad(picture, ((BORDER_PX, BORDER_PX), (BORDER_PX, BORDER_PX), (0, 0)), mode="symmetric")
