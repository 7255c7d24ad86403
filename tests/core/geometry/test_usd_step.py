"""OpenUSD written by its own library, STEP written entity by entity: what comes in is what was put there."""

import zipfile
from pathlib import Path

import numpy as np
import pytest
from pxr import Gf, Sdf, Usd, UsdGeom, UsdShade, UsdUtils, Vt
from tests.conftest import png_of
from tests.core.geometry.test_intake import findings
from tests.core.geometry.test_subdivide import CUBE, FACES
from tests.step_files import chord_error_m, cylinder_step, two_products

from cyclorama.core.errors import IntakeError
from cyclorama.core.geometry.detail import DetailRequest
from cyclorama.core.geometry.edges import hard_edges
from cyclorama.core.geometry.intake import take_in
from cyclorama.core.geometry.mesh import Mesh, face_normals
from cyclorama.core.geometry.placement import file_to_metres
from cyclorama.core.geometry.read import read_model
from cyclorama.core.geometry.refine import refine
from cyclorama.core.scene import Detail

SQUARE = [(0, 0, 0), (2, 0, 0), (2, 2, 0), (0, 2, 0)]


def stage_at(path: Path, up: str = "Z", unit: float = 0.01) -> Usd.Stage:
    stage = Usd.Stage.CreateNew(str(path))
    UsdGeom.SetStageUpAxis(stage, up)
    UsdGeom.SetStageMetersPerUnit(stage, unit)
    return stage


def square(stage: Usd.Stage, path: str, faces: tuple[tuple[int, ...], ...] = ((0, 1, 2, 3),)) -> UsdGeom.Mesh:
    mesh = UsdGeom.Mesh.Define(stage, path)
    mesh.CreatePointsAttr([Gf.Vec3f(*p) for p in SQUARE])
    mesh.CreateFaceVertexCountsAttr([len(f) for f in faces])
    mesh.CreateFaceVertexIndicesAttr([i for f in faces for i in f])
    mesh.CreateSubdivisionSchemeAttr("none")
    return mesh


def preview(stage: Usd.Stage, path: str, picture: str | None = None, **values: object) -> UsdShade.Material:
    """A UsdPreviewSurface; its base colour from a moved picture on the set `map1` where there is one."""
    material = UsdShade.Material.Define(stage, path)
    shader = UsdShade.Shader.Define(stage, f"{path}/surface")
    shader.CreateIdAttr("UsdPreviewSurface")
    for name, value in values.items():
        kind = Sdf.ValueTypeNames.Color3f if isinstance(value, tuple) else Sdf.ValueTypeNames.Float
        shader.CreateInput(name, kind).Set(value)
    if picture:
        reader, moved, image = (UsdShade.Shader.Define(stage, f"{path}/{n}") for n in ("reader", "moved", "image"))
        reader.CreateIdAttr("UsdPrimvarReader_float2")
        reader.CreateInput("varname", Sdf.ValueTypeNames.String).Set("map1")
        moved.CreateIdAttr("UsdTransform2d")
        moved.CreateInput("in", Sdf.ValueTypeNames.Float2).ConnectToSource(reader.ConnectableAPI(), "result")
        moved.CreateInput("scale", Sdf.ValueTypeNames.Float2).Set(Gf.Vec2f(2, 3))
        moved.CreateInput("translation", Sdf.ValueTypeNames.Float2).Set(Gf.Vec2f(0.25, 0.5))
        image.CreateIdAttr("UsdUVTexture")
        image.CreateInput("file", Sdf.ValueTypeNames.Asset).Set(Sdf.AssetPath(picture))
        image.CreateInput("wrapS", Sdf.ValueTypeNames.Token).Set("clamp")
        image.CreateInput("wrapT", Sdf.ValueTypeNames.Token).Set("repeat")
        image.CreateInput("st", Sdf.ValueTypeNames.Float2).ConnectToSource(moved.ConnectableAPI(), "result")
        target = shader.CreateInput("diffuseColor", Sdf.ValueTypeNames.Color3f)
        target.ConnectToSource(image.ConnectableAPI(), "rgb")
    material.CreateSurfaceOutput().ConnectToSource(shader.ConnectableAPI(), "surface")
    return material


def bind(prim: Usd.Prim, material: UsdShade.Material) -> None:
    UsdShade.MaterialBindingAPI.Apply(prim).Bind(material)


