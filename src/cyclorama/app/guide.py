"""The guide, in sections, as the program shows it."""

import re
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from markdown_it import MarkdownIt

SOURCE = Path(__file__).with_name("guide.md")


@dataclass(frozen=True, slots=True)
class GuideSection:
    """A section of the guide."""

    key: str
    """names it in addresses: that of a station where it is about one"""
    title: str
    html: str


@cache
def guide_sections() -> tuple[GuideSection, ...]:
    """All sections, in the order of work."""
    parts = re.split(r"^## (.+)$", SOURCE.read_text(), flags=re.MULTILINE)[1:]
    write = MarkdownIt("commonmark").render
    return tuple(
        GuideSection(re.sub(r"[^a-z]+", "-", title.lower()).strip("-"), title, write(text))
        for title, text in zip(parts[::2], parts[1::2], strict=True)
    )
