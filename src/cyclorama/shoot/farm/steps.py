"""The steps of a frame as machines of the cluster do them: a job, a number and what earlier steps gave.

Each is the same on every machine, so one that is lost is done again elsewhere. Who asked hears how far they are.
"""

import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import cache

from distributed import get_worker
from distributed.worker import thread_state  # type: ignore[attr-defined]  # not listed there

from ...core.kernel import cache_home
from ...core.render.film.film import Film
from ...core.render.film.row_bands import I32, Band
from ...core.render.film.temporal_denoise import F32, FrameHistory
from ...core.scene import Project
from ..frames.cache import program
from ..frames.executors import RenderedFrame, frame_files
from ..frames.pipeline import FrameMaker, FramePasses
from .workshop import FarmJob, FilePart, Workshop

TELL_EVERY_S = 0.5


@dataclass(frozen=True, slots=True)
class Exposed:
    """A frame's light, and what frames near it ask of it."""

    film: Film
    seen: FrameHistory | None
    """None where frames are on their own"""


def begin() -> None:
    """Done before a run of frames is exposed, which then goes to the same machine."""


def expose(job: FarmJob, number: int, _begun: None) -> Exposed:
    """The first step: all the tracing."""
    project, maker = workshop().maker(job)
    with _step(job, number, "exposes") as step:
        return _exposed(maker.exposed(number, step.cancelled, step.share), project, maker)


def expose_band(job: FarmJob, number: int, band: Band) -> Film:
    """In place of the first step, where machines would have nothing to do otherwise: a band of a frame."""
    _, maker = workshop().maker(job)
    with _step(job, number, "exposes") as step:
        return maker.exposed_band(number, band, step.cancelled, step.share)


def look(job: FarmJob, number: int, bands: list[Film]) -> I32:
    """Missing samples of a frame, from all its bands."""
    _, maker = workshop().maker(job)
    with _step(job, number, "exposes"):
        return maker.missing(number, bands)


def expose_more(job: FarmJob, number: int, band: Band, there: Film, doublings: I32) -> Film:
    """A band with the samples that were missing."""
    _, maker = workshop().maker(job)
    with _step(job, number, "exposes") as step:
        return maker.exposed_more(number, band, there, doublings, step.cancelled, step.share)


def join(job: FarmJob, number: int, bands: list[Film]) -> Exposed:
    """A frame's light, of its bands from the top."""
    project, maker = workshop().maker(job)
    with _step(job, number, "exposes"):
        return _exposed(Film.of_rows(bands), project, maker)


def _exposed(film: Film, project: Project, maker: FrameMaker) -> Exposed:
    shoot = project.shot.shoot
    seen = maker.seen(film) if shoot.denoise_neighbours else None
    return Exposed(film if shoot.needs_first_hits else film.without_places(), seen)


def see(exposed: Exposed) -> FrameHistory | None:
    """Share of a frame's film that other machines need: less than half of it."""
    return exposed.seen


def clean(job: FarmJob, number: int, exposed: Exposed, near: list[int], seen: list[FrameHistory]) -> F32:
    """The second step of frames that are cleaned with those near them."""
    _, maker = workshop().maker(job)
    with _step(job, number, "cleans"):
        return maker.cleaned(number, exposed.film, dict(zip(near, seen, strict=True)))


def finish(
    job: FarmJob,
    number: int,
    exposed: Exposed,
    near: list[int],
    seen: list[FrameHistory],
    beside: list[int],
    cleaned: list[F32],
) -> RenderedFrame:
    """The last step: the frame's files."""
    project, maker = workshop().maker(job)
    with _step(job, number, "finishes") as step:
        picture = maker.finished(
            number,
            exposed.film,
            dict(zip(near, seen, strict=True)),
            dict(zip(beside, cleaned, strict=True)),
            step.cancelled,
        )
        return RenderedFrame(
            list(frame_files(number, picture, project, maker.read_asset)),
            picture.clamped,
            machine=str(get_worker().name),
        )


def passes(job: FarmJob, number: int) -> RenderedFrame:
    """The only step of a frame of which only passes are wanted that need no clean picture: their files."""
    project, maker = workshop().maker(job)
    with _step(job, number, "exposes") as step:
        made = FramePasses(maker.passes(number, step.cancelled, step.share))
        return RenderedFrame(list(frame_files(number, made, project, maker.read_asset)), None)


def give(name: str, part: FilePart | str) -> None:
    """Take a part of a file that a step asked for, or why it cannot come; done on the machine that asked."""
    workshop().give(name, part)


@cache
def workshop() -> Workshop:
    """Of this process."""
    worker = get_worker()
    made = Workshop(
        cache_home() / "farm" / program().hex()[:16],
        lambda topic, name: worker.log_event(topic, {"wants": name, "at": worker.address}),
    )
    made.tidy()
    return made


class _Step:
    """Step under way: reports progress to the client, and knows when nobody waits any more."""

    def __init__(self, job: FarmJob, number: int, does: str):
        self._worker, self._key = get_worker(), thread_state.key  # the question may come from another thread
        self._topic = job.topic
        self._about = {"at": self._worker.address, "of": job.document, "frame": number, "does": does}
        self._at = 0.0

    def share(self, share: float) -> None:
        if time.monotonic() - self._at > TELL_EVERY_S:
            self._at = time.monotonic()
            self.tell(share=share)

    def tell(self, **more: float) -> None:
        self._worker.log_event(self._topic, {**self._about, **more})

    def cancelled(self) -> bool:
        task = self._worker.state.tasks.get(self._key)
        return task is None or task.state == "cancelled"


@contextmanager
def _step(job: FarmJob, number: int, does: str) -> Iterator[_Step]:
    began, step = time.perf_counter(), _Step(job, number, does)
    step.tell(share=0.0)
    yield step
    step.tell(share=1.0, seconds=time.perf_counter() - began)
