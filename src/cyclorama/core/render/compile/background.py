"""Background behind items and set: added after rendering, by what the film leaves uncovered."""

from collections.abc import Callable

import numpy as np
import scipy
from numpy.typing import NDArray

from ...arrays import Mask, Mat4, RGBImage
from ...framing import Projection
from ...light.environment import environment_turn
from ...motion import Moment
from ...picture.backdrop import colours
from ...picture.exposure import exposure_scale
from ...scene.light import BASE_ENVIRONMENT_NIT
from ..trace.camera_rays import lens_falloff


def with_background(radiance: RGBImage, alpha: Mask, background: RGBImage) -> RGBImage:
    """The picture over its background, both in nit."""
    return np.asarray(radiance + (1.0 - alpha[..., None]) * background, np.float32)


def background_of(
    moment: Moment, width: int, height: int, picture: Callable[[], RGBImage], surroundings: Callable[[], RGBImage]
) -> RGBImage:
    """The background (height, width, 3) in nit; black where the tracer itself shows the environment.

    Colours and pictures are what the look shows at its exposure, so that they keep their brightness when it changes.
    `picture` gives its own one as `fitted` makes it, `surroundings` the environment's pixels, blurred.
    """
    behind = _behind(moment, width, height, picture, surroundings)
    vignette = moment.camera.vignette
    if vignette > 0:
        share = lens_falloff.py_func(*_directions(moment, width, height), vignette)  # type: ignore[attr-defined]
        behind = np.asarray(behind * share[..., None], np.float32)
    return behind


def _behind(
    moment: Moment, width: int, height: int, picture: Callable[[], RGBImage], surroundings: Callable[[], RGBImage]
) -> RGBImage:
    b = moment.look.background
    if b.kind == "environment":
        return _surroundings(moment, width, height, surroundings())
    if moment.look.environment.seen_by_camera and moment.look.environment_lit:
        return np.zeros((height, width, 3), np.float32)
    if b.kind == "picture" and b.picture:
        shown = picture()
    else:
        shown = colours(b, width, height)
    return np.asarray(shown / exposure_scale(moment.look.tone), np.float32)


def _directions(moment: Moment, width: int, height: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Tangents (height, width) of what the middles of pixels see."""
    lens = Projection.of(moment.camera, width, height)
    x = ((np.arange(width) + 0.5) / width * 2 - 1) * lens.half_w
    y = (1 - (np.arange(height) + 0.5) / height * 2) * lens.half_h
    return lens.rays(*np.broadcast_arrays(x[None, :], y[:, None]))


def _surroundings(moment: Moment, width: int, height: int, pixels: RGBImage) -> RGBImage:
    """The environment behind everything as the camera sees it while the shutter is open."""
    d = np.stack(np.broadcast_arrays(*_directions(moment, width, height), -1.0), axis=-1)
    d /= np.linalg.norm(d, axis=-1, keepdims=True)
    env, shutter = moment.look.environment, _while_open(moment, width)
    total = np.zeros((height, width, 3), np.float32)
    for camera, travelled in shutter:
        turn = environment_turn(np.radians(env.rotation_deg + travelled), np.radians(env.tilt_deg))
        total += _seen(pixels, d @ (camera[:3, :3].T @ turn))
    unit = 1.0 if env.kind == "sky" else BASE_ENVIRONMENT_NIT
    return np.asarray(total * (unit * 2.0**env.strength_stops / len(shutter)), np.float32)


def _while_open(moment: Moment, width: int) -> list[tuple[Mat4, float]]:
    """Cameras and turns of the surroundings (°) while the shutter is open: one where nothing travels, else one for each
    two pixels that the surroundings move, within reason."""
    poses = moment.shutter
    cameras, turns = poses.cameras[[0, -1], :3, :3], poses.environment_deg
    camera = np.degrees(np.arccos(np.clip((cameras[0] * cameras[1]).sum() / 2 - 0.5, -1, 1)))
    moved_deg = float(camera) + abs(float(np.ptp(turns)))
    if len(poses) == 1 or moved_deg < 1e-4:
        return [(moment.around.cameras[0], float(moment.around.environment_deg[0]))]
    across_deg = 2 * np.degrees(np.arctan(Projection.of(moment.camera, width, width).half_w))
    times = np.linspace(0, 1, int(np.clip(moved_deg / across_deg * width / 2, 3, 65)))
    known = np.linspace(0, 1, len(poses))
    looks = scipy.spatial.transform.Rotation.from_matrix(poses.cameras[:, :3, :3])
    between = scipy.spatial.transform.Slerp(known, looks)(times).as_matrix()
    found = np.tile(np.eye(4), (len(times), 1, 1))
    found[:, :3, :3] = between
    return list(zip(found, np.interp(times, known, turns).tolist(), strict=True))


def _seen(pixels: RGBImage, d: NDArray[np.float64]) -> RGBImage:
    """The environment's pixels in unit directions (…, 3) of its own space."""
    h, w = pixels.shape[:2]
    u = (0.5 + np.arctan2(d[..., 0], -d[..., 2]) / (2 * np.pi)) * w - 0.5
    v = np.arccos(np.clip(d[..., 1], -1, 1)) / np.pi * h - 0.5
    x0, y0 = np.floor(u).astype(int), np.floor(v).astype(int)
    fx, fy = (u - x0)[..., None], (v - y0)[..., None]
    ya, yb = np.clip(y0, 0, h - 1), np.clip(y0 + 1, 0, h - 1)
    top = pixels[ya, x0 % w] * (1 - fx) + pixels[ya, (x0 + 1) % w] * fx
    low = pixels[yb, x0 % w] * (1 - fx) + pixels[yb, (x0 + 1) % w] * fx
    return np.asarray(top * (1 - fy) + low * fy, np.float32)


def blur_background(pixels: RGBImage, blur: float) -> RGBImage:
    """Smeared over up to 20° round every direction; wider towards the poles, as the projection stretches there."""
    if blur <= 0:
        return pixels
    h, w = pixels.shape[:2]
    sigma = blur * blur * h / 9
    f = np.fft.rfftfreq(w)
    rows = np.fft.rfft(pixels, axis=1)
    stretch = 1 / np.maximum(np.sin((np.arange(h) + 0.5) / h * np.pi), 0.05)
    rows *= np.exp(-2 * (np.pi * f[None, :] * sigma * stretch[:, None]) ** 2)[..., None]
    spread = np.fft.irfft(rows, w, axis=1)
    reach = max(1, int(3 * sigma))
    kernel = np.exp(-0.5 * (np.arange(-reach, reach + 1) / max(sigma, 1e-6)) ** 2)
    kernel /= kernel.sum()
    padded = np.pad(spread, ((reach, reach), (0, 0), (0, 0)), mode="symmetric")
    return np.asarray(sum(k * padded[i : i + h] for i, k in enumerate(kernel)), np.float32)
