"""Maps made by the program: pictures that repeat without a seam."""

import numpy as np
from numpy.typing import NDArray

from ..scene.material import PatternKind

SIZE = 512


def pattern(kind: PatternKind) -> NDArray[np.uint8]:
    """A picture (SIZE, SIZE, 4). Grey ones vary about white, so that they can multiply a number."""
    maker = {
        "noise": _noise,
        "brushed": _brushed,
        "flakes": _flakes,
        "weave": _weave,
        "gradient": _gradient,
        "grain": _grain,
    }[kind]
    values = maker()
    if values.ndim == 2:
        values = np.repeat(values[..., None], 3, axis=2)
    rgb = (np.clip(values, 0, 1) * 255 + 0.5).astype(np.uint8)
    return np.dstack([rgb, np.full((SIZE, SIZE), 255, np.uint8)])


def filtered_noise(along: float, across: float, seed: int) -> NDArray[np.float64]:
    """Noise (SIZE, SIZE) without a seam, mean 0 and deviation 1, with features of these sizes in pixels."""
    rng = np.random.default_rng(seed)
    f = np.fft.fftfreq(SIZE)
    fu, fv = np.meshgrid(f, f)
    spectrum = np.fft.fft2(rng.standard_normal((SIZE, SIZE)))
    noise = np.real(np.fft.ifft2(spectrum * np.exp(-((fu * along) ** 2 + (fv * across) ** 2) * 8)))
    return np.asarray((noise - noise.mean()) / noise.std())


def _noise() -> NDArray[np.float64]:
    total = sum(filtered_noise(s, s, i) * w for i, (s, w) in enumerate(((48, 1.0), (24, 0.5), (12, 0.25), (6, 0.12))))
    return 0.5 + np.asarray(total) * 0.17


def _brushed() -> NDArray[np.float64]:
    """Long strokes along u."""
    strokes = filtered_noise(220, 1.2, 1) * 0.7 + filtered_noise(90, 2.5, 2) * 0.5
    return 0.72 + strokes * 0.16


def _flakes() -> NDArray[np.float64]:
    """Normals (tangent space, 0…1) of small plates that lie nearly flat."""
    rng = np.random.default_rng(3)
    cells = 96
    points = (
        np.stack(np.meshgrid(np.arange(cells), np.arange(cells)), axis=-1) + rng.random((cells, cells, 2))
    ) / cells
    tilt = rng.normal(0, 0.16, (cells, cells, 2))
    x = (np.arange(SIZE) + 0.5) / SIZE
    uv = np.stack(np.meshgrid(x, x), axis=-1)
    base = (uv * cells).astype(int)
    nearest, chosen = np.full((SIZE, SIZE), 9.0), np.zeros((SIZE, SIZE, 2))
    for dj in (-1, 0, 1):
        for di in (-1, 0, 1):
            i, j = (base[..., 0] + di) % cells, (base[..., 1] + dj) % cells
            offset = (points[j, i] - uv + 0.5) % 1 - 0.5
            d = (offset**2).sum(axis=-1)
            closer = d < nearest
            nearest = np.where(closer, d, nearest)
            chosen[closer] = tilt[j, i][closer]
    n = np.dstack([chosen, np.ones((SIZE, SIZE))])
    return np.asarray(n / np.linalg.norm(n, axis=2, keepdims=True) * 0.5 + 0.5)


def _weave() -> NDArray[np.float64]:
    """Height of a plain weave, 16 threads across."""
    x = (np.arange(SIZE) + 0.5) / SIZE * 16
    u, v = np.meshgrid(x, x)
    over = (np.floor(u) + np.floor(v)) % 2
    fu, fv = u % 1 - 0.5, v % 1 - 0.5
    warp = np.sqrt(np.clip(1 - (2 * fu) ** 2, 0, 1)) * (0.6 + 0.4 * np.cos(np.pi * fv))
    weft = np.sqrt(np.clip(1 - (2 * fv) ** 2, 0, 1)) * (0.6 + 0.4 * np.cos(np.pi * fu))
    return np.where(over > 0, np.maximum(warp, 0.55 * weft), np.maximum(weft, 0.55 * warp))


def _gradient() -> NDArray[np.float64]:
    """White at the top, black at the bottom."""
    return np.repeat(1.0 - (np.arange(SIZE) + 0.5)[:, None] / SIZE, SIZE, axis=1)


def _grain() -> NDArray[np.float64]:
    """Wood: rings drawn out along u, dark pores."""
    rings = np.sin(np.linspace(0, 2 * np.pi * 9, SIZE, endpoint=False)[:, None] + 1.6 * filtered_noise(260, 40, 5))
    pores = np.clip(filtered_noise(70, 1.6, 6) - 1.2, 0, 1)
    return np.clip(0.74 + 0.16 * rings + 0.05 * filtered_noise(120, 3, 8) - 0.35 * pores, 0.1, 1)
