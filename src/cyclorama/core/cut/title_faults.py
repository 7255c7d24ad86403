"""Titles of which a picture of some size would not show everything."""

from ..lettering import missing, scripts_of
from ..scene.base import ReadAsset
from .compose import shape_of
from .document import Cut, Title
from .timeline import lay_out_cut, start_of
from .titles import draw_title, extent, text_of

MOST_LETTERS = 12


def title_faults(cut: Cut, width: int, height: int, read_asset: ReadAsset) -> list[str]:
    """Sentences on titles that are cut off in pictures of a size, or have letters that no font has.

    Raises IntakeError for a font or picture that cannot be read, NotFoundError when one is gone.
    """
    shape, places = shape_of(width, height), lay_out_cut(cut)
    found = []
    for title in cut.titles:
        start = start_of(title, places)
        name = f"‘{(title.text or title.kind).splitlines()[0][:40]}’"
        edges: dict[str, None] = {}
        for frame in {0, title.length - 1}:  # numbers grow
            text = text_of(title, frame, start + frame, cut.rate)
            left, top, right, bottom = extent(draw_title(title, text, shape, width, height, read_asset))
            beyond = {"left": left < 0, "right": right > width, "top": top < 0, "bottom": bottom > height}
            edges |= dict.fromkeys(edge for edge, is_beyond in beyond.items() if is_beyond)
        if edges:
            found.append(f"{name} is cut off at the {' and '.join(edges)} in {width}×{height}.")
        if lacking := missing_letters(title, read_asset):
            found.append(f"{name} has letters that no font here has: {lacking}. {font_wanted(lacking)}")
    return found


def font_wanted(letters: str) -> str:
    """Sentence that asks for a font for some letters."""
    scripts = scripts_of(letters)
    return f"Choose or bring a font for {' and '.join(scripts)}." if scripts else "Choose or bring a font that does."


def missing_letters(title: Title, read_asset: ReadAsset) -> str:
    """Letters of a title for which there is no font, with spaces between."""
    if title.kind != "text":
        return ""
    font = read_asset(title.font_file) if title.font == "file" and title.font_file else None
    return " ".join(missing(title.text + title.sub, title.font, font)[:MOST_LETTERS])
