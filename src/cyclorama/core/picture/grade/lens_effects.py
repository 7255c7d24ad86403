"""Effects of lens, sensor and film on linear light (h, w, c) of a whole picture.

Lengths in pixels are those of the picture in its full size; `scale` is how much smaller this one is.
"""

import numpy as np
import scipy
from numpy.typing import NDArray

from ...arrays import Mask, RGBImage
from ...colour import LUMA32
from ...scene.grade import LensEffects
from .operators import stops_about_grey

F32 = NDArray[np.float32]
WAVELENGTHS = 7
"""Dispersion is the sum of so many pictures, from red to blue."""
GRAIN_RANGE = 4.0
"""Stops from middle grey at which grain is half as strong."""
STREAK_LENGTHS = 4.0
"""Beyond so many times their length streaks have nothing left to see."""
RAY_PX = 0.7
"""Half width of a ray."""


def through_lens(picture: RGBImage, alpha: Mask | None, lens: LensEffects, blades: int) -> tuple[RGBImage, Mask | None]:
    """The picture on the sensor: distorted, dispersed, scattered, darker in the corners; premultiplied where there is
    alpha, which is distorted along."""
    if lens.distortion or lens.dispersion:
        picture = distort_picture(picture, lens.distortion / 100, lens.dispersion / 1000)
        if alpha is not None and lens.distortion:
            h, w = alpha.shape
            alpha = _remapped(alpha, _places(h, w, lens.distortion / 100, 1.0))
    if lens.glare:
        picture = add_glare(picture, lens, blades)
    if lens.vignette:
        picture = np.asarray(picture * vignette(picture.shape[0], picture.shape[1], lens.vignette))
    return picture, alpha


def on_film(picture: RGBImage, lens: LensEffects, frame: int, scale: float) -> RGBImage:
    """The picture after the film: sharpened, grainy."""
    if lens.sharpen:
        picture = sharpen(picture, lens.sharpen / 100, lens.sharpen_px * scale)
    if lens.grain:
        picture = add_grain(picture, lens.grain / 100, lens.grain_px * scale, lens.grain_colour, frame)
    return picture


def distort_picture(picture: RGBImage, distortion: float, dispersion: float) -> RGBImage:
    """Places moved along the radius: by `distortion` · r² of it, r = 1 in the corners, and by wavelength.

    Red lies `dispersion` of its radius farther out than blue; each channel is the mean of the wavelengths that it sees,
    so that edges get a spectrum instead of three ghosts.
    """
    h, w = picture.shape[:2]
    if not dispersion:
        places = _places(h, w, distortion, 1.0)
        return np.stack([_remapped(picture[..., c], places) for c in range(3)], -1)
    out, total = np.zeros_like(picture), np.zeros(3, np.float32)
    for share in np.linspace(0.0, 1.0, WAVELENGTHS):
        places = _places(h, w, distortion, 1.0 + dispersion * (0.5 - share))
        seen = np.maximum(0.0, 1.0 - np.abs(2.0 * share - np.arange(3))).astype(np.float32)
        for c in np.flatnonzero(seen):
            out[..., c] += seen[c] * _remapped(picture[..., c], places)
        total += seen
    return out / total


def _places(h: int, w: int, distortion: float, larger: float) -> NDArray[np.float32]:
    """Rows and columns (2, h, w) from which a picture is taken that is `larger` and distorted."""
    y, x = np.meshgrid(
        np.arange(h, dtype=np.float32) - (h - 1) / 2, np.arange(w, dtype=np.float32) - (w - 1) / 2, indexing="ij"
    )
    r2 = (x * x + y * y) * np.float32(4.0 / ((h - 1) ** 2 + (w - 1) ** 2 or 1))
    inwards = (1.0 - np.float32(distortion) * r2) / np.float32(larger)
    return np.stack([y * inwards + (h - 1) / 2, x * inwards + (w - 1) / 2])


def _remapped(plane: F32, places: F32) -> F32:
    return np.asarray(scipy.ndimage.map_coordinates(plane, places, output=np.float32, order=1, mode="nearest"))


