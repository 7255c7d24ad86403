"""Pictures of a ready project and how long they took, for `bench.against`; run as a script by itself.

It uses only what every version of the program has, because it also runs on the files of earlier ones.
"""

import json
import sys
import time

import numpy as np

from cyclorama.core.motion import moment
from cyclorama.core.picture.exposure import expose
from cyclorama.core.picture.view_transform import to_display
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.denoise import denoise
from cyclorama.core.render.film.film import Film
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import put_all
from cyclorama.demo.projects import lantern_project, storm_glass_project


def main(name: str, frame: int, width: int, height: int, levels: list[int], seeds: int, full: bool, out: str) -> None:
    """Write linear luminance-ready pictures and shown, denoised ones of each number of samples, and their seconds."""
    demo = lantern_project() if name == "harbour-lantern" else storm_glass_project()
    project = demo.project
    if full and hasattr(project.shot.shoot, "caustics"):
        project = put_all(project, {"shot/shoot/caustics": "full"})
    here = moment(project, frame)
    scene = SceneCompiler({**demo.intake.assets, **demo.assets}.__getitem__).compile(here, width, height)
    tone = here.look.tone
    found: dict[str, np.ndarray] = {}
    with Tracer() as tracer:
        tracer.expose(Film(width, height), scene, 1)  # loads the kernels
        for level in levels:
            seconds, raw, shown = [], [], []
            for seed in range(seeds):
                film, start = Film(width, height), time.perf_counter()
                tracer.expose(film, scene, level, seed=1000 * level + seed)
                seconds.append(time.perf_counter() - start)
                raw.append(expose(film.radiance, tone))
                shown.append(to_display(expose(denoise(film), tone), tone.view))
            found |= {
                f"raw {level}": np.array(raw, np.float32),
                f"shown {level}": np.array(shown, np.float32),
                f"seconds {level}": np.array(seconds),
            }
    found["subject"] = film.subject
    np.savez(out, allow_pickle=False, **found)


if __name__ == "__main__":
    main(**json.loads(sys.argv[1]))
