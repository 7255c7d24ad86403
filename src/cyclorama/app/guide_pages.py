"""Pages of the guide, one for each station and room, as the program shows them."""

import re
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from markdown_it import MarkdownIt

FOLDER = Path(__file__).with_name("guide")
PICTURES = FOLDER / "pictures"
PAGES = ("begin", "subject", "set", "camera", "light", "materials", "shoot", "screening", "cut", "stock", "pointer")
"""In the order of work; the key of a station is that of its page."""


@dataclass(frozen=True, slots=True)
class GuidePage:
    """A page of the guide."""

    key: str
    title: str
    html: str
    """every answer (`To …`) in a box of its own"""


@cache
def guide_pages() -> tuple[GuidePage, ...]:
    """All pages, in the order of work."""
    return tuple(_page(key) for key in PAGES)


def _page(key: str) -> GuidePage:
    heading, text = (FOLDER / f"{key}.md").read_text(encoding="utf-8").split("\n", 1)
    html = MarkdownIt("commonmark").render(text).replace('src="pictures/', 'src="/guide/pictures/')
    html = html.replace("<h2>", "<h3>").replace("</h2>", "</h3>")
    boxed = re.sub(r"(<h3>.*?)(?=<h3>|\Z)", r'<div class="how">\1</div>', html, flags=re.DOTALL)
    return GuidePage(key, heading.removeprefix("# "), boxed)
