"""Contact sheets: frames of a move side by side, with their numbers."""

from collections.abc import Sequence

from PIL import Image, ImageDraw, ImageFont

GAP, CAPTION = 10, 22
PAPER, INK, SOFT = (244, 241, 234), (30, 28, 26), (122, 116, 108)


def contact_sheet(pictures: Sequence[Image.Image], captions: Sequence[tuple[str, str]], columns: int) -> Image.Image:
    """Pictures of one size in rows, each with two words below it: left and right."""
    width, height = pictures[0].size
    rows = -(-len(pictures) // columns)
    cell_w, cell_h = width + GAP, height + CAPTION + GAP
    sheet = Image.new("RGB", (columns * cell_w + GAP, rows * cell_h + GAP), PAPER)
    draw, font = ImageDraw.Draw(sheet), ImageFont.load_default(13)
    for i, (picture, (left, right)) in enumerate(zip(pictures, captions, strict=True)):
        x, y = GAP + i % columns * cell_w, GAP + i // columns * cell_h
        sheet.paste(picture, (x, y))
        draw.text((x, y + height + 4), left, INK, font)
        draw.text((x + width, y + height + 4), right, SOFT, font, anchor="ra")
    return sheet