def files_of(folder: Path) -> dict[str, bytes]:
    return {p.relative_to(folder).as_posix(): p.read_bytes() for p in folder.rglob("*") if p.is_file()}


@pytest.mark.parametrize("ending", ["usda", "usdc"])
def test_units_axes_places_subsets_and_sides(tmp_path: Path, ending: str) -> None:
    """Two triangles of a left-handed square with a material each, under a node that is moved, in centimetres, Z up."""
    stage = stage_at(tmp_path / f"plate.{ending}")
    UsdGeom.Xform.Define(stage, "/set").AddTranslateOp().Set(Gf.Vec3d(10, 0, 5))
    mesh = square(stage, "/set/plate", ((0, 2, 1), (0, 3, 2)))
    mesh.CreateOrientationAttr("leftHanded")
    red, steel = preview(stage, "/red", diffuseColor=(1, 0, 0)), preview(stage, "/steel", metallic=1.0, roughness=0.3)
    bind(mesh.GetPrim(), red)
    subset = UsdShade.MaterialBindingAPI(mesh.GetPrim()).CreateMaterialBindSubset("half", Vt.IntArray([1]))
    bind(subset.GetPrim(), steel)
    stage.GetRootLayer().Save()
    name, model = read_model(files_of(tmp_path))
    assert (name, model.up, model.unit_m) == (f"plate.{ending}", "z", 0.01)
    assert [(model.materials[p.material].name, len(p.triangles)) for p in model.parts] == [("red", 1), ("steel", 1)]
    assert (model.materials[1].base_metalness, model.materials[1].specular_roughness) == pytest.approx((1.0, 0.3))
    for part in model.parts:
        assert part.vertices.min(axis=0) == pytest.approx([10, 0, 5])
        assert face_normals(part.vertices, part.triangles)[0] @ [0, 0, 1] > 0
    placement = take_in(files_of(tmp_path)).item.placement
    assert file_to_metres(placement)[:3, :3] @ [0, 0, 1] == pytest.approx([0, 0.01, 0])


@pytest.mark.parametrize("packed", [False, True])
def test_maps_lie_on_their_set_moved_and_wrapped(tmp_path: Path, packed: bool) -> None:
    """Coordinates per corner under their own name, a moved map, and the same in one usdz file."""
    folder = tmp_path / "loose"
    folder.mkdir()
    (folder / "paint.png").write_bytes(png_of(np.full((4, 4, 3), 99)))
    stage = stage_at(folder / "plate.usda", "Y", 1.0)
    mesh = square(stage, "/plate")
    corners = UsdGeom.PrimvarsAPI(mesh.GetPrim()).CreatePrimvar(
        "map1", Sdf.ValueTypeNames.TexCoord2fArray, UsdGeom.Tokens.faceVarying
    )
    corners.Set([Gf.Vec2f(0, 0), Gf.Vec2f(1, 0.25), Gf.Vec2f(1, 1)])
    corners.SetIndices(Vt.IntArray([0, 1, 2, 0]))
    bind(mesh.GetPrim(), preview(stage, "/paint", picture="./paint.png"))
    stage.GetRootLayer().Save()
    files = files_of(folder)
    if packed:
        assert UsdUtils.CreateNewUsdzPackage(Sdf.AssetPath(str(folder / "plate.usda")), str(tmp_path / "plate.usdz"))
        files = {"plate.usdz": (tmp_path / "plate.usdz").read_bytes()}
    intake = take_in(files)
    mesh_in = Mesh.from_bytes(intake.assets[intake.item.asset])
    second = np.flatnonzero((mesh_in.vertices == [2, 0, 0]).all(axis=1))[0]
    assert mesh_in.uvs[second].tolist() == [1, 0.75]
    assert len(mesh_in.triangles) == 2
    ref = intake.materials[0].maps.base_color
    assert ref is not None
    # from below v' = 3·v + 0.5, from above 1 − v' = 3·(1 − v) − 2.5
    assert (ref.scale_u, ref.scale_v, ref.offset_u, ref.offset_v) == pytest.approx((2, 3, 0.25, -2.5))
    assert (ref.wrap, ref.wrap_down, intake.materials[0].base_color) == ("clamp", "repeat", (1, 1, 1))


