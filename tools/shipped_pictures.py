"""Make the pictures that ship with the program: swatches, ready sets, rigs, haze, posters of the demo.

    .venv/bin/python tools/shipped_pictures.py          those that are missing
    .venv/bin/python tools/shipped_pictures.py posters  all posters anew

Each has the name of what it shows, so that a picture of something else is never taken for it. What is not needed any
more is removed.
"""

import sys
from collections.abc import Callable
from functools import partial
from pathlib import Path

from cyclorama.app.lens import POSTER_SAMPLES, POSTER_WIDTH
from cyclorama.app.ready_stock import TILES, command_of, ready_picture, tile_name
from cyclorama.app.shipped import SHIPPED
from cyclorama.core.material.presets import PRESETS, with_preset
from cyclorama.core.motion import moment_of_first
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.progressive import ProgressiveRenderer
from cyclorama.core.render.film.swatch import swatch_compiler, swatch_key, swatch_of
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import Material
from cyclorama.demo.write import NAMES, POSTERS, build_project


def poster(key: str, tracer: Tracer) -> bytes:
    demo = build_project(key)
    first = moment_of_first(demo.project)
    height = round(POSTER_WIDTH * first.shoot.height / first.shoot.width)
    renderer = ProgressiveRenderer(SceneCompiler({**demo.assets, **demo.intake.assets}.__getitem__), tracer)
    return renderer.still(first, POSTER_WIDTH, height, POSTER_SAMPLES, lambda: False).jpeg


def main() -> None:
    with Tracer() as tracer:
        compiler = swatch_compiler(lambda key: b"")
        wanted: dict[Path, Callable[[], bytes]] = {}
        for name in PRESETS:
            material = with_preset(Material(id="preset", name=name), name)
            wanted[SHIPPED / f"{swatch_key(material)}.jpg"] = partial(swatch_of, material, compiler, tracer)
        for kind, name in TILES:
            wanted[SHIPPED / tile_name(kind, name)] = partial(ready_picture, command_of(kind, name), compiler, tracer)
        for key in NAMES:
            wanted[POSTERS / f"{key}.jpg"] = partial(poster, key, tracer)
        for path in (*SHIPPED.glob("*.jpg"), *POSTERS.glob("*.jpg")):
            if path not in wanted or (path.parent == POSTERS and "posters" in sys.argv):
                path.unlink()
        for path, make in wanted.items():
            if not path.exists():
                print(path.name, flush=True)
                path.parent.mkdir(exist_ok=True)
                path.write_bytes(make())


main()
