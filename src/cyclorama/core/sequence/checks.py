"""Checks of a sequence of pictures: each finding names its frames."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np
import scipy
from numpy.typing import NDArray
from PIL import Image
from pydantic import BaseModel

from ..arrays import RGBImage
from ..colour import LUMA32
from ..scene.writing import derive
from ..words import count
from ..words import frames as which
from .seam import CHECK_WIDTH, SeamCheck, check_seam

F32 = NDArray[np.float32]
Kind = Literal[
    "missing",
    "damaged",
    "size",
    "not numbers",
    "black",
    "doubled",
    "seam",
    "flicker",
    "fireflies",
    "banding",
    "burnt",
    "crushed",
    "margin",
    "paint",
]
Offer = Literal["shoot again", "more samples", "clamp"]
TILES = 16
"""Flicker is looked for in so many columns of tiles."""
BLACK = 1
"""The brightest value of a picture that counts as black."""
SAME = 0.2 / 255.0
"""Pictures that differ by less in the mean are the same; noise of different frames is more."""
FLICKER_STOPS = 0.03
"""What a tile's light may jump by against its neighbours in time before it is seen (about two per cent)."""
FLICKER_TIMES = 4.0
"""And by how many times the usual jump of the take."""
FIREFLY_TIMES, FIREFLY_LEAST = 6.0, 0.4
"""A firefly is so many times as bright as the second brightest pixel around it, and at least so bright."""
MOST_FIREFLIES, MOST_PLACES = 40, 400
"""More isolated bright pixels in a frame are what the picture is made of: glitter, stars, noise all over."""
BANDED, BAND_PX, SMOOTH = 0.12, 6, 0.35
"""Share of a picture that consists of soft gradients whose 8-bit steps are wider than BAND_PX, where what is left after
smoothing is less than SMOOTH of a step: finer noise hides steps."""
BURNT, CRUSHED = 0.03, 0.10


class FramePlace(BaseModel):
    """A pixel of a frame, in shares of the picture from its top left."""

    frame: int
    x: float
    y: float


class FrameFinding(BaseModel):
    """Something to look at."""

    kind: Kind
    grave: bool
    """it cannot be delivered like this"""
    sentence: str
    frames: list[int]
    offers: list[Offer] = []
    places: list[FramePlace] = []


class Checked(BaseModel):
    """Findings of the checks, and measurements on the way, by frame."""

    findings: list[FrameFinding]
    numbers: list[int]
    """of the frames that were measured"""
    steps: list[float]
    """mean difference to the frame before; of the first to the last in a loop, else 0"""
    flicker: list[float]
    """jump of light against the neighbours in time, stops"""
    burnt: list[float]
    crushed: list[float]
    sentence: str


@dataclass(frozen=True, slots=True)
class FrameLook:
    """Facts about a picture that the checks keep."""

    number: int
    pixels: NDArray[np.uint8]
    """(h, CHECK_WIDTH, 3) as it is shown"""
    size: tuple[int, int]
    broken: int
    """pixels that are no numbers"""
    burnt: float
    crushed: float
    banded: float
    specks: tuple[tuple[float, float], ...]
    """isolated bright pixels, in shares of the picture"""

    @property
    def small(self) -> F32:
        """Display values (h, CHECK_WIDTH, 3)."""
        return self.pixels.astype(np.float32) / 255.0


def look_at(number: int, display: RGBImage, light: RGBImage | None, broken: int = 0) -> FrameLook:
    """Measure a picture: display values (h, w, 3) 0…1 and, where there is a master, its light; `broken` pixels of which
    were no numbers and are mended already."""
    h, w = display.shape[:2]
    broken += 0 if light is None else int((~np.isfinite(light)).any(axis=2).sum())
    specks = specks_in(np.nan_to_num(light if light is not None else display) @ LUMA32)
    shown = (np.clip(display, 0, 1) * 255 + 0.5).astype(np.uint8)
    return FrameLook(
        number,
        _small(shown),
        (w, h),
        broken,
        float((shown == 255).any(axis=2).mean()),
        float((shown == 0).all(axis=2).mean()),
        banded_share(display @ LUMA32),
        specks,
    )


def specks_in(light: F32) -> tuple[tuple[float, float], ...]:
    """Pixels (x, y) in shares of a picture (h, w) that outshine all but one of those around them; none where there are
    more than MOST_FIREFLIES."""
    h, w = light.shape
    padded = np.pad(light, 1, mode="edge")
    first, second = np.zeros_like(light), np.zeros_like(light)
    for dy, dx in ((0, 0), (0, 1), (0, 2), (1, 0), (1, 2), (2, 0), (2, 1), (2, 2)):
        beside = padded[dy : dy + h, dx : dx + w]
        second = np.maximum(second, np.minimum(first, beside))
        first = np.maximum(first, beside)
    rows, columns = np.nonzero((light > FIREFLY_TIMES * second) & (light > FIREFLY_LEAST))
    if len(rows) > MOST_FIREFLIES:
        return ()
    return tuple(((x + 0.5) / w, (y + 0.5) / h) for y, x in zip(rows.tolist(), columns.tolist(), strict=True))


