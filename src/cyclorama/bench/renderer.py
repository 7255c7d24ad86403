"""`./cyc bench`: how fast the renderer is, as ratios within one run."""

import statistics
import time
from collections.abc import Callable

import numpy as np
from scipy.ndimage import gaussian_filter

from ..core.colour import LUMA32
from ..core.commands.made_items import with_made
from ..core.commands.moves import with_ready_move
from ..core.commands.values import SetValue, apply_set
from ..core.host.processes import cores, peak_memory
from ..core.motion import moment
from ..core.picture.exposure import expose
from ..core.picture.view_transform import to_display
from ..core.render.compile.compiler import SceneCompiler
from ..core.render.film.denoise import denoise
from ..core.render.film.film import Film
from ..core.render.film.progressive import SPLIT_FROM, STEPS, ProgressiveRenderer
from ..core.render.film.tracer import Tracer
from ..core.render.trace.wavefront import FrameScene
from ..core.review import review
from ..core.scene import Project, put_all
from ..demo.projects import DemoProject, lantern_project, storm_glass_project
from .rays import ask_all, record

WIDTH, HEIGHT, SAMPLES, REPEATS = 640, 360, 4, 6


def run_bench(name: str, tell: Callable[[str], None]) -> None:
    """Measure and print a table."""
    tell(f"Building {name} …")
    demo: DemoProject = lantern_project() if name == "harbour-lantern" else storm_glass_project()
    assets = {**demo.intake.assets, **demo.assets}
    compiler = SceneCompiler(assets.__getitem__)
    start = time.perf_counter()
    scene = compiler.compile(moment(demo.project, 1), WIDTH, HEIGHT)
    compiled = time.perf_counter() - start
    with Tracer(1) as one:
        start = time.perf_counter()
        one.expose(Film(64, 36), scene, 1)
        tell(f"{'kernels ready after':36}{time.perf_counter() - start:8.1f} s")
    rows = _edits(demo.project) | _lanes(demo) | _speed(scene) | _live(demo.project, compiler)
    rows["scene compiled in"] = f"{compiled:8.2f} s"
    rows["triangles"] = f"{len(scene.geometry.corners):8,}"
    rows["peak memory"] = f"{peak_memory() / 2**20:8.0f} MiB"
    for label, value in rows.items():
        tell(f"{label:36}{value}")


def _traced(scene: FrameScene, threads: int) -> float:
    with Tracer(threads) as tracer:
        start = time.perf_counter()
        tracer.expose(Film(WIDTH, HEIGHT), scene, SAMPLES)
        return time.perf_counter() - start


def _speed(scene: FrameScene) -> dict[str, str]:
    queries = record(scene, WIDTH, HEIGHT, SAMPLES)
    rays = sum(len(q.rays.origin) for q in queries)
    n = cores()
    bare, bare_n, one, many = [], [], [], []
    for _ in range(REPEATS):  # in turn, so that a machine that slows down slows all of them
        bare.append(ask_all(queries, 1))
        one.append(_traced(scene, 1))
        bare_n.append(ask_all(queries, n))
        many.append(_traced(scene, n))
    # the shortest is the least disturbed by what else the machine does
    b1, bn, t1, tn = (min(x) for x in (bare, bare_n, one, many))
    paths = WIDTH * HEIGHT * SAMPLES
    return {
        "rays a path": f"{rays / paths:8.2f}",
        "bare ray queries, 1 thread": f"{rays / b1 / 1e6:8.2f} M rays/s",
        "tracer on the same rays, 1 thread": f"{rays / t1 / 1e6:8.2f} M rays/s",
        "tracer / bare, 1 thread": f"{b1 / t1:8.2f}",
        f"tracer / bare, {n} threads": f"{bn / tn:8.2f}",
        "paths, 1 thread": f"{paths / t1 / 1e6:8.2f} M/s",
        f"paths, {n} threads": f"{paths / tn / 1e6:8.2f} M/s",
        f"{n} threads / 1 thread": f"{t1 / tn:8.2f}",
    }


LIVE_EDITS = (
    ("camera moved", "camera/azimuth_deg", 40.0),
    ("light moved", "look/lights/key/azimuth_deg", 12.0),
    ("light dimmed", "look/lights/key/strength_stops", -1.5),
    ("exposure", "look/tone/offset_stops", 0.3),
    ("material", "materials/{material}/specular_roughness", 0.37),
)


