"""The live lens: develops the picture of whoever asked last, in the background, until something changes."""

import logging
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from typing import TypeVar

from ..core.arrays import Mat4, Vec3
from ..core.commands import Command, perform_all
from ..core.errors import ChangeError, CycloramaError
from ..core.framing import SurfacePoint
from ..core.geometry.filling import Hollow
from ..core.kernel import damaged_entries
from ..core.light.balance import Apart
from ..core.light.placement import Surface
from ..core.motion import Moment, moment, moment_of_first
from ..core.render.compile.compiler import SceneCompiler
from ..core.render.film.meter import meter_standins
from ..core.render.film.picking import PickProbe
from ..core.render.film.progressive import FULL_SAMPLES, DevelopedPicture, ProgressiveRenderer
from ..core.render.film.tracer import Cancel, Cancelled, Tell, Tracer
from ..core.render.warm import compile_apart, kernels_compiled, warm_up
from ..core.scene import Item, Project
from ..shoot.run.forecast import Step
from ..store import Studio
from .jobs import Unwanted

TELL_EVERY_S = 0.3
CALM_S, CALM_SAMPLES, LOOK_S = 1.0, 8, 0.1
"""So long after somebody asked for a picture, and until it has so many samples, work in the background holds back; it
looks again so often."""
LINGER_S = 0.15
"""After a picture of something that is tried, this long nothing else is begun that could hold up the next."""
BROKEN = "This picture cannot be developed. Undo the last step; the terminal that runs Cyclorama tells more."
PREPARING = "Preparing the renderer, first time only, under a minute"
LOADING = "Preparing the renderer"
MENDING = "Parts of the prepared renderer were damaged; they are prepared again, under a minute"
UNPREPARED = "The renderer could not be prepared ({why}). It is tried again; the terminal tells more."
RETRY_S = 10.0
UNSEEN_BYTES = 128 << 20
"""While no lens is open, no more is kept of what was compiled: hundreds of models may come in unseen."""
POSTER_WIDTH, POSTER_SAMPLES = 480, 24


T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class FrameRequest:
    """Request of a lens: a frame of the project as it is saved, or with changes that are being tried."""

    request: int
    frame: int
    width: int
    height: int
    tried: tuple[Command, ...] = ()
    asked_at: float = field(default_factory=time.perf_counter)


@dataclass(slots=True)
class LensPicture:
    """A developed picture on its way to the browser."""

    request: int
    milliseconds: int
    """since the request"""
    shown: DevelopedPicture


@dataclass(slots=True)
class LensProgress:
    """Progress of a picture."""

    request: int
    share: float
    """of all samples"""
    seconds_left: float


@dataclass(slots=True)
class Trouble:
    """A sentence about why there is no picture."""

    request: int
    sentence: str


News = LensPicture | LensProgress | Trouble


@dataclass(slots=True)
class Viewer:
    """One open lens."""

    deliver: Callable[[News], None]
    project_id: str
    wanted: FrameRequest | None = None


