"""Procedural maps: wood, brushed and worn metal, paint, engraved plates. All tile or fit their parts."""

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont
from scipy.ndimage import gaussian_filter

Map = NDArray[np.float64]


def noise(shape: tuple[int, int], size: float | tuple[float, float], seed: int) -> Map:
    """Smooth tileable noise (h, w) with mean 0 and deviation 1; `size` in pixels."""
    field = np.random.default_rng(seed).standard_normal(shape)
    sy, sx = (size, size) if isinstance(size, int | float) else size
    fy, fx = np.fft.fftfreq(shape[0])[:, None], np.fft.rfftfreq(shape[1])[None]
    soften = np.exp(-2 * np.pi**2 * ((sy * fy) ** 2 + (sx * fx) ** 2))
    field = np.fft.irfft2(np.fft.rfft2(field) * soften, s=shape)
    return np.asarray((field - field.mean()) / field.std())


def as_bytes(rgb: NDArray[np.float64]) -> NDArray[np.uint8]:
    """sRGB values 0…1 as bytes."""
    return (np.clip(rgb, 0, 1) * 255 + 0.5).astype(np.uint8)


def metal_rough(metal: Map | float, rough: Map) -> NDArray[np.uint8]:
    """Roughness in green, metalness in blue."""
    return as_bytes(np.stack([np.ones_like(rough), rough, np.broadcast_to(metal, rough.shape)], -1))


def normal_from_height(height: Map, strength: float) -> NDArray[np.uint8]:
    """A tangent-space normal map from a tileable height map; strength in height per pixel."""
    dx = (np.roll(height, -1, 1) - np.roll(height, 1, 1)) / 2 * strength
    dy = (np.roll(height, -1, 0) - np.roll(height, 1, 0)) / 2 * strength
    n = np.stack([-dx, dy, np.ones_like(dx)], -1)
    n /= np.linalg.norm(n, axis=-1, keepdims=True)
    return as_bytes(n * 0.5 + 0.5)


def turned_wood(profile: NDArray[np.float64], size: int = 1024) -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
    """Walnut for a turned body: colour and metal-rough maps, cut from one block of solid wood.

    Every texel is looked up at its place (radius, height, angle) in a block whose rings run along an upright,
    slightly leaning heart, so the grain runs through the body as it does in turned wood.
    """
    length = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(profile, axis=0), axis=1))])
    v = np.linspace(0, length[-1], size)
    r, y = np.interp(v, length, profile[:, 0]), np.interp(v, length, profile[:, 1])
    a = np.linspace(0, 2 * np.pi, size, endpoint=False)
    x = r[:, None] * np.sin(a) * 1000
    z = r[:, None] * np.cos(a) * 1000
    y = np.broadcast_to(y[:, None] * 1000, x.shape)
    bend = 3.0 * np.sin(x * 0.04 + 0.7) + 2.2 * np.sin(z * 0.06 + y * 0.03) + 1.4 * np.sin(x * 0.11 - z * 0.09)
    ring = np.hypot(y + 60 + 0.12 * x + bend, z * 0.35 + 40 + 0.5 * bend) / 4.2
    phase = ring - np.floor(ring)
    late = np.clip((phase - 0.55) / 0.4, 0, 1) ** 2 * (phase < 0.985)
    fibre = 0.5 + 0.5 * np.sin(ring * 31 + 2 * np.sin(x * 0.3) + 1.5 * np.sin(z * 0.9 + y))
    pores = np.clip(noise((size, size), (1.0, 5.0), 5) - 1.5, 0, 1)
    tone = np.clip(0.25 + 0.55 * late + 0.12 * fibre + 0.06 * noise((size, size), 22, 7), 0, 1)[..., None]
    light, dark = np.array([0.52, 0.335, 0.205]), np.array([0.235, 0.13, 0.078])
    colour = light * (1 - tone) + dark * tone
    colour *= 1 - 0.35 * pores[..., None]
    rough = 0.34 + 0.1 * late + 0.25 * pores + 0.02 * noise((size, size), 9, 3)
    return as_bytes(colour), metal_rough(0.0, np.clip(rough, 0.2, 0.8))


