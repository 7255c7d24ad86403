"""Make the rendered sheet of all material presets in docs/screenshots (about five minutes)."""

from pathlib import Path

from PIL import Image, ImageDraw, ImageFont

from cyclorama.core.material.presets import PRESETS, with_preset
from cyclorama.core.motion import moment
from cyclorama.core.picture.exposure import expose
from cyclorama.core.picture.view_transform import to_bytes, to_display
from cyclorama.core.render.film.denoise import denoise
from cyclorama.core.render.film.frame import beauty, expose_frame
from cyclorama.core.render.film.swatch import swatch_compiler, swatch_studio
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import put_all

TARGET = Path(__file__).resolve().parents[1] / "docs" / "screenshots"
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


def presets() -> None:
    small = {f"shot/shoot/{name}": value for name, value in (("width", 196), ("height", 196), ("samples", 256))}
    project, tiles = put_all(swatch_studio(), small), []
    compiler = swatch_compiler({}.__getitem__)
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