def _edits(project: Project) -> dict[str, str]:
    """Typed and checked edits per second, without database and pages."""
    done, start = 0, time.perf_counter()
    while time.perf_counter() - start < 1.0:
        for _, path, value in LIVE_EDITS:
            path = path.replace("{material}", project.materials[0].id)
            project = apply_set(project, SetValue(path=path, value=value + 1e-6 * done))
            done += 1
    return {"edits": f"{done / (time.perf_counter() - start):8.0f} /s"}


def _lanes(demo: DemoProject) -> dict[str, str]:
    """Time of all measures of a ride of 600 frames, with depth of field and a second item on the set."""
    project = put_all(with_ready_move(demo.project, "figure-eight ride"), {"shot/frames": 600, "camera/f_number": 4.0})
    project = with_made(project, "box", lambda item: demo.intake.measures if item.asset else None)
    review(project, demo.intake.measures)
    start = time.perf_counter()
    review(project, demo.intake.measures)
    return {"lanes of 600 frames": f"{(time.perf_counter() - start) * 1000:8.0f} ms"}


def _live(project: Project, compiler: SceneCompiler) -> dict[str, str]:
    """First live picture after an edit, as the lens makes it, until it is clean, and a full frame of the shot."""
    rows = {}
    with Tracer() as tracer:
        developer = ProgressiveRenderer(compiler, tracer)

        def first_picture(p: Project) -> tuple[float, int]:
            start = time.perf_counter()
            width = next(developer.pictures(moment(p, 1), WIDTH, HEIGHT)).width
            return (time.perf_counter() - start) * 1000, width

        # before an edit an artist looks at a picture that has developed for a while
        before = developer.pictures(moment(project, 1), WIDTH, HEIGHT)
        while next(before).samples <= SPLIT_FROM:
            pass
        for label, path, value in LIVE_EDITS:
            path = path.replace("{material}", project.materials[0].id)
            times = []
            for k in range(5):
                edited = apply_set(project, SetValue(path=path, value=value + 0.001 * k))
                spent, width = first_picture(edited)
                times.append(spent)
            rows[f"first live picture, {label}"] = f"{statistics.median(times):8.0f} ms, {width} px wide"
        rows["clean (SSIM ≥ 0.95)"] = _clean_after(project, compiler, tracer)
        s = project.shot.shoot
        start = time.perf_counter()
        film = Film(s.width, s.height)
        tracer.expose(film, compiler.compile(moment(project, 1), s.width, s.height), 8)
        traced = time.perf_counter() - start
        start = time.perf_counter()
        assert np.isfinite(denoise(film)).all()
        denoised = time.perf_counter() - start
    full = traced * s.samples / 8 + denoised
    rows[f"frame {s.width}×{s.height}, {s.samples} samples"] = f"{full:8.0f} s (from 8 samples, + denoise)"
    return rows


def show_look(radiance: np.ndarray, project: Project) -> np.ndarray:
    """A picture (h, w, 3) as the project's look shows it, 0…1."""
    return to_display(expose(radiance, project.look.tone), project.look.tone.view)


def _clean_after(project: Project, compiler: SceneCompiler, tracer: Tracer) -> str:
    """When the developing picture first comes within SSIM 0.95 of 512 samples."""
    scene = compiler.compile(moment(project, 1), WIDTH, HEIGHT)
    reference = Film(WIDTH, HEIGHT)
    tracer.expose(reference, scene, 512, seed=9)
    truth = show_look(denoise(reference), project)
    film, start = Film(WIDTH, HEIGHT), time.perf_counter()
    for target in STEPS:
        tracer.expose(film, scene, target - film.samples)
        picture = show_look(denoise(film, "fast", prefilter=False), project)
        spent = time.perf_counter() - start
        similar = structural_similarity(picture, truth)
        if similar >= 0.95:
            return f"{spent:8.1f} s ({target} samples, SSIM {similar:.3f})"
    return f"not by {STEPS[-1]} samples"


def structural_similarity(a: np.ndarray, b: np.ndarray) -> float:
    """SSIM of luma (Wang, Bovik, Sheikh and Simoncelli, 2004) with an 11-pixel Gaussian of 1.5."""
    x, y = a @ LUMA32, b @ LUMA32

    def blur(z: np.ndarray) -> np.ndarray:
        return gaussian_filter(z, 1.5, truncate=3.5)

    mx, my = blur(x), blur(y)
    vx, vy, cov = blur(x * x) - mx * mx, blur(y * y) - my * my, blur(x * y) - mx * my
    c1, c2 = 0.01**2, 0.03**2
    return float(np.mean((2 * mx * my + c1) * (2 * cov + c2) / ((mx**2 + my**2 + c1) * (vx + vy + c2))))
