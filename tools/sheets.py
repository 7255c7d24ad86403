"""Make the rendered sheets of the docs (about five minutes): material presets, drinks, small print.

.venv/bin/python tools/sheets.py          all of them
.venv/bin/python tools/sheets.py drinks   one
"""

import io
import sys
from collections.abc import Callable
from pathlib import Path

from PIL import Image, ImageDraw, ImageFont

from cyclorama.app.ready_stock import tumbler_with
from cyclorama.core.commands.filling import FillItem
from cyclorama.core.material.presets import LIQUIDS, PRESETS, with_preset
from cyclorama.core.motion import moment
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.denoise import denoise
from cyclorama.core.render.film.frame import expose_frame, picture_of
from cyclorama.core.render.film.swatch import swatch_compiler, swatch_studio
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import Item, Material, Part, Project, Variant, Worn, put_all
from cyclorama.core.scene.item import Made
from cyclorama.core.scene.surface_layer import Decal

DOCS = Path(__file__).resolve().parents[1] / "docs"
SCREENSHOTS, PICTURES = DOCS / "screenshots", DOCS / "pictures"
FONT = Path(__file__).resolve().parents[1] / "src/cyclorama/web/static/fonts/hanken-grotesk-latin-wght-normal.woff2"
PAPER, INK, GAP = (244, 241, 235), (32, 30, 27), 10


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


def shot(project: Project, compiler: SceneCompiler, tracer: Tracer) -> Image.Image:
    """The first frame of a project, as it is shot."""
    here = moment(project, 1)
    film = expose_frame(here, compiler, tracer)
    return Image.fromarray(picture_of(film, here, compiler, denoise(film)))


def presets(tracer: Tracer) -> None:
    small = {f"shot/shoot/{name}": value for name, value in (("width", 196), ("height", 196), ("samples", 48))}
    project, tiles = put_all(swatch_studio(), small), []
    compiler = swatch_compiler({}.__getitem__)
    for name in PRESETS:
        p = put_all(project, {"materials": (with_preset(project.materials[0], name),)})
        tiles.append((name, shot(p, compiler, tracer)))
        print(name, flush=True)
    sheet(tiles, 6).save(SCREENSHOTS / "material-presets.png")


def drinks(tracer: Tracer) -> None:
    """What fills a glass."""
    compiler, tiles = swatch_compiler({}.__getitem__), []
    for name in LIQUIDS:
        p = tumbler_with(FillItem(item="body", liquid=name), compiler, tracer)
        shoot = {"shot/shoot/width": 256, "shot/shoot/height": 208, "shot/shoot/samples": 64, "camera/distance_m": 0.34}
        tiles.append((name, shot(put_all(p, shoot), compiler, tracer)))
        print(name, flush=True)
    sheet(tiles, 3).save(PICTURES / "drinks.webp", quality=88)


LINES = (
    "COLD-PRESSED IN THE VALLEY OF MERE", "Store upright, away from the light.",
    "Keep cool once opened. Shake before use.", "Net 250 ml   Lot 0417-B   Best before 11/28",
    "Ingredients: water, juniper, bitter orange,", "lemon peel, coriander seed, angelica root.",
)  # fmt: skip


def small_print(tracer: Tracer) -> None:
    """A label with letters 8 pixels high, as *fine* shoots it, twice as large."""
    label = Image.new("RGB", (1600, 800), (243, 238, 226))
    for i, line in enumerate(LINES):
        ImageDraw.Draw(label).text((70, 60 + i * 112), line, (35, 30, 28), font(46))
    picture = io.BytesIO()
    label.save(picture, "PNG")
    decal = Decal(id="label", name="Label", asset="label", at_y_m=0.05, at_z_m=0.03, width_m=0.1, roughness=0.6)
    box = Item(
        id="body", name="Box", made=Made(form="box", width_m=0.12, depth_m=0.06, height_m=0.1, edge_m=0.002),
        parts=(Part(id="part", name="Box", triangles=12),), variant_id="v", rides="set", decals=(decal,),
        variants=(Variant(id="v", name="v", parts=(Worn(id="part", material="m"),)),),
    )  # fmt: skip
    card = Material(id="m", name="Card", base_color=(0.05, 0.16, 0.12), specular_roughness=0.2)
    seen = {"aim/y_m": 0.05, "distance_m": 0.64, "azimuth_deg": 18.0, "elevation_deg": 8.0, "focal_mm": 70.0}
    fine = {"width": 1280, "height": 720, "quality": "fine"}
    project = put_all(
        swatch_studio(),
        {"items": (box,), "materials": (card,), "look/tone/ev100": 8.1}
        | {f"camera/{name}": value for name, value in seen.items()}
        | {f"shot/shoot/{name}": value for name, value in fine.items()},
    )
    whole = shot(project, SceneCompiler({"label": picture.getvalue()}.__getitem__), tracer)
    part = whole.crop((400, 210, 880, 520))
    part.resize((part.width * 2, part.height * 2), Image.Resampling.NEAREST).save(
        PICTURES / "small-print.webp", quality=90
    )


SHEETS: dict[str, Callable[[Tracer], None]] = {"presets": presets, "drinks": drinks, "print": small_print}


def main() -> None:
    PICTURES.mkdir(exist_ok=True)
    with Tracer() as tracer:
        for name in sys.argv[1:] or SHEETS:
            SHEETS[name](tracer)


if __name__ == "__main__":
    main()
