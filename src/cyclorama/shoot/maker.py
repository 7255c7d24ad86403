"""Makes the pictures of a take's frames, one after another, remembering what neighbouring frames need."""

from collections import OrderedDict
from dataclasses import dataclass

from ..core.arrays import Mask, RGBImage
from ..core.framing import half_extent
from ..core.render.denoise import denoise
from ..core.render.film import Film
from ..core.render.frame import beauty, expose_frame
from ..core.render.neighbours import REACH, FrameLight, blend
from ..core.render.scene import SceneCompiler
from ..core.render.tracer import Cancel, Tell, Tracer
from ..core.scene import Project


@dataclass(frozen=True, slots=True)
class FramePicture:
    """A finished frame before it is encoded."""

    film: Film
    radiance: RGBImage
    alpha: Mask | None


class FrameMaker:
    """Exposes, cleans and finishes frames. With neighbours, each frame is exposed once while frames come in order."""

    def __init__(self, project: Project, numbers: range, compiler: SceneCompiler, tracer: Tracer):
        self._project, self._numbers = project, numbers
        self._compiler, self._tracer = compiler, tracer
        self._kept: OrderedDict[int, tuple[Film, FrameLight]] = OrderedDict()

    def make(self, number: int, cancelled: Cancel = lambda: False, progress: Tell = lambda x: None) -> FramePicture:
        """The picture of a frame. Raises Cancelled."""
        p = self._project
        if not p.shoot.denoise_neighbours:
            film = expose_frame(p, number, self._compiler, self._tracer, cancelled, progress)
            return FramePicture(film, *beauty(film, p, number, self._compiler))
        around = self._around(number)
        missing = [n for n in dict.fromkeys(around.values()) if n not in self._kept]
        for i, n in enumerate(missing):

            def tell(share: float, i: int = i) -> None:
                progress((i + share) / len(missing))

            film = expose_frame(p, n, self._compiler, self._tracer, cancelled, tell)
            self._kept[n] = film, FrameLight.of(film)
        film = self._kept[number][0]
        half_w, _ = half_extent(p.camera, p.shoot.width, p.shoot.height)
        light = blend({k: self._kept[n][1] for k, n in around.items()}, 2 * half_w / p.shoot.width)
        clean = denoise(film, radiance=light) if p.shoot.denoise else light
        picture = FramePicture(film, *beauty(film, p, number, self._compiler, clean))
        for n in list(self._kept):
            if n not in around.values() or n == around.get(-REACH):
                del self._kept[n]
        return picture

    def _around(self, number: int) -> dict[int, int]:
        """Frame numbers by distance; a loop that is shot whole goes on beyond its ends."""
        numbers, move = self._numbers, self._project.move
        loops = move.kind != "hold" and len(numbers) == move.frames
        around = {}
        for k in range(-REACH, REACH + 1):
            n = number + k
            if loops:
                n = numbers.start + (n - numbers.start) % len(numbers)
            if n in numbers:
                around[k] = n
        return around
