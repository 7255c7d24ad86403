"""Curves and points as strands and balls, and what they bring along."""

from pathlib import Path

import numpy as np
import pytest
from pxr import Gf, Sdf, Usd, UsdGeom, Vt
from tests.core.geometry.test_usd_step import bind, files_of, preview, stage_at

from cyclorama.core.errors import IntakeError
from cyclorama.core.geometry.intake import take_in
from cyclorama.core.geometry.mesh import Mesh, face_normals
from cyclorama.core.geometry.read import read_model
from cyclorama.core.geometry.strands import (
    BASES,
    CURVE_PIECES,
    SIDES,
    Polylines,
    build_balls,
    build_strands,
    curves_to_lines,
    thin_lines,
    wrap_curves,
)

CONTROL = np.array([[0, 0, 0], [1, 2, 0], [3, 3, 1], [4, 0, 2], [6, 1, 0], [7, 2, 1], [9, 0, 0.0]])


def bezier(p: np.ndarray, t: float) -> np.ndarray:
    return (1 - t) ** 3 * p[0] + 3 * t * (1 - t) ** 2 * p[1] + 3 * t * t * (1 - t) * p[2] + t**3 * p[3]


def test_bezier_segments_follow_their_polynomial() -> None:
    lines, counts = curves_to_lines(CONTROL, np.array([7]), "bezier")
    assert counts.tolist() == [2 * CURVE_PIECES + 1]
    for k, at in enumerate(np.linspace(0, 2, 2 * CURVE_PIECES + 1)):
        segment = min(int(at), 1)
        np.testing.assert_allclose(lines[k], bezier(CONTROL[3 * segment :], at - segment), atol=1e-12)


def test_splines_pass_where_their_definitions_say() -> None:
    """A Catmull–Rom spline passes its points; a B-spline has a sixth, two thirds and a sixth of three of them."""
    through, _ = curves_to_lines(CONTROL, np.array([7]), "catmullRom")
    np.testing.assert_allclose(through[::CURVE_PIECES], CONTROL[1:-1], atol=1e-12)
    near, _ = curves_to_lines(CONTROL, np.array([7]), "bspline")
    np.testing.assert_allclose(near[0], CONTROL[:3].T @ [1 / 6, 2 / 3, 1 / 6], atol=1e-12)


@pytest.mark.parametrize("basis", ["bspline", "catmullRom"])
def test_pinned_curves_reach_their_ends_and_periodic_ones_close(basis: str) -> None:
    values, counts = wrap_curves(np.concatenate([CONTROL, CONTROL + 5]), np.array([7, 7]), basis, "pinned")
    lines, lengths = curves_to_lines(values, counts, basis)
    assert lengths[0] == lengths[1]
    ends = lines[[0, lengths[0] - 1, lengths[0]]]
    np.testing.assert_allclose(ends, [CONTROL[0], CONTROL[-1], CONTROL[0] + 5], atol=1e-9)
    values, counts = wrap_curves(CONTROL, np.array([7]), basis, "periodic")
    lines, _ = curves_to_lines(values, counts, basis)
    np.testing.assert_allclose(lines[0], lines[-1], atol=1e-12)
    assert len(lines) == 7 * CURVE_PIECES + 1


def test_strands_are_round_and_run_along_their_lines() -> None:
    """Their area is that of a prism; normals point away from the line; coordinates run along and once round."""
    points = np.array([[0, 0, 0], [0, 2, 0], [0, 4, 0], [5, 0, 0], [5, 0, 9.0]])
    radii = np.array([0.1, 0.1, 0.1, 0.2, 0.2])
    strands = build_strands(Polylines(points, radii, np.array([3, 2])))
    area = np.linalg.norm(face_normals(strands.vertices, strands.triangles), axis=1).sum() / 2
    side = 2 * SIDES * np.sin(np.pi / SIDES)
    assert area == pytest.approx(side * (0.1 * 4 + 0.2 * 9))
    assert np.bincount(strands.line).tolist() == [3 * (SIDES + 1), 2 * (SIDES + 1)]
    away = np.linalg.norm(strands.vertices[strands.line == 0][:, [0, 2]], axis=1)
    np.testing.assert_allclose(away, 0.1)
    facing = np.einsum(
        "ij,ij->i", face_normals(strands.vertices, strands.triangles), strands.normals[strands.triangles[:, 0]]
    )
    assert (facing > 0).all()
    first = strands.line == 0
    np.testing.assert_allclose(strands.along[first, 0], strands.vertices[first, 1] / 4)
    assert (strands.along.min(), strands.along.max()) == (0, 1)


def test_fewer_strands_are_thicker_and_balls_have_their_size() -> None:
    many = Polylines(np.zeros((40, 3)), np.full(40, 0.1), np.full(10, 4))
    few, chosen = thin_lines(many, 11)
    assert chosen.tolist() == [0, 4, 8]
    assert len(few.points) == 12
    assert few.radii == pytest.approx(0.2)
    vertices, normals, triangles, point = build_balls(np.array([[1, 2, 3], [4, 5, 6.0]]), np.array([0.5, 2.0]))
    away = vertices - np.array([[1, 2, 3], [4, 5, 6.0]])[point]
    np.testing.assert_allclose(np.linalg.norm(away, axis=1), np.array([0.5, 2.0])[point])
    np.testing.assert_allclose(normals, away / np.array([0.5, 2.0])[point, None], atol=1e-6)
    assert len(triangles) == 2 * 320


