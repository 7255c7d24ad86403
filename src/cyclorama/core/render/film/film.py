"""The film: sums of samples for each pixel, and what can be read from them."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ...arrays import Mask, RGBImage
from ...colour import LUMA32
from ...kernel import kernel
from ..trace.arrays import F32, I32, PLACE_COLUMNS, U8, Samples

CHANNELS = 18
"""radiance 0:3, albedo 3:6, normal 6:9, depth 9, coverage 10, subject 11, radiance of odd samples 12:15, clamped 15,
veil 16, haze where nothing is met 17"""
RANKS = 6
"""How many parts or materials a pixel can tell apart, as the Cryptomatte specification's usual depth."""


def _empty() -> F32:
    return np.zeros((0, 0), np.float32)


_BY_PIXEL = "count", "sums", "apart", "places", "ids"


@dataclass(slots=True)
class Film:
    """Sums over samples for each pixel."""

    width: int
    height: int
    layers: tuple[str, ...] = ()
    """names of what is kept apart: lights and components"""
    first: bool = False
    """keep position, motion and ids"""
    matte_rows: U8 = field(default_factory=lambda: np.zeros(0, np.uint8))
    """which materials look alike from everywhere"""
    count: I32 = field(default_factory=lambda: np.zeros(0, np.int32))
    sums: F32 = field(default_factory=_empty)
    apart: F32 = field(default_factory=_empty)
    places: F32 = field(default_factory=_empty)
    ids: F32 = field(default_factory=_empty)

    def __post_init__(self) -> None:
        n = self.width * self.height
        self.count = np.zeros(n, np.int32)
        self.sums = np.zeros((n, CHANNELS), np.float32)
        self.apart = np.zeros((n, 3 * len(self.layers)), np.float32)
        self.places = np.zeros((n if self.first else 0, PLACE_COLUMNS), np.float32)
        self.ids = np.zeros((n if self.first else 0, 2, RANKS, 2), np.float32)

    def without_places(self) -> "Film":
        """The same without first hits, which take most of its memory."""
        bare = Film(0, 0)
        bare.width, bare.height, bare.layers, bare.matte_rows = self.width, self.height, self.layers, self.matte_rows
        bare.count, bare.sums, bare.apart = self.count, self.sums, self.apart
        return bare

    def rows(self, first: int, last: int) -> "Film":
        """A film of some rows of it."""
        part = Film(self.width, 0, self.layers, self.first, self.matte_rows)
        part.height = last - first
        for name in _BY_PIXEL:
            values = getattr(self, name)
            setattr(part, name, values[first * self.width : last * self.width].copy())
        return part

    def put_rows(self, first: int, part: "Film") -> None:
        """Have the rows of another film from `first` on."""
        for name in _BY_PIXEL:
            values = getattr(part, name)
            getattr(self, name)[first * self.width : first * self.width + len(values)] = values

    @classmethod
    def of_rows(cls, parts: "list[Film]") -> "Film":
        """The film whose rows are those of others, from the top."""
        top = parts[0]
        whole = cls(top.width, 0, top.layers, top.first, top.matte_rows)
        whole.height = sum(part.height for part in parts)
        for name in _BY_PIXEL:
            setattr(whole, name, np.concatenate([getattr(part, name) for part in parts]))
        return whole

    @property
    def samples(self) -> int:
        """Samples of the pixel that has most."""
        return int(self.count.max(initial=0))

    @property
    def _divisor(self) -> F32:
        return np.maximum(self.count, 1).astype(np.float32)[:, None]

    def _shaped(self, values: F32) -> F32:
        return np.ascontiguousarray(values.reshape(self.height, self.width, -1))

    def _mean(self, first: int, last: int) -> F32:
        return self._shaped(self.sums[:, first:last] / self._divisor)

    @property
    def radiance(self) -> RGBImage:
        """Mean radiance in nit."""
        return self._mean(0, 3)

    def layer(self, name: str) -> RGBImage:
        """Mean radiance (h, w, 3) in nit of one layer."""
        k = 3 * self.layers.index(name)
        return self._shaped(self.apart[:, k : k + 3] / self._divisor)

    @property
    def albedo(self) -> RGBImage:
        return np.clip(self._mean(3, 6), 0, 1)

    @property
    def normal(self) -> RGBImage:
        """Mean shading normal in studio space; unit where the surface is even."""
        return np.clip(self._mean(6, 9), -1, 1)

    def _where_covered(self, values: F32) -> F32:
        covered = self.sums[:, 10:11]
        return self._shaped(np.divide(values, covered, out=np.zeros_like(values), where=covered > 0))

    @property
    def depth(self) -> Mask:
        """Mean distance along the ray in m over the samples that met something; 0 where none did."""
        return self._where_covered(self.sums[:, 9:10])[..., 0]

    @property
    def position(self) -> RGBImage:
        """Mean position of first hits (h, w, 3) in m."""
        return self._where_covered(self.places[:, :3])

    @property
    def motion(self) -> NDArray[np.float32]:
        """Mean movement of first hits to the next frame (h, w, 2): right and down, in pixels."""
        return self._where_covered(self.places[:, 3:5])

    @property
    def motion_back(self) -> NDArray[np.float32]:
        """The same to the frame before."""
        return self._where_covered(self.places[:, 5:7])

    @property
    def rest(self) -> RGBImage:
        """Mean position of first hits in their body's own space (h, w, 3) in m, which no move changes."""
        return self._where_covered(self.places[:, 7:10])

    @property
    def alpha(self) -> Mask:
        """Share of the background that is covered: by things, and by haze where there are none."""
        return np.minimum(self.coverage + self._mean(17, 18)[..., 0], np.float32(1))

    @property
    def coverage(self) -> Mask:
        """Share of the pixel that shows things."""
        return self._mean(10, 11)[..., 0]

    @property
    def veil(self) -> Mask:
        """Share of light that haze keeps from the camera."""
        return self._mean(16, 17)[..., 0]

    @property
    def subject(self) -> Mask:
        """Share of the pixel that shows the subject."""
        return self._mean(11, 12)[..., 0]

    @property
    def clamped_share(self) -> float:
        """Part of all light that clamping took away."""
        lost = float(self.sums[:, 15].sum())
        kept = float((self.sums[:, :3] @ LUMA32).sum())
        return lost / max(lost + kept, 1e-30)

    @property
    def part(self) -> NDArray[np.int32]:
        """Number of the part that covers most of the pixel + 1 (h, w), 0: none; of a film that keeps ids."""
        return self._most(0).astype(np.int32).reshape(self.height, self.width)

    def _most(self, which: int) -> NDArray[np.int64]:
        """Number + 1 of the part (0) or material (1) that covers most of each pixel (n,)."""
        row = np.argmax(self.ids[:, which, :, 1], axis=1)
        return self.ids[np.arange(len(row)), which, row, 0].astype(np.int64)

    @property
    def looks_alike(self) -> NDArray[np.bool_]:
        """Where what covers most of the pixel looks alike from everywhere (h, w); of a film that keeps ids."""
        alike = np.concatenate([[0], self.matte_rows])[self._most(1)] > 0
        return np.asarray(alike).reshape(self.height, self.width)

    def share_of(self, part: int) -> Mask:
        """Share of each pixel (h, w) that shows the part of a number; of a film that keeps ids."""
        ids = self.ids[:, 0]
        met = np.where(ids[..., 0] == part + 1, ids[..., 1], 0.0).sum(axis=1) / np.maximum(self.count, 1)
        return np.asarray(met.reshape(self.height, self.width), np.float32)

    def matte(self, which: int) -> F32:
        """(h, w, RANKS, 2) number + 1 and coverage of parts (0) or materials (1), most covering first."""
        ids = self.ids[:, which].copy()
        ids[..., 1] /= np.maximum(self.count, 1)[:, None]
        order = np.argsort(-ids[..., 1], axis=1, kind="stable")
        ids = np.take_along_axis(ids, order[..., None], axis=1)
        return ids.reshape(self.height, self.width, RANKS, 2)


