"""The live lens: develops the picture of whoever asked last, in the background, until something changes."""

import io
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from functools import partial

from PIL import Image

from ..core.arrays import Vec3
from ..core.errors import CycloramaError
from ..core.picture.exposure import expose, shown_look
from ..core.picture.view import to_bytes, to_display
from ..core.render.background import with_background
from ..core.render.denoise import denoise
from ..core.render.eye import Eye
from ..core.render.film import Film
from ..core.render.scene import SceneCompiler
from ..core.render.tracer import Cancel, Cancelled, Tracer
from ..core.render.warm import warm_up
from ..core.scene import Project
from ..store import Studio

FULL_SAMPLES = 256
STEPS = (2, 8, 32, 96, FULL_SAMPLES)
"""Samples at which a picture is sent."""
FIRST_SHRINK = 3
"""The first picture after an edit is this much smaller than the lens, to be there at once."""
FIRST_BOUNCES = 5
TELL_EVERY_S = 0.3
POSTER_WIDTH, POSTER_SAMPLES = 480, 24


@dataclass(slots=True)
class Picture:
    """A developed picture on its way to the browser."""

    request: int
    samples: int
    width: int
    height: int
    milliseconds: int
    """since the request"""
    jpeg: bytes


@dataclass(slots=True)
class Progress:
    """How far a picture has developed."""

    request: int
    share: float
    """of FULL_SAMPLES"""
    seconds_left: float


News = Picture | Progress | str
"""A picture, how far the next one is, or a sentence about why there is none."""


@dataclass(slots=True)
class Viewer:
    """One open lens."""

    deliver: Callable[[News], None]
    project_id: str
    request: int = 0
    frame: int = 1
    width: int = 640
    height: int = 360
    wants: bool = False
    asked_at: float = field(default_factory=time.perf_counter)


class Lens:
    """One rendering thread for all open lenses; the one asked last goes first. Any new request cancels."""

    def __init__(self, studio: Studio):
        self._studio = studio
        self._tracer = Tracer()
        self._compiler = SceneCompiler(studio.assets.get)
        self._viewers: list[Viewer] = []
        self._wake = threading.Condition()
        self._generation = 0
        self._busy = threading.Lock()
        self._borrowers = 0
        self._closing = False
        self.ready = threading.Event()
        """set once the kernels are compiled"""
        self._thread = threading.Thread(target=self._run, name="lens", daemon=True)
        self._thread.start()

    def close(self) -> None:
        with self._wake:
            self._closing = True
            self._generation += 1
            self._wake.notify_all()
        self._thread.join(timeout=60)
        with self._busy:  # whoever borrowed the tracer brings it back first
            self._tracer.close()

    def open(self, viewer: Viewer) -> None:
        with self._wake:
            self._viewers.append(viewer)

    def leave(self, viewer: Viewer) -> None:
        with self._wake:
            self._viewers.remove(viewer)
            self._generation += 1

    def develop(self, viewer: Viewer, request: int, frame: int, width: int, height: int) -> None:
        """Ask for a picture of the project as it is saved now."""
        with self._wake:
            viewer.request, viewer.frame, viewer.width, viewer.height = request, frame, width, height
            viewer.wants, viewer.asked_at = True, time.perf_counter()
            self._viewers.remove(viewer)
            self._viewers.append(viewer)
            self._generation += 1
            self._wake.notify_all()

    def rest(self, viewer: Viewer) -> None:
        """Stop developing, something is being handled."""
        with self._wake:
            viewer.wants = False
            self._generation += 1

    @contextmanager
    def borrowed(self) -> Iterator[tuple[SceneCompiler, Tracer]]:
        """Use compiler and tracer for a moment; what is developing starts again afterwards."""
        with self._wake:
            self._generation += 1
            self._borrowers += 1
        try:
            with self._busy:
                if self._closing:
                    raise CycloramaError("The studio is being closed.")
                yield self._compiler, self._tracer
        finally:
            with self._wake:
                self._borrowers -= 1
                self._wake.notify_all()

    def _next_viewer(self) -> Viewer | None:
        """Whose picture is developed next; nobody's while compiler and tracer are wanted elsewhere."""
        if self._borrowers:
            return None
        return next((v for v in reversed(self._viewers) if v.wants), None)

    def _run(self) -> None:
        warm_up(self._tracer)
        self.ready.set()
        while True:
            with self._wake:
                viewer = self._next_viewer()
                while viewer is None and not self._closing:
                    self._wake.wait()
                    viewer = self._next_viewer()
                if self._closing:
                    return
                generation = self._generation
            assert viewer is not None
            try:
                with self._busy:
                    self._develop(viewer, generation)
                done = True
            except Cancelled:
                done = False
            except CycloramaError as error:
                viewer.deliver(error.sentence)
                done = True
            with self._wake:
                if done and generation == self._generation:
                    viewer.wants = False

    def _develop(self, viewer: Viewer, generation: int) -> None:
        def cancelled() -> bool:
            return generation != self._generation

        project = self._studio.projects.get(viewer.project_id).project
        request, frame, asked = viewer.request, viewer.frame, viewer.asked_at
        width, height = viewer.width, viewer.height

        def deliver(film: Film, samples: int) -> None:
            jpeg = jpeg_of(film, project, frame, self._compiler, samples)
            if cancelled():
                raise Cancelled
            spent = int((time.perf_counter() - asked) * 1000)
            viewer.deliver(Picture(request, samples, film.width, film.height, spent, jpeg))

        deliver(first_film(project, frame, width, height, self._compiler, self._tracer, cancelled), 0)
        scene = self._compiler.compile(project, frame, width, height)
        film = Film(width, height)
        tell = _teller(viewer, request)
        for target in STEPS:
            before = film.samples
            self._tracer.expose(film, scene, target - before, 0, cancelled, partial(tell, before, target))
            deliver(film, target)

    def poster(self, project: Project) -> bytes:
        """A small developed picture of the first frame, as JPEG; waits until the kernels are ready."""
        self.ready.wait()
        width = POSTER_WIDTH
        height = max(1, round(width * project.shoot.height / project.shoot.width))
        with self.borrowed() as (compiler, tracer):
            film = Film(width, height)
            first = project.move.first_frame
            tracer.expose(film, compiler.compile(project, first, width, height), POSTER_SAMPLES)
            return jpeg_of(film, project, first, compiler, POSTER_SAMPLES)