def banded_share(luma: F32) -> float:
    """Share of a picture (h, w), display values, in which 8-bit steps will be seen as bands."""
    smooth = scipy.ndimage.uniform_filter(luma, BAND_PX)
    across, down = np.abs(np.gradient(smooth, axis=1)), np.abs(np.gradient(smooth, axis=0))
    slope = np.maximum(across, down) * 255.0
    left = np.sqrt(np.maximum(scipy.ndimage.uniform_filter((luma - smooth) ** 2, BAND_PX), 0)) * 255.0
    # a slope of the window itself leaves its own rest: a step's width times the slope over √12
    rest = left - slope * BAND_PX / np.sqrt(12)
    return float(((slope > 1 / 64) & (slope < 1 / BAND_PX) & (rest < SMOOTH)).mean())


def check_sequence(
    looks: Iterable[FrameLook],
    wanted: Sequence[int],
    size: tuple[int, int],
    loops: bool,
    unreadable: dict[int, str],
    missing: Sequence[int],
    alike: set[tuple[int, int]],
    cut: Mapping[str, Sequence[int]] | None = None,
    more: Callable[[], Sequence[FrameFinding]] = list,
) -> Checked:
    """Findings of a sequence whose pictures come in order.

    wanted: all its numbers; unreadable: why frames cannot be read; alike: neighbours that are meant to show the same;
    cut: frames in which the subject leaves the picture, by what that is called; more: gives findings of another kind
    once all pictures have been seen.
    """
    seen = list(looks)  # while they are taken, `unreadable` may fill
    seam = check_seam(look.small for look in seen)
    findings = [
        *_files(missing, unreadable, seen, size),
        *_black(seen),
        *_doubled(seen, seam.steps, alike),
        *_light(seen),
        *_fireflies(seen),
        *_banding(seen),
    ]
    if loops and len(seen) == len(wanted):
        findings += _seam(seam, seen)
    jumps = flicker_of(seen, loops and len(seen) == len(wanted))
    findings += _flicker(jumps, seen)
    for picture, numbers in (cut or {}).items():
        sentence = f"The subject leaves {picture} in {which(list(numbers))}."
        findings.append(_finding("margin", numbers, sentence, grave=False))
    findings += more()
    findings.sort(key=lambda f: not f.grave)
    return Checked(
        findings=findings,
        numbers=[x.number for x in seen],
        steps=[seam.seam if loops else 0.0, *seam.steps][: len(seen)],
        flicker=[round(float(x), 5) for x in jumps],
        burnt=[x.burnt for x in seen],
        crushed=[x.crushed for x in seen],
        sentence=_sum_up(findings, len(seen), len(wanted)),
    )


def _finding(kind: Kind, frames: Sequence[int], sentence: str, *offers: Offer, grave: bool = True) -> FrameFinding:
    return FrameFinding(kind=kind, grave=grave, sentence=sentence, frames=list(frames), offers=list(offers))


def _sum_up(findings: list[FrameFinding], seen: int, wanted: int) -> str:
    if not seen:
        return "No frame can be looked at yet."
    what = f"{seen} of {wanted} frames looked at" if seen < wanted else f"All {count(wanted, 'frame')} looked at"
    grave = sum(f.grave for f in findings)
    if grave:
        return f"{what}: {count(grave, 'fault')} to mend."
    return f"{what}: nothing wrong." if not findings else f"{what}: {count(len(findings), 'thing')} worth a look."


def _files(
    missing: Sequence[int], unreadable: dict[int, str], seen: list[FrameLook], size: tuple[int, int]
) -> list[FrameFinding]:
    found = []
    if missing:
        found.append(_finding("missing", missing, f"Missing: {which(list(missing))}.", "shoot again"))
    if unreadable:
        numbers = sorted(unreadable)
        sentence = f"Cannot be read: {which(numbers)}. {unreadable[numbers[0]]}"
        found.append(_finding("damaged", numbers, sentence, "shoot again"))
    other = [x for x in seen if x.size != size]
    if other:
        w, h = other[0].size
        numbers = [x.number for x in other]
        sentence = f"{w}×{h} instead of {size[0]}×{size[1]}: {which(numbers)}."
        found.append(_finding("size", numbers, sentence, "shoot again"))
    broken = [x.number for x in seen if x.broken]
    if broken:
        found.append(_finding("not numbers", broken, f"Pixels that are no numbers in {which(broken)}.", "shoot again"))
    return found


def _black(seen: list[FrameLook]) -> list[FrameFinding]:
    dark = [x.number for x in seen if float(x.pixels.max()) <= BLACK]
    if not dark:
        return []
    sentence = f"Black: {which(dark)}." + (" Nothing shines in this take." if len(dark) == len(seen) else "")
    return [_finding("black", dark, sentence, "shoot again")]


def _doubled(seen: list[FrameLook], steps: Sequence[float], alike: set[tuple[int, int]]) -> list[FrameFinding]:
    """Neighbours that show the same though the shot moves. steps: how much each differs from the one before."""
    if not steps or float(np.median(steps)) < 3 * SAME:
        return []
    pairs = zip(pairwise(x.number for x in seen), steps, strict=True)
    same = [pair[1] for pair, step in pairs if step < SAME and pair not in alike]
    if not same:
        return []
    return [_finding("doubled", same, f"The same picture as the frame before: {which(same)}.", "shoot again")]