def handled_brass(seed: int, size: int = 512) -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
    """Lacquered brass that has been touched: metal-rough with fine turning marks and soft smudges, colour."""
    lines = noise((size, size), (0.7, 60), seed)
    smudge = np.clip(noise((size, size), 28, seed + 1), -1, 2)
    speck = np.clip(noise((size, size), 1.6, seed + 2) - 2.3, 0, 1)
    rough = np.clip(0.2 + 0.025 * lines + 0.05 * smudge + 0.2 * speck, 0.1, 0.6)
    tarnish = np.clip(0.1 * smudge + 0.3 * speck, 0, 0.5)[..., None]
    bright, dull = np.array([0.945, 0.862, 0.635]), np.array([0.66, 0.53, 0.34])
    return as_bytes(bright * (1 - tarnish) + dull * tarnish), metal_rough(1.0, rough)


def worn_paint(
    edge: Map, paint: tuple[float, float, float], seed: int
) -> tuple[NDArray[np.uint8], NDArray[np.uint8], NDArray[np.uint8]]:
    """Enamel on iron, worn where `edge` (h, w, 0…1) is high: colour, metal-rough and normal maps."""
    shape = edge.shape
    grain = 0.6 * noise(shape, 5, seed) + 0.4 * noise(shape, 2, seed + 1)
    bare = np.clip((edge * 2.2 + 0.38 * grain - 1.25) * 6, 0, 1)
    chips = np.clip((noise(shape, 3.2, seed + 2) - 2.75) * 6, 0, 1)
    bare = np.maximum(bare, chips)
    shade = 1 + 0.05 * noise(shape, 40, seed + 3)
    iron = np.array([0.46, 0.43, 0.40]) * (1 + 0.12 * grain[..., None])
    colour = np.array(paint) * shade[..., None] * (1 - bare[..., None]) + iron * bare[..., None]
    rough = 0.3 + 0.05 * noise(shape, 18, seed + 4) + 0.22 * bare
    orange_peel = noise(shape, 6, seed + 5) * 0.25
    height = orange_peel - 2.2 * gaussian_filter(bare, 1.0, mode="wrap")
    return as_bytes(colour), metal_rough(bare, np.clip(rough, 0.15, 0.8)), normal_from_height(height, 0.35)


def _centred(draw: ImageDraw.ImageDraw, x: float, y: float, text: str, size: int, fill: int) -> None:
    font = ImageFont.load_default(size=size)
    left, top, right, bottom = draw.textbbox((0, 0), text, font=font)
    # a stroke, because engraving is cut broader than type is printed
    place = (x - (left + right) / 2, y - (top + bottom) / 2)
    draw.text(place, text, font=font, fill=fill, stroke_width=size // 28, stroke_fill=fill)


def maker_plate(lines: list[tuple[str, int]], width: int = 1024, height: int = 512) -> Map:
    """Engraving mask (h, w) 0…1 of a name plate with a border line."""
    image = Image.new("L", (width, height), 0)
    draw = ImageDraw.Draw(image)
    draw.rounded_rectangle((22, 22, width - 22, height - 22), 36, outline=255, width=7)
    total = sum(size * 1.35 for _, size in lines)
    y = (height - total) / 2
    for text, size in lines:
        _centred(draw, width / 2, y + size * 0.67, text, size, 255)
        y += size * 1.35
    return np.asarray(image, float) / 255


def scale_strip(width: int = 256, height: int = 2048) -> Map:
    """Engraving mask (h, w) of an upright scale with words of the weather."""
    image = Image.new("L", (width, height), 0)
    draw = ImageDraw.Draw(image)
    for i in range(51):
        y = 120 + i * (height - 240) / 50
        length = 96 if i % 10 == 0 else 66 if i % 5 == 0 else 40
        draw.rectangle((14, y - 3, 14 + length, y + 3), fill=255)
        if i % 10 == 0:
            _centred(draw, 172, y, str(50 - i), 62, 255)
    return np.asarray(image, float) / 255


def engraving(
    mask: Map, ground: tuple[float, float, float], ink: tuple[float, float, float], metal: bool
) -> tuple[NDArray[np.uint8], NDArray[np.uint8], NDArray[np.uint8]]:
    """Colour, metal-rough and normal maps of an engraving filled with ink."""
    soft = gaussian_filter(mask, 0.8)[..., None]
    colour = np.array(ground) * (1 - soft) + np.array(ink) * soft
    rough = 0.24 + 0.02 * noise(mask.shape, (0.7, 40), 11) + 0.45 * soft[..., 0]
    return (
        as_bytes(colour),
        metal_rough((1 - soft[..., 0]) if metal else 0.0, np.clip(rough, 0.1, 0.9)),
        normal_from_height(-gaussian_filter(mask, 1.5), 1.2),
    )