@pytest.mark.parametrize(
    ("scale", "bias", "expected"),
    [(0.5, -0.2, (True, 0.005, 0.4)), (0.5, None, (True, 0.005, 0.0)), (None, None, (False, 0.0005, 0.5))],
)
def test_displacement_is_as_deep_as_the_file_says(
    tmp_path: Path, scale: float | None, bias: float | None, expected: tuple[bool, float, float]
) -> None:
    """Scale and bias are in the unit of the file, here centimetres; without a scale it is shaded, and told of."""
    (tmp_path / "hill.png").write_bytes(png_of(np.full((4, 4, 3), 99)))
    stage = stage_at(tmp_path / "plate.usda", "Y", 0.01)
    material = preview(stage, "/hill", picture="./hill.png")
    image = UsdShade.Shader(stage.GetPrimAtPath("/hill/image"))
    for name, value in (("scale", scale), ("bias", bias)):
        if value is not None:
            image.CreateInput(name, Sdf.ValueTypeNames.Float4).Set(Gf.Vec4f(value))
    surface = UsdShade.Shader(stage.GetPrimAtPath("/hill/surface"))
    surface.CreateInput("displacement", Sdf.ValueTypeNames.Float).ConnectToSource(image.ConnectableAPI(), "r")
    bind(square(stage, "/plate").GetPrim(), material)
    stage.GetRootLayer().Save()
    intake = take_in(files_of(tmp_path))
    found = intake.materials[0]
    assert found.maps.height is not None
    assert found.maps.height.channel == "r"
    assert (found.displaced, found.height_m, found.relief_level) == (expected[0], *map(pytest.approx, expected[1:]))
    assert any("shaded as a relief" in f.what + f.done for f in intake.report.findings) != expected[0]


def test_instances_colours_and_what_is_left_out(tmp_path: Path) -> None:
    stage = stage_at(tmp_path / "field.usda", "Y", 1.0)
    instancer = UsdGeom.PointInstancer.Define(stage, "/field")
    instancer.AddTranslateOp().Set(Gf.Vec3d(0, 0, 7))
    leaf = square(stage, "/field/leaf")
    leaf.CreateDisplayColorAttr([Gf.Vec3f(0.25, 0.5, 0.75)])
    instancer.CreatePrototypesRel().AddTarget("/field/leaf")
    instancer.CreateProtoIndicesAttr([0, 0, 0])
    places = [(0, 0, 0), (10, 0, 0), (0, 20, 0)]
    instancer.CreatePositionsAttr([Gf.Vec3f(*p) for p in places])
    instancer.CreateScalesAttr([Gf.Vec3f(1, 1, 1), Gf.Vec3f(2, 2, 2), Gf.Vec3f(-1, 1, 1)])
    UsdGeom.Imageable(square(stage, "/hidden").GetPrim()).MakeInvisible()
    UsdGeom.Imageable(square(stage, "/helper").GetPrim()).CreatePurposeAttr("guide")
    UsdGeom.Camera.Define(stage, "/camera")
    UsdGeom.Sphere.Define(stage, "/bead")
    stage.GetRootLayer().Save()
    _, model = read_model(files_of(tmp_path))
    leaves, hidden = model.parts
    corners = leaves.vertices.reshape(3, 4, 3)
    assert corners.min(axis=1) == pytest.approx(np.array([[0, 0, 7], [10, 0, 7], [-2, 20, 7]]))
    assert corners.max(axis=1) == pytest.approx(np.array([[2, 2, 7], [14, 4, 7], [0, 22, 7]]))
    assert (face_normals(leaves.vertices, leaves.triangles)[:, 2] > 0).all()  # the mirrored one too
    assert leaves.colours is not None
    assert leaves.colours[0].tolist() == [0.25, 0.5, 0.75, 1]
    assert (leaves.visible, hidden.visible) == (True, False)
    text = " ".join(model.notes)
    assert [c.name for c in model.cameras] == ["camera"]
    assert "1 sphere without a mesh in the file left out" in text