def _seam(seam: SeamCheck, seen: list[FrameLook]) -> list[FrameFinding]:
    if len(seam.steps) < 2 or 0.35 <= seam.ratio <= 2.0 or seam.median < 1e-5:
        return []
    return [_finding("seam", [seen[-1].number, seen[0].number], seam.sentence)]


def _light(seen: list[FrameLook]) -> list[FrameFinding]:
    found: list[FrameFinding] = []
    ends: tuple[tuple[Kind, float, str], ...] = (("burnt", BURNT, "is burnt out"), ("crushed", CRUSHED, "is black"))
    for kind, limit, what in ends:
        worst = max(seen, key=lambda x: float(getattr(x, kind)), default=None)
        if worst is None or getattr(worst, kind) < limit:
            continue
        numbers = [x.number for x in seen if getattr(x, kind) >= limit]
        share = f"Up to {100 * getattr(worst, kind):.0f} % of the picture {what}, most in frame {worst.number}."
        found.append(_finding(kind, numbers, share, grave=False))
    return found


def _fireflies(seen: list[FrameLook]) -> list[FrameFinding]:
    """Specks of one frame alone: what is there in the frames beside it, too, is a highlight."""
    places = []
    for i, look in enumerate(seen):
        near = {(int(x * 160), int(y * 90)) for k in (i - 1, i + 1) if 0 <= k < len(seen) for x, y in seen[k].specks}
        around = {(x + dx, y + dy) for x, y in near for dx in (-1, 0, 1) for dy in (-1, 0, 1)}
        places += [
            FramePlace(frame=look.number, x=x, y=y) for x, y in look.specks if (int(x * 160), int(y * 90)) not in around
        ]
    if not places:
        return []
    numbers = sorted({p.frame for p in places})
    sentence = f"{count(len(places), 'bright speck')} of one frame alone in {which(numbers)}."
    found = _finding("fireflies", numbers, sentence, "more samples", "clamp", grave=False)
    return [derive(found, places=places[:MOST_PLACES])]


def _banding(seen: list[FrameLook]) -> list[FrameFinding]:
    numbers = [x.number for x in seen if x.banded > BANDED]
    if not numbers:
        return []
    share = f"{100 * max(x.banded for x in seen):.0f} %"
    sentence = f"Soft gradients over {share} of the picture will show steps in 8 bits; a little grain hides them."
    return [_finding("banding", numbers, sentence, grave=False)]


def flicker_of(seen: list[FrameLook], round_and_round: bool) -> NDArray[np.float64]:
    """By how many stops the light of tiles jumps against the mean of the frames before and after (n,): the median of
    all tiles, so that what moves through some of them does not count."""
    if len(seen) < 3 or len({x.pixels.shape for x in seen}) > 1:
        return np.zeros(len(seen))
    tiles = np.stack([_tiles(x.small) for x in seen])
    jumps = np.median(np.abs(tiles - (np.roll(tiles, 1, axis=0) + np.roll(tiles, -1, axis=0)) / 2), axis=1)
    if not round_and_round:
        jumps[[0, -1]] = 0.0  # they have one neighbour only
    return np.asarray(jumps)


def _flicker(jumps: NDArray[np.float64], seen: list[FrameLook]) -> list[FrameFinding]:
    limit = max(FLICKER_STOPS, FLICKER_TIMES * float(np.median(jumps))) if len(jumps) else 0.0
    beside = np.maximum(np.roll(jumps, 1), np.roll(jumps, -1))  # half of a frame's jump shows in those next to it
    numbers = [x.number for x, jump, near in zip(seen, jumps, beside, strict=True) if jump > max(limit, 0.75 * near)]
    if not numbers:
        return []
    sentence = f"The light jumps by up to {jumps.max():.2f} stops in {which(numbers)}."
    return [_finding("flicker", numbers, sentence, "shoot again", "more samples")]


def _tiles(small: F32) -> NDArray[np.float64]:
    """Light of tiles in stops; display values are brought back to light roughly, which jumps do not mind."""
    h, w = small.shape[:2]
    side = w // TILES
    rows = max(1, h // side)
    luma = (
        (small[: rows * side, : TILES * side] @ LUMA32).astype(np.float64)
        if h >= side
        else (small @ LUMA32).astype(float)
    )
    if h < side:
        return np.log2(np.maximum(luma.mean(keepdims=True).ravel() ** 2.2, 1e-4))
    means = luma.reshape(rows, side, TILES, side).mean(axis=(1, 3))
    return np.log2(np.maximum(means.ravel() ** 2.2, 1e-4))


def _small(shown: NDArray[np.uint8]) -> NDArray[np.uint8]:
    image = Image.fromarray(shown)
    height = max(1, round(image.height * CHECK_WIDTH / image.width))
    return np.asarray(image.resize((CHECK_WIDTH, height), Image.Resampling.BOX))
