"""What is seen behind subject and set: added after rendering, by what the film leaves uncovered."""

from collections.abc import Callable

import numpy as np
from PIL import Image, ImageFilter

from ..arrays import Mask, RGBImage
from ..framing import half_extent
from ..motion import pose_project
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
        half_w, half_h = half_extent(project.camera, width, height)
        x = ((np.arange(width) + 0.5) / width * 2 - 1) * half_w
        y = ((np.arange(height) + 0.5) / height * 2 - 1) * half_h
        share = lens_falloff.py_func(x[None, :], y[:, None], vignette)  # type: ignore[attr-defined]
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


def _surroundings(project: Project, frame: int, width: int, height: int, pixels: RGBImage) -> RGBImage:
    """The environment behind everything, as the camera sees it."""
    env = project.environment
    pose = pose_project(project).at(frame)
    half_w, half_h = half_extent(project.camera, width, height)
    x = ((np.arange(width) + 0.5) / width * 2 - 1) * half_w
    y = (1 - (np.arange(height) + 0.5) / height * 2) * half_h
    d = np.stack(np.broadcast_arrays(x[None, :], y[:, None], -1.0), axis=-1) @ pose.camera[:3, :3].T
    turn = environment_turn(np.radians(env.rotation_deg + pose.environment_deg), np.radians(env.tilt_deg))
    d = d @ turn
    d /= np.linalg.norm(d, axis=-1, keepdims=True)
    h, w = pixels.shape[:2]
    u = (0.5 + np.arctan2(d[..., 0], -d[..., 2]) / (2 * np.pi)) * w - 0.5
    v = np.arccos(np.clip(d[..., 1], -1, 1)) / np.pi * h - 0.5
    x0, y0 = np.floor(u).astype(int), np.floor(v).astype(int)
    fx, fy = (u - x0)[..., None], (v - y0)[..., None]
    ya, yb = np.clip(y0, 0, h - 1), np.clip(y0 + 1, 0, h - 1)
    top = pixels[ya, x0 % w] * (1 - fx) + pixels[ya, (x0 + 1) % w] * fx
    low = pixels[yb, x0 % w] * (1 - fx) + pixels[yb, (x0 + 1) % w] * fx
    unit = 1.0 if env.kind == "sky" else BASE_ENVIRONMENT_NIT
    return np.asarray((top * (1 - fy) + low * fy) * unit * 2.0**env.strength_stops, np.float32)


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
