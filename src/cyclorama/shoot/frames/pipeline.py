"""Makes the pictures of a take's frames in steps: expose, clean, finish.

A step depends on nothing but the take, the number of the frame and what the steps before gave, so it does not matter
where it is done. `make` does all of them here, one frame after another, and remembers what neighbours need.
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Protocol

from ...core.arrays import Mask, RGBImage
from ...core.framing import half_extent
from ...core.motion import loops, moment, moves_nothing
from ...core.picture.exposure import expose
from ...core.picture.grade.finish import Finish
from ...core.render.compile.compiler import SceneCompiler
from ...core.render.film.beauty import beauty
from ...core.render.film.denoise import denoise
from ...core.render.film.film import Film
from ...core.render.film.frame import expose_frame, finish_of
from ...core.render.film.row_bands import I32, Band, expose_band, expose_band_more, missing_of
from ...core.render.film.temporal_denoise import F32, SETTLED, FrameHistory, Neighbours, reach_for, without_colour
from ...core.render.film.tracer import Cancel, Cancelled, Tell, Tracer
from ...core.render.passes.kinds import ALONE, OF_PICTURE
from ...core.render.passes.outputs import PassFile, pass_alone, pass_files
from ...core.scene import Project
from ...core.scene.shoot import Region

FILM_BYTES, PASSES_BYTES = 68, 160
"""Of a pixel of a film, and what passes need of one more."""


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
    finish: Finish
    """from here to what is shown"""


@dataclass(frozen=True, slots=True)
class FramePasses:
    """Passes of a frame that is there."""

    passes: Iterator[PassFile]
    """made one by one as they are asked for"""
    clamped: float | None = None


class Maker(Protocol):
    """Makes the picture of a frame, or some of its passes, however it does."""

    def make(self, number: int, cancelled: Cancel = ..., progress: Tell = ...) -> FramePicture | FramePasses:
        """Raises Cancelled, and ShootError for what it needs and does not find."""


class FrameMaker:
    """Exposes, cleans and finishes frames. With neighbours, each frame is exposed once while frames come in order."""

    def __init__(
        self, project: Project, numbers: range, compiler: SceneCompiler, tracer: Tracer, region: Region | None = None
    ):
        """region: the part of the picture that is looked at, None: all."""
        self._project, self._numbers, self._region = project, numbers, region
        self._compiler, self._tracer = compiler, tracer
        self.read_asset = compiler.read_asset
        self._films: dict[int, Film] = {}
        self._cleaned: dict[int, F32] = {}
        s = project.shot.shoot
        self._neighbours: Neighbours | None = None
        if s.denoise_neighbours:
            pixel_rad = 2 * half_extent(project.camera, s.width, s.height)[0] / s.width
            self._neighbours = Neighbours(s.width, s.height, pixel_rad, _reach(project))

    def make(self, number: int, cancelled: Cancel = lambda: False, progress: Tell = lambda x: None) -> FramePicture:
        """The picture of a frame. Raises Cancelled."""
        around = exposed_for(self._project, self._numbers, number)
        self._films = {n: film for n, film in self._films.items() if n in around}
        missing = [n for n in around if n not in self._films]
        for i, n in enumerate(missing):

            def tell(share: float, i: int = i) -> None:
                progress((i + share) / len(missing))

            film = self.exposed(n, cancelled, tell)
            if self._neighbours is not None:
                self._neighbours.know(n, self.seen(film), around)
            self._films[n] = film if self._project.shot.shoot.needs_first_hits else film.without_places()
        near = cleaned_for(self._project, self._numbers, number)
        self._cleaned = {n: light for n, light in self._cleaned.items() if n in near}
        for n in near:
            if cancelled():
                raise Cancelled
            if n not in self._cleaned:
                self._cleaned[n] = self.cleaned(n, self._films[n], {})
        return self.finished(number, self._films[number], {}, self._cleaned, cancelled)

    def passes(
        self, number: int, cancelled: Cancel = lambda: False, progress: Tell = lambda x: None
    ) -> Iterator[PassFile]:
        """The passes of a frame that are wanted, without more of its picture than they need. Raises Cancelled."""
        wanted, here = self._project.shot.shoot.passes.wanted, moment(self._project, number)
        if set(wanted) & set(OF_PICTURE):
            return self.make(number, cancelled, progress).passes
        if set(wanted) <= set(ALONE):
            return (pass_alone(name, here, self._compiler, self._tracer, cancelled) for name in wanted)
        film = self.exposed(number, cancelled, progress)
        return pass_files(here, film, film.radiance, self._compiler, self._tracer, cancelled)

    def exposed(self, number: int, cancelled: Cancel = lambda: False, progress: Tell = lambda x: None) -> Film:
        """The film of a frame. Raises Cancelled."""
        here = moment(self._project, number)
        return expose_frame(here, self._compiler, self._tracer, cancelled, progress, self._region)

    def exposed_band(
        self, number: int, band: Band, cancelled: Cancel = lambda: False, progress: Tell = lambda x: None
    ) -> Film:
        """The film of a band of a frame with its first samples. Raises Cancelled."""
        return expose_band(moment(self._project, number), self._compiler, self._tracer, band, cancelled, progress)

    def missing(self, number: int, bands: list[Film]) -> I32:
        """Number of doublings that the samples of each pixel (n,) still need."""
        return missing_of(moment(self._project, number), bands)

    def exposed_more(
        self,
        number: int,
        band: Band,
        there: Film,
        doublings: I32,
        cancelled: Cancel = lambda: False,
        progress: Tell = lambda x: None,
    ) -> Film:
        """The film of a band with what was missing. Raises Cancelled."""
        here = moment(self._project, number)
        return expose_band_more(here, self._compiler, self._tracer, band, there, doublings, cancelled, progress)

    def seen(self, film: Film) -> FrameHistory:
        """History of a film for other frames."""
        return FrameHistory.of(film, _reach(self._project))

    def cleaned(self, number: int, film: Film, seen: Mapping[int, FrameHistory]) -> F32:
        """Denoised light (h, w, 3) of a frame, without the surfaces' own colour.

        seen: of the frames of `seen_for_cleaning`, as far as they are not known here.
        """
        near = self._beside(number, self._known(seen).reach)
        return without_colour(film, denoise(film, radiance=self._known(seen).blended(film, near)))

    def finished(
        self,
        number: int,
        film: Film,
        seen: Mapping[int, FrameHistory],
        cleaned: Mapping[int, F32],
        cancelled: Cancel = lambda: False,
    ) -> FramePicture:
        """The picture of a frame and its passes.

        seen, cleaned: of the frames of `seen_for_finish` and `cleaned_for`; the former as far as not known here.
        """
        here = moment(self._project, number)
        clean = self._clean(number, film, seen, cleaned)
        radiance, alpha = beauty(film, here, clean, self._compiler, self._tracer, cancelled)
        passes = pass_files(here, film, clean, self._compiler, self._tracer, cancelled)
        clamped = None if here.shoot.clamp_indirect is None else film.clamped_share
        return FramePicture(expose(radiance, here.look.tone), alpha, passes, clamped, finish_of(here))

    def _clean(self, number: int, film: Film, seen: Mapping[int, FrameHistory], cleaned: Mapping[int, F32]) -> RGBImage:
        denoised = self._project.shot.shoot.denoise
        if self._neighbours is None:
            return denoise(film) if denoised else film.radiance
        if not denoised:
            return self._known(seen).blended(film, self._beside(number, self._neighbours.reach))
        return self._known(seen).settled(film, self._beside(number, SETTLED), cleaned)

    def _known(self, seen: Mapping[int, FrameHistory]) -> Neighbours:
        assert self._neighbours is not None
        for n, there in seen.items():
            self._neighbours.know(n, there, seen)
        return self._neighbours

    def _beside(self, number: int, reach: int) -> dict[int, int]:
        return frames_by_distance(self._project, self._numbers, number, reach)


def exposed_for(project: Project, numbers: range, number: int) -> list[int]:
    """Frames that are to be exposed before one can be finished."""
    return _numbers_beside(project, numbers, number, reach_beside(project))


def seen_for_cleaning(project: Project, numbers: range, number: int) -> list[int]:
    """Frames of which is needed what they have seen, to clean one."""
    return _numbers_beside(project, numbers, number, _reach(project))


def seen_for_finish(project: Project, numbers: range, number: int) -> list[int]:
    """Frames of which is needed what they have seen, to finish one."""
    s = project.shot.shoot
    if not s.denoise_neighbours:
        return []
    return _numbers_beside(project, numbers, number, SETTLED if s.denoise else _reach(project))


def cleaned_for(project: Project, numbers: range, number: int) -> list[int]:
    """Frames that are to be cleaned before one can be finished."""
    s = project.shot.shoot
    return _numbers_beside(project, numbers, number, SETTLED) if s.denoise_neighbours and s.denoise else []


def reach_beside(project: Project) -> int:
    """Number of frames to each side that a frame's picture depends on."""
    s = project.shot.shoot
    return _reach(project) + SETTLED if s.denoise_neighbours else 0


def _reach(project: Project) -> int:
    s = project.shot.shoot
    return reach_for(s.width, s.height, FILM_BYTES + (PASSES_BYTES if s.needs_first_hits else 0))


def _numbers_beside(project: Project, numbers: range, number: int, reach: int) -> list[int]:
    return list(dict.fromkeys(frames_by_distance(project, numbers, number, reach).values()))


def frames_by_distance(project: Project, numbers: range, number: int, reach: int) -> dict[int, int]:
    """Numbers of frames by their distance from one; a loop that is shot whole goes on beyond its ends."""
    shot = project.shot
    goes_on = not moves_nothing(shot) and loops(project, shot) and len(numbers) == shot.frames
    around = {}
    for k in range(-reach, reach + 1):
        n = number + k
        if goes_on:
            n = numbers.start + (n - numbers.start) % len(numbers)
        if n in numbers:
            around[k] = n
    return around
