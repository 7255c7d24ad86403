"""Daylight without a picture: the sky's luminance and colour around a sun.

Source: Preetham, Shirley and Smits, "A Practical Analytic Model for Daylight", SIGGRAPH 1999, appendix A.2 (sky
luminance and chromaticity). Valid for turbidities of about 2 to 6; below the horizon the ground is even.
The sun's illuminance after the air: their direct-beam reduction by a single optical depth per turbidity is simpler
here, with the standard extraterrestrial 128 000 lx and the air mass of Kasten and Young, Applied Optics 28, 1989.
"""

import math

import numpy as np

from ..arrays import RGBImage, Vec3
from ..colour import XYZ_TO_REC709
from ..scene import Light, Look, Sky
from ..scene.writing import derive
from .clouds import passing

ROWS, COLUMNS = 128, 256
FINE = 4
"""With clouds it has so many times as many rows."""
FORWARD = 0.35
"""Share of the sun's light that a cloud in front of it scatters towards whoever looks."""
EXTRATERRESTRIAL_LX = 128_000.0

_Y = np.array([[0.1787, -1.4630], [-0.3554, 0.4275], [-0.0227, 5.3251], [0.1206, -2.5771], [-0.0670, 0.3703]])
_X = np.array([[-0.0193, -0.2592], [-0.0665, 0.0008], [-0.0004, 0.2125], [-0.0641, -0.8989], [-0.0033, 0.0452]])
_YY = np.array([[-0.0167, -0.2608], [-0.0950, 0.0092], [-0.0079, 0.2102], [-0.0441, -1.6537], [-0.0109, 0.0529]])
_XZ = np.array(
    [[0.00166, -0.00375, 0.00209, 0.0], [-0.02903, 0.06377, -0.03202, 0.00394], [0.11693, -0.21196, 0.06052, 0.25886]]
)
_YZ = np.array(
    [[0.00275, -0.00610, 0.00317, 0.0], [-0.04214, 0.08970, -0.04153, 0.00516], [0.15346, -0.26756, 0.06670, 0.26688]]
)


def sun_direction(sky: Sky) -> Vec3:
    """Unit vector towards the sun."""
    a, e = math.radians(sky.sun_azimuth_deg), math.radians(sky.sun_elevation_deg)
    return np.array([math.sin(a) * math.cos(e), math.sin(e), math.cos(a) * math.cos(e)])


def sun_illuminance_lx(sky: Sky) -> float:
    """Illuminance of the sun on a surface that faces it."""
    e = max(sky.sun_elevation_deg, 0.0)
    air_mass = 1.0 / (math.sin(math.radians(e)) + 0.50572 * (e + 6.07995) ** -1.6364)
    clear = EXTRATERRESTRIAL_LX * math.exp(-0.05 * (sky.turbidity + 1.0) * air_mass)
    return clear * float(passing(sky, sun_direction(sky)))


def sun_temperature_k(sky: Sky) -> float:
    """Colour of the sun: yellower the more air it passes, after tables of daylight by elevation."""
    return float(np.interp(sky.sun_elevation_deg, [0, 5, 15, 30, 60, 90], [2200, 3000, 4200, 5000, 5500, 5700]))


def _perez(c: np.ndarray, cos_theta: np.ndarray, gamma: np.ndarray, cos_gamma: np.ndarray) -> np.ndarray:
    a, b, cc, d, e = c
    return (1 + a * np.exp(b / cos_theta)) * (1 + cc * np.exp(d * gamma) + e * cos_gamma**2)