@kernel
def _count_id(ids, number):  # type: ignore[no-untyped-def]
    """One more sample of `number` in a pixel's list; when the list is full the least goes."""
    least = 0
    for k in range(ids.shape[0]):
        if ids[k, 0] == number or ids[k, 1] == 0.0:
            ids[k, 0] = number
            ids[k, 1] += 1.0
            return
        if ids[k, 1] < ids[least, 1]:
            least = k
    if ids[least, 1] <= 1.0:
        ids[least, 0] = number


@kernel
def develop(pixels, sample_count, first_sample, samples, film_sums, apart, places, ids):  # type: ignore[no-untyped-def]
    """Add a batch to the film, samples in order; a sample that is not a number counts as black."""
    sums = film_sums
    for k in range(pixels.shape[0]):
        row = pixels[k]
        for s in range(sample_count):
            i = k * sample_count + s
            sample = samples.items[i]
            r, g, b = sample.r, sample.g, sample.b
            if r + g + b < 3e38:
                sums[row, 0] += r
                sums[row, 1] += g
                sums[row, 2] += b
                if (first_sample + s) & 1:
                    sums[row, 12] += r
                    sums[row, 13] += g
                    sums[row, 14] += b
                for c in range(apart.shape[1]):
                    apart[row, c] += samples.layers[i, c]
            sums[row, 3] += sample.albedo_r
            sums[row, 4] += sample.albedo_g
            sums[row, 5] += sample.albedo_b
            sums[row, 6] += sample.normal_x
            sums[row, 7] += sample.normal_y
            sums[row, 8] += sample.normal_z
            sums[row, 9] += sample.depth
            sums[row, 10] += sample.covered
            sums[row, 11] += sample.subject
            sums[row, 15] += sample.clamped
            sums[row, 16] += sample.veil
            sums[row, 17] += sample.hazed
            if samples.first.shape[0] > 0 and sample.covered > 0.0:
                for c in range(PLACE_COLUMNS):
                    places[row, c] += samples.first[i, c]
                _count_id(ids[row, 0], samples.first[i, PLACE_COLUMNS])
                _count_id(ids[row, 1], samples.first[i, PLACE_COLUMNS + 1])


def add_batch(film: Film, pixels: I32, first_sample: int, sample_count: int, samples: Samples) -> None:
    """Add `sample_count` samples of each of `pixels`, the first of them numbered `first_sample`."""
    develop(pixels, sample_count, first_sample, samples, film.sums, film.apart, film.places, film.ids)
    film.count[pixels] += sample_count
