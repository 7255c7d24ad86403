"""Make the rendered sheet of all material presets in docs/screenshots (about five minutes)."""

from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from cyclorama.core.geometry.build import arc, lathe
from cyclorama.core.geometry.cache_keys import content_hash
from cyclorama.core.geometry.mesh import Mesh, join
from cyclorama.core.material.presets import PRESETS, with_preset
from cyclorama.core.motion import moment
from cyclorama.core.picture.exposure import expose
from cyclorama.core.picture.exr import encode_exr
from cyclorama.core.picture.view_transform import to_bytes, to_display
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.denoise import denoise
from cyclorama.core.render.film.frame import beauty, expose_frame
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import (
    Aim,
    Environment,
    Item,
    Light,
    Material,
    Part,
    Project,
    Tone,
    Variant,
    Worn,
    new_project,
    put_all,
)
from cyclorama.demo.environments import north_light_studio

TARGET = Path(__file__).resolve().parents[1] / "docs" / "screenshots"
FONT = Path(__file__).resolve().parents[1] / "src/cyclorama/web/static/fonts/hanken-grotesk-latin-wght-normal.woff2"
PAPER, INK, GAP = (244, 241, 235), (32, 30, 27), 10


def sample_body() -> Mesh:
    """A ball with a groove on a foot: curved, flat and hard-edged places for a material to show on."""
    ball = lathe(np.array([p for p in arc(0, 0.062, 0.05, 90, -62, 96)]), 160, 40)
    groove = lathe(np.array([[0.0243, 0.0175], [0.021, 0.014], [0.021, 0.012]]), 160, 40)
    foot = lathe(
        np.array([[0.021, 0.012], [0.040, 0.012], [0.042, 0.010], [0.042, 0.002], [0.040, 0.0], [0.0, 0.0]]), 160, 20
    )
    return join([ball, groove, foot])


def preset_project() -> tuple[Project, dict[str, bytes]]:
    mesh = sample_body()
    data, picture = mesh.to_bytes(), encode_exr(north_light_studio())
    material = Material(id="m", name="Preset")
    parts = tuple(Part(id=f"p{i}", name=f"Part {i}", triangles=1) for i in range(3))
    worn = Variant(id="v", name="As made", parts=tuple(Worn(id=p.id, material="m") for p in parts))
    ball = Item(id="ball", name="Ball", asset=content_hash(data), parts=parts, variants=(worn,), variant_id="v")
    aim = Aim(y_m=0.056)
    lights = (
        Light(id="key", name="Key", azimuth_deg=-50, elevation_deg=42, distance_m=0.45, width_m=0.22, height_m=0.3,
              strength_stops=-3.4, aim=aim),
        Light(id="rim", name="Rim", azimuth_deg=150, elevation_deg=30, distance_m=0.45, width_m=0.1, height_m=0.35,
              strength_stops=-3.6, aim=aim),
    )  # fmt: skip
    sweep = {"width_m": 3.0, "depth_m": 3.0, "height_m": 1.5, "fillet_m": 0.6, "color": (0.5, 0.48, 0.45)}
    lens = {"focal_mm": 90.0, "distance_m": 0.52, "elevation_deg": 14.0, "aim": aim}
    project = put_all(
        new_project("Presets"),
        {
            "materials": (material,),
            "items": (ball,),
            "subject_id": "ball",
            "set/disc/on": False,
            "look/lights": lights,
            "look/tone": Tone(ev100=8.6),
            "look/environment": Environment(asset=content_hash(picture), source_name="n.exr", strength_stops=-2.0),
            **{f"set/sweep/{name}": value for name, value in sweep.items()},
            **{f"camera/{name}": value for name, value in lens.items()},
        },
    )
    return project, {content_hash(data): data, content_hash(picture): picture}


def font(size: int) -> ImageFont.FreeTypeFont | ImageFont.ImageFont:
    try:
        return ImageFont.truetype(str(FONT), size)
    except OSError:
        return ImageFont.load_default(size)


def sheet(tiles: list[tuple[str, Image.Image]], columns: int) -> Image.Image:
    """Labelled tiles on paper."""
    w, h = tiles[0][1].size
    rows = -(-len(tiles) // columns)
    picture = Image.new("RGB", (columns * (w + GAP) + GAP, rows * (h + 26) + GAP), PAPER)
    draw = ImageDraw.Draw(picture)
    for i, (label, tile) in enumerate(tiles):
        x, y = GAP + i % columns * (w + GAP), GAP + i // columns * (h + 26)
        picture.paste(tile, (x, y))
        draw.text((x + 1, y + h + 3), label, INK, font(14))
    return picture


def presets() -> None:
    project, assets = preset_project()
    compiler, tiles = SceneCompiler(assets.__getitem__), []
    project = put_all(project, {f"shot/shoot/{n}": v for n, v in (("width", 196), ("height", 196), ("samples", 128))})
    with Tracer() as tracer:
        for name in PRESETS:
            p = put_all(project, {"materials": (with_preset(project.materials[0], name),)})
            film = expose_frame(moment(p, 1), compiler, tracer)
            radiance, _ = beauty(film, moment(p, 1), compiler, denoise(film))
            tiles.append((name, Image.fromarray(to_bytes(to_display(expose(radiance, p.look.tone), p.look.tone.view)))))
            print(name, flush=True)
    sheet(tiles, 6).save(TARGET / "material-presets.png")


if __name__ == "__main__":
    presets()