def test_openpbr_of_materialx_comes_in_under_its_own_names(tmp_path: Path) -> None:
    stage = stage_at(tmp_path / "a.usda", "Y", 1.0)
    material = UsdShade.Material.Define(stage, "/lacquer")
    shader = UsdShade.Shader.Define(stage, "/lacquer/surface")
    shader.CreateIdAttr("ND_open_pbr_surface_surfaceshader")
    for name, value in {"coat_weight": 0.75, "specular_roughness": 0.2, "geometry_opacity": 0.5}.items():
        shader.CreateInput(name, Sdf.ValueTypeNames.Float).Set(value)
    shader.CreateInput("base_color", Sdf.ValueTypeNames.Color3f).Set(Gf.Vec3f(0.1, 0.2, 0.3))
    material.CreateSurfaceOutput("mtlx").ConnectToSource(shader.ConnectableAPI(), "out")
    bind(square(stage, "/plate").GetPrim(), material)
    stage.GetRootLayer().Save()
    (m,) = take_in(files_of(tmp_path)).materials
    assert (m.coat_weight, m.specular_roughness, m.opacity) == pytest.approx((0.75, 0.2, 0.5))
    assert m.base_color == pytest.approx((0.1, 0.2, 0.3))


def test_pictures_from_elsewhere_on_the_disk_stay_there(tmp_path: Path) -> None:
    """A file may name any path; only what was brought in is read."""
    secret = tmp_path / "secret.png"
    secret.write_bytes(png_of(np.zeros((2, 2, 3))))
    folder = tmp_path / "in"
    folder.mkdir()
    stage = stage_at(folder / "a.usda", "Y", 1.0)
    bind(square(stage, "/plate").GetPrim(), preview(stage, "/paint", picture=str(secret)))
    stage.GetRootLayer().Save()
    intake = take_in(files_of(folder))
    assert "Texture ‘secret.png’ is missing" in findings(intake)
    assert intake.materials[0].maps.base_color is None


@pytest.mark.parametrize(
    ("name", "data", "sentence"),
    [
        ("a.usda", b'#usda 1.0\ndef Mesh "a" {', "not really a USD file"),
        ("a.usdc", b"PXR-USDC" + bytes(300), "not really a USD file"),
        ("a.usda", b"#usda 1.0\n", "no faces"),
        ("a.step", b"ISO-10303-21;\nHEADER;\n", "ends in the middle"),
        ("a.stp", b"solid thing", "not a STEP file"),
        ("a.step", b"ISO-10303-21;\nHEADER;\nENDSEC;\nDATA;\nENDSEC;\nEND-ISO-10303-21;\n", "holds no surfaces"),
    ],
)
def test_damaged_ones_get_a_sentence(name: str, data: bytes, sentence: str) -> None:
    with pytest.raises(IntakeError, match=sentence):
        take_in({name: data})


def test_a_usdz_without_a_layer_gets_a_sentence(tmp_path: Path) -> None:
    with zipfile.ZipFile(tmp_path / "a.usdz", "w") as archive:
        archive.writestr("paint.png", png_of(np.zeros((2, 2, 3))))
    with pytest.raises(IntakeError, match="holds no USD layer"):
        take_in({"a.usdz": (tmp_path / "a.usdz").read_bytes()})


@pytest.mark.parametrize("radius_mm", [2.0, 400.0])
def test_step_solids_are_as_round_as_is_said(radius_mm: float) -> None:
    """A cylinder by its radius and height; the chords of its sides are within the tolerance that the report names."""
    height_mm = 2.5 * radius_mm
    intake = take_in({"spindle.step": cylinder_step(radius_mm, height_mm)})
    assert [p.name for p in intake.item.parts] == ["spindle"]
    assert (intake.report.unit_m, intake.report.up) == (1.0, "z")
    mesh = Mesh.from_bytes(intake.assets[intake.item.asset])
    corners = mesh.vertices[np.unique(mesh.triangles)]
    assert np.hypot(corners[:, 0], corners[:, 1]).max() == pytest.approx(radius_mm / 1000, rel=1e-5)
    assert np.ptp(corners[:, 2]) == pytest.approx(height_mm / 1000, rel=1e-5)
    rim = np.unique(np.round(np.degrees(np.arctan2(corners[:, 1], corners[:, 0])), 2))
    assert chord_error_m(radius_mm / 1000, len(rim)) <= height_mm / 1000 / 4000
    assert "Tessellated to within" in findings(intake)
    hard = hard_edges(mesh.vertices, mesh.triangles, np.ones(len(mesh.triangles), np.float32))[2]
    lengths = np.linalg.norm(hard[:, 3:6] - hard[:, :3], axis=1).sum() / (4 * np.pi * radius_mm / 1000)
    assert lengths == pytest.approx(1.0, abs=0.002)  # both rims, as chords of their circles, and no other edge
    side = np.abs(mesh.normals[:, 2]) < 0.5
    outwards = mesh.vertices[side, :2] / np.linalg.norm(mesh.vertices[side, :2], axis=1, keepdims=True)
    assert np.einsum("ij,ij->i", mesh.normals[side, :2], outwards).min() > 0.999


