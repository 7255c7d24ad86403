"""Letters as solid bodies."""

import numpy as np
import pytest

from cyclorama.core.geometry.extrude import BEVEL, BEVEL_STEPS, FACE, SIDE, extrude, polygons_of
from cyclorama.core.geometry.mesh import Mesh, face_normals
from cyclorama.core.geometry.normals import weld
from cyclorama.core.geometry.primitives import build_made, made_box
from cyclorama.core.scene import Made
from cyclorama.core.scene.made import Letters

DEPTH, BEVEL_M = 0.02, 0.002
SQUARE = np.array([[0, 0], [1, 0], [1, 1], [0, 1.0]])


def letters(text: str, **values: object) -> Mesh:
    return build_made(made(text, **values))


def made(text: str, **values: object) -> Made:
    return Made(
        form="letters",
        height_m=0.05,
        depth_m=DEPTH,
        edge_m=BEVEL_M,
        letters=Letters(text=text, **values),  # type: ignore[arg-type]
    )


def volume(mesh: Mesh) -> float:
    """Volume of a closed mesh, from the divergence theorem."""
    middles = mesh.vertices[mesh.triangles].astype(np.float64).mean(axis=1)
    return float(np.einsum("ij,ij->", face_normals(mesh.vertices, mesh.triangles), middles)) / 6


def area_of(mesh: Mesh, part: int) -> float:
    return float(np.linalg.norm(face_normals(mesh.vertices, mesh.triangles[mesh.part == part]), axis=1).sum()) / 2


def is_closed(mesh: Mesh) -> bool:
    """True when every edge has as many triangles on one side as on the other."""
    corners = weld(mesh.vertices)[0][mesh.triangles].astype(np.int64)
    edges = np.concatenate([corners[:, [0, 1]], corners[:, [1, 2]], corners[:, [2, 0]]])
    size = int(corners.max()) + 1
    there, back = edges[:, 0] * size + edges[:, 1], edges[:, 1] * size + edges[:, 0]
    return bool(np.array_equal(np.sort(there), np.sort(back)))


def test_a_square_with_a_hole_has_the_volume_of_its_outline() -> None:
    hole = 0.25 + 0.5 * SQUARE[::-1]
    plain = extrude(polygons_of([SQUARE, hole]), 0.2, 0.0)
    assert volume(plain) == pytest.approx(0.75 * 0.2, rel=1e-6)
    assert [area_of(plain, part) for part in (FACE, BEVEL, SIDE)] == pytest.approx([2 * 0.75, 0.0, 6 * 0.2], rel=1e-6)
    by = 0.02
    round_edge = extrude(polygons_of([SQUARE, hole]), 0.2, by)
    # the bevel takes of each edge a square less a quarter circle (in chords); corners bring terms of third order
    quarter = BEVEL_STEPS / 2 * np.sin(np.pi / 2 / BEVEL_STEPS)
    assert volume(round_edge) == pytest.approx(0.75 * 0.2 - 2 * 6 * by**2 * (1 - quarter), abs=2 * by**3)
    assert area_of(round_edge, FACE) == pytest.approx(2 * ((1 - 2 * by) ** 2 - (0.5 + 2 * by) ** 2), rel=1e-6)
    assert is_closed(round_edge)


def test_overlapping_contours_are_one_body() -> None:
    both = polygons_of([SQUARE, SQUARE + np.array([0.5, 0.0])])
    assert len(both) == 1
    assert both[0].area == pytest.approx(1.5)
    assert polygons_of([SQUARE[:2]]) == []


@pytest.mark.parametrize("laid", ["standing", "lying", "round"])
@pytest.mark.parametrize("text", ["Round & go", "Größe %", "شمس", "नमस्ते", "two\nlines", "שלום Ω Ж"])
def test_letters_of_any_script_are_closed_and_stand_on_the_floor(text: str, laid: str) -> None:
    mesh = letters(text, laid=laid, radius_m=0.4)
    assert is_closed(mesh)
    assert volume(mesh) > 0
    assert mesh.vertices[:, 1].min() == pytest.approx(0, abs=1e-6)
    low, high = mesh.vertices.min(axis=0), mesh.vertices.max(axis=0)
    thick = {"standing": (high - low)[2], "lying": (high - low)[1]}
    if laid in thick:
        assert thick[laid] == pytest.approx(DEPTH, rel=1e-5)
        assert np.abs(low[0] + high[0]) < 0.2 * (high - low)[0]
    else:
        away = np.hypot(mesh.vertices[:, 0], mesh.vertices[:, 2])
        # edges of the narrow facets lie below the cylinder by at most 1 − cos(1.5°)
        assert (away.min(), away.max()) == pytest.approx((0.4, 0.4 + DEPTH), rel=4e-4)


def test_capitals_are_as_high_as_told_and_the_bevel_gives_way_to_thin_strokes() -> None:
    low, high = made_box(made("HH"))
    assert high[1] - low[1] == pytest.approx(0.05, rel=0.03)
    thin = made("HH", weight=100).model_copy(update={"edge_m": 0.01})
    assert is_closed(build_made(thin))
    assert volume(build_made(thin)) > 0.5 * volume(build_made(thin.model_copy(update={"edge_m": 0.0})))


def test_letters_appear_one_after_the_other() -> None:
    whole = letters("ABCD")
    half, none = letters("ABCD", shown=0.5), letters("ABCD", shown=0.0)
    assert len(none.triangles) == 0
    assert half.vertices[:, 0].min() == pytest.approx(whole.vertices[:, 0].min())
    assert half.vertices[:, 0].max() < whole.vertices[:, 0].mean() + 0.01
    counts = [len(letters("ABCD", shown=k / 4).triangles) for k in range(5)]
    assert counts == sorted(set(counts))


def test_only_letters_have_a_text() -> None:
    with pytest.raises(ValueError, match="Letters need a text"):
        Made(form="letters")
    with pytest.raises(ValueError, match="Letters need a text"):
        Made(form="box", letters=Letters())