class Lens:
    """One rendering thread for all open lenses; the one asked last goes first. Any new request cancels."""

    def __init__(self, studio: Studio, samples: int | None = None):
        self._studio, self.full = studio, samples or FULL_SAMPLES
        self._tracer = Tracer()
        self._compiler = SceneCompiler(studio.assets.get)
        self._developer = ProgressiveRenderer(self._compiler, self._tracer, self.full)
        self._viewers: list[Viewer] = []
        self._wake = threading.Condition()
        self._generation = 0
        self._busy = threading.Lock()
        self._borrowers = 0
        self._asked_at, self._rough = 0.0, False
        self._closing = False
        self.ready = threading.Event()
        """set once the kernels are compiled"""
        self.unprepared = False
        """true when preparing them went wrong; it is tried again"""
        self._preparing = PREPARING
        self._thread = threading.Thread(target=self._run, name="lens", daemon=True)
        self._thread.start()

    def close(self) -> None:
        with self._wake:
            self._closing = True
            self._interrupt()
        self._thread.join(timeout=60)
        with self._busy:  # whoever borrowed the tracer brings it back first
            self._tracer.close()

    def open(self, viewer: Viewer) -> None:
        with self._wake:
            self._viewers.append(viewer)

    def leave(self, viewer: Viewer) -> None:
        with self._wake:
            self._viewers.remove(viewer)
            self._rough = any(v.wanted for v in self._viewers)
            self._interrupt()

    def _interrupt(self) -> None:
        """Cancel the picture that is being rendered; to be called while holding the condition."""
        self._generation += 1
        self._wake.notify_all()

    def develop(self, viewer: Viewer, wanted: FrameRequest) -> None:
        """Ask for a picture. It ends the one under way, unless both are steps of a drag: pictures must not starve."""
        with self._wake:
            is_drag = bool(wanted.tried and viewer.wanted and viewer.wanted.tried)
            viewer.wanted, self._asked_at, self._rough = wanted, time.monotonic(), True
            self._viewers.remove(viewer)
            self._viewers.append(viewer)
            if is_drag:
                self._wake.notify_all()
            else:
                self._interrupt()

    def calm(self) -> bool:
        """True when nobody has asked for a picture just now, and whoever did has had a good one: others may borrow
        without being felt."""
        return not self._rough and time.monotonic() - self._asked_at > CALM_S

    def at_leisure(self, do: Step[T], unwanted: Callable[[], bool]) -> T:
        """Do something with compiler and tracer while nobody else wants them; what it is given with them says when it
        is to stop, and then it begins anew some time later. It waits for the kernels too, however often they must be
        tried. Raises Unwanted once `unwanted` says so."""

        def disturbed() -> bool:
            return self._borrowers > 1 or not self.calm() or unwanted()

        while not unwanted():
            if not self._closing and (self._borrowers or not self.ready.is_set() or not self.calm()):
                time.sleep(LOOK_S)
                continue
            with suppress(Cancelled), self.borrowed() as (compiler, tracer):
                return do(compiler, tracer, disturbed)
        raise Unwanted

    def rest(self, viewer: Viewer) -> None:
        """Stop developing, something is being handled."""
        with self._wake:
            viewer.wanted, self._rough = None, False
            self._interrupt()

    @contextmanager
    def borrowed(self, wait: bool = True) -> Iterator[tuple[SceneCompiler, Tracer]]:
        """Use compiler and tracer for a moment; what is developing starts again afterwards.

        Until the kernels are ready nobody gets them: two that compile the same at once take more than twice as long.
        Raises ChangeError when they cannot be made ready, or are not yet and nobody is to wait for that.
        """
        while not self.ready.wait(0.1):
            if self.unprepared or self._closing or not wait:
                raise ChangeError(self.preparing)
        with self._wake:
            self._borrowers += 1
            self._interrupt()
        try:
            with self._busy:
                if self._closing:
                    raise CycloramaError("The studio is being closed.")
                try:
                    yield self._compiler, self._tracer
                finally:
                    if not self._viewers:
                        self._compiler.trim(UNSEEN_BYTES)
        finally:
            with self._wake:
                self._borrowers -= 1
                self._wake.notify_all()

    def _next_viewer(self) -> Viewer | None:
        """Whose picture is developed next; nobody's while compiler and tracer are wanted elsewhere."""
        if self._borrowers:
            return None
        return next((v for v in reversed(self._viewers) if v.wanted), None)

    @property
    def preparing(self) -> str:
        """Sentence about the renderer until the kernels are ready."""
        return MENDING if damaged_entries and self._preparing == LOADING else self._preparing

    def _prepare(self) -> None:
        """Compile the kernels; when that fails, say so and try again until it works or the studio is closed."""
        while not self._closing:
            try:
                if not kernels_compiled():
                    compile_apart(lambda: self._closing)
                    if self._closing:
                        return
                self._preparing = LOADING
                warm_up(self._tracer)
                self.unprepared = False
                self.ready.set()
                return
            except Exception as error:
                logging.getLogger(__name__).exception("The renderer cannot be prepared")
                self.unprepared = True
                self._preparing = UNPREPARED.format(why=f"{type(error).__name__}: {error}"[:160])
            with self._wake:
                self._wake.wait_for(lambda: self._closing, RETRY_S)

    def _run(self) -> None:
        self._prepare()
        while True:
            with self._wake:
                viewer = self._next_viewer()
                while viewer is None and not self._closing:
                    self._wake.wait()
                    viewer = self._next_viewer()
                if self._closing:
                    return
                assert viewer is not None
                assert viewer.wanted is not None
                generation, wanted = self._generation, viewer.wanted
            done = self._try_to_develop(viewer, wanted, generation)
            with self._wake:
                if done and generation == self._generation and viewer.wanted is wanted:
                    viewer.wanted, self._rough = None, False

    def _try_to_develop(self, viewer: Viewer, wanted: FrameRequest, generation: int) -> bool:
        """True when the viewer has had all there is; False when something else came first."""
        try:
            with self._busy:
                self._develop(viewer, wanted, generation)
        except Cancelled:
            return False
        except CycloramaError as error:
            viewer.deliver(Trouble(wanted.request, error.sentence))
        except Exception:
            logging.getLogger(__name__).exception("Frame %s of %s cannot be developed", wanted.frame, viewer.project_id)
            viewer.deliver(Trouble(wanted.request, BROKEN))
        return True

    def _develop(self, viewer: Viewer, wanted: FrameRequest, generation: int) -> None:
        def cancelled() -> bool:
            return generation != self._generation

        def superseded() -> bool:
            return cancelled() or viewer.wanted is not wanted

        saved = self._studio.projects.get(viewer.project_id).project
        eye = PickProbe(self._compiler, self._tracer)
        project, _ = perform_all(saved, wanted.tried, self._studio.measures_if_whole, eye)
        tell = _teller(viewer, wanted.request, self.full)
        here = moment(project, wanted.frame)
        for shown in self._developer.pictures(here, wanted.width, wanted.height, cancelled, tell):
            if cancelled():
                raise Cancelled
            spent = int((time.perf_counter() - wanted.asked_at) * 1000)
            viewer.deliver(LensPicture(wanted.request, spent, shown))
            self._rough = shown.samples < CALM_SAMPLES
            if wanted.tried:  # the hand may still be moving
                with self._wake:
                    if self._wake.wait_for(superseded, LINGER_S):
                        raise Cancelled

    def poster(self, project: Project, unwanted: Callable[[], bool]) -> bytes:
        """A small developed picture of the first frame, as JPEG, made at leisure; raises Unwanted."""
        first = moment_of_first(project)
        height = max(1, round(POSTER_WIDTH * first.shoot.height / first.shoot.width))

        def made(_: SceneCompiler, __: Tracer, cancelled: Cancel) -> bytes:
            return self._developer.still(first, POSTER_WIDTH, height, POSTER_SAMPLES, cancelled).jpeg

        return self.at_leisure(made, unwanted)