def test_parts_of_a_step_that_cannot_be_tessellated_are_named() -> None:
    """Of two solids in one file one refers to a face that is not there: the other comes in, the lost one is told of."""
    intake = take_in({"both.step": two_products(cylinder_step(40.0, 100.0), "spindle", "lost ring")})
    assert [part.name for part in intake.item.parts] == ["spindle"]
    assert "1 part of the file could not be tessellated and is missing: ‘lost ring’" in findings(intake)


def test_the_fineness_of_a_step_can_be_chosen_afterwards() -> None:
    """By a tolerance in mm, or by what may show: the chords of its rim say how far it is off, and the subject knows."""
    file = {"spindle.step": cylinder_step(40.0, 100.0)}
    sides = {}
    for wanted in (
        DetailRequest(Detail(tolerance_mm=2.0)),
        DetailRequest(Detail(tolerance_mm=0.001)),
        DetailRequest(Detail(), 0.0002),
    ):
        intake = take_in(file, wanted=wanted)
        off = wanted.exact
        assert (intake.item.off, intake.item.detail) == (pytest.approx(off), wanted.detail)
        mesh = Mesh.from_bytes(intake.assets[intake.item.asset])
        rim = mesh.vertices[np.hypot(mesh.vertices[:, 0], mesh.vertices[:, 1]) > 0.039]
        sides[off] = len(np.unique(np.round(np.degrees(np.arctan2(rim[:, 1], rim[:, 0])), 2)))
        assert chord_error_m(0.04, sides[off]) <= off  # type: ignore[operator]
    assert sides[0.000001] > 4 * sides[0.0002] >= 4 * sides[0.002]


def test_cages_become_the_surfaces_they_stand_for(tmp_path: Path) -> None:
    """A cube that says it is a cage has its corners halfway to the middle, its creased top stays in its plane,
    coordinates go along, and the wireframe has the cage's edges only. One that says nothing stays a cube."""
    stage = stage_at(tmp_path / "cube.usda", "Y", 1.0)
    for path, says in (("/smooth", True), ("/plain", False)):
        mesh = UsdGeom.Mesh.Define(stage, path)
        mesh.CreatePointsAttr([Gf.Vec3f(*map(float, p)) for p in CUBE])
        mesh.CreateFaceVertexCountsAttr([4] * 6)
        mesh.CreateFaceVertexIndicesAttr(FACES.ravel().tolist())
        colours = UsdGeom.PrimvarsAPI(mesh.GetPrim()).CreatePrimvar("st", Sdf.ValueTypeNames.TexCoord2fArray, "vertex")
        colours.Set([Gf.Vec2f(float(x), float(y)) for x, y, _ in CUBE])
        if says:
            mesh.CreateSubdivisionSchemeAttr("catmullClark")
            mesh.CreateCreaseIndicesAttr([2, 3, 7, 6, 2])
            mesh.CreateCreaseLengthsAttr([5])
            mesh.CreateCreaseSharpnessesAttr([10.0])
    stage.GetRootLayer().Save()
    _, model = read_model(files_of(tmp_path))
    smooth, plain = model.parts
    assert refine(model.parts, [p.smooth for p in model.parts], 0.02).levels == (3,)
    assert (len(plain.triangles), len(smooth.triangles)) == (12, 2 * 6 * 4**3)
    assert np.abs(plain.vertices).min() == 1
    top = smooth.vertices[smooth.vertices[:, 1] > 1 - 1e-9]
    assert np.abs(top[:, [0, 2]]).max(axis=1).max() < 1  # the crease goes as a spline within its plane
    below = smooth.vertices[np.argmax((-smooth.vertices).sum(axis=1))]
    assert below == pytest.approx([-0.5, -0.5, -0.5], abs=0.05)
    assert smooth.uvs is not None
    assert smooth.uvs.min() >= -1
    drawn = sum(int((~smooth.inner >> e & 1).sum()) for e in range(3))  # type: ignore[operator]
    assert drawn == 24 * 2**3
    findings = " ".join(f.what for f in take_in(files_of(tmp_path)).report.findings)
    assert "refined, 6 times; wireframes keep the cage" in findings
