"""From radiance to the value the sensor records."""

import numpy as np

from ..arrays import Mask, RGBImage
from ..scene import Look

MIDDLE_GREY = 0.18


def exposure_scale(look: Look) -> float:
    """Factor from nit to scene-linear picture values.

    1 / (1.2 · 2^EV100) is the luminance that saturates the sensor by the saturation-based speed of
    ISO 12232 (Lagarde and de Rousiers, "Moving Frostbite to PBR", 2014, section 5.1.2).
    """
    return float(2.0 ** (look.offset_stops - look.ev100) / 1.2)


def expose(radiance: RGBImage, look: Look) -> RGBImage:
    """Scene-linear values from radiance (h, w, 3) in nit."""
    return radiance * np.float32(exposure_scale(look))


def meter_ev100(radiance: list[RGBImage], subject: list[Mask], target: float = MIDDLE_GREY) -> float | None:
    """EV100 at which the subject's mean luminance becomes middle grey; None when the subject is black or absent.

    The mean is taken halfway between logarithmic (what the eye calls even) and linear (what burns out first).
    """
    values = []
    for picture, mask in zip(radiance, subject, strict=True):
        luminance = picture @ np.array([0.2126, 0.7152, 0.0722], np.float32)
        values.append(luminance[mask > 0.5])
    lit = np.concatenate(values) if values else np.zeros(0)
    lit = lit[np.isfinite(lit)]
    if len(lit) == 0 or lit.max() <= 0:
        return None
    log_mean = np.exp(np.mean(np.log(np.maximum(lit, lit.max() * 1e-4))))
    mean = np.sqrt(log_mean * lit.mean())
    return float(np.log2(mean / (1.2 * target)))
