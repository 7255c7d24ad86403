"""SVG (Scalable Vector Graphics 1.1 and 2): filled and stroked outlines, for marks.

Paths and styles are read by svgelements. Before, the document is looked through for what no drawing of a mark needs:
entities, scripts, references to the outside, and references to itself that multiply.
"""

import io
import re
from collections.abc import Iterator
from typing import Any
from xml.etree import ElementTree

import numpy as np
import shapely
import svgelements as svg
from numpy.typing import NDArray

from ...errors import IntakeError
from ...lettering import contours_of, set_line
from ...textures import srgb_to_linear
from ..outlines import Outlines, filled_area, upright, visible_areas
from .files import declares_entities
from .names import label

LARGEST_BYTES = 16 << 20
MOST_NUMBERS = 400_000
"""Numbers in its paths."""
MOST_ELEMENTS = 20_000
"""Elements, each as often as it is used."""
MOST_POINTS = 60_000
MOST_PIECES = 40
CURVE_STEPS = 16
"""Straight pieces of a curve: a quarter of a circle is off by less than a thousandth of its radius."""
_CAPS = {"butt": "flat", "round": "round", "square": "square"}
_JOINS = {"miter": "mitre", "round": "round", "bevel": "bevel"}
_HREF = re.compile(r"\{http://www\.w3\.org/1999/xlink\}href$|^href$")
_LOCAL = re.compile(r"url\(\s*['\"]?#([^)'\"\s]+)['\"]?\s*\)")
_OUTSIDE = re.compile(r"@import|url\(\s*['\"]?(?!\s*#|data:)[^)]*\)", re.I)
_LEFT_OUT = {
    "image": "Pictures in it are left out.",
    "clippath": "Clips in it are left out; cut the shapes themselves.",
    "mask": "Masks in it are left out; cut the shapes themselves.",
    "filter": "Filters in it are left out.",
    "foreignobject": "Web pages in it are left out.",
}
Points = NDArray[np.float64]


def read_svg(name: str, data: bytes) -> tuple[Outlines, list[str]]:
    """Outlines of a drawing, and notes on parts of it that were not read. Raises IntakeError with a sentence."""
    root, notes = _looked_through(name, data)
    painted = []
    points = 0
    try:
        drawing = svg.SVG.parse(io.BytesIO(ElementTree.tostring(root)), reify=True)
        for called, colour, shape in _painted(drawing, notes):
            points += shapely.get_num_coordinates(shape)
            if points > MOST_POINTS:
                raise IntakeError(f"‘{name}’ has more detail than a solid mark needs. Simplify its paths.")
            painted.append((called, colour, shape))
        pieces = visible_areas(painted, MOST_PIECES)
        outlines = upright(pieces) if pieces else None
    except (IntakeError, MemoryError):
        raise
    except Exception as error:  # numbers that are none, transforms that cannot be, shapes that nothing can be made of
        raise IntakeError(f"‘{name}’ is damaged: its shapes cannot be read. Export it again as plain SVG.") from error
    if outlines is None:
        raise IntakeError(f"‘{name}’ has no filled shapes and no lines: nothing that could stand there.")
    return outlines, list(dict.fromkeys(notes))


def _looked_through(name: str, data: bytes) -> tuple[ElementTree.Element, list[str]]:
    """The checked document, with gradients as colours and without elements that no mark has; and notes on these."""
    if len(data) > LARGEST_BYTES:
        raise IntakeError(f"‘{name}’ is larger than {LARGEST_BYTES >> 20} MB. Simplify the drawing.")
    if declares_entities(data):
        raise IntakeError(f"‘{name}’ declares entities, which drawings do not need. Export it as plain SVG.")
    try:
        root = ElementTree.fromstring(data)
    except (ElementTree.ParseError, ValueError, LookupError) as error:
        raise IntakeError(f"‘{name}’ is damaged or no SVG. Export it again.") from error
    if _tag(root) != "svg":
        raise IntakeError(f"‘{name}’ is not an SVG, whatever its name says.")
    _refuse_active(name, root)
    if _uses(root) > MOST_ELEMENTS:
        raise IntakeError(f"‘{name}’ repeats shapes more than {MOST_ELEMENTS} times. Simplify it.")
    numbers = sum(len(re.findall(r"\d+", e.get(key, ""))) for e in root.iter() for key in ("d", "points"))
    if numbers > MOST_NUMBERS:
        raise IntakeError(f"‘{name}’ has more detail than a solid mark needs. Simplify its paths.")
    notes = [told for tag, told in _LEFT_OUT.items() if any(_tag(e) == tag for e in root.iter())]
    for parent in list(root.iter()):
        for child in [c for c in parent if _tag(c) in _LEFT_OUT]:
            parent.remove(child)
    if _gradients_as_colours(root):
        notes.append("Gradients are one colour, that of their middle.")
    for text in [e for e in root.iter() if _tag(e) == "text"]:
        if len(text) and not any(e.get(k) for e in text.iter() for k in ("x", "y", "dx", "dy") if e is not text):
            text.text = "".join(text.itertext())
            for child in list(text):
                text.remove(child)
    return root, notes


