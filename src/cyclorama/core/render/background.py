"""What is seen behind subject and set: added after rendering, by what the film leaves uncovered."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageFilter

from ..arrays import Mask, RGBImage
from ..framing import Projection
from ..motion import shutter_poses
from ..picture.decode import decode_picture
from ..picture.exposure import exposure_scale, shown_look
from ..scene import Background, Project
from ..scene.light import BASE_ENVIRONMENT_NIT
from ..textures import srgb_to_linear_table
from .camera_rays import lens_falloff
from .lights import environment_turn


def with_background(radiance: RGBImage, alpha: Mask, background: RGBImage) -> RGBImage:
    """The picture over its background, both in nit."""
    return np.asarray(radiance + (1.0 - alpha[..., None]) * background, np.float32)


def background_of(
    project: Project, frame: int, width: int, height: int, picture: Callable[[], RGBImage],
    surroundings: Callable[[], RGBImage],
) -> RGBImage:  # fmt: skip
    """The background (height, width, 3) in nit; black where the tracer itself shows the environment.

    Colours and pictures are what the look shows at its exposure, so that they keep their brightness when it changes.
    `picture` gives its own one as `fitted` makes it, `surroundings` the environment's pixels, blurred.
    """
    behind = _behind(project, frame, width, height, picture, surroundings)
    vignette = project.camera.vignette
    if vignette > 0:
        share = lens_falloff.py_func(*_directions(project, width, height), vignette)  # type: ignore[attr-defined]
        behind = np.asarray(behind * share[..., None], np.float32)
    return behind


def _behind(
    project: Project, frame: int, width: int, height: int, picture: Callable[[], RGBImage],
    surroundings: Callable[[], RGBImage],
) -> RGBImage:  # fmt: skip
    b = project.environment.background
    if b.kind == "environment":
        return _surroundings(project, frame, width, height, surroundings())
    if project.environment.seen_by_camera and project.environment_lit:
        return np.zeros((height, width, 3), np.float32)
    if b.kind == "picture" and b.picture:
        shown = picture()
    else:
        shown = _colours(b, width, height)
    return np.asarray(shown / exposure_scale(shown_look(project)), np.float32)


def _colours(b: Background, width: int, height: int) -> RGBImage:
    low, high = np.array(b.colour), np.array(b.second)
    if b.kind == "vertical":
        t = ((height - 0.5 - np.arange(height)) / height)[:, None] * np.ones(width)
    elif b.kind == "radial":
        y, x = np.mgrid[0:height, 0:width]
        t = 1 - np.hypot(x + 0.5 - width / 2, y + 0.5 - height / 2) / (0.5 * np.hypot(width, height))
        t = t * t * (3 - 2 * t)
    else:
        return np.broadcast_to(low, (height, width, 3)).astype(np.float32)
    return np.asarray(low + t[..., None] * (high - low), np.float32)


def fitted(data: bytes, b: Background, width: int, height: int) -> RGBImage:
    """The picture cut to the frame's shape and scaled, blurred if asked for, in linear light."""
    pixels = decode_picture(data, b.source_name or "background")[..., :3]
    h, w = pixels.shape[:2]
    scale = max(width / w, height / h)
    image = Image.fromarray(pixels).resize((max(width, round(w * scale)), max(height, round(h * scale))),
                                           Image.Resampling.LANCZOS)  # fmt: skip
    left, top = (image.width - width) // 2, (image.height - height) // 2
    image = image.crop((left, top, left + width, top + height))
    if b.blur > 0:
        image = image.filter(ImageFilter.GaussianBlur(b.blur * b.blur * 0.1 * width))
    return srgb_to_linear_table()[np.asarray(image)]


def _directions(project: Project, width: int, height: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Tangents (height, width) of what the middles of pixels see."""
    lens = Projection.of(project.camera, width, height)
    x = ((np.arange(width) + 0.5) / width * 2 - 1) * lens.half_w
    y = (1 - (np.arange(height) + 0.5) / height * 2) * lens.half_h
    return lens.rays(*np.broadcast_arrays(x[None, :], y[:, None]))


def _surroundings(project: Project, frame: int, width: int, height: int, pixels: RGBImage) -> RGBImage:
    """The environment behind everything as the camera sees it while the shutter is open."""
    d = np.stack(np.broadcast_arrays(*_directions(project, width, height), -1.0), axis=-1)
    d /= np.linalg.norm(d, axis=-1, keepdims=True)
    env, shutter = project.environment, shutter_poses(project, frame, _steps(project, width))
    total = np.zeros((height, width, 3), np.float32)
    for camera, travelled in zip(shutter.cameras, shutter.environment_deg, strict=True):
        turn = environment_turn(np.radians(env.rotation_deg + travelled), np.radians(env.tilt_deg))
        total += _seen(pixels, d @ (camera[:3, :3].T @ turn))
    unit = 1.0 if env.kind == "sky" else BASE_ENVIRONMENT_NIT
    return np.asarray(total * (unit * 2.0**env.strength_stops / len(shutter)), np.float32)


def _steps(project: Project, width: int) -> int:
    """How many pictures while the shutter is open: one where nothing travels, else one for each two pixels that the
    surroundings move, within reason."""
    ends = shutter_poses(project, project.move.first_frame, 2)
    camera = np.degrees(np.arccos(np.clip((ends.cameras[0, :3, :3] * ends.cameras[1, :3, :3]).sum() / 2 - 0.5, -1, 1)))
    moved_deg = float(camera) + abs(float(np.ptp(ends.environment_deg)))
    if project.camera.shutter_deg <= 0 or moved_deg < 1e-4:
        return 1
    across_deg = 2 * np.degrees(np.arctan(Projection.of(project.camera, width, width).half_w))
    return int(np.clip(moved_deg / across_deg * width / 2, 3, 65))


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


def blurred(pixels: RGBImage, blur: float) -> RGBImage:
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