def hairs(path: Path, wrap: str = "pinned", **values: object) -> Usd.Stage:
    """Three B-splines, under a node that is moved, in centimetres."""
    stage = stage_at(path / "fur.usda", "Y", 0.01)
    UsdGeom.Xform.Define(stage, "/head").AddTranslateOp().Set(Gf.Vec3d(0, 10, 0))
    curves = UsdGeom.BasisCurves.Define(stage, "/head/fur")
    points = np.concatenate([CONTROL[:4] + np.array([0, 0, 3 * k]) for k in range(3)])
    curves.CreatePointsAttr([Gf.Vec3f(*p) for p in points])
    curves.CreateCurveVertexCountsAttr([4, 4, 4])
    curves.CreateTypeAttr("cubic")
    curves.CreateBasisAttr("bspline")
    curves.CreateWrapAttr(wrap)
    curves.CreateWidthsAttr([0.2, 0.4, 0.1])
    curves.SetWidthsInterpolation(UsdGeom.Tokens.uniform)
    for name, kind, given in (("st", Sdf.ValueTypeNames.TexCoord2fArray, values.get("st")),):
        if given is not None:
            primvar = UsdGeom.PrimvarsAPI(curves.GetPrim()).CreatePrimvar(name, kind, UsdGeom.Tokens.uniform)
            primvar.Set(Vt.Vec2fArray(given))
    bind(curves.GetPrim(), preview(stage, "/brown", diffuseColor=(0.3, 0.15, 0.05), roughness=0.3))
    return stage


def test_usd_curves_become_hair(tmp_path: Path) -> None:
    stage = hairs(tmp_path, st=[(0.1, 0.2), (0.3, 0.4), (0.5, 0.6)])
    stage.GetRootLayer().Save()
    intake = take_in(files_of(tmp_path))
    mesh = Mesh.from_bytes(intake.assets[intake.item.asset])
    assert [p.name for p in intake.item.parts] == ["fur"]
    assert intake.item.parts[0].group == ("head",)
    assert len(mesh.triangles) == 3 * 3 * CURVE_PIECES * 2 * SIDES
    hair = intake.materials[0]
    assert (hair.strand, hair.specular_ior, hair.specular_roughness) == (True, 1.55, pytest.approx(0.3))
    low, high = mesh.vertices.min(axis=0), mesh.vertices.max(axis=0)
    assert low[1] == pytest.approx(10, abs=0.2)
    assert high[2] == pytest.approx(8, abs=0.2)
    roots = np.unique(np.round(mesh.uvs, 5), axis=0)
    np.testing.assert_allclose(roots, [[0.1, 0.8], [0.3, 0.6], [0.5, 0.4]], atol=1e-5)
    assert mesh.more_uvs.shape == mesh.uvs.shape


def test_points_of_usd_and_ply_become_balls(tmp_path: Path) -> None:
    stage = stage_at(tmp_path / "cloud.usda", "Y", 1.0)
    cloud = UsdGeom.Points.Define(stage, "/dust")
    cloud.CreatePointsAttr([Gf.Vec3f(0, 0, 0), Gf.Vec3f(1, 0, 0), Gf.Vec3f(0, 2, 0)])
    cloud.CreateWidthsAttr([0.2, 0.2, 0.6])
    colours = UsdGeom.PrimvarsAPI(cloud.GetPrim()).CreatePrimvar("displayColor", Sdf.ValueTypeNames.Color3fArray)
    colours.SetInterpolation(UsdGeom.Tokens.vertex)
    colours.Set(Vt.Vec3fArray([(1, 0, 0), (0, 1, 0), (0, 0, 1)]))
    stage.GetRootLayer().Save()
    _, model = read_model(files_of(tmp_path))
    (part,) = model.parts
    assert part.vertices[:, 1].max() == pytest.approx(2.3, abs=1e-6)
    assert part.colours is not None
    assert {tuple(c) for c in part.colours.tolist()} == {(1, 0, 0, 1), (0, 1, 0, 1), (0, 0, 1, 1)}
    rows = "".join(f"{x} {y} 0 {255 * (x % 2)} 0 0\n" for x in range(4) for y in range(4))
    header = "ply\nformat ascii 1.0\nelement vertex 16\nproperty float x\nproperty float y\nproperty float z\n"
    header += "".join(f"property uchar {c}\n" for c in ("red", "green", "blue")) + "end_header\n"
    intake = take_in({"scan.ply": (header + rows).encode()})
    mesh = Mesh.from_bytes(intake.assets[intake.item.asset])
    assert len(mesh.triangles) == 16 * 320
    assert np.ptp(mesh.vertices[:, 2]) == pytest.approx(1.0, abs=0.01)  # they touch: a unit apart
    assert intake.materials[0].vertex_colours


def test_broken_curves_get_a_sentence(tmp_path: Path) -> None:
    stage = hairs(tmp_path)
    UsdGeom.BasisCurves(stage.GetPrimAtPath("/head/fur")).GetCurveVertexCountsAttr().Set([4, 4, 9])
    stage.GetRootLayer().Save()
    with pytest.raises(IntakeError, match="points that are not there"):
        take_in(files_of(tmp_path))
    (tmp_path / "short").mkdir()
    stage = hairs(tmp_path / "short")
    UsdGeom.BasisCurves(stage.GetPrimAtPath("/head/fur")).GetCurveVertexCountsAttr().Set([1] * 12)
    UsdGeom.BasisCurves(stage.GetPrimAtPath("/head/fur")).GetWrapAttr().Set("nonperiodic")
    stage.GetRootLayer().Save()
    with pytest.raises(IntakeError, match="no faces"):
        take_in(files_of(tmp_path / "short"))


def test_every_basis_is_one_of_weights() -> None:
    """At any place the weights of a basis sum to 1, so that curves move with their points."""
    for matrix, _ in BASES.values():
        size = len(matrix)
        for t in (0.0, 0.3, 1.0):
            assert ([t ** (size - 1 - k) for k in range(size)] @ matrix).sum() == pytest.approx(1.0)