def _tag(element: ElementTree.Element) -> str:
    tag = element.tag
    return tag.rpartition("}")[2].lower() if isinstance(tag, str) else ""


def _refuse_active(name: str, root: ElementTree.Element) -> None:
    """Raise IntakeError for scripts, links, and what stands outside the file."""
    for element in root.iter():
        if _tag(element) == "script" or any(key.lower().startswith("on") for key in element.attrib):
            raise IntakeError(f"‘{name}’ contains a script. Export it as plain SVG.")
        texts = [*element.attrib.values(), element.text or "" if _tag(element) == "style" else ""]
        links = [v for k, v in element.attrib.items() if _HREF.search(k) and not v.startswith(("#", "data:"))]
        outside = links or [m[0] for t in texts for m in [_OUTSIDE.search(t)] if m]
        if outside:
            told = label(outside[0], "a link")
            raise IntakeError(f"‘{name}’ refers to something outside of itself (‘{told}’). Export it as plain SVG.")


def _uses(root: ElementTree.Element) -> int:
    """Number of elements of the document when every one that is used again counts again."""
    named = {e.get("id"): e for e in root.iter() if e.get("id")}
    known: dict[ElementTree.Element, int] = {}

    def count(element: ElementTree.Element, depth: int) -> int:
        if depth > 100:
            return MOST_ELEMENTS + 1  # deeper than any drawing, or used within itself
        if element not in known:
            total = 1
            if _tag(element) == "use":
                href = next((v for k, v in element.attrib.items() if _HREF.search(k)), "")
                used = named.get(href[1:])
                total += count(used, depth + 1) if used is not None else 0
            for child in element:
                total += count(child, depth + 1)
                if total > MOST_ELEMENTS:
                    break
            known[element] = total
        return known[element]

    return count(root, 0)


