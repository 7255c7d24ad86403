"""Interference colours of a thin film on a surface, computed by wavelength.

Reflectance by Airy's sum over all inner reflections for both polarisations (Born and Wolf, "Principles of Optics",
7th edition, section 7.6), integrated over the CIE 1931 observer (analytic fits of Wyman, Sloan and Shirley, JCGT
2(2), 2013) under equal energy, expressed so that a colourless reflectance keeps its value.
"""

import numpy as np
from numpy.typing import NDArray

from ..colour import XYZ_TO_REC709
from ..kernel import device
from ..scene import Material

THIN_FILM_STEPS, THIN_FILM_ANGLES = 64, 48
THICKEST_NM = 2000.0


def _lobe(x: NDArray[np.float64], height: float, centre: float, left: float, right: float) -> NDArray[np.float64]:
    return height * np.exp(-0.5 * ((x - centre) * np.where(x < centre, left, right)) ** 2)


def colour_matching(wavelength_nm: NDArray[np.float64]) -> NDArray[np.float64]:
    """CIE 1931 x̄ȳz̄, (n, 3)."""
    w = wavelength_nm
    x = (
        _lobe(w, 0.362, 442.0, 0.0624, 0.0374)
        + _lobe(w, 1.056, 599.8, 0.0264, 0.0323)
        + _lobe(w, -0.065, 501.1, 0.0490, 0.0382)
    )
    y = _lobe(w, 0.821, 568.8, 0.0213, 0.0247) + _lobe(w, 0.286, 530.9, 0.0613, 0.0322)
    z = _lobe(w, 1.217, 437.0, 0.0845, 0.0278) + _lobe(w, 0.681, 459.0, 0.0385, 0.0725)
    return np.stack([x, y, z], axis=1)


def thin_film_reflectance(
    cos_i: NDArray[np.float64],
    thickness_nm: NDArray[np.float64],
    film_ior: float,
    base_ior: float,
    wavelength_nm: NDArray[np.float64],
) -> NDArray[np.float64]:
    """Unpolarised reflectance of a film on a base, both in air; the three arrays are broadcast together."""
    sin2 = 1.0 - cos_i**2
    cos_f = np.sqrt(1.0 - sin2 / film_ior**2 + 0j)
    cos_b = np.sqrt(1.0 - sin2 / base_ior**2 + 0j)
    phase = np.exp(2j * (2 * np.pi * film_ior * thickness_nm * cos_f / wavelength_nm))
    total = np.zeros(phase.shape)
    for s_polarised in (True, False):
        if s_polarised:
            r1 = (cos_i - film_ior * cos_f) / (cos_i + film_ior * cos_f)
            r2 = (film_ior * cos_f - base_ior * cos_b) / (film_ior * cos_f + base_ior * cos_b)
        else:
            r1 = (film_ior * cos_i - cos_f) / (film_ior * cos_i + cos_f)
            r2 = (base_ior * cos_f - film_ior * cos_b) / (base_ior * cos_f + film_ior * cos_b)
        amplitude = (r1 + r2 * phase) / (1.0 + r1 * r2 * phase)
        total += 0.5 * np.abs(amplitude) ** 2
    return total


def thin_film_table(material: Material) -> NDArray[np.float32]:
    """Reflectance (THIN_FILM_STEPS, THIN_FILM_ANGLES, 3) over thickness 0…2000 nm and cosine of incidence 0…1.

    A metal's index is taken real and as high as its reflectance at normal incidence asks, channel by channel.
    """
    wavelengths = np.arange(390.0, 731.0, 10.0)
    to_rgb = colour_matching(wavelengths) @ XYZ_TO_REC709.T
    # equal energy is not the white point of Rec.709; scaled so that a flat reflectance stays colourless
    to_rgb /= to_rgb.sum(axis=0)
    cos_i = np.maximum(np.linspace(0.0, 1.0, THIN_FILM_ANGLES), 1e-3)[None, :, None]
    thickness = np.linspace(0.0, THICKEST_NM, THIN_FILM_STEPS)[:, None, None]
    table = np.zeros((THIN_FILM_STEPS, THIN_FILM_ANGLES, 3))
    for ior in set(iors := _base_iors(material)):
        spectrum = thin_film_reflectance(cos_i, thickness, material.thin_film_ior, ior, wavelengths)
        same = [c for c in range(3) if iors[c] == ior]
        table[..., same] = spectrum @ to_rgb[:, same]
    return np.asarray(np.clip(table, 0.0, 1.0), np.float32)


def _base_iors(m: Material) -> list[float]:
    if m.base_metalness < 0.5:
        return [max(m.specular_ior, 1.0001)] * 3
    roots = [float(np.sqrt(min(max(c * m.base_weight, 0.02), 0.98))) for c in m.base_color]
    return [(1 + r) / (1 - r) for r in roots]


@device
def thin_film_lookup(films, table, thickness_nm, cos_i):
    """Reflectance (3,) by interpolation."""
    x = min(max(thickness_nm / THICKEST_NM, 0.0), 1.0) * (THIN_FILM_STEPS - 1)
    y = min(max(cos_i, 0.0), 1.0) * (THIN_FILM_ANGLES - 1)
    i, j = min(int(x), THIN_FILM_STEPS - 2), min(int(y), THIN_FILM_ANGLES - 2)
    fx, fy = x - i, y - j
    wa, wb, wc, wd = (1 - fx) * (1 - fy), (1 - fx) * fy, fx * (1 - fy), fx * fy
    t = films[int(table)]
    return (
        wa * t[i, j, 0] + wb * t[i, j + 1, 0] + wc * t[i + 1, j, 0] + wd * t[i + 1, j + 1, 0],
        wa * t[i, j, 1] + wb * t[i, j + 1, 1] + wc * t[i + 1, j, 1] + wd * t[i + 1, j + 1, 1],
        wa * t[i, j, 2] + wb * t[i, j + 1, 2] + wc * t[i + 1, j, 2] + wd * t[i + 1, j + 1, 2],
    )
