"""Marks: outlines of SVG drawings, and the bodies made of them."""

import math
import zlib
from pathlib import Path

import numpy as np
import pytest
import shapely
from tests.core.geometry.test_letters import is_closed, volume
from tests.core.review.test_call_sheet import Blind

from cyclorama.core.commands import perform
from cyclorama.core.commands.made_items import AddItem, AddMark, MarkPiece, measure_made_item
from cyclorama.core.errors import ChangeError, IntakeError
from cyclorama.core.geometry.outlines import Outline, Outlines
from cyclorama.core.geometry.primitives import build_made, made_box
from cyclorama.core.geometry.read.svg import MOST_ELEMENTS, read_svg
from cyclorama.core.lettering import FONTS
from cyclorama.core.scene import Made, Project, assets_of, new_project
from cyclorama.core.scene.made import Letters, Mark

HEAD = '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" viewBox="0 0 100 100">'
FRAME = '<path d="M0 0H100V100H0Z"/>'
"""fills the whole, so that areas can be told in shares of it"""


def drawing(body: str) -> tuple[Outlines, list[str]]:
    return read_svg("crest.svg", f"{HEAD}{body}</svg>".encode())


def share(piece: Outline) -> float:
    return sum(p.area for p in piece.polygons)


@pytest.mark.parametrize(
    ("body", "expected"),
    [
        ('<path fill="red" fill-rule="evenodd" d="M0 0H100V100H0Z M25 25H75V75H25Z"/>', 0.75),
        ('<path fill="red" d="M0 0H100V100H0Z M25 25H75V75H25Z"/>', 1.0),  # same direction: filled twice
        ('<path fill="red" d="M0 0H100V100H0Z M25 25V75H75V25Z"/>', 0.75),  # turned round: a hole
        # two triangles that a bow tie crosses to
        ('<path fill="none" stroke="none" d="M0 0H9"/><path fill="red" d="M0 0L100 100H0L100 0Z"/>', 0.5),
        ('<circle cx="50" cy="50" r="50" fill="red"/>', math.pi / 4),
        ('<g transform="translate(50 50) rotate(45) scale(2)"><rect x="-10" y="-10" width="20" height="20"/></g>', 0.5),
        # 80 long, 20 wide, round ends; its box is as high as it is wide
        (
            '<path d="M10 10H90" stroke="red" stroke-width="20" stroke-linecap="round"/>',
            (80 * 20 + math.pi * 100) / 20**2,
        ),
        (
            "<style>.a{fill:none;stroke:#00f;stroke-width:10}</style>"
            '<rect class="a" x="5" y="5" width="90" height="90"/>',
            0.36,
        ),
    ],
)  # fmt: skip
def test_areas_are_those_of_the_shapes(body: str, expected: float) -> None:
    """In heights of what is drawn, by fill rule, transform, curve and stroke; curves are chords."""
    outlines, notes = drawing(body)
    assert notes == []
    assert sum(share(piece) for piece in outlines.pieces) == pytest.approx(expected, rel=2e-3)


def test_what_is_painted_later_covers_and_groups_are_named() -> None:
    """A white disc on a red square leaves a hole of its size; used shapes are drawn where they are used."""
    outlines, _ = drawing(
        '<defs><g id="spot"><rect width="10" height="10"/></g></defs>'
        '<g id="Field"><rect width="100" height="100" fill="#f00"/></g>'
        '<g id="Disc"><g><circle cx="50" cy="50" r="20" fill="#fff"/></g></g>'
        '<g id="Spots" fill="#00f"><use xlink:href="#spot"/><use href="#spot" x="90"/></g>'
    )
    found = {piece.name: (piece.colour, share(piece)) for piece in outlines.pieces}
    disc = found["Disc"][1]
    assert disc == pytest.approx(math.pi * 0.04, rel=2e-3)
    assert found["Spots"] == ((0.0, 0.0, 1.0), pytest.approx(0.02))
    assert found["Field"] == ((1.0, 0.0, 0.0), pytest.approx(1.0 - disc - 0.02))
    kept = Outlines.from_bytes(outlines.to_bytes())
    assert [(p.name, p.colour) for p in kept.pieces] == [(p.name, p.colour) for p in outlines.pieces]
    assert shapely.equals_exact(
        shapely.MultiPolygon(list(kept.pieces[0].polygons)), shapely.MultiPolygon(list(outlines.pieces[0].polygons))
    )


def test_text_is_set_and_told_of() -> None:
    """A line that ends in the middle reaches as far to both sides; pieces of other styles stay in their order."""
    outlines, notes = drawing(
        f'{FRAME}<text x="50" y="60" font-size="40" text-anchor="middle" fill="red">I<tspan>I</tspan>I</text>'
    )
    letters = next(piece for piece in outlines.pieces if piece.colour == (1.0, 0.0, 0.0))
    low, bottom, high, top = shapely.total_bounds(list(letters.polygons))
    assert len(letters.polygons) == 3
    assert low == pytest.approx(-high, abs=0.01)
    assert (bottom, top) == (pytest.approx(0.4, abs=0.01), pytest.approx(0.4 + 0.4 * 0.7, abs=0.02))
    assert any("own" in note for note in notes)