def _gradients_as_colours(root: ElementTree.Element) -> bool:
    """Replace references to gradients by the colour of their middle stop. Returns True where there were any."""
    named = {e.get("id", ""): e for e in root.iter() if _tag(e).endswith("gradient")}

    def colour(identity: str, depth: int = 0) -> str:
        gradient = named.get(identity)
        if gradient is None or depth > 8:
            return "none"
        stops = [s for s in gradient if _tag(s) == "stop"]
        if not stops:
            href = next((v for k, v in gradient.attrib.items() if _HREF.search(k)), "")
            return colour(href[1:], depth + 1)
        middle = stops[len(stops) // 2]
        styled = re.search(r"stop-color\s*:\s*([^;]+)", middle.get("style", ""))
        return styled[1].strip() if styled else middle.get("stop-color", "black")

    found = False
    for element in root.iter():
        for key, value in element.attrib.items():
            if key in ("fill", "stroke", "style") and _LOCAL.search(value):
                element.set(key, _LOCAL.sub(lambda m: colour(m[1]), value))
                found = True
        if _tag(element) == "style" and element.text:
            element.text, count = _LOCAL.subn(lambda m: colour(m[1]), element.text)
            found = found or count > 0
    return found


def _painted(drawing: Any, notes: list[str]) -> Iterator[tuple[str, tuple[float, float, float], shapely.Geometry]]:
    """Name, colour and area of everything that is painted, in the order in which that is done."""
    for called, element in _drawn(drawing, ""):
        values = element.values or {}
        if _number(values.get("opacity"), 1.0) == 0.0 or values.get("visibility") == "hidden":
            continue
        if isinstance(element, svg.Text):
            notes.append("Text is set in the program's font; turn it into paths to keep its own.")
            rings, even_odd, lines = _letters(element), False, []
        else:
            lines = [(ring, closed) for ring, closed in _rings(abs(svg.Path(element))) if len(ring) > 1]
            rings, even_odd = [ring for ring, _ in lines], values.get("fill-rule") == "evenodd"
        if _shows(element.fill) and _number(values.get("fill-opacity"), 1.0) > 0:
            yield called, _linear(element.fill), filled_area(rings, even_odd)
        wide = float(element.implicit_stroke_width or 0.0)
        if lines and _shows(element.stroke) and wide > 0 and _number(values.get("stroke-opacity"), 1.0) > 0:
            yield called, _linear(element.stroke), _stroked(lines, wide, values)


def _drawn(element: Any, called: str) -> Iterator[tuple[str, Any]]:
    """Every shape and text with the name of the group that it stands in, or its own."""
    named = getattr(element, "id", None)
    if isinstance(element, list):
        for child in element:
            yield from _drawn(child, called or str(named or ""))
    elif isinstance(element, svg.Shape | svg.Text):
        yield label(called or named, "Mark"), element


def _rings(path: Any) -> Iterator[tuple[Points, bool]]:
    """Points (n, 2) of each sub-path, and whether it closes."""
    at: list[Any] = []
    closed = False
    for segment in path:
        if isinstance(segment, svg.Move):
            if at:
                yield np.array(at, np.float64), closed
            at, closed = [tuple(segment.end)], False
        elif isinstance(segment, svg.Close):
            closed = True
        elif isinstance(segment, svg.Line):
            at.append(tuple(segment.end))
        else:
            at += [tuple(p) for p in segment.npoint(np.linspace(0, 1, CURVE_STEPS + 1)[1:])]
    if at:
        yield np.array(at, np.float64), closed


def _letters(text: Any) -> list[Points]:
    """Contours of a text where it stands."""
    size = float(text.font_size)
    heavy = {"bold": 700, "bolder": 800, "normal": 400, "lighter": 300}
    weight = heavy.get(str(text.font_weight), 0) or int(_number(text.font_weight, 400.0))
    line = set_line(str(text.text or ""), "grotesque", min(max(weight, 100), 900))
    start = {"middle": 0.5, "end": 1.0}.get(str(text.anchor), 0.0) * line.width
    m = text.transform
    to = np.array([[m.a, m.b], [m.c, m.d]])
    flat = [ring for glyph in line.glyphs for ring in contours_of(glyph)]
    base = np.array([float(text.x), float(text.y)])
    return [(base + size * (ring - [start, 0]) * [1, -1]) @ to + [m.e, m.f] for ring in flat]


def _stroked(lines: list[tuple[Points, bool]], wide: float, values: dict[str, Any]) -> shapely.Geometry:
    cap = _CAPS.get(values.get("stroke-linecap", ""), "flat")
    join = _JOINS.get(values.get("stroke-linejoin", ""), "mitre")
    shapes = [
        shapely.LinearRing(ring) if closed and len(ring) > 2 else shapely.LineString(ring) for ring, closed in lines
    ]
    limit = max(_number(values.get("stroke-miterlimit"), 4.0), 1.0)
    return shapely.union_all(
        shapely.buffer(shapes, wide / 2, quad_segs=CURVE_STEPS // 2, cap_style=cap, join_style=join, mitre_limit=limit)
    )


def _shows(paint: Any) -> bool:
    return paint is not None and paint.value is not None and paint.opacity > 0


def _linear(paint: Any) -> tuple[float, float, float]:
    r, g, b = srgb_to_linear(np.array([paint.red, paint.green, paint.blue]) / 255.0).tolist()
    return r, g, b


def _number(value: Any, otherwise: float) -> float:
    try:
        return float(value)
    except (TypeError, ValueError):
        return otherwise