def sky_picture(sky: Sky) -> RGBImage:
    """The sky as an equirectangular picture (ROWS, COLUMNS, 3) in nit, sun itself left out."""
    t = sky.turbidity
    theta_s = math.radians(90 - max(sky.sun_elevation_deg, 0.5))
    rows, columns = (ROWS, COLUMNS) if sky.clouds <= 0 else (FINE * ROWS, FINE * COLUMNS)
    v = (np.arange(rows) + 0.5) / rows * math.pi
    u = ((np.arange(columns) + 0.5) / columns - 0.5) * 2 * math.pi
    phi, theta = np.meshgrid(u, v)
    d = np.stack([np.sin(theta) * np.sin(phi), np.cos(theta), -np.sin(theta) * np.cos(phi)], axis=-1)
    cos_gamma = np.clip(d @ sun_direction(sky), -1, 1)
    gamma = np.arccos(cos_gamma)
    cos_theta = np.maximum(d[..., 1], 0.01)
    chi = (4 / 9 - t / 120) * (math.pi - 2 * theta_s)
    zenith_nit = max(((4.0453 * t - 4.9710) * math.tan(chi) - 0.2155 * t + 2.4192) * 1000, 100.0)
    powers = np.array([theta_s**3, theta_s**2, theta_s, 1.0])
    squares = np.array([t * t, t, 1.0])
    zenith = (zenith_nit, float(squares @ (_XZ @ powers)), float(squares @ (_YZ @ powers)))
    channels = []
    for table, value in zip((_Y, _X, _YY), zenith, strict=True):
        c = table @ np.array([t, 1.0])
        at_zenith = _perez(c, np.array(1.0), np.array(theta_s), np.array(math.cos(theta_s)))
        channels.append(value * _perez(c, cos_theta, gamma, cos_gamma) / at_zenith)
    luminance, x, y = channels
    xyz = np.stack([x / y * luminance, luminance, (1 - x - y) / y * luminance], axis=-1)
    picture = np.maximum(xyz @ XYZ_TO_REC709.T, 0.0)
    if sky.clouds > 0:
        picture = _clouded(sky, picture, d, theta_s)
    above = slice(0, rows // 2)
    from_sky = float((picture[above].mean(axis=2) * np.cos(theta[above]) * np.sin(theta[above])).mean())
    lit = sun_illuminance_lx(sky) * math.cos(theta_s) * sky.sun + from_sky * math.pi**2
    picture[rows // 2 :] = np.array(sky.ground) * lit / math.pi
    return np.asarray(picture, np.float32)


def _clouded(sky: Sky, picture: np.ndarray, d: np.ndarray, theta_s: float) -> np.ndarray:
    """The sky behind its clouds: these scatter the sky's mean light, and towards the sun the sun's."""
    through = passing(sky, d)[..., None]
    upper = d[..., 1] > 0.0
    grey = picture[upper].mean(axis=0).mean() * np.ones(3)
    clear = derive(sky, clouds=0.0)
    glow = sun_illuminance_lx(clear) * sky.sun * math.cos(theta_s) / math.pi
    cos_gamma = np.clip(d @ sun_direction(sky), -1.0, 1.0)[..., None]
    lit = grey * (0.5 + 0.5 * through**0.25)  # thick ones are darker below
    bright = lit + glow * (0.12 + FORWARD * np.exp(-6.0 * (1.0 - cos_gamma))) * through**0.35
    return np.asarray(picture * through + bright * (1.0 - through))


SUN_OF_SKY = "sky-sun"
"""Id of the light that the sky model adds."""


def shining(look: Look) -> tuple[Light, ...]:
    """The lights that shine, the sky's sun last: the order of everything that is kept for each of them."""
    return look.lit_lights + _sun_of(look)


def _sun_of(look: Look) -> tuple[Light, ...]:
    """The sun of the sky model as a light, when it shines."""
    sky = look.environment.sky
    if not (look.environment_lit and look.environment.kind == "sky" and sky.sun and sky.sun_elevation_deg > 0):
        return ()
    stops = look.environment.strength_stops
    return (
        Light(
            id=SUN_OF_SKY,
            name="Sun",
            shape="sun",
            azimuth_deg=sky.sun_azimuth_deg,
            elevation_deg=min(sky.sun_elevation_deg, 89),
            power=sun_illuminance_lx(sky),
            power_unit="lx",
            strength_stops=stops,
            temperature_k=sun_temperature_k(sky),
        ),
    )