@pytest.mark.parametrize(
    ("data", "told"),
    [
        (b"", "damaged or no SVG"),
        (b"<svg", "damaged or no SVG"),
        (b"<html/>", "not an SVG"),
        (b'<!DOCTYPE svg [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;">]><svg>&b;</svg>', "entities"),
        (f"{HEAD}<script>1</script></svg>".encode(), "script"),
        (f'{HEAD}<rect width="9" height="9" onclick="x()"/></svg>'.encode(), "script"),
        (f'{HEAD}<use href="https://example.test/a.svg#b"/></svg>'.encode(), "outside of itself"),
        (f"{HEAD}<style>@import 'a.css';</style></svg>".encode(), "outside of itself"),
        (f'{HEAD}<g id="a"><use href="#a"/></g></svg>'.encode(), "repeats"),
        (f'{HEAD}<path d="M0 0{" L1 2 3 4" * 110_000}"/></svg>'.encode(), "more detail"),
        (f'{HEAD}<path d="M0 0{" q1 2 3 4" * 10_000}"/></svg>'.encode(), "more detail"),
        (f"{HEAD}</svg>".encode(), "no filled shapes"),
        (f'{HEAD}<rect width="9" height="9" fill="none"/></svg>'.encode(), "no filled shapes"),
        (f'{HEAD}<path d="M0 0 L one 2 z"/></svg>'.encode(), "no filled shapes"),
    ],
)  # fmt: skip
def test_bad_drawings_get_a_sentence(data: bytes, told: str) -> None:
    with pytest.raises(IntakeError, match=told) as refused:
        read_svg("crest.svg", data)
    assert "‘crest.svg’" in refused.value.sentence


def test_uses_of_uses_are_counted_before_they_are_made() -> None:
    """Two references a level are 2^40 shapes after forty; deep, but within the limit, is drawn."""
    bomb = "".join(f'<g id="g{i}"><use href="#g{i + 1}"/><use href="#g{i + 1}"/></g>' for i in range(40))
    with pytest.raises(IntakeError, match=str(MOST_ELEMENTS)):
        drawing(bomb)
    fine = '<defs><g id="a"><rect width="4" height="4"/></g></defs>' + "".join(
        f'<use href="#a" x="{6 * i}"/>' for i in range(8)
    )
    assert sum(len(piece.polygons) for piece in drawing(fine)[0].pieces) == 8


def crest() -> tuple[Outlines, bytes]:
    outlines, _ = drawing('<g id="Ring"><path fill-rule="evenodd" d="M0 0H60V30H0Z M10 10V20H50V10Z"/></g>')
    return outlines, outlines.to_bytes()


@pytest.mark.parametrize("laid", ["standing", "lying", "round"])
def test_a_mark_is_closed_and_as_large_as_told(laid: str) -> None:
    """Its volume is that of its outline times its depth; in a ring, about that of the same strip of a tube."""
    outlines, data = crest()
    mark = Mark(outlines="kept", aspect=outlines.aspect, laid=laid, radius_m=0.2)  # type: ignore[arg-type]
    made = Made(form="mark", height_m=0.1, depth_m=0.02, edge_m=0.0, mark=mark)
    mesh = build_made(made, lambda asset: {"kept": data}[asset])
    assert is_closed(mesh)
    expected = (0.2 * 0.1 - 0.4 / 3 * 0.1 / 3) * 0.02
    if laid == "round":
        expected *= (0.2 + 0.01) / 0.2  # Pappus: the middle of its depth is that far out
    assert volume(mesh) == pytest.approx(expected, rel=2e-3)
    box = made_box(made)
    np.testing.assert_allclose(box, [mesh.vertices.min(axis=0), mesh.vertices.max(axis=0)], atol=1e-6)
    assert np.ptp(box[:, {"standing": 1, "lying": 2, "round": 1}[laid]]) == pytest.approx(0.1)


def done(project: Project, change: AddItem | AddMark) -> tuple[Project, str]:
    return perform(project, change, lambda item: measure_made_item(item.made) if item.made else None, Blind())


def test_a_mark_comes_with_parts_and_colours_and_its_file_is_kept() -> None:
    outlines, data = crest()
    mark = Mark(outlines=f"{zlib.crc32(data):x}", aspect=outlines.aspect, source_name="crest.svg")
    pieces = (MarkPiece(name="Ring", colour=(1, 0, 0)), MarkPiece(name="Dot", colour=(1, 0, 0)))
    project, label = done(new_project("Crest"), AddMark(mark=mark, pieces=pieces))
    (item,) = project.items
    assert label == "Add ‘crest’"
    assert [p.name for p in item.parts] == [f"{n} {s}" for n in ("Ring", "Dot") for s in ("face", "bevel", "side")]
    assert len({w.material for w in item.variant.parts}) == 1
    assert mark.outlines in assets_of(project)
    with pytest.raises(ChangeError, match="drawing"):
        done(project, AddItem(form="mark"))


def test_a_font_file_is_used_where_letters_are_set_in_it() -> None:
    font = (Path(FONTS) / "spline-sans-mono-latin.ttf").read_bytes()
    own = Made(form="letters", edge_m=0.0, letters=Letters(text="iiii", family="file", font_file="font", weight=400))
    mono = Made(form="letters", edge_m=0.0, letters=Letters(text="iiii", family="mono", weight=400))
    mesh = build_made(own, {"font": font}.__getitem__)
    np.testing.assert_array_equal(mesh.vertices, build_made(mono).vertices)
    assert np.ptp(build_made(own).vertices[:, 0]) < 0.7 * np.ptp(mesh.vertices[:, 0])