def add_glare(picture: RGBImage, lens: LensEffects, blades: int) -> RGBImage:
    """A share of light scattered around where it belongs; none is lost or won.

    Spread as 1 / (r² + a²)^1.5, the far field of scattering in glass and in the eye (the fall with r⁻³ of Stiles and
    Holladay's glare); its Fourier transform is exp(−a·k), so it is done by a cosine transform, at whose edges light is
    mirrored back. Half of it lies within √3·a. Streaks leave the edges of the aperture at right angles: as many rays as
    it has blades where they are even in number, twice as many where odd.
    """
    size = lens.glare_size / 100 * picture.shape[0]
    share = np.float32(lens.glare / 100)
    bright = np.maximum(picture - np.float32(lens.glare_above), 0) if lens.glare_above else picture
    spread = _spread_round(bright, size / np.sqrt(3.0))
    if lens.streaks and blades >= 3:
        spread += np.float32(lens.streaks) * (_spread_in_rays(bright, size, blades) - spread)
    return np.asarray(picture + share * (spread - bright), np.float32)


def _spread_round(picture: RGBImage, a: float) -> F32:
    h, w = picture.shape[:2]
    ky, kx = np.pi * np.arange(h) / h, np.pi * np.arange(w) / w
    kept = np.exp(-a * np.hypot(ky[:, None], kx[None, :])).astype(np.float32)[..., None]
    return np.maximum(scipy.fft.idctn(scipy.fft.dctn(picture, axes=(0, 1)) * kept, axes=(0, 1)), 0).astype(np.float32)


def _spread_in_rays(picture: RGBImage, length: float, blades: int) -> F32:
    """Along straight rays, falling as exp(−r / length)."""
    h, w = picture.shape[:2]
    reach = int(np.ceil(STREAK_LENGTHS * length))
    y, x = np.mgrid[-reach : reach + 1, -reach : reach + 1]
    lines = blades // 2 if blades % 2 == 0 else blades
    kernel = np.zeros(y.shape)
    for i in range(lines):
        angle = np.pi * (i + 0.5) / lines
        along, across = x * np.cos(angle) + y * np.sin(angle), y * np.cos(angle) - x * np.sin(angle)
        kernel += np.exp(-np.abs(along) / length - 0.5 * (across / RAY_PX) ** 2)
    kernel = (kernel / kernel.sum()).astype(np.float32)
    padded = np.pad(picture, ((reach, reach), (reach, reach), (0, 0)), mode="symmetric")
    spread = scipy.signal.fftconvolve(padded, kernel[..., None], mode="valid", axes=(0, 1))
    return np.maximum(spread.astype(np.float32), 0).reshape(h, w, 3)


def vignette(h: int, w: int, stops: float) -> F32:
    """Factors (h, w, 1): 2^(stops · r²), r = 1 in the corners."""
    y, x = (np.arange(h) + 0.5) / h * 2 - 1, (np.arange(w) + 0.5) / w * 2 - 1
    aspect = w / h
    r2 = (y[:, None] ** 2 + (x[None, :] * aspect) ** 2) / (1 + aspect * aspect)
    return np.exp2(stops * r2).astype(np.float32)[..., None]


def sharpen(picture: RGBImage, amount: float, sigma_px: float) -> RGBImage:
    """Unsharp masking of luminance in stops: dark edges never go below black, colours keep their hue."""
    stops = stops_about_grey(picture @ LUMA32)
    fine = stops - scipy.ndimage.gaussian_filter(stops, sigma_px, truncate=3.0)
    return picture * np.exp2(np.float32(amount) * fine)[..., None]


def add_grain(picture: RGBImage, amount: float, size_px: float, coloured: float, frame: int) -> RGBImage:
    """Light times 1 + amount · noise: of mean zero, the same for a frame each time, strongest at middle grey.

    `amount` is the standard deviation there. Where the noise is deeper than the light, black stays.
    """
    h, w = picture.shape[:2]
    draw = np.random.Generator(np.random.Philox(key=frame)).standard_normal
    shared = _speckle(draw((h, w), np.float32), size_px)
    each = [_speckle(draw((h, w), np.float32), size_px) for _ in range(3)] if coloured else []
    stops = stops_about_grey(picture @ LUMA32)
    strength = np.float32(amount) / (1 + (stops / np.float32(GRAIN_RANGE)) ** 2)
    out = np.empty_like(picture)
    for c in range(3):
        noise = (
            shared if not coloured else np.float32(np.sqrt(1 - coloured**2)) * shared + np.float32(coloured) * each[c]
        )
        out[..., c] = picture[..., c] * np.maximum(1 + strength * noise, 0)
    return out


def _speckle(noise: F32, size_px: float) -> F32:
    """Noise (h, w) in specks of a size, of mean 0 and variance 1."""
    soft = scipy.ndimage.gaussian_filter(noise, size_px / 2, mode="wrap", truncate=3.0) if size_px > 0.6 else noise
    soft = soft - soft.mean()
    return np.asarray(soft / max(float(soft.std()), 1e-6), np.float32)
