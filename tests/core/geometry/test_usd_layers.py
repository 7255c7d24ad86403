"""USD sets of several files, what they may open, and what a stage says of its meshes besides their shape."""

from pathlib import Path

import numpy as np
import pytest
from pxr import Gf, Sdf, Usd, UsdGeom, UsdShade, Vt
from tests.core.geometry.test_intake import findings
from tests.core.geometry.test_subdivide import CUBE, FACES
from tests.core.geometry.test_usd_step import bind, files_of, preview, square, stage_at

from cyclorama.core.errors import IntakeError
from cyclorama.core.geometry.intake import take_in
from cyclorama.core.geometry.read import read_model
from cyclorama.core.geometry.read import usd as usd_reader

SECRET = '#usda 1.0\n(\n defaultPrim = "Secret"\n)\n'


def mesh_text(name: str) -> str:
    """A prim with one triangle."""
    return (
        f'def Mesh "{name}" {{\n int[] faceVertexCounts = [3]\n int[] faceVertexIndices = [0, 1, 2]\n'
        " point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 1, 0)]\n}\n"
    )


def names(files: dict[str, bytes]) -> list[str]:
    _, model = read_model(files)
    return [part.name for part in model.parts]


def test_a_set_of_several_files_comes_in_by_its_root(tmp_path: Path) -> None:
    base = stage_at(tmp_path / "parts" / "base.usda") if (tmp_path / "parts").mkdir() is None else None
    square(base, "/base")
    base.GetRootLayer().Save()
    lid = stage_at(tmp_path / "lid.usdc")
    square(lid, "/lid")
    lid.SetDefaultPrim(lid.GetPrimAtPath("/lid"))
    lid.GetRootLayer().Save()
    box = stage_at(tmp_path / "a box.usda")
    box.GetRootLayer().subLayerPaths.append("./parts/base.usda")
    box.DefinePrim("/top").GetReferences().AddReference("./lid.usdc")
    box.GetRootLayer().Save()
    files = files_of(tmp_path)
    assert len(files) == 3
    name, model = read_model(files)
    assert name == "a box.usda"
    assert sorted(p.name for p in model.parts) == ["base", "top"]
    del files["parts/base.usda"]
    _, model = read_model(files)
    assert (model.missing, [p.name for p in model.parts]) == (["Layer ‘base.usda’"], ["top"])
    del files["a box.usda"]
    files["other.usda"] = b"#usda 1.0\n" + mesh_text("other").encode()
    with pytest.raises(IntakeError, match=r"2 USD files that no other refers to \(‘lid.usdc’, ‘other.usda’"):
        read_model(files)


@pytest.mark.parametrize("arc", ["subLayers", "references", "payload", "packed", "clips"])
@pytest.mark.parametrize("way", ["absolute", "upwards"])
def test_nothing_outside_of_what_came_in_is_opened(tmp_path: Path, arc: str, way: str) -> None:
    """A layer that lies beside, or anywhere: not a triangle of it comes in, and it is named."""
    outside = tmp_path / "secret.usda"
    outside.write_text(SECRET + mesh_text("Secret"))
    path = str(outside) if way == "absolute" else "../" * 12 + str(outside).lstrip("/")
    text = "#usda 1.0\n"
    if arc == "subLayers":
        text += f"(\n subLayers = [@{path}@]\n)\n"
    elif arc in ("references", "payload"):
        text += f'def "Arc" (\n {arc} = @{path}@\n) {{\n}}\n'
    elif arc == "clips":
        clips = f'dictionary default = {{ asset[] assetPaths = [@{path}@]\n string primPath = "/Secret"\n }}'
        text += f'def "Arc" (\n clips = {{ {clips} }}\n) {{\n}}\n'
    files = {"root.usda": (text + mesh_text("Mine")).encode()}
    if arc == "packed":
        inner = Usd.Stage.CreateNew(str(tmp_path / "inner.usda"))
        inner.DefinePrim("/Arc").GetReferences().AddReference(path)
        inner.SetDefaultPrim(inner.GetPrimAtPath("/Arc"))
        inner.GetRootLayer().Save()
        with Sdf.ZipFileWriter.CreateNew(str(tmp_path / "box.usdz")) as package:
            package.AddFile(str(tmp_path / "inner.usda"), "inner.usda")
        files["box.usdz"] = (tmp_path / "box.usdz").read_bytes()
        files["root.usda"] = (text + mesh_text("Mine") + 'def "Box" (\n references = @./box.usdz@\n) {\n}\n').encode()
    _, model = read_model(files)
    assert [p.name for p in model.parts] == ["Mine"]
    assert model.missing == ["Layer ‘secret.usda’"]


def test_a_packed_companion_comes_in(tmp_path: Path) -> None:
    (tmp_path / "inner.usda").write_text('#usda 1.0\n(\n defaultPrim = "Lid"\n)\n' + mesh_text("Lid"))
    with Sdf.ZipFileWriter.CreateNew(str(tmp_path / "lid.usdz")) as package:
        package.AddFile(str(tmp_path / "inner.usda"), "inner.usda")
    root = '#usda 1.0\ndef "Top" (\n references = @./lid.usdz@\n) {\n}\n'
    assert names({"root.usda": root.encode(), "lid.usdz": (tmp_path / "lid.usdz").read_bytes()}) == ["Top"]


