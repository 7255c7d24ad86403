"""Compiling all kernels before they are needed, on first use by two processes at once.

The kernel that shades takes most of the time, and half of that goes into a few large functions it calls. A second
process compiles these into the cache, from where the first one takes them when it comes to them; the first begins
with the largest of all.
"""

import hashlib
import subprocess
import sys
import tempfile
from collections.abc import Callable
from contextlib import suppress
from dataclasses import replace
from pathlib import Path
from typing import Any

import numba
import numpy as np

from .. import kernel as kernel_module
from ..host.processes import end_family, outliving
from ..kernel import kernel_cache_folder, kernel_sources
from ..material.bsdf import evaluate, sample
from ..material.plain import evaluate_plain
from ..material.record import prepare
from ..motion import Moment, moment
from ..picture.view_transform import to_display
from ..scene import Row, Segment, new_project, put
from ..scene.shot import CAMERA, DISC, MoveKind
from .compile.compiler import SceneCompiler
from .film.denoise import denoise
from .film.film import Film, add_batch
from .film.tracer import Tracer
from .trace.air import gather_light
from .trace.arrays import PathState, make_samples, make_work
from .trace.escaped_rays import shade_misses
from .trace.shade import collect_light, shade
from .trace.shade_batched import shade_wide
from .trace.wavefront import FrameScene, find_blocked_with_holes

SIZE = 16
LOOK_EVERY_S = 0.2
_LARGE = "large"
_COMMAND = (sys.executable, "-m", __spec__.name)
"""Runs this module; `__name__` is not its name in a process that runs it."""


def kernels_compiled() -> bool:
    """True when all kernels were compiled before, and only need loading."""
    return _marker().exists()


def _marker() -> Path:
    """The file that says so for the kernels' files as Numba knows them: it compiles again for another path or time of
    change, whatever they hold, so what one checkout has compiled is not there for another. Each has its own."""
    digest = hashlib.sha256()
    for path in sorted(kernel_sources(Path(kernel_module.__file__).parent)):
        status = path.stat()
        digest.update(f"{path} {status.st_mtime_ns} {status.st_size}\n".encode())
    return kernel_cache_folder() / f"complete-{digest.hexdigest()[:16]}"


def compile_apart(unwanted: Callable[[], bool]) -> None:
    """Compile every kernel in another process; returns when that is done, or soon after `unwanted` says so.

    Numba compiles under a lock that the first call of any kernel needs: in a process that compiles for a minute, every
    thread that wants one for a small picture waits as long. Raises ChildProcessError with the last line of the trouble.
    """
    with tempfile.TemporaryFile() as said:
        child = subprocess.Popen(_COMMAND, stdout=subprocess.DEVNULL, stderr=said, **outliving())
        while child.poll() is None and not unwanted():
            with suppress(subprocess.TimeoutExpired):
                child.wait(LOOK_EVERY_S)
        end_family(child.pid)  # its helper too
        child.wait()
        if child.returncode > 0:
            said.seek(0)
            raise ChildProcessError(said.read().decode(errors="replace").strip().rpartition("\n")[2])


def warm_up(tracer: Tracer) -> None:
    """Compile every kernel, or load it from the cache, by developing a tiny picture of an empty studio."""
    done = _marker()
    helper = None
    if not kernels_compiled() and tracer.threads > 1:
        helper = subprocess.Popen([*_COMMAND, _LARGE], stdout=subprocess.DEVNULL)
    try:
        if helper is not None:
            compile_all(large_functions(_empty_scene())[:1])
        _develop(tracer)
    finally:
        if helper is not None:
            # what it is still compiling is compiled already
            helper.terminate()
            helper.wait()
    done.parent.mkdir(parents=True, exist_ok=True)
    done.touch()


def _empty_studio(kind: MoveKind = "orbit") -> Moment:
    project = new_project("Warm-up")
    row = Row(id=DISC if kind == "spin" else CAMERA, segments=(Segment(id="segment-1", kind=kind),))
    return moment(put(project, "shot/rows", (row,)), 2)


def _develop(tracer: Tracer) -> None:
    compiler = SceneCompiler(lambda key: b"")
    kinds: tuple[MoveKind, ...] = ("orbit", "spin")
    for kind in kinds:
        film = Film(SIZE, SIZE)
        scene = compiler.compile(_empty_studio(kind), SIZE, SIZE)
        for holes in (False, True):
            tracer.expose(film, replace(scene, has_holes=holes), 1)
    to_display(denoise(film), "neutral")


Typed = tuple[Any, tuple[Any, ...]]
"""A function, and types of its arguments."""


def _empty_scene() -> FrameScene:
    return SceneCompiler(lambda key: b"").compile(_empty_studio(), SIZE, SIZE)


def compile_all(functions: list[Typed]) -> None:
    """Compile functions, or load them."""
    for function, arguments in functions:
        function.compile(arguments)


def large_functions(scene: FrameScene) -> list[Typed]:
    """The functions that take longest to compile, with the types of argument that the wavefront gives them: the
    largest, and then, in the order in which they are wanted, those that are compiled beside it."""
    of, number, vector = numba.typeof, numba.float64, numba.types.UniTuple(numba.float64, 3)
    samples, work = make_samples(1, 0, False), make_work(1, 2)
    row, record = of(scene.materials.values[0]), of(work.scratch.record)
    films, tables = of(scene.materials.films), of(scene.tables)
    world, flight = (
        of(scene.world),
        of(PathState(work.rays, work.paths, work.hits, work.rays, work.paths, work.shadows)),
    )
    film = of(scene.recording), of(samples)
    which, number_of, scratch = of(work.lists[0]), numba.int64, of(work.scratch)
    so_far = numba.types.UniTuple(number_of, 2)
    return [
        (shade, (which, number_of, so_far, number_of, number_of, world, flight, *film, scratch)),
        (sample, (row, record, vector, number, number, number, films, tables)),
        (prepare, (row, record, vector, vector, numba.boolean, tables)),
        (evaluate, (row, record, vector, vector, films, tables)),
        (evaluate_plain, (row, record, vector, vector, tables)),
        (shade_misses, (which, number_of, world, flight, *film, of(work.block))),
        (gather_light, (number_of, number_of, world, flight, film[0], scratch)),
        (shade_wide, (which, number_of, so_far, number_of, number_of, world, flight, *film, scratch, of(work.block))),
        (find_blocked_with_holes, (world, of(work.shadows), numba.int64, of(work.rays), of(work))),
        (collect_light, (numba.int64, of(work.blocked), of(work.shadows), *film)),
    ]  # fmt: skip


def _compile_beside() -> None:
    compile_all(large_functions(_empty_scene())[1:])
    add_batch(Film(SIZE, SIZE), np.zeros(0, np.int32), 0, 1, make_samples(1, 0, False))
    to_display(np.zeros((1, 1, 3), np.float32), "neutral")


if __name__ == "__main__":
    if sys.argv[1:] == [_LARGE]:
        _compile_beside()
    else:
        warm_up(Tracer())
