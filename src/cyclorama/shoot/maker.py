"""Makes the pictures of a take's frames, one after another, remembering what neighbouring frames need."""

from collections.abc import Iterator
from dataclasses import dataclass

from ..core.arrays import Mask, RGBImage
from ..core.framing import half_extent
from ..core.motion import loops, moment, moves_nothing
from ..core.picture.exposure import expose
from ..core.render.compile.compiler import SceneCompiler
from ..core.render.film.denoise import denoise
from ..core.render.film.film import Film
from ..core.render.film.frame import beauty, expose_frame
from ..core.render.film.neighbours import REACH, FrameLight, blend, settle
from ..core.render.film.tracer import Cancel, Tell, Tracer
from ..core.render.passes.outputs import PassFile, pass_files
from ..core.scene import Project


@dataclass(frozen=True, slots=True)
class FramePicture:
    """A finished frame before it is encoded."""

    picture: RGBImage
    """scene-linear, exposed"""
    alpha: Mask | None
    passes: Iterator[PassFile]
    """made one by one as they are asked for"""
    clamped: float | None
    """share of the light that clamping took away, None where nothing is clamped"""


class FrameMaker:
    """Exposes, cleans and finishes frames. With neighbours, each frame is exposed once while frames come in order."""

    def __init__(self, project: Project, numbers: range, compiler: SceneCompiler, tracer: Tracer):
        self._project, self._numbers = project, numbers
        self._compiler, self._tracer = compiler, tracer
        self._kept: dict[int, tuple[Film, FrameLight]] = {}
        self._cleaned: dict[int, RGBImage] = {}
        s = project.shot.shoot
        self._pixel_rad = 2 * half_extent(project.camera, s.width, s.height)[0] / s.width

    def make(self, number: int, cancelled: Cancel = lambda: False, progress: Tell = lambda x: None) -> FramePicture:
        """The picture of a frame. Raises Cancelled."""
        p, s = self._project, self._project.shot.shoot
        if not s.denoise_neighbours:
            film = expose_frame(moment(p, number), self._compiler, self._tracer, cancelled, progress)
            clean = denoise(film) if s.denoise else film.radiance
            return self._finished(number, film, clean, cancelled)
        around = self._around(number)
        missing = [n for n in dict.fromkeys(around.values()) if n not in self._kept]
        for i, n in enumerate(missing):

            def tell(share: float, i: int = i) -> None:
                progress((i + share) / len(missing))

            film = expose_frame(moment(p, n), self._compiler, self._tracer, cancelled, tell)
            self._kept[n] = film, FrameLight.of(film)
        near = {k: n for k, n in around.items() if abs(k) <= 1}
        cleaned = {k: self._clean(n) for k, n in near.items()}
        if s.denoise:
            cleaned[0] = settle({k: self._kept[n][1] for k, n in near.items()}, cleaned, self._pixel_rad)
        picture = self._finished(number, self._kept[number][0], cleaned[0], cancelled)
        self._forget(around)
        return picture

    def _clean(self, number: int) -> RGBImage:
        """A frame blended with those beside it, and denoised."""
        if number not in self._cleaned:
            beside = {k: n for k, n in self._around(number).items() if abs(k) <= 1}
            light = blend({k: self._kept[n][1] for k, n in beside.items()}, self._pixel_rad)
            film = self._kept[number][0]
            self._cleaned[number] = denoise(film, radiance=light) if self._project.shot.shoot.denoise else light
        return self._cleaned[number]

    def _forget(self, around: dict[int, int]) -> None:
        """Keep what the next frame needs."""
        for n in [n for n in self._kept if n not in around.values() or n == around.get(-REACH)]:
            del self._kept[n]
        for n in [n for n in self._cleaned if n not in (around[0], around.get(1))]:
            del self._cleaned[n]

    def _finished(self, number: int, film: Film, clean: RGBImage, cancelled: Cancel) -> FramePicture:
        here = moment(self._project, number)
        radiance, alpha = beauty(film, here, self._compiler, clean)
        passes = pass_files(here, film, clean, self._compiler, self._tracer, cancelled)
        clamped = None if here.shoot.clamp_indirect is None else film.clamped_share
        return FramePicture(expose(radiance, here.look.tone), alpha, passes, clamped)

    def _around(self, number: int) -> dict[int, int]:
        """Frame numbers by distance; a loop that is shot whole goes on beyond its ends."""
        numbers, shot = self._numbers, self._project.shot
        goes_on = not moves_nothing(shot) and loops(self._project, shot) and len(numbers) == shot.frames
        around = {}
        for k in range(-REACH, REACH + 1):
            n = number + k
            if goes_on:
                n = numbers.start + (n - numbers.start) % len(numbers)
            if n in numbers:
                around[k] = n
        return around