def _teller(viewer: Viewer, request: int) -> Callable[[int, int, float], None]:
    """Tells a viewer now and then how many of all samples there are, given a share of those from … to …."""
    start = told = time.perf_counter()

    def tell(before: int, target: int, share: float) -> None:
        nonlocal told
        now, done = time.perf_counter(), before + share * (target - before)
        if now - told >= TELL_EVERY_S:
            told = now
            viewer.deliver(Progress(request, done / FULL_SAMPLES, (now - start) * (FULL_SAMPLES / done - 1.0)))

    return tell


def first_film(
    project: Project, frame: int, width: int, height: int, compiler: SceneCompiler, tracer: Tracer,
    cancelled: Cancel = lambda: False,
) -> Film:  # fmt: skip
    """What the lens shows at once: smaller than asked for, one sample, few bounces."""
    width, height = max(1, width // FIRST_SHRINK), max(1, height // FIRST_SHRINK)
    scene = compiler.compile(project, frame, width, height)
    film = Film(width, height)
    tracer.expose(film, replace(scene, max_bounces=min(scene.max_bounces, FIRST_BOUNCES)), 1, 0, cancelled)
    return film


def jpeg_of(film: Film, project: Project, frame: int, compiler: SceneCompiler, samples: int) -> bytes:
    """The film as a picture, denoised the better the more samples it has."""
    final = samples >= FULL_SAMPLES
    clean = denoise(film, "high" if final else "fast", prefilter=final)
    behind = compiler.background(project, frame, film.width, film.height)
    look = shown_look(project)
    shown = to_bytes(to_display(expose(with_background(clean, film.alpha, behind), look), look.view))
    buffer = io.BytesIO()
    Image.fromarray(shown).save(buffer, "JPEG", quality=93 if samples >= 16 else 85, subsampling=0)
    return buffer.getvalue()


class LensEye:
    """Looks with the live lens's compiler and tracer, which it borrows for the moment."""

    def __init__(self, lens: Lens):
        self._lens = lens

    def meter(self, project: Project) -> float | None:
        with self._lens.borrowed() as tools:
            return Eye(*tools).meter(project)

    def point(self, project: Project, frame: int, x: float, y: float) -> tuple[Vec3, bool] | None:
        with self._lens.borrowed() as tools:
            return Eye(*tools).point(project, frame, x, y)

    def colour(self, project: Project, frame: int, x: float, y: float) -> Vec3 | None:
        with self._lens.borrowed() as tools:
            return Eye(*tools).colour(project, frame, x, y)
