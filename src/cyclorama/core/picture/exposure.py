"""From radiance to the value the sensor records."""

import numpy as np

from ..arrays import Mask, RGBImage
from ..colour import LUMA32
from ..colour_temperature import white_balance_rgb
from ..scene import Tone

MIDDLE_GREY = 0.18
BURNT = 0.1
"""Share of the subject that metering lets burn out: highlights of what is glossy, and lamps."""


def exposure_scale(tone: Tone) -> float:
    """Factor from nit to scene-linear picture values.

    1 / (1.2 · 2^EV100) is the luminance that saturates the sensor by the saturation-based speed of
    ISO 12232 (Lagarde and de Rousiers, "Moving Frostbite to PBR", 2014, section 5.1.2).
    """
    return float(2.0 ** (tone.offset_stops - tone.ev100) / 1.2)


def expose(radiance: RGBImage, tone: Tone) -> RGBImage:
    """Scene-linear values from radiance (h, w, 3) in nit, white-balanced."""
    factors = exposure_scale(tone) * np.ones(3)
    if tone.white_k != 5600.0 or tone.white_tint != 0.0:
        factors = factors * white_balance_rgb(tone.white_k, tone.white_tint)
    return radiance * factors.astype(np.float32)


def meter_ev100(radiance: list[RGBImage], subject: list[Mask], albedo: list[RGBImage]) -> float | None:
    """EV100 for a subject in one or more pictures; None when it is black or absent.

    The subject becomes middle grey in the mean, or as much lighter as its albedo is: white things stay white, dark
    ones are seen. The mean is taken halfway between logarithmic (what the eye calls even) and linear (what burns out
    first), and no more than BURNT of the subject saturates the sensor.
    """
    seen = [mask > 0.5 for mask in subject]
    lit = np.concatenate([(picture @ LUMA32)[where] for picture, where in zip(radiance, seen, strict=True)])
    light = np.concatenate([(colour @ LUMA32)[where] for colour, where in zip(albedo, seen, strict=True)])
    told = np.isfinite(lit)
    lit, light = lit[told], np.clip(light[told], MIDDLE_GREY, 1.0)
    if len(lit) == 0 or lit.max() <= 0:
        return None
    grey = lit * (MIDDLE_GREY / light)
    log_mean = np.exp(np.mean(np.log(np.maximum(grey, grey.max() * 1e-4))))
    mean = np.sqrt(log_mean * grey.mean())
    brightest = np.quantile(lit, 1.0 - BURNT)
    return float(np.log2(max(mean / MIDDLE_GREY, brightest) / 1.2))