def _teller(viewer: Viewer, request: int, full: int) -> Tell:
    """Tells a viewer now and then how many of all samples there are."""
    begun: tuple[float, float] | None = None
    told = time.perf_counter()

    def tell(samples: float) -> None:
        nonlocal begun, told
        now = time.perf_counter()
        if begun is None:
            begun, told = (now, samples), now
        elif now - told >= TELL_EVERY_S:
            told = now
            pace = (now - begun[0]) / (samples - begun[1])
            viewer.deliver(LensProgress(request, samples / full, (full - samples) * pace))

    return tell


class LensEye:
    """Looks with the live lens's compiler and tracer, which it borrows for the moment."""

    def __init__(self, lens: Lens, large: frozenset[str] = frozenset()):
        """large: keys of meshes in whose place stand-ins are metered; they are not loaded for that."""
        self._lens, self._large = lens, large

    def meter(self, moments: list[Moment]) -> float | None:
        with self._lens.borrowed() as (compiler, tracer):
            if self._large:
                return meter_standins(moments, self._large, compiler.read_asset, tracer)
            return PickProbe(compiler, tracer).meter(moments)

    def point(self, moment: Moment, x: float, y: float) -> SurfacePoint | None:
        with self._lens.borrowed() as tools:
            return PickProbe(*tools).point(moment, x, y)

    def apart(self, moment: Moment, lights: tuple[str, ...]) -> Apart | None:
        with self._lens.borrowed() as tools:
            return PickProbe(*tools).apart(moment, lights)

    def surface(self, moment: Moment, x: float, y: float) -> Surface | None:
        with self._lens.borrowed() as tools:
            return PickProbe(*tools).surface(moment, x, y)

    def hollow(self, item: Item) -> Hollow | None:
        with self._lens.borrowed() as tools:
            return PickProbe(*tools).hollow(item)

    def copies(self, moment: Moment, item: Item) -> list[tuple[int, Mat4]]:
        with self._lens.borrowed() as tools:
            return PickProbe(*tools).copies(moment, item)

    def colour(self, moment: Moment, x: float, y: float) -> Vec3 | None:
        with self._lens.borrowed() as tools:
            return PickProbe(*tools).colour(moment, x, y)