def test_names_that_lead_elsewhere_write_nothing(tmp_path: Path) -> None:
    target = tmp_path / "written"
    for name in (str(target), "../" * 8 + str(target).lstrip("/"), "a/../../b.png"):
        with pytest.raises(IntakeError, match="leads outside"):
            read_model({"root.usda": b"#usda 1.0\n" + mesh_text("Mine").encode(), name: b"x"})
    assert not target.exists()
    with pytest.raises(IntakeError, match="is too long"):
        read_model({"root.usda": b"#usda 1.0\n" + mesh_text("Mine").encode(), "a" * 300 + ".png": b"x"})


@pytest.mark.parametrize("unit", ["0", "-1", "nan", "inf"])
def test_a_unit_that_is_no_length_gets_a_sentence(unit: str) -> None:
    text = f"#usda 1.0\n(\n metersPerUnit = {unit}\n)\n" + mesh_text("Mine")
    with pytest.raises(IntakeError, match="says that its unit is"):
        read_model({"root.usda": text.encode()})


def test_masked_instances_keep_their_places(tmp_path: Path) -> None:
    """Of three prototypes' instances one is inactive and one invisible: the others stand where they were put."""
    stage = stage_at(tmp_path / "field.usda", "Y", 1.0)
    instancer = UsdGeom.PointInstancer.Define(stage, "/field")
    for name in ("leaf", "stone"):
        square(stage, f"/field/{name}")
        instancer.CreatePrototypesRel().AddTarget(f"/field/{name}")
    UsdGeom.Xformable(stage.GetPrimAtPath("/field/stone")).AddTranslateOp().Set(Gf.Vec3d(0, 0, 5))
    instancer.CreateProtoIndicesAttr([0, 1, 0, 1])
    instancer.CreateIdsAttr(Vt.Int64Array([10, 11, 12, 13]))
    instancer.CreatePositionsAttr([Gf.Vec3f(10.0 * i, 0, 0) for i in range(4)])
    instancer.DeactivateId(10)
    instancer.InvisId(11, Usd.TimeCode.Default())
    stage.GetRootLayer().Save()
    _, model = read_model(files_of(tmp_path))
    at = {p.name: p.vertices.min(axis=0).tolist() for p in model.parts}
    assert at == {"leaf": [20, 0, 0], "stone": [30, 0, 5]}
    assert all(len(p.triangles) == 2 for p in model.parts)


def test_too_many_instances_get_a_sentence(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(usd_reader, "MOST_INSTANCES", 3)
    stage = stage_at(tmp_path / "field.usda", "Y", 1.0)
    instancer = UsdGeom.PointInstancer.Define(stage, "/field")
    square(stage, "/field/leaf")
    instancer.CreatePrototypesRel().AddTarget("/field/leaf")
    instancer.CreateProtoIndicesAttr([0] * 4)
    instancer.CreatePositionsAttr([Gf.Vec3f(i, 0, 0) for i in range(4)])
    stage.GetRootLayer().Save()
    with pytest.raises(IntakeError, match="more than 3 instances"):
        read_model(files_of(tmp_path))


def test_holes_subsets_and_point_caches(tmp_path: Path) -> None:
    """A closed box of two materials has no open edges between them; a hole opens it; samples of points are told of."""
    stage = stage_at(tmp_path / "box.usda", "Y", 1.0)
    mesh = UsdGeom.Mesh.Define(stage, "/box")
    mesh.CreatePointsAttr([Gf.Vec3f(*map(float, p)) for p in CUBE])
    mesh.CreateFaceVertexCountsAttr([len(f) for f in FACES])
    mesh.CreateFaceVertexIndicesAttr([int(i) for f in FACES for i in f])
    mesh.CreateSubdivisionSchemeAttr("none")
    bind(mesh.GetPrim(), preview(stage, "/red", diffuseColor=(1, 0, 0)))
    api = UsdShade.MaterialBindingAPI(mesh.GetPrim())
    bind(api.CreateMaterialBindSubset("lid", Vt.IntArray([0, 1])).GetPrim(), preview(stage, "/steel", metallic=1.0))
    stage.GetRootLayer().Save()
    intake = take_in(files_of(tmp_path))
    assert [p.name for p in intake.item.parts] == ["box", "box, lid"]
    assert "open edge" not in findings(intake)
    mesh.CreateHoleIndicesAttr([1])
    mesh.GetPointsAttr().Set([Gf.Vec3f(*map(float, p)) for p in CUBE], 1.0)
    mesh.GetPointsAttr().Set([Gf.Vec3f(*map(float, 2 * np.array(p))) for p in CUBE], 2.0)
    stage.GetRootLayer().Save()
    opened = take_in(files_of(tmp_path))
    assert opened.report.triangles == intake.report.triangles - 2
    assert "4 open edges" in findings(opened)
    assert "changes its shape by 2 time samples" in findings(opened)
